// SPDX-License-Identifier: GPL-3.0-or-later
// Numbers in a form of printf.
#pragma once

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

}  // namespace wavetrope::protocol
