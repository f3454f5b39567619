// SPDX-License-Identifier: GPL-3.0-or-later
#include "rules/load_window.h"

#include <algorithm>
#include <cmath>

namespace wavetrope::rules {

void LoadWindow::add(Time from, Time to)
{
    total_ += (to - from).count();
    longest_ = std::max(longest_, to - from);
    apart_ = frames_.empty() || (apart_ && from >= frames_.back().to);
    frames_.push_back({from, to});
}

bool LoadWindow::above(Time now)
{
    while (!frames_.empty() && frames_.front().to <= now - span_) {
        total_ -= (frames_.front().to - frames_.front().from).count();
        frames_.pop_front();
    }
    if (static_cast<double>(total_) <= limit_)
        return false;
    // One frame may reach out of the span at each end.
    if (apart_ && static_cast<double>(total_ - 2 * longest_.count()) > limit_)
        return true;
    return static_cast<double>(busyUntil(now)) > limit_;
}

std::int64_t LoadWindow::busyUntil(Time now) const
{
    // They stand in the order of their ends: what reaches out of the span is not far from these, even where stamps lie closer
    // than frames are long.
    const Time begin = now - span_;
    std::int64_t busy = total_;
    for (auto at = frames_.begin(); at != frames_.end() && at->to - longest_ < begin; ++at)
        if (at->from < begin)
            busy -= (std::min(begin, at->to) - at->from).count();
    for (auto at = frames_.rbegin(); at != frames_.rend() && at->to > now; ++at)
        busy -= (at->to - std::max(now, at->from)).count();
    return busy;
}

Time LoadWindow::fallsAt(Time now) const
{
    if (frames_.empty())
        return now + Time(1);
    return apart_ ? fallsBehind(now) : fallsBetween(now);
}

// Up to the end of the newest frame the load does not fall: at most one frame leaves the span while that one comes into it.
// From there on the frames leave one after the other.
Time LoadWindow::fallsBehind(Time now) const
{
    const Time newest = std::max(now, frames_.back().to);
    std::int64_t busy = busyUntil(newest);
    const Time begin = newest - span_;
    for (const Stretch& frame : frames_) {
        if (frame.to <= begin)
            continue;
        const Time from = std::max(frame.from, begin);
        const std::int64_t leaves = (frame.to - from).count();
        if (static_cast<double>(busy - leaves) > limit_) {
            busy -= leaves;
            continue;
        }
        // So much of it that what is left is just not above the limit.
        auto more = static_cast<std::int64_t>(std::ceil(static_cast<double>(busy) - limit_));
        while (static_cast<double>(busy - more) > limit_)
            ++more;
        while (more > 0 && static_cast<double>(busy - more + 1) <= limit_)
            --more;
        return std::max(now + Time(1), from + Time(more) + span_);
    }
    return std::max(now + Time(1), frames_.back().to + span_);
}

Time LoadWindow::fallsBetween(Time now) const
{
    Time holds = now;
    Time falls = std::max(now + Time(1), frames_.back().to + span_);
    while (falls - holds > Time(1)) {
        const Time middle = holds + (falls - holds) / 2;
        (static_cast<double>(busyUntil(middle)) > limit_ ? holds : falls) = middle;
    }
    return falls;
}

}  // namespace wavetrope::rules
