// SPDX-License-Identifier: GPL-3.0-or-later
// Times and spans as text.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "base/error.h"
#include "base/time.h"

namespace wavetrope {

/// Seconds since 1970 with nine decimals: "1800000000.000029000".
[[nodiscard]] std::string secondsText(Time time);

/// Reads a span with its unit: "250 ms", "1.5 s", "20us", "3 min", "2 h", "40 ns"; a bare number is seconds.
/// Exact to the nanosecond. Empty when the text is no span or does not fit.
[[nodiscard]] std::optional<Time> spanFromText(std::string_view text);

/// A moment: seconds since 1970, or "+12.5s" counted from `origin`.
[[nodiscard]] std::optional<Time> momentFromText(std::string_view text, Time origin);

/// A range of times, or a width alone.
struct TypedRange {
    std::optional<Time> from;       ///< Since the start; none where only a width was told.
    Time to{};                      ///< Likewise; of a width, how wide.
};

/// Reads a range as somebody types it: two times since the start with "to", ".." or "-" between them, each seconds, a number with a unit, or
/// "min:s" and "h:min:s": "44 to 50", "1:02.5 - 1:03", "12 to 18.5 ms" (a bare number takes the other's unit). One span with its unit alone
/// is a width: "10 s". The end lies behind the beginning.
[[nodiscard]] Expected<TypedRange> rangeFromText(std::string_view text);

/// A span as it is written into documents, exact to the nanosecond: "1.5 s", "86400 s", "1234.567 us".
[[nodiscard]] std::string exactSpanText(Time span);

/// A span for people: "250 ms", "1.5 s", "20 us".
[[nodiscard]] std::string spanText(Time span);

}  // namespace wavetrope
