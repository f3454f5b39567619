// SPDX-License-Identifier: GPL-3.0-or-later
// The load of a bus over the span that ends now.
#pragma once

#include <deque>

#include "base/time.h"

namespace wavetrope::rules {

/// A frame occupies the bus from its first bit to the end of its intermission; its stamp is the end of its last bit but
/// those. What lies behind the instant that is asked for does not count yet.
class LoadWindow {
public:
    LoadWindow(Time span, double percent) : span_(span), limit_(static_cast<double>(span.count()) * percent / 100) {}

    /// A frame occupies the bus from one instant to another. Each frame behind the one before.
    void add(Time from, Time to);
    /// Whether the load of the span that ends there is above the limit. Instants never go back.
    [[nodiscard]] bool above(Time now);
    /// The first instant behind `now` at which it is not, if nothing more comes.
    [[nodiscard]] Time fallsAt(Time now) const;

private:
    struct Stretch {
        Time from;
        Time to;
    };
    [[nodiscard]] std::int64_t busyUntil(Time now) const;
    [[nodiscard]] Time fallsBehind(Time now) const;
    [[nodiscard]] Time fallsBetween(Time now) const;

    Time span_;
    double limit_;
    std::deque<Stretch> frames_;        // that reach into the span
    std::int64_t total_ = 0;            // of all of them
    Time longest_{0};                   // that a single one took
    bool apart_ = true;                 // each begins where the one before has ended, as on a wire
};

}  // namespace wavetrope::rules
