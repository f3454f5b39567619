// SPDX-License-Identifier: GPL-3.0-or-later
// Couples virtual time to the wall clock.
#pragma once

#include "base/time.h"

namespace wavetrope::clock {

/// The clock on the wall: monotonic, and able to wait. Tests bring one of their own.
class WallClock {
public:
    virtual ~WallClock() = default;
    [[nodiscard]] virtual Time now() = 0;
    virtual void waitFor(Time span) = 0;
};

/// The machine's steady clock.
class SteadyClock final : public WallClock {
public:
    [[nodiscard]] Time now() override;
    void waitFor(Time span) override;
};

/// Says how far virtual time should be by now: it started somewhere and runs `factor` times as fast as the wall.
class Pacer {
public:
    Pacer(WallClock& wall, Time virtualStart, double factor = 1.0);

    /// Virtual time that the wall clock has reached.
    [[nodiscard]] Time target() const;
    /// Wall time to wait until virtual time `when` is due; 0 when it already is.
    [[nodiscard]] Time waitUntil(Time when) const;

private:
    WallClock& wall_;
    Time wallStart_;
    Time virtualStart_;
    double factor_;
};

}  // namespace wavetrope::clock
