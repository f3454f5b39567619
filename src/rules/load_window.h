// SPDX-License-Identifier: GPL-3.0-or-later
// The load of a bus over the span that ends now.
#pragma once

#include <deque>

#include "base/time.h"
#include "can/bit_rate.h"
#include "can/frame.h"
#include "can/wire_length.h"

namespace wavetrope::rules {

/// A frame occupies the bus from its first bit to the end of its intermission; its stamp is the end of its last bit but
/// those. What lies behind the instant that is asked for does not count yet.
class LoadWindow {
public:
    LoadWindow(can::BitRate rate, Time span, double percent)
        : rate_(rate), times_(rate), span_(span), limit_(static_cast<double>(span.count()) * percent / 100)
    {}

    /// The next frame of the bus, which came at `now`.
    void add(const can::FrameView& frame, Time now);
    /// Whether the load of the span that ends there is above the limit. Instants never go back.
    [[nodiscard]] bool above(Time now);
    /// The first instant behind `now` at which it is not, if nothing more comes.
    [[nodiscard]] Time fallsAt(Time now) const;
    /// Whether the rate of the bus is known, without which there is no load.
    [[nodiscard]] bool known() const { return rate_.known(); }

private:
    struct Stretch {
        Time from;
        Time to;
    };
    [[nodiscard]] std::int64_t busyUntil(Time now) const;

    can::BitRate rate_;
    can::BitTimes times_;
    Time span_;
    double limit_;
    std::deque<Stretch> frames_;        // that reach into the span
    std::int64_t total_ = 0;            // of all of them
    bool overlap_ = false;              // stamps lay closer than frames are long
};

}  // namespace wavetrope::rules
