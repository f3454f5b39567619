// SPDX-License-Identifier: GPL-3.0-or-later
// The bits of a frame with their times, for what happens inside of it.
#pragma once

#include <algorithm>
#include <vector>

#include "can/bit_rate.h"
#include "can/wire_bits.h"

namespace wavetrope::bus {

/// The stuffed bits with a stand-in for the CRC field of an FD frame, which changes at least every fifth bit.
[[nodiscard]] inline std::vector<can::WireBit> wholeTrace(const can::Frame& frame)
{
    auto bits = can::wireTrace(frame.view());
    if (frame.kind == can::FrameKind::fd)
        for (std::uint8_t k = 0; k < 24; ++k)
            bits.push_back({static_cast<std::uint8_t>(k & 1U), false, false, frame.brs, can::Place::crc});
    return bits;
}

/// Bits from the start of the frame up to that in which receivers find that it breaks off, if all from `at` on are recessive: the sixth equal one, or
/// the delimiter of the acknowledge where the CRC is wrong (ISO 11898-1:2015, 10.5 and 10.4.4).
[[nodiscard]] inline std::size_t foundBroken(const std::vector<can::WireBit>& trace, std::size_t at)
{
    auto left = std::count_if(trace.begin(), trace.end(), [](const can::WireBit& bit) { return !bit.stuff; });
    unsigned run = 0;
    std::uint8_t last = 2;
    bool stuffNext = false;
    for (std::size_t i = 0;; ++i) {
        const std::uint8_t value = i < at ? trace[i].value : std::uint8_t{1};
        run = value == last ? run + 1 : 1;
        last = value;
        if (run == 6)
            return i + 1;
        if (!stuffNext)
            --left;
        stuffNext = run == 5;
        if (left == 0 && !stuffNext)
            return i + 4;
    }
}

/// Time of the first bits of a frame, each at its rate.
[[nodiscard]] inline Time timeOf(const std::vector<can::WireBit>& trace, std::size_t count, can::BitRate rate)
{
    can::WireLength length;
    for (std::size_t i = 0; i < std::min(count, trace.size()); ++i)
        ++(trace[i].fast ? length.dataBits : length.nominalBits);
    return can::duration(length, rate);
}

}  // namespace wavetrope::bus
