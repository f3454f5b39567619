// SPDX-License-Identifier: GPL-3.0-or-later
// What client and observer of service data share.
#pragma once

#include <cstdint>
#include <vector>

namespace wavetrope::protocol {

/// x^16 + x^12 + x^5 + 1, from 0 (CiA 301, 7.2.4.3.16).
[[nodiscard]] inline std::uint16_t crc(const std::vector<std::uint8_t>& data)
{
    std::uint16_t sum = 0;
    for (const std::uint8_t byte : data) {
        sum = static_cast<std::uint16_t>(sum ^ byte << 8);
        for (int bit = 0; bit < 8; ++bit)
            sum = static_cast<std::uint16_t>((sum & 0x8000U) != 0 ? sum << 1 ^ 0x1021 : sum << 1);
    }
    return sum;
}

[[nodiscard]] inline std::uint32_t long32(const std::uint8_t* data)
{
    return static_cast<std::uint32_t>(data[0]) | static_cast<std::uint32_t>(data[1]) << 8 | static_cast<std::uint32_t>(data[2]) << 16
           | static_cast<std::uint32_t>(data[3]) << 24;
}

}  // namespace wavetrope::protocol
