// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/signal_series.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "measure/coverage.h"

namespace wavetrope::measure {

std::size_t SignalSeries::update(const trace::Snapshot& whole, std::uint64_t budget)
{
    if (!whole.valid() || nextRow_ >= whole.rows())
        return 0;
    const trace::Snapshot snapshot(whole.trace(), whole.rows() - nextRow_ > budget ? nextRow_ + budget : whole.rows());
    const auto identifiers = identifiersOf(snapshot.trace(), *signal_.message);
    if (identifiers.empty()) {
        nextRow_ = snapshot.rows();  // none of these rows is its
        return 0;
    }
    const std::size_t before = times_.size();
    std::size_t changedFrom = before;
    bool ordered = true;
    const auto take = [&](trace::Row, const can::FrameView& frame) {
        database::Decoded decoded;
        if (signal_.message->plan.decodeOne(frame, signal_.index, decoded) && std::isfinite(decoded.value)) {
            const double seconds = static_cast<double>((frame.time - origin_).count()) * 1e-9;
            ordered = ordered && (times_.empty() || times_.back() <= seconds);
            times_.push_back(seconds);
            values_.push_back(decoded.value);
        }
        return true;
    };
    for (const trace::IdentifierIndex identifier : identifiers)  // of a parameter group there may be several
        snapshot.eachOf(identifier, nextRow_, take);
    nextRow_ = snapshot.rows();
    if (!ordered) {
        std::vector<std::size_t> order(times_.size());
        std::iota(order.begin(), order.end(), std::size_t{0});
        std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return times_[a] < times_[b]; });
        std::vector<double> times(times_.size());
        std::vector<double> values(times_.size());
        for (std::size_t i = 0; i < order.size(); ++i) {
            times[i] = times_[order[i]];
            values[i] = values_[order[i]];
        }
        times_ = std::move(times);
        values_ = std::move(values);
        changedFrom = 0;
    }
    levels_.update(values_, changedFrom);
    return times_.size() - before;
}

std::size_t SignalSeries::lowerBound(double seconds) const
{
    return static_cast<std::size_t>(std::lower_bound(times_.begin(), times_.end(), seconds) - times_.begin());
}

std::optional<double> SignalSeries::at(double seconds) const
{
    const auto behind = static_cast<std::size_t>(std::upper_bound(times_.begin(), times_.end(), seconds) - times_.begin());
    return behind == 0 ? std::nullopt : std::optional(values_[behind - 1]);
}

bool SignalSeries::holds(double seconds) const
{
    const auto behind = static_cast<std::size_t>(std::upper_bound(times_.begin(), times_.end(), seconds) - times_.begin());
    return behind > 0 && seconds - times_[behind - 1] <= silentAfter();
}

// Seconds behind a value from which on it no longer holds.
double SignalSeries::silentAfter() const
{
    const double hold = period();
    return hold > 0 ? 3 * hold : std::numeric_limits<double>::infinity();
}

std::optional<double> SignalSeries::next(Place place, double seconds, bool back, double from, double to) const
{
    if (place == Place::smallest || place == Place::largest) {
        const std::size_t first = lowerBound(from);
        const auto last = static_cast<std::size_t>(std::upper_bound(times_.begin(), times_.end(), to) - times_.begin());
        if (first >= last)
            return std::nullopt;
        const auto begin = values_.begin() + static_cast<std::ptrdiff_t>(first);
        const auto end = values_.begin() + static_cast<std::ptrdiff_t>(last);
        const auto found = place == Place::smallest ? std::min_element(begin, end) : std::max_element(begin, end);
        return times_[static_cast<std::size_t>(found - values_.begin())];
    }
    const double silent = silentAfter();
    const auto is = [&](std::size_t i) {
        switch (place) {
        case Place::change: return values_[i] != values_[i - 1];
        case Place::rise: return values_[i] > values_[i - 1];
        case Place::fall: return values_[i] < values_[i - 1];
        default: return times_[i] - times_[i - 1] > silent;
        }
    };
    const auto momentOf = [&](std::size_t i) { return place == Place::gap ? times_[i - 1] : times_[i]; };
    if (!back) {
        std::size_t i = std::max<std::size_t>(
            1, static_cast<std::size_t>(std::upper_bound(times_.begin(), times_.end(), seconds) - times_.begin()));
        for (; i < times_.size(); ++i)
            if (is(i) && momentOf(i) > seconds)
                return momentOf(i);
        return std::nullopt;
    }
    for (std::size_t i = std::min(times_.size(), lowerBound(seconds) + 1); i > 1; --i)
        if (is(i - 1) && momentOf(i - 1) < seconds)
            return momentOf(i - 1);
    return std::nullopt;
}

double SignalSeries::period() const
{
    const database::Message& message = *signal_.message->message;
    if (message.cycleTime.count() > 0 && !signal_.message->plan.multiplexed(signal_.index))
        return static_cast<double>(message.cycleTime.count()) * 1e-9;
    constexpr std::size_t enough = 1024;
    if (times_.size() < 4)
        return 0;
    if (usualOf_ < std::min(times_.size() / 2, enough) || usualOf_ == 0) {
        std::vector<double> gaps;
        for (std::size_t i = 1; i < std::min(times_.size(), enough + 1); ++i)
            if (times_[i] > times_[i - 1])
                gaps.push_back(times_[i] - times_[i - 1]);
        usualOf_ = std::min(times_.size(), enough);
        usual_ = 0;
        if (!gaps.empty()) {
            std::nth_element(gaps.begin(), gaps.begin() + static_cast<std::ptrdiff_t>(gaps.size() / 2), gaps.end());
            usual_ = gaps[gaps.size() / 2];
        }
    }
    return usual_;
}

void SignalSeries::points(
    double from, double to, unsigned columns, double now, std::vector<double>& times, std::vector<double>& values) const
{
    times.clear();
    values.clear();
    std::size_t first = lowerBound(from);
    std::size_t last = static_cast<std::size_t>(std::upper_bound(times_.begin(), times_.end(), to) - times_.begin());
    first = first > 0 ? first - 1 : 0;
    last = std::min(last + 1, times_.size());
    if (last <= first || columns == 0)
        return;
    const double hold = period();
    const double silent = silentAfter();
    const auto put = [&](double time, double value) {
        times.push_back(time);
        values.push_back(value);
    };
    // What came before `next` holds up to it, or is broken off.
    double newest = 0;
    const auto before = [&](double next) {
        if (!times.empty() && next - newest > silent) {
            put(newest + hold, values.back());
            put(newest + hold, std::numeric_limits<double>::quiet_NaN());
        }
    };
    if (last - first <= 4UL * columns) {
        for (std::size_t i = first; i < last; ++i) {
            before(times_[i]);
            put(times_[i], values_[i]);
            newest = times_[i];
        }
    } else {
        const double width = (to - from) / columns;
        std::size_t at = first;
        for (unsigned column = 0; column < columns && at < last; ++column) {
            const double edge = from + width * (column + 1);
            const std::size_t end = column + 1 == columns ? last : std::max(at, std::min(last, lowerBound(edge)));
            if (end == at)
                continue;
            const RangeSummary summary = over(at, end);
            const double middle = edge - width / 2;
            before(times_[at]);
            for (const double value : {values_[at], summary.low, summary.high, values_[end - 1]})
                put(middle, value);
            newest = times_[end - 1];
            at = end;
        }
    }
    if (last == times_.size() && now > times.back())
        put(std::min(now, now - newest > silent ? newest + hold : now), values.back());
}

}  // namespace wavetrope::measure
