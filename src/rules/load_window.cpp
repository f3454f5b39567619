// SPDX-License-Identifier: GPL-3.0-or-later
#include "rules/load_window.h"

#include <algorithm>

namespace wavetrope::rules {

void LoadWindow::add(const can::FrameView& frame, Time now)
{
    if (!rate_.known())
        return;
    const can::WireLength bits = can::wireLength(frame);
    const Time from = now - times_.duration(bits);
    const Time to = from + times_.occupancy(bits);
    total_ += (to - from).count();
    if (!frames_.empty() && frames_.back().to == from) {
        frames_.back().to = to;  // back to back, as on a full bus
        return;
    }
    overlap_ = overlap_ || (!frames_.empty() && frames_.back().to > from);
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
    // What reaches out of the span stands at its ends, unless stamps lie closer than frames are long.
    const Time begin = now - span_;
    std::int64_t busy = total_;
    for (auto at = frames_.begin(); at != frames_.end() && (overlap_ || at->from < begin); ++at)
        if (at->from < begin)
            busy -= (std::min(begin, at->to) - at->from).count();
    for (auto at = frames_.rbegin(); at != frames_.rend() && (overlap_ || at->to > now); ++at)
        if (at->to > now)
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
