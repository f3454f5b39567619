// SPDX-License-Identifier: GPL-3.0-or-later
// Moments and spans.
#pragma once

#include <chrono>

namespace wavetrope {

/// Nanoseconds since 1970-01-01 UTC, or a span; signed 64 bits reach to the year 2262.
using Time = std::chrono::nanoseconds;

}  // namespace wavetrope
