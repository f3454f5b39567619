// The packet layout of link type 227: the kernel's CAN frame with its identifier word in network byte order.
#pragma once

#include <cstdint>
#include <span>

#include "can/frame.h"

namespace wavetrope::formats {

inline constexpr unsigned linkTypeCan = 227;
inline constexpr std::size_t packedHeader = 8;

/// Takes a packet apart into all but time, bus and direction. False when it is no frame.
inline bool unpackFrame(const std::uint8_t* packet, std::size_t size, can::FrameView& frame)
{
    if (size < packedHeader)
        return false;
    const std::uint32_t word = static_cast<std::uint32_t>(packet[0]) << 24 | static_cast<std::uint32_t>(packet[1]) << 16
                               | static_cast<std::uint32_t>(packet[2]) << 8 | packet[3];
    const std::uint8_t flags = packet[5];
    std::uint8_t length = packet[4];
    const std::size_t present = size - packedHeader;
    if (length > can::maxLength)
        return false;
    const bool fd = (flags & 4U) != 0 || length > can::maxClassicLength;
    frame.brs = false;
    frame.esi = false;
    if ((word & 0x20000000U) != 0) {
        frame.kind = can::FrameKind::error;
        frame.id = {word & 0x1FFFFFFFU, false};
    } else {
        const bool extended = (word & 0x80000000U) != 0;
        frame.id = {word & (extended ? 0x1FFFFFFFU : 0x7FFU), extended};
        if (fd) {
            frame.kind = can::FrameKind::fd;
            frame.brs = (flags & 1U) != 0;
            frame.esi = (flags & 2U) != 0;
        } else {
            frame.kind = (word & 0x40000000U) != 0 ? can::FrameKind::remote : can::FrameKind::data;
        }
    }
    frame.dlc = can::dlcOfLength(length);
    if (frame.kind == can::FrameKind::remote) {
        length = 0;
    } else if (length > present) {
        return false;
    }
    if (!fd && packet[4] == can::maxClassicLength && packet[7] > can::maxClassicLength && packet[7] < 16)
        frame.dlc = packet[7];
    frame.length = length;
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
