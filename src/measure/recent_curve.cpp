// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/recent_curve.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace wavetrope::measure {

void RecentCurve::add(Time time, double value)
{
    newest_ = time;
    if (std::isnan(value)) {
        if (!columns_.empty())
            columns_.back().breaks = true;
        return;
    }
    const double counts = key_ ? key_(value) : value;
    if (!now_ || *now_ != counts) {
        sinceOpen_ = !now_;
        now_ = counts;
        since_ = time;
    }
    const std::int64_t index = time.count() / width_.count();
    if (columns_.empty() || columns_.back().index != index || columns_.back().breaks)
        columns_.push_back({index, time, time, value, value, value, value, false});
    Column& column = columns_.back();
    column.lastAt = time;
    column.low = std::min(column.low, value);
    column.high = std::max(column.high, value);
    column.last = value;
}

void RecentCurve::follow(const SignalSeries& series, const trace::Snapshot& snapshot, Time to)
{
    if (to < to_ || to_ == Time::min() || to - to_ > span_ || newest_ == Time::min()) {
        columns_.clear();
        now_.reset();
        sinceOpen_ = true;
        newest_ = Time::min();
    }
    const auto detail = series.detail(snapshot, newest_ == Time::min() ? to - span_ : newest_, to);
    to_ = to;
    const Time known = newest_;
    for (std::size_t i = 0; detail && i < detail->times.size(); ++i)
        if (detail->times[i] > known && detail->times[i] <= to)
            add(detail->times[i], detail->values[i]);
    while (columns_.size() > 1 && columns_[1].firstAt <= to - span_)
        columns_.pop_front();
    if (sinceOpen_ && !columns_.empty())
        since_ = columns_.front().firstAt;
}

void RecentCurve::points(const SignalSeries& series, Time from, std::vector<std::pair<Time, double>>& into) const
{
    const Time hold = series.period(), silent = series.silentAfter();
    std::size_t at = columns_.size();
    while (at > 0 && columns_[at - 1].lastAt > from)
        --at;
    if (at > 0 && (at == columns_.size() || columns_[at].firstAt > from))
        --at;       // what held there
    const auto put = [&](Time time, double value) { into.emplace_back(into.empty() ? time : std::max(time, into.back().first), value); };
    const auto silence = [&](Time time) { put(time, std::numeric_limits<double>::quiet_NaN()); };
    Time before = Time::min();
    for (; at < columns_.size(); ++at) {
        const Column& column = columns_[at];
        if (before != Time::min() && silent != Time::max() && column.firstAt - before > silent)
            silence(before + hold);
        put(column.firstAt, column.first);
        if (column.lastAt > column.firstAt || column.low < column.high) {
            const Time middle = column.firstAt + (column.lastAt - column.firstAt) / 2;
            put(middle, column.low);
            put(middle, column.high);
            put(column.lastAt, column.last);
        }
        before = column.lastAt;
        if (column.breaks)
            silence(before + (hold.count() > 0 ? hold : Time{1}));
    }
    if (before != Time::min() && to_ > before) {
        if (silent != Time::max() && to_ - before > silent)
            silence(before + hold);
        else if (!columns_.back().breaks)
            put(to_, columns_.back().last);
    }
}

std::optional<std::pair<double, double>> RecentCurve::range(Time from) const
{
    std::optional<std::pair<double, double>> out;
    for (std::size_t at = columns_.size(); at-- > 0;) {
        const Column& column = columns_[at];
        out = out ? std::pair(std::min(out->first, column.low), std::max(out->second, column.high)) : std::pair(column.low, column.high);
        if (column.firstAt <= from)
            break;      // what held there
    }
    return out;
}

}  // namespace wavetrope::measure
