// SPDX-License-Identifier: GPL-3.0-or-later
// Why a condition was never true.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "can/bit_rate.h"
#include "rules/condition_rule.h"
#include "trace/trace.h"

namespace wavetrope::rules {

/// How close a trace came to a condition that it never met.
struct NearMiss {
    std::string words;              ///< "closest 71 of 80 degC", "Valve = open never held", "held for 1.2 s at the longest, of 2 s".
    std::string more;               ///< A sentence more about it, or empty.
    std::optional<Time> at;         ///< Where it was closest.
    /// Where it hangs on a value: the span of the values seen, and where the limit is.
    struct Values {
        double lowest = 0, highest = 0, closest = 0, limit = 0;
        std::string unit;
        std::uint64_t frames = 0;   ///< That carry it.
    };
    std::optional<Values> values;
};

/// Looks through a trace, row by row. Nothing for kinds of conditions about which a trace says nothing (keys, words, states,
/// disks), and where `goesOn` ended it.
[[nodiscard]] std::optional<NearMiss> nearMiss(const trace::Snapshot& snapshot, const ConditionRule& condition,
    const std::vector<can::BitRate>& rates, const std::function<bool()>& goesOn = {});

}  // namespace wavetrope::rules
