// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/signal_series.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numeric>

namespace wavetrope::measure {

namespace {

constexpr std::size_t fan = 16;
constexpr std::size_t leastOfColumn = 4;                // sums that a column of a drawing has at least
constexpr trace::Row rowsAtOnce = 1U << 14U;            // while others may look, or end it
constexpr trace::Row rowsOfDerived = 1U << 13U;         // between two looks whether a derived one is worth a checkpoint
constexpr std::uint64_t samplesPerCheckpoint = 8192;    // at least; and no more than a byte is kept of each
constexpr std::size_t tellPeriodOf = 1024;              // gaps
constexpr std::uint64_t samplesPerBreak = 16;           // stretches are not broken off more often
constexpr double notANumber = std::numeric_limits<double>::quiet_NaN();

Time promisedBy(const database::SignalRef& signal)
{
    return signal.message->plan.multiplexed(signal.index) ? Time{0} : Time(signal.message->message->cycleTime);
}

std::vector<std::size_t> orderOf(const Samples& samples)
{
    std::vector<std::size_t> order(samples.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return samples.times[a] < samples.times[b]; });
    return order;
}

void append(Samples& out, const Samples& from, std::size_t at)
{
    out.rows.push_back(from.rows[at]);
    out.times.push_back(from.times[at]);
    out.values.push_back(from.values[at]);
}

// Rows at the beginning that were let go.
trace::Row goneOf(const trace::Snapshot& snapshot)
{
    trace::Row low = 0, high = snapshot.rows() / trace::segmentRows;        // in segments; the last one goes on
    while (low < high)
        if (const trace::Row middle = low + (high - low) / 2; snapshot.trace().isGone(middle * trace::segmentRows))
            low = middle + 1;
        else
            high = middle;
    return low * trace::segmentRows;
}

}  // namespace

SignalSeries::SignalSeries(std::shared_ptr<const database::Catalog> catalog, SampleFeed feed, Time origin, Time promised)
    : catalog_(std::move(catalog)),
      origin_(origin),
      derived_(feed.derived()),
      promised_(promised),
      reach_(feed),
      feed_(std::move(feed)),
      reading_(feed_),
      levels_(1)
{}

SignalSeries::SignalSeries(std::shared_ptr<const database::Catalog> catalog, const database::SignalRef& signal, Time origin)
    : SignalSeries(catalog, SampleFeed(*catalog, signal), origin, promisedBy(signal))
{}

SignalSeries::SignalSeries(std::shared_ptr<const database::Catalog> catalog, const database::SignalRef& signal, Time origin,
    std::shared_ptr<const MessageIndex> messages)
    : SignalSeries(catalog, SampleFeed(*catalog, signal, std::move(messages)), origin, promisedBy(signal))
{}

SignalSeries::SignalSeries(std::shared_ptr<const database::Catalog> catalog, std::uint32_t derived, Time origin)
    : SignalSeries(catalog, SampleFeed(*catalog, derived), origin, Time{0})
{}

SignalSeries::SignalSeries(const database::SignalRef& signal, Time origin)
    : SignalSeries(nullptr, SampleFeed(signal), origin, promisedBy(signal))
{}

trace::Row SignalSeries::rows() const
{
    const std::scoped_lock lock(mutex_);
    return rows_;
}

std::uint64_t SignalSeries::size() const
{
    const std::scoped_lock lock(mutex_);
    return size_;
}

std::size_t SignalSeries::bytes() const
{
    const std::scoped_lock lock(mutex_);
    std::size_t stretches = 1;
    for (const Level& level : levels_)
        stretches += level.size();
    return sizeof(SignalSeries) + stretches * sizeof(Stretch) + checkpointBytes_ + firstTimes_.size() * sizeof(Time)
           + samples_.size() * (sizeof(trace::Row) + sizeof(Time) + sizeof(double));
}

