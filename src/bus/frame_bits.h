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

/// Time of the first bits of a frame, each at its rate.
[[nodiscard]] inline Time timeOf(const std::vector<can::WireBit>& trace, std::size_t count, can::BitRate rate)
{
    can::WireLength length;
    for (std::size_t i = 0; i < std::min(count, trace.size()); ++i)
        ++(trace[i].fast ? length.dataBits : length.nominalBits);
    return can::duration(length, rate);
}

}  // namespace wavetrope::bus
