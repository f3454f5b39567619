// SPDX-License-Identifier: GPL-3.0-or-later
// When a recording keeps frames, and which.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "filter/filter.h"
#include "rules/condition_rule.h"
#include "rules/kept_rows.h"
#include "rules/terms.h"

namespace wavetrope::rules {

/// A recording of a rig, ready to be followed. See docs/recordings.md.
struct RecordingRule {
    std::string name;
    filter::Filter keep{};              ///< Frames that it keeps; `every n` in it counts over the run.
    std::optional<Terms> start{};       ///< Without: one take, from the run's begin.
    std::optional<Terms> stop{};        ///< Without: it ends where the start expression does.
    Margin before{};
    Margin after{};
    bool again = true;                  ///< Whether it starts more than once.
};

/// All that is followed in a run.
struct RuleSet {
    std::vector<ConditionRule> conditions;
    std::vector<RecordingRule> recordings;
};

/// Why a recording can never start or stop, in words, or empty: "it never starts: chatter and quiet ...".
[[nodiscard]] std::string neverWords(const RecordingRule& recording, std::span<const ConditionRule> conditions);

}  // namespace wavetrope::rules