bool SignalSeries::update(const trace::Snapshot& snapshot, std::uint64_t budget)
{
    if (!snapshot.valid() || feed_.next() >= feed_.reach(snapshot))
        return false;
    if (const trace::Row gone = goneOf(snapshot); feed_.next() == 0 && gone > 0) {     // it begins with what is there
        const std::scoped_lock lock(mutex_);
        feed_.seek(gone);
        reading_ = feed_;
        lostUpTo_ = snapshot.time(gone) - Time(1);
    }
    const trace::Row reach = feed_.reach(snapshot);
    const trace::Row end = reach - feed_.next() > budget ? feed_.next() + budget : reach;
    bool any = false;
    Samples samples;
    while (feed_.next() < end) {
        samples.clear();
        feed_.take(snapshot, std::min(end, feed_.next() + (feed_.derived() ? rowsOfDerived : rowsAtOnce)), samples);
        any = any || samples.size() > 0;
        const bool ordered = samples.size() == 0
                             || (samples.times.front() >= newest_ && std::is_sorted(samples.times.begin(), samples.times.end()));
        if (!sorted_ && !ordered) {
            sort(snapshot, samples);
            continue;
        }
        const std::scoped_lock lock(mutex_);
        if (sorted_) {
            merge(samples);
        } else {
            for (std::size_t i = 0; i < samples.size(); ++i)
                add(samples.rows[i], samples.times[i], samples.values[i]);
            if (feed_.derived())
                keepPlace();
            else if (!samples.rows.empty() || rows_ == 0)
                reading_ = feed_;
        }
        sumUp();
        tellPeriod();
        rows_ = feed_.next();
    }
    return any;
}

void SignalSeries::keepPlace()
{
    const std::size_t bytes = feed_.remembers();
    if (sinceCheckpoint_ < std::max<std::uint64_t>(samplesPerCheckpoint, bytes))
        return;
    checkpoints_.push_back(feed_);
    checkpointBytes_ += bytes;
    sinceCheckpoint_ = 0;
}

void SignalSeries::add(std::uint64_t place, Time time, double value)
{
    newest_ = time;
    ++sinceCheckpoint_;
    if (!std::isfinite(value)) {
        if (open_.samples > 0)
            open_.until = std::min(open_.until, time);
        return;
    }
    ++size_;
    if (firstTimes_.size() <= tellPeriodOf)
        firstTimes_.push_back(time);
    if (open_.samples == 0) {
        open_ = Stretch(place, time, value);
        return;
    }
    // Where it is silent, or no number, the curve is broken: stretches end there, where that is not too often.
    const Time period = usualOrPromised();
    const bool breaks = open_.until != Stretch::onwards || (period.count() > 0 && time - open_.lastAt > 3 * period);
    if (open_.samples >= most_ || (breaks && brokenOff_ * samplesPerBreak <= size_)) {
        brokenOff_ += open_.samples < most_ ? 1 : 0;
        levels_[0].push_back(open_);
        open_ = Stretch(place, time, value);
    } else {
        open_.add(time, value);
    }
}

void SignalSeries::sumUp()
{
    for (std::size_t level = 0; level < levels_.size(); ++level) {
        if (levels_[level].size() < fan)
            break;
        if (level + 1 == levels_.size())
            levels_.emplace_back();
        for (std::size_t cell = levels_[level + 1].size(); cell < levels_[level].size() / fan; ++cell) {
            Stretch sum = levels_[level][cell * fan];
            for (std::size_t i = cell * fan + 1; i < (cell + 1) * fan; ++i)
                sum.add(levels_[level][i]);
            levels_[level + 1].push_back(sum);
        }
    }
}

void SignalSeries::tellPeriod()
{
    if (promised_.count() > 0 || firstTimes_.size() < 4 || (usual_.count() > 0 && firstTimes_.size() > tellPeriodOf))
        return;
    std::vector<Time> gaps;
    for (std::size_t i = 1; i < firstTimes_.size(); ++i)
        if (firstTimes_[i] > firstTimes_[i - 1])
            gaps.push_back(firstTimes_[i] - firstTimes_[i - 1]);
    if (gaps.empty())
        return;
    std::nth_element(gaps.begin(), gaps.begin() + static_cast<std::ptrdiff_t>(gaps.size() / 2), gaps.end());
    usual_ = gaps[gaps.size() / 2];
}

// From now on all samples are kept.
void SignalSeries::sort(const trace::Snapshot& snapshot, const Samples& newest)
{
    Samples all;
    SampleFeed feed = reading_;
    if (!feed.derived()) {
        feed.seek(goneOf(snapshot));
    } else if (const SampleFeed* place = placeFor(0, goneOf(snapshot))) {
        feed = *place;
    } else {
        feed = feed_;       // nothing of before can be read again
        all = newest;
    }
    const trace::Row from = feed.next();
    while (feed.next() < feed_.next())
        feed.take(snapshot, std::min(feed_.next(), feed.next() + rowsAtOnce), all);
    const std::scoped_lock lock(mutex_);
    // What was let go held up to the first that is read again.
    if (count() > 0 && stretch(0).place < from)
        lostUpTo_ = all.size() > 0 ? all.times.front() - Time(1) : newest_;
    sorted_ = true;
    checkpoints_.clear();
    checkpointBytes_ = 0;
    samples_ = {};
    levels_.assign(1, {});
    open_ = {};
    size_ = brokenOff_ = 0;
    merge(all);
    sumUp();
    tellPeriod();
    rows_ = feed_.next();
}

