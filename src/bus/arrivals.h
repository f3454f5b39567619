// What has arrived on several buses, brought in as one.
#pragma once

#include <functional>
#include <span>

#include "bus/bus.h"

namespace wavetrope::bus {

/// How long a frame waits where others may be on their way that are older.
inline constexpr Time arrivalPatience = std::chrono::milliseconds(1);

/// Brings in what has arrived on the buses, over all of them in the order of the stamps. Each bus has a thread that reads
/// it, so that an older frame may come to hand later: frames that are younger than `patience` at `now` are left for the
/// next call. `before(stamp)` is called ahead of each.
inline void bringIn(std::span<Bus* const> buses, Time now, Time patience, const std::function<void(Time)>& before = {})
{
    for (;;) {
        Bus* first = nullptr;
        Time stamp{};
        for (Bus* bus : buses)
            if (const auto arrived = bus->arrived(); arrived && (first == nullptr || *arrived < stamp)) {
                first = bus;
                stamp = *arrived;
            }
        // A stamp that lies ahead is one of a clock that was set back: it waits for nothing.
        if (first == nullptr || (stamp <= now && now - stamp < patience))
            return;
        if (before)
            before(stamp);
        first->take();
    }
}

}  // namespace wavetrope::bus
