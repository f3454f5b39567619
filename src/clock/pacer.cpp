// SPDX-License-Identifier: GPL-3.0-or-later
#include "clock/pacer.h"

#include <algorithm>
#include <thread>

namespace wavetrope::clock {

Time SteadyClock::now() { return std::chrono::steady_clock::now().time_since_epoch(); }

void SteadyClock::waitFor(Time span) { std::this_thread::sleep_for(span); }

Pacer::Pacer(WallClock& wall, Time virtualStart, double factor)
    : wall_(wall), wallStart_(wall.now()), virtualStart_(virtualStart), factor_(factor)
{}

Time Pacer::target() const
{
    const auto elapsed = static_cast<double>((wall_.now() - wallStart_).count());
    return virtualStart_ + Time(static_cast<std::int64_t>(elapsed * factor_));
}

Time Pacer::waitUntil(Time when) const
{
    const auto ahead = static_cast<double>((when - target()).count());
    return Time(std::max<std::int64_t>(0, static_cast<std::int64_t>(ahead / factor_)));
}

}  // namespace wavetrope::clock