void SignalSeries::merge(const Samples& samples)
{
    if (samples.size() == 0)
        return;
    const std::vector<std::size_t> order = orderOf(samples);
    const auto from = static_cast<std::size_t>(
        std::upper_bound(samples_.times.begin(), samples_.times.end(), samples.times[order.front()]) - samples_.times.begin());
    // Those behind the first of the new ones are put in between.
    Samples tail;
    for (std::size_t i = from; i < samples_.size(); ++i)
        append(tail, samples_, i);
    samples_.rows.resize(from);
    samples_.times.resize(from);
    samples_.values.resize(from);
    std::size_t old = 0;
    for (const std::size_t at : order) {
        for (; old < tail.size() && tail.times[old] <= samples.times[at]; ++old)
            append(samples_, tail, old);
        append(samples_, samples, at);
    }
    for (; old < tail.size(); ++old)
        append(samples_, tail, old);
    rebuildFrom(from);
}

void SignalSeries::rebuildFrom(std::size_t place)
{
    std::size_t again = place;
    const auto drop = [&](const Stretch& stretch) {
        size_ -= stretch.samples;
        again = std::min<std::size_t>(again, stretch.place);
    };
    // What goes on in the last stretch is taken anew with it, where anything comes between.
    const bool behindAll = open_.samples == 0
                           || (open_.lastAt <= samples_.times[place] && place > open_.place
                               && (open_.until == Stretch::onwards || open_.until <= samples_.times[place]));
    if (!behindAll) {
        drop(open_);
        open_ = {};
        while (!levels_[0].empty() && levels_[0].back().place + levels_[0].back().samples >= place) {
            drop(levels_[0].back());
            levels_[0].pop_back();
        }
        if (!levels_[0].empty()) {      // goes on
            open_ = levels_[0].back();
            levels_[0].pop_back();
            drop(open_);
            open_ = {};
        } else {
            again = 0;
        }
        for (std::size_t level = 1; level < levels_.size(); ++level)
            while (levels_[level].size() > levels_[level - 1].size() / fan)
                levels_[level].pop_back();
    }
    if (again == 0)
        firstTimes_.clear();
    for (std::size_t i = again; i < samples_.size(); ++i)
        add(i, samples_.times[i], samples_.values[i]);
}

void SignalSeries::coarsen()
{
    const std::scoped_lock lock(mutex_);
    most_ *= 2;
    Level merged;
    for (const Stretch& one : levels_[0])
        if (!merged.empty() && merged.back().samples + one.samples <= most_)
            merged.back().add(one);
        else
            merged.push_back(one);
    levels_.assign(1, std::move(merged));
    sumUp();
}

std::size_t SignalSeries::firstBehind(Time moment) const
{
    const Level& level = levels_[0];
    const auto found = std::upper_bound(
        level.begin(), level.end(), moment, [](Time time, const Stretch& one) { return time < one.firstAt; });
    const auto index = static_cast<std::size_t>(found - level.begin());
    return index == level.size() && open_.samples > 0 && open_.firstAt <= moment ? index + 1 : index;
}

std::size_t SignalSeries::firstAtOrBehind(Time moment) const
{
    const Level& level = levels_[0];
    const auto found = std::lower_bound(
        level.begin(), level.end(), moment, [](const Stretch& one, Time time) { return one.firstAt < time; });
    const auto index = static_cast<std::size_t>(found - level.begin());
    return index == level.size() && open_.samples > 0 && open_.firstAt < moment ? index + 1 : index;
}

template <class Visit>
void SignalSeries::eachSum(std::size_t first, std::size_t last, Visit visit) const
{
    while (first < last) {
        std::size_t level = 0;
        std::size_t size = 1;
        while (level + 1 < levels_.size() && first % (size * fan) == 0 && first + size * fan <= last
               && first / (size * fan) < levels_[level + 1].size()) {
            size *= fan;
            ++level;
        }
        visit(level == 0 ? stretch(first) : levels_[level][first / size]);
        first += size;
    }
}

