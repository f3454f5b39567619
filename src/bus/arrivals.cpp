// SPDX-License-Identifier: GPL-3.0-or-later
#include "bus/arrivals.h"

#include <algorithm>
#include <vector>

namespace wavetrope::bus {

void bringIn(std::span<Bus* const> buses, Time now, Time patience, const std::function<void(Time)>& before)
{
    // Asked before any stamp is looked at: behind it, whatever was stamped by `now` is known to `arrived`.
    std::vector<Bus*> behind;
    if (patience > Time{0})
        std::copy_if(buses.begin(), buses.end(), std::back_inserter(behind), [](Bus* bus) { return !bus->inHand(); });
    for (;;) {
        Bus* first = nullptr;
        Time stamp{};
        for (Bus* bus : buses)
            if (const auto arrived = bus->arrived(); arrived && (first == nullptr || *arrived < stamp)) {
                first = bus;
                stamp = *arrived;
            }
        if (first == nullptr)
            return;
        if (patience > Time{0} && stamp - now <= stampAhead) {
            const bool young = now - stamp < patience;
            const bool overtaking = std::any_of(behind.begin(), behind.end(), [](Bus* bus) { return !bus->arrived(); });
            if (young || overtaking)
                return;
        }
        if (before)
            before(stamp);
        first->take();
    }
}

}  // namespace wavetrope::bus
