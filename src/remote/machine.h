// SPDX-License-Identifier: GPL-3.0-or-later
// The machine's clock, and numbers that nobody else draws.
#pragma once

#include <chrono>
#include <cstdint>
#include <cstdio>
#include <random>
#include <string>

#include "base/time.h"

namespace wavetrope::remote {

/// Nanoseconds since 1970, by this machine's clock.
[[nodiscard]] inline Time machineTime() { return std::chrono::duration_cast<Time>(std::chrono::system_clock::now().time_since_epoch()); }

/// A number that tells one side from all others; never 0.
[[nodiscard]] inline std::uint64_t drawn()
{
    std::random_device random;
    return (static_cast<std::uint64_t>(random()) << 32U | random()) | 1U;
}

/// Sixteen hexadecimal digits.
[[nodiscard]] inline std::string inHex(std::uint64_t number)
{
    char text[20];
    std::snprintf(text, sizeof text, "%016llx", static_cast<unsigned long long>(number));
    return text;
}

}  // namespace wavetrope::remote