Stretch SignalSeries::over(std::size_t first, std::size_t last) const
{
    Stretch sum;
    eachSum(first, last, [&sum](const Stretch& one) {
        if (sum.samples == 0)
            sum = one;
        else
            sum.add(one);
    });
    return sum;
}

Stretch SignalSeries::outline(std::size_t first, std::size_t last) const
{
    Stretch sum = stretch(first);
    eachSum(first, last, [&sum](const Stretch& one) {
        sum.low = std::min(sum.low, one.low);
        sum.high = std::max(sum.high, one.high);
    });
    const Stretch& end = stretch(last - 1);
    sum.lastAt = end.lastAt;
    sum.last = end.last;
    sum.until = end.until;
    return sum;
}

// Where a derived one is gone on from to come to a row, the nearest in front of it. What a function over time hangs on has to be there: else
// the first place behind which nothing was let go; null where there is none.
const SampleFeed* SignalSeries::placeFor(trace::Row row, trace::Row gone) const
{
    auto behind = std::upper_bound(
        checkpoints_.begin(), checkpoints_.end(), row, [](trace::Row wanted, const SampleFeed& one) { return wanted < one.next(); });
    if (behind == checkpoints_.begin() && gone <= reading_.next())
        return &reading_;
    if (behind != checkpoints_.begin())
        --behind;
    while (behind != checkpoints_.end() && behind->next() < gone)
        ++behind;
    return behind == checkpoints_.end() ? nullptr : &*behind;
}

Samples SignalSeries::samplesIn(std::unique_lock<std::mutex>& lock, const trace::Snapshot& snapshot, std::size_t first, std::size_t last,
    bool oneBehind, bool& whole, const GoesOn& goesOn) const
{
    Samples out;
    if (first >= last || first >= count())
        return out;
    const std::uint64_t from = stretch(first).place;
    const bool more = last < count();
    const std::uint64_t next = oneBehind ? 1 : 0;
    if (sorted_) {
        const std::uint64_t end = more ? stretch(last).place + next : samples_.size();
        for (std::uint64_t i = from; i < end; ++i)
            append(out, samples_, static_cast<std::size_t>(i));
        return out;
    }
    // A snapshot may be older than what the series has taken in: what lies behind it is not read.
    const trace::Row end = std::min<trace::Row>(more ? stretch(last).place + next : rows_, snapshot.rows());
    SampleFeed feed = reading_;
    if (feed.derived()) {
        const SampleFeed* place = placeFor(from, goneOf(snapshot));
        if (place == nullptr) {
            whole = false;
            return out;
        }
        feed = *place;
        whole = whole && (place == &reading_ || feed.next() <= from);
    } else {
        const trace::Row gone = goneOf(snapshot);
        feed.seek(std::max(from, gone));
        whole = whole && from >= gone;
    }
    const trace::Row began = feed.next();
    lock.unlock();
    while (feed.next() < end && (!goesOn || goesOn())) {
        feed.take(snapshot, std::min(end, feed.next() + rowsAtOnce), out);
        // Of what a derived one looked at before, nothing is wanted.
        if (!out.rows.empty() && out.rows.front() < from) {
            const auto gone = std::lower_bound(out.rows.begin(), out.rows.end(), from) - out.rows.begin();
            out.rows.erase(out.rows.begin(), out.rows.begin() + gone);
            out.times.erase(out.times.begin(), out.times.begin() + gone);
            out.values.erase(out.values.begin(), out.values.begin() + gone);
        }
    }
    // Meanwhile more may have been let go.
    if (const trace::Row gone = goneOf(snapshot); gone > began) {
        whole = false;
        if (feed.derived())
            out = {};
    }
    lock.lock();
    return out;
}

std::uint64_t SignalSeries::about(Time from, Time to) const
{
    const std::scoped_lock lock(mutex_);
    const std::size_t first = firstAtOrBehind(from);
    return over(first > 0 ? first - 1 : 0, firstBehind(to)).samples;
}

