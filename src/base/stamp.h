// SPDX-License-Identifier: GPL-3.0-or-later
// The stamps that a log may carry.
#pragma once

#include <algorithm>

#include "base/time.h"

namespace wavetrope {

/// From 104 days before 1970, for logs that count from a trigger, to a day of 2261: any two of these stamps are less
/// than 2^63 ns apart, so that differences of them need no care.
inline constexpr Time earliestStamp{-(std::int64_t{1} << 53)};
inline constexpr Time latestStamp = Time::max() + earliestStamp;

[[nodiscard]] constexpr bool isStamp(Time time) { return earliestStamp <= time && time <= latestStamp; }

/// The stamp so much later, or the outermost that there is.
[[nodiscard]] inline Time shiftedStamp(Time stamp, Time by)
{
    std::int64_t sum = 0;
    if (__builtin_add_overflow(stamp.count(), by.count(), &sum))
        return by.count() < 0 ? earliestStamp : latestStamp;
    return std::clamp(Time(sum), earliestStamp, latestStamp);
}

}  // namespace wavetrope
