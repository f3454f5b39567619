// SPDX-License-Identifier: GPL-3.0-or-later
// A frame bit by bit as it stands on the wire, for what happens inside a frame: collisions and corrupted bits.
#pragma once

#include <cstdint>
#include <vector>

#include "can/frame.h"

namespace wavetrope::can {

/// The stuffed bits (0 dominant, 1 recessive) from start of frame to the last data bit, and for classic frames through
/// the CRC. Where two frames of one identifier differ, they differ in here.
[[nodiscard]] std::vector<std::uint8_t> wireBits(const FrameView& frame);

/// Where in a frame a bit stands, as the kernel's interface names it in error frames (linux/can/error.h).
enum class Place : std::uint8_t {
    unknown = 0x00,
    identifierHigh = 0x02,
    startOfFrame = 0x03,
    substituteRemote = 0x04,
    identifierExtension = 0x05,
    identifierMiddle = 0x06,
    extensionHigh = 0x07,
    crc = 0x08,
    reserved = 0x09,
    data = 0x0A,
    lengthCode = 0x0B,
    remote = 0x0C,
    extensionLow = 0x0E,
    extensionMiddle = 0x0F,
    crcDelimiter = 0x18,
    acknowledge = 0x19,
    endOfFrame = 0x1A,
    acknowledgeDelimiter = 0x1B,
};
/// One of these bits with what is known of it.
struct WireBit {
    std::uint8_t value = 0;
    bool stuff = false;             ///< Put in by bit stuffing.
    bool arbitration = false;       ///< Of the arbitration field: another's dominant bit is no error there.
    bool fast = false;  ///< Behind the BRS bit of a frame that switches the rate; whole BRS and CRC-delimiter bits count as nominal.
    Place place = Place::unknown;
};
[[nodiscard]] std::vector<WireBit> wireTrace(const FrameView& frame);

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
