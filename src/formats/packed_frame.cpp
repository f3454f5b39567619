// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/packed_frame.h"

namespace wavetrope::formats {

bool unpackAnyFrame(const std::uint8_t* packet, std::size_t size, can::FrameView& frame)
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

}  // namespace wavetrope::formats
