// SPDX-License-Identifier: GPL-3.0-or-later
#include "rules/load_window.h"

#include <algorithm>

namespace wavetrope::rules {

void LoadWindow::add(Time from, Time to)
{
    total_ += (to - from).count();
    longest_ = std::max(longest_, to - from);
    frames_.push_back({from, to});
}

bool LoadWindow::above(Time now)
{
    while (!frames_.empty() && frames_.front().to <= now - span_) {
        total_ -= (frames_.front().to - frames_.front().from).count();
        frames_.pop_front();
    }
    return static_cast<double>(total_) > limit_ && static_cast<double>(busyUntil(now)) > limit_;
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
    Time holds = now;
    Time falls = frames_.empty() ? now + Time(1) : std::max(now + Time(1), frames_.back().to + span_);
    while (falls - holds > Time(1)) {
        const Time middle = holds + (falls - holds) / 2;
        (static_cast<double>(busyUntil(middle)) > limit_ ? holds : falls) = middle;
    }
    return falls;
}

}  // namespace wavetrope::rules
