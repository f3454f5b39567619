// SPDX-License-Identifier: GPL-3.0-or-later
// The identifier of a frame: 11 or 29 bits.
#pragma once

#include <compare>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace wavetrope::can {

/// An arbitration identifier, 11 bits (0 to 0x7FF) or 29 bits (0 to 0x1FFFFFFF); ISO 11898-1:2015, 10.4.2.2.
struct Identifier {
    std::uint32_t value = 0;
    bool extended = false;

    /// One number for hashing and ordering: the value, bit 31 set for 29-bit identifiers.
    [[nodiscard]] constexpr std::uint32_t key() const { return value | (extended ? 0x80000000U : 0U); }
    [[nodiscard]] static constexpr Identifier fromKey(std::uint32_t key) { return {key & 0x1FFFFFFFU, (key & 0x80000000U) != 0}; }
    [[nodiscard]] constexpr bool valid() const { return value <= (extended ? 0x1FFFFFFFU : 0x7FFU); }

    friend constexpr auto operator<=>(const Identifier&, const Identifier&) = default;
};

/// "0x" and three hexadecimal digits for 11 bits, eight for 29 bits.
[[nodiscard]] std::string toText(Identifier id);

/// Reads what engineers type: `0x1F0`, `1F0h`, `1F0`, `0x18FF2103`. Up to three digits are 11-bit, eight are 29-bit;
/// between them, values above 0x7FF need eight digits. Empty when the text is no identifier.
[[nodiscard]] std::optional<Identifier> identifierFromText(std::string_view text);

}  // namespace wavetrope::can
