// SPDX-License-Identifier: GPL-3.0-or-later
// Numbers in a form of printf, and as they are typed.
#pragma once

#include <charconv>
#include <cstdint>
#include <optional>
#include <string_view>
#include <cstdio>
#include <string>

namespace wavetrope::protocol {

/// Of up to two numbers, and 47 characters.
[[nodiscard]] inline std::string hex(const char* form, unsigned a, unsigned b = 0)
{
    char text[48];
    std::snprintf(text, sizeof text, form, a, b);
    return text;
}

/// A whole number as it is typed, decimal or `0x`, of up to `most`; nothing where it is none.
[[nodiscard]] inline std::optional<std::uint32_t> wholeFromText(std::string_view digits, std::uint32_t most)
{
    const int base = digits.starts_with("0x") || digits.starts_with("0X") ? 16 : 10;
    if (base == 16)
        digits.remove_prefix(2);
    std::uint32_t value = 0;
    const auto [end, problem] = std::from_chars(digits.data(), digits.data() + digits.size(), value, base);
    const bool whole = !digits.empty() && problem == std::errc() && end == digits.data() + digits.size() && value <= most;
    return whole ? std::optional(value) : std::nullopt;
}

}  // namespace wavetrope::protocol
