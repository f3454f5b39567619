// SPDX-License-Identifier: GPL-3.0-or-later
// What has arrived on several buses, brought in as one.
#pragma once

#include <functional>
#include <span>

#include "bus/bus.h"

namespace wavetrope::bus {

/// How long a frame waits where others may be on their way that are older.
inline constexpr Time arrivalPatience = std::chrono::milliseconds(1);
/// A stamp that lies further ahead is one of a clock that was set back: it waits for nothing.
inline constexpr Time stampAhead = std::chrono::seconds(1);

/// Brings in what has arrived on the buses, over all of them in the order of the stamps. Each bus has a thread that reads
/// it, so that an older frame may come to hand later: frames that are younger than `patience` at `now`, the machine's time
/// just before the call, are left for the next one, and so is whatever is younger than all of a bus that is not in hand.
/// Without patience all that is there is brought in. `before(stamp)` is called ahead of each.
void bringIn(std::span<Bus* const> buses, Time now, Time patience, const std::function<void(Time)>& before = {});

}  // namespace wavetrope::bus
