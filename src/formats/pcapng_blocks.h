// SPDX-License-Identifier: GPL-3.0-or-later
// The blocks and options of pcapng that are read and written.
#pragma once

#include <cstdint>
#include <cstring>
#include <string_view>

namespace wavetrope::formats::pcapng {

enum Block : std::uint32_t {
    sectionHeader = 0x0A0D0D0A,
    interfaceDescription = 1,
    obsoletePacket = 2,
    simplePacket = 3,
    enhancedPacket = 6,
};

enum Option : std::uint16_t {
    endOfOptions = 0,
    comment = 1,
    interfaceName = 2,
    packetFlags = 2,
    interfaceSpeed = 8,
    timeResolution = 9,
    timeOffset = 14
};

inline constexpr std::uint32_t byteOrderMagic = 0x1A2B3C4D;
inline constexpr std::string_view dataRateComment = "data bit rate ";

inline std::uint16_t load16(const std::uint8_t* at, bool swapped)
{
    std::uint16_t value;
    std::memcpy(&value, at, 2);
    return swapped ? __builtin_bswap16(value) : value;
}

inline std::uint32_t load32(const std::uint8_t* at, bool swapped)
{
    std::uint32_t value;
    std::memcpy(&value, at, 4);
    return swapped ? __builtin_bswap32(value) : value;
}

inline std::uint64_t load64(const std::uint8_t* at, bool swapped)
{
    std::uint64_t value;
    std::memcpy(&value, at, 8);
    return swapped ? __builtin_bswap64(value) : value;
}

template <class Visit>
void eachOption(const std::uint8_t* at, const std::uint8_t* end, bool swapped, Visit visit)
{
    while (at + 4 <= end) {
        const std::uint16_t code = load16(at, swapped);
        const std::uint16_t size = load16(at + 2, swapped);
        if (code == endOfOptions || size > end - at - 4)
            return;
        visit(code, at + 4, size);
        at += 4 + ((size + 3U) & ~3U);
        if (at > end)
            return;
    }
}

}  // namespace wavetrope::formats::pcapng
