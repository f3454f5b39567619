// SPDX-License-Identifier: GPL-3.0-or-later
// Numbers at the end of a text, without a detour through the stream library.
#pragma once

#include <charconv>
#include <cmath>
#include <cstdint>
#include <string>

#include "base/time.h"

namespace wavetrope {

template <class Integer>
void appendInteger(std::string& out, Integer value)
{
    char digits[24];
    const auto end = std::to_chars(digits, digits + sizeof digits, value).ptr;
    out.append(digits, static_cast<std::size_t>(end - digits));
}

/// The shortest text that reads back as the same number; "nan" for every not-a-number.
inline void appendNumber(std::string& out, double value)
{
    // Whole numbers are most of what buses carry.
    if (const auto whole = static_cast<std::int64_t>(std::abs(value) < 1e15 ? value : 0.5);
        static_cast<double>(whole) == value && !(whole == 0 && std::signbit(value)))
        return appendInteger(out, whole);
    if (std::isnan(value)) {
        out += "nan";
        return;
    }
    char digits[32];
    const auto end = std::to_chars(digits, digits + sizeof digits, value).ptr;
    out.append(digits, static_cast<std::size_t>(end - digits));
}

/// Seconds with nine decimals.
inline void appendSeconds(std::string& out, Time time)
{
    const std::int64_t count = time.count();
    const std::uint64_t size = count < 0 ? 0 - static_cast<std::uint64_t>(count) : static_cast<std::uint64_t>(count);
    if (count < 0)
        out += '-';
    appendInteger(out, size / 1'000'000'000U);
    char decimals[10] = {'.'};
    std::uint64_t rest = size % 1'000'000'000U;
    for (int i = 9; i > 0; --i, rest /= 10)
        decimals[i] = static_cast<char>('0' + rest % 10);
    out.append(decimals, sizeof decimals);
}

}  // namespace wavetrope