std::shared_ptr<const SignalSeries::Detail> SignalSeries::detail(
    const trace::Snapshot& snapshot, Time from, Time to, const GoesOn& goesOn) const
{
    auto detail = std::make_shared<Detail>();
    std::unique_lock lock(mutex_);
    detail->from = from;
    detail->to = to;
    detail->rows = rows_;
    detail->whole = from > lostUpTo_;
    const std::size_t behind = firstAtOrBehind(from);
    bool all = true;
    const Samples samples = samplesIn(lock, snapshot, behind > 0 ? behind - 1 : 0, firstBehind(to), true, all, goesOn);
    detail->whole = detail->whole && (all || (samples.size() > 0 && samples.times.front() <= from));
    detail->open = sorted_ || samples.size() == 0 || samples.times.back() <= to;
    if (samples.size() == 0 && count() > 0 && stretch(0).firstAt > to) {  // in front of all
        detail->times.push_back(stretch(0).firstAt);
        detail->values.push_back(stretch(0).first);
        return detail;
    }
    // Whoever is asked may hold a lock while it looks at this.
    lock.unlock();
    if (goesOn && !goesOn())
        return nullptr;
    auto first = std::lower_bound(samples.times.begin(), samples.times.end(), from) - samples.times.begin();
    auto last = std::upper_bound(samples.times.begin(), samples.times.end(), to) - samples.times.begin();
    first = std::max<std::ptrdiff_t>(0, first - 1);
    last = std::min(last + 1, static_cast<std::ptrdiff_t>(samples.size()));
    detail->times.assign(samples.times.begin() + first, samples.times.begin() + last);
    detail->values.assign(samples.values.begin() + first, samples.values.begin() + last);
    for (double& value : detail->values)
        value = std::isfinite(value) ? value : notANumber;
    return detail;
}

bool SignalSeries::fresh(const Detail& detail, Time within) const
{
    const std::scoped_lock lock(mutex_);
    if (!detail.open || detail.rows >= rows_)
        return true;
    return !sorted_ && !detail.times.empty() && open_.lastAt - detail.times.back() <= within;
}

std::optional<std::pair<Time, double>> SignalSeries::newestAt(const trace::Snapshot& snapshot, Time moment) const
{
    std::unique_lock lock(mutex_);
    const std::size_t behind = firstBehind(moment);
    if (behind == 0)
        return std::nullopt;
    const Stretch one = stretch(behind - 1);
    if (moment >= one.lastAt)
        return moment < one.until ? std::pair(one.lastAt, one.last) : std::pair(one.until, notANumber);
    bool whole = true;
    const Samples samples = samplesIn(lock, snapshot, behind - 1, behind, false, whole);
    const auto found = std::upper_bound(samples.times.begin(), samples.times.end(), moment) - samples.times.begin();
    if (found == 0)
        return std::nullopt;  // let go
    return std::pair(samples.times[static_cast<std::size_t>(found - 1)], samples.values[static_cast<std::size_t>(found - 1)]);
}

std::optional<double> SignalSeries::at(const trace::Snapshot& snapshot, Time moment) const
{
    const auto newest = newestAt(snapshot, moment);
    return newest && std::isfinite(newest->second) ? std::optional(newest->second) : std::nullopt;
}

bool SignalSeries::holds(const trace::Snapshot& snapshot, Time moment) const
{
    const auto newest = newestAt(snapshot, moment);
    return newest && std::isfinite(newest->second) && moment - newest->first <= silentAfter();
}

std::optional<std::pair<double, double>> SignalSeries::range(Time from, Time to) const
{
    const std::scoped_lock lock(mutex_);
    const std::size_t first = firstAtOrBehind(from);
    const std::size_t last = firstBehind(to);
    if (last == 0)
        return std::nullopt;
    const Stretch sum = outline(first > 0 ? first - 1 : 0, last);
    return std::pair(sum.low, sum.high);
}

std::optional<std::pair<double, double>> SignalSeries::range() const { return range(Time::min(), Time::max()); }

