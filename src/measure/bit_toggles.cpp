// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/bit_toggles.h"

#include <algorithm>
#include <bit>

namespace wavetrope::measure {

BitToggles bitToggles(const trace::Snapshot& snapshot, trace::IdentifierIndex identifier, trace::Row limit, std::uint64_t most)
{
    BitToggles toggles;
    can::FrameView newer;
    for (trace::Row row = snapshot.previousOf(identifier, limit); row != trace::noRow && toggles.frames < most;
        row = snapshot.previousOf(identifier, row)) {
        const can::FrameView frame = snapshot.frame(row);
        toggles.length = std::max<unsigned>(toggles.length, frame.length);
        if (toggles.frames++ > 0)
            for (unsigned i = 0; i < std::min(frame.length, newer.length); ++i)
                for (unsigned differing = frame.data[i] ^ newer.data[i]; differing != 0; differing &= differing - 1)
                    ++toggles.changes[i * 8 + static_cast<unsigned>(std::countr_zero(differing))];
        newer = frame;
    }
    return toggles;
}

}  // namespace wavetrope::measure
