// SPDX-License-Identifier: GPL-3.0-or-later
// Times and spans as text.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "base/time.h"

namespace wavetrope {

/// Seconds since 1970 with nine decimals: "1800000000.000029000".
[[nodiscard]] std::string secondsText(Time time);

/// Reads a span with its unit: "250 ms", "1.5 s", "20us", "3 min", "2 h", "40 ns"; a bare number is seconds.
/// Exact to the nanosecond. Empty when the text is no span or does not fit.
[[nodiscard]] std::optional<Time> spanFromText(std::string_view text);

/// A moment: seconds since 1970, or "+12.5s" counted from `origin`.
[[nodiscard]] std::optional<Time> momentFromText(std::string_view text, Time origin);

/// A span as it is written into documents, exact to the nanosecond: "1.5 s", "86400 s", "1234.567 us".
[[nodiscard]] std::string exactSpanText(Time span);

/// A span for people: "250 ms", "1.5 s", "20 us".
[[nodiscard]] std::string spanText(Time span);

}  // namespace wavetrope