IntervalMeasures SignalSeries::between(const trace::Snapshot& snapshot, Time from, Time to) const
{
    IntervalMeter meter(from, to);
    std::unique_lock lock(mutex_);
    const std::size_t first = firstBehind(from);  // those from here on begin in it
    const std::size_t behind = std::max(first, firstBehind(to));
    std::size_t end = behind;  // and those up to here end in it
    while (end > first && stretch(end - 1).lastAt > to)
        --end;
    // Those that an end cuts are read; of one that is over in front, its last value holds.
    std::optional<Stretch> held, inside;
    if (first > 0 && stretch(first - 1).lastAt < from)
        held = stretch(first - 1);
    if (end > first)
        inside = over(first, end);
    Samples front, back;
    bool whole = true;
    if (!held)
        front = samplesIn(lock, snapshot, std::max<std::size_t>(1, firstAtOrBehind(from)) - 1, first, false, whole);
    whole = whole || (front.size() > 0 && front.times.front() <= from);
    if (behind > end)
        back = samplesIn(lock, snapshot, end, behind, false, whole);
    lock.unlock();
    if (held)
        meter.add(*held);
    for (std::size_t i = 0; i < front.size(); ++i)
        meter.add(front.times[i], front.values[i]);
    if (inside)
        meter.add(*inside);
    for (std::size_t i = 0; i < back.size(); ++i)
        meter.add(back.times[i], back.values[i]);
    IntervalMeasures out = meter.finish();
    out.whole = whole && from > lostUpTo_;
    return out;
}

Time SignalSeries::period() const
{
    const std::scoped_lock lock(mutex_);
    return usualOrPromised();
}

Time SignalSeries::silentAfter() const
{
    const Time hold = period();
    return hold.count() > 0 ? 3 * hold : Time::max();
}

std::optional<Time> SignalSeries::next(
    const trace::Snapshot& snapshot, Place place, Time moment, bool back, Time from, Time to, const GoesOn& goesOn) const
{
    if (place == Place::smallest || place == Place::largest) {
        const IntervalMeasures all = between(snapshot, from, to);
        if (all.samples == 0)
            return std::nullopt;
        const double wanted = place == Place::smallest ? all.smallest : all.largest;
        std::unique_lock lock(mutex_);
        for (std::size_t i = std::max<std::size_t>(1, firstAtOrBehind(from)) - 1; i < count() && stretch(i).firstAt <= to; ++i) {
            if (goesOn && !goesOn())
                return std::nullopt;
            if (stretch(i).low > wanted || stretch(i).high < wanted)
                continue;
            bool whole = true;
            const Samples samples = samplesIn(lock, snapshot, i, i + 1, false, whole);
            for (std::size_t k = 0; k < samples.size(); ++k)
                if (samples.values[k] == wanted && samples.times[k] >= from && samples.times[k] <= to)
                    return samples.times[k];
        }
        return std::nullopt;
    }
    const Time silent = silentAfter();
    // Whether there is such a place from one value to the next, and its moment.
    const auto is = [&](Time before, double a, Time time, double b) {
        switch (place) {
        case Place::change: return a != b;
        case Place::rise: return b > a;
        case Place::fall: return b < a;
        default: return silent != Time::max() && time - before > silent;
        }
    };
    const auto may = [&](const Stretch& one) {
        switch (place) {
        case Place::change: return one.changes > 0;
        case Place::rise: return one.rises;
        case Place::fall: return one.falls;
        default: return silent != Time::max() && one.longestGap > silent;
        }
    };
    const auto fits = [&](Time at) { return back ? at < moment : at > moment; };
    std::unique_lock lock(mutex_);
    // Places of a stretch, the one in front of its first value among them; in order.
    const auto placesOf = [&](std::size_t i) {
        std::vector<Time> out;
        if (i > 0)
            if (const Stretch& last = stretch(i - 1); last.until == Stretch::onwards || place == Place::gap)
                if (is(last.lastAt, last.last, stretch(i).firstAt, stretch(i).first))
                    out.push_back(place == Place::gap ? last.lastAt : stretch(i).firstAt);
        if (!may(stretch(i)))
            return out;
        bool whole = true;
        const Samples samples = samplesIn(lock, snapshot, i, i + 1, false, whole);
        std::optional<std::size_t> before;
        for (std::size_t k = 0; k < samples.size(); ++k) {
            if (!std::isfinite(samples.values[k])) {
                if (place != Place::gap)
                    before.reset();
                continue;
            }
            if (before && is(samples.times[*before], samples.values[*before], samples.times[k], samples.values[k]))
                out.push_back(place == Place::gap ? samples.times[*before] : samples.times[k]);
            before = k;
        }
        return out;
    };
    const std::size_t here = std::max<std::size_t>(1, firstBehind(moment)) - 1;
    if (!back) {
        for (std::size_t i = here; i < count() && (!goesOn || goesOn()); ++i)
            for (const Time at : placesOf(i))
                if (fits(at))
                    return at;
        return std::nullopt;
    }
    for (std::size_t i = std::min(here + 2, count()); i > 0 && (!goesOn || goesOn()); --i) {
        const std::vector<Time> places = placesOf(i - 1);
        for (auto at = places.rbegin(); at != places.rend(); ++at)
            if (fits(*at))
                return *at;
    }
    return std::nullopt;
}

