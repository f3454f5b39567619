// SPDX-License-Identifier: GPL-3.0-or-later
// The packet layout of link type 227: the kernel's CAN frame with its identifier word in network byte order.
#pragma once

#include <cstdint>
#include <cstring>
#include <span>

#include "can/frame.h"

namespace wavetrope::formats {

inline constexpr unsigned linkTypeCan = 227;
inline constexpr std::size_t packedHeader = 8;

/// Takes a packet of any kind apart into all but time, bus and direction. False when it is no frame.
[[nodiscard]] bool unpackAnyFrame(const std::uint8_t* packet, std::size_t size, can::FrameView& frame);

/// The same, quick with what nearly every packet is: classic data.
[[nodiscard]] [[gnu::always_inline]] inline bool unpackFrame(const std::uint8_t* packet, std::size_t size, can::FrameView& frame)
{
    if (size < packedHeader)
        return false;
    std::uint64_t head;
    std::memcpy(&head, packet, sizeof head);
    const std::uint32_t word = __builtin_bswap32(static_cast<std::uint32_t>(head));
    const auto length = static_cast<std::uint8_t>(head >> 32);
    constexpr std::uint64_t unusual = std::uint64_t{0xFF0004F0} << 32;  // a length code of its own, CAN FD, more than 15 bytes
    if ((word & 0x60000000U) != 0 || (head & unusual) != 0 || length > can::maxClassicLength || length + packedHeader > size)
        return unpackAnyFrame(packet, size, frame);
    const bool extended = word >> 31 != 0;
    frame.id = {word & (extended ? 0x1FFFFFFFU : 0x7FFU), extended};
    frame.kind = can::FrameKind::data;
    frame.brs = false;
    frame.esi = false;
    frame.length = length;
    frame.dlc = length;
    frame.data = packet + packedHeader;
    return true;
}

/// Writes a packet into `out` (72 bytes) and gives its size.
inline std::size_t packFrame(const can::FrameView& frame, std::uint8_t* out)
{
    std::uint32_t word = frame.id.value;
    if (frame.kind == can::FrameKind::error)
        word |= 0x20000000U;
    else if (frame.id.extended)
        word |= 0x80000000U;
    if (frame.kind == can::FrameKind::remote)
        word |= 0x40000000U;
    out[0] = static_cast<std::uint8_t>(word >> 24);
    out[1] = static_cast<std::uint8_t>(word >> 16);
    out[2] = static_cast<std::uint8_t>(word >> 8);
    out[3] = static_cast<std::uint8_t>(word);
    const bool fd = frame.kind == can::FrameKind::fd;
    const bool longCode = !fd && frame.dlc > can::maxClassicLength;
    out[4] = frame.kind == can::FrameKind::remote ? (longCode ? std::uint8_t{8} : frame.dlc) : frame.length;
    out[5] = static_cast<std::uint8_t>(fd ? 4U | (frame.brs ? 1U : 0U) | (frame.esi ? 2U : 0U) : 0U);
    out[6] = 0;
    out[7] = longCode ? frame.dlc : std::uint8_t{0};
    if (frame.length > 0)
        std::memcpy(out + packedHeader, frame.data, frame.length);
    return packedHeader + frame.length;
}

}  // namespace wavetrope::formats
