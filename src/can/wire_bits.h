// A frame bit by bit as it stands on the wire, for what happens inside a frame: collisions and corrupted bits.
#pragma once

#include <cstdint>
#include <vector>

#include "can/frame.h"

namespace wavetrope::can {

/// The stuffed bits (0 dominant, 1 recessive) from start of frame to the last data bit, and for classic frames through
/// the CRC. Where two frames of one identifier differ, they differ in here.
[[nodiscard]] std::vector<std::uint8_t> wireBits(const FrameView& frame);

/// Number that orders frames by arbitration: the smaller one wins. Base identifier, RTR or SRR, IDE, extension, RTR
/// (ISO 11898-1:2015, 10.4.2.2), so that a standard frame precedes an extended one of the same base and data precedes
/// remote.
[[nodiscard]] constexpr std::uint32_t arbitrationBits(const FrameHead& frame)
{
    const std::uint32_t rtr = frame.kind == FrameKind::remote ? 1U : 0U;
    if (!frame.id.extended)
        return frame.id.value << 21 | rtr << 20;
    return (frame.id.value >> 18) << 21 | 3U << 19 | (frame.id.value & 0x3FFFFU) << 1 | rtr;
}

}  // namespace wavetrope::can