bool SignalSeries::fineEnough(Time from, Time to, unsigned columns) const
{
    const std::scoped_lock lock(mutex_);
    return firstBehind(to) > firstAtOrBehind(from) + 2UL * columns;
}

namespace {

// Stretches of a column of pixels.
struct Outline {
    explicit Outline(const Stretch& one)
        : firstAt(one.firstAt), lastAt(one.lastAt), until(one.until), first(one.first), last(one.last), low(one.low), high(one.high)
    {}
    void add(const Stretch& next)
    {
        lastAt = next.lastAt;
        until = next.until;
        last = next.last;
        low = std::min(low, next.low);
        high = std::max(high, next.high);
    }
    Time firstAt, lastAt, until;
    double first, last, low, high;
};

// Samples of a column of pixels.
struct SampleColumn {
    SampleColumn(const std::vector<Time>& times, const std::vector<double>& values, std::size_t from, std::size_t to)
    {
        for (std::size_t i = from; i < to; ++i) {
            const double value = values[i];
            if (std::isnan(value)) {
                if (any)
                    until = std::min(until, times[i]);
                continue;
            }
            if (!any) {
                first = low = high = value;
                firstAt = times[i];
                any = true;
            }
            low = std::min(low, value);
            high = std::max(high, value);
            last = value;
            lastAt = times[i];
            until = Stretch::onwards;
        }
    }
    bool any = false;  // else nothing that is a number
    Time firstAt{}, lastAt{}, until = Stretch::onwards;
    double first = 0, last = 0, low = 0, high = 0;
};

// Draws values as they follow each other.
class Pen {
public:
    Pen(SignalSeries::Points& out, const std::function<double(Time)>& seconds, Time hold, Time silent)
        : out_(out), seconds_(seconds), hold_(hold), silent_(silent)
    {}
    void put(double time, double value)
    {
        // What stands in the middle of its column may be behind what ends there.
        out_.times.push_back(out_.times.empty() ? time : std::max(time, out_.times.back()));
        out_.values.push_back(value);
    }
    // What came before holds up to the next value, or is broken off.
    void before(Time next)
    {
        if (!any_)
            return;
        if (until_ != Stretch::onwards) {
            breakAt(seconds_(until_));
        } else if (next - newest_ > silent_) {
            breakAt(seconds_(newest_ + hold_));
            out_.gaps.emplace_back(seconds_(newest_ + hold_), seconds_(next));
        }
    }
    void sample(Time time, double value)
    {
        if (std::isnan(value)) {
            if (any_ && until_ == Stretch::onwards)
                until_ = time;
            return;
        }
        before(time);
        put(seconds_(time), value);
        came(time, Stretch::onwards);
    }
    void came(Time time, Time until)
    {
        any_ = true;
        newest_ = time;
        until_ = until;
    }
    // The newest of all holds on.
    void finish(Time now)
    {
        if (!any_)
            return;
        if (until_ != Stretch::onwards)
            return breakAt(seconds_(until_));
        if (now > newest_ || out_.times.back() < seconds_(newest_))
            put(seconds_(now - newest_ > silent_ ? newest_ + hold_ : now), out_.values.back());
    }
    [[nodiscard]] Time newest() const { return any_ ? newest_ : Time::min(); }

private:
    void breakAt(double time)
    {
        put(time, out_.values.back());
        put(time, notANumber);
    }
    SignalSeries::Points& out_;
    const std::function<double(Time)>& seconds_;
    Time hold_, silent_;
    Time newest_{}, until_ = Stretch::onwards;
    bool any_ = false;
};

}  // namespace

SignalSeries::Points SignalSeries::points(Time from, Time to, unsigned columns, Time now, const Detail* detail) const
{
    Points out;
    const std::scoped_lock lock(mutex_);
    const Time hold = usualOrPromised();
    const Time silent = hold.count() > 0 ? 3 * hold : Time::max();
    const std::function<double(Time)> inSeconds = [this](Time time) { return seconds(time); };
    if (columns == 0 || count() == 0 || to <= from)
        return out;
    Pen pen(out, inSeconds, hold, silent);
    const double width = static_cast<double>((to - from).count()) / columns;
    const auto edge = [&](unsigned column) { return from + Time(static_cast<std::int64_t>(width * (column + 1))); };
    // A column of several: a line through its first, smallest, largest and last.
    const auto draw = [&](Time begins, Time ends, Time until, Time middle, const std::array<double, 4>& values) {
        pen.before(begins);
        if (static_cast<double>((ends - begins).count()) > 1.5 * width) {  // wider than a column
            const Time inside = begins + (ends - begins) / 2;
            pen.put(seconds(begins), values[0]);
            pen.put(seconds(inside), values[1]);
            pen.put(seconds(inside), values[2]);
            pen.put(seconds(ends), values[3]);
        } else {
            for (const double value : values)
                pen.put(seconds(middle), value);
        }
        pen.came(ends, until);
    };
    if (detail != nullptr && detail->whole && detail->from <= from && detail->to >= to) {
        const std::vector<Time>& times = detail->times;
        auto first = static_cast<std::size_t>(std::lower_bound(times.begin(), times.end(), from) - times.begin());
        auto last = static_cast<std::size_t>(std::upper_bound(times.begin(), times.end(), to) - times.begin());
        first = first > 0 ? first - 1 : 0;
        last = std::min(last + 1, times.size());
        out.exact = true;
        out.single = last - first <= 4UL * columns;
        if (out.single) {
            for (std::size_t i = first; i < last; ++i)
                pen.sample(times[i], detail->values[i]);
        } else {
            std::size_t at = first;
            for (unsigned column = 0; column < columns && at < last; ++column) {
                const std::size_t end = column + 1 == columns
                                            ? last
                                            : std::max(at, static_cast<std::size_t>(
                                                               std::lower_bound(times.begin() + static_cast<std::ptrdiff_t>(at),
                                                                   times.begin() + static_cast<std::ptrdiff_t>(last), edge(column))
                                                               - times.begin()));
                const SampleColumn sum(times, detail->values, at, end);
                if (!sum.any)
                    for (std::size_t i = at; i < end; ++i)
                        pen.sample(times[i], notANumber);
                else
                    draw(sum.firstAt, sum.lastAt, sum.until, edge(column) - Time(static_cast<std::int64_t>(width / 2)),
                        {sum.first, sum.low, sum.high, sum.last});
                at = end;
            }
        }
        // What came meanwhile.
        const Time newest = pen.newest();
        for (std::size_t i = std::max<std::size_t>(1, firstBehind(newest)) - 1; detail->open && i < count() && stretch(i).firstAt <= to;
            ++i)
            if (const Stretch& one = stretch(i); one.lastAt > newest)
                draw(std::max(one.firstAt, newest), one.lastAt, one.until, one.lastAt, {one.low, one.low, one.high, one.last});
    } else {
        std::size_t at = firstAtOrBehind(from);
        at = at > 0 ? at - 1 : 0;
        const std::size_t last = std::min(firstBehind(to) + 1, count());
        out.exact = last > at + 2UL * columns;
        // Sums of as many as leave some to a column; what lies in one of them is drawn in one column.
        std::size_t level = 0, size = 1;
        while (level + 1 < levels_.size() && last - at >= leastOfColumn * size * fan * columns) {
            ++level;
            size *= fan;
        }
        const Level& sums = levels_[level];
        unsigned column = 0;
        Time ends = columns > 1 ? edge(0) : Time::max();
        std::optional<Outline> sum;
        const auto finish = [&] {
            if (sum)
                draw(sum->firstAt, sum->lastAt, sum->until, edge(column) - Time(static_cast<std::int64_t>(width / 2)),
                    {sum->first, sum->low, sum->high, sum->last});
            sum.reset();
        };
        const auto take = [&](const Stretch& next) {
            if (next.firstAt >= ends) {
                finish();
                while (next.firstAt >= ends) {
                    ++column;
                    ends = column + 1 < columns ? edge(column) : Time::max();
                }
            }
            if (sum)
                sum->add(next);
            else
                sum = Outline(next);
        };
        for (; at < last && at % size != 0; ++at)
            take(stretch(at));
        auto whole = sums.begin() + static_cast<std::ptrdiff_t>(std::min(at / size, sums.size()));
        for (; whole != sums.end() && at + size <= last; ++whole, at += size)
            take(*whole);
        for (; at < last; ++at)
            take(stretch(at));
        finish();
    }
    if (open_.samples > 0 && pen.newest() >= open_.lastAt)
        pen.finish(now);
    return out;
}

}  // namespace wavetrope::measure
