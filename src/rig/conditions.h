// SPDX-License-Identifier: GPL-3.0-or-later
// The events of a rig as conditions over the frames of a run or log.
#pragma once

#include <memory>
#include <optional>
#include <vector>

#include "filter/condition.h"
#include "rig/rig.h"
#include "rules/recording_rule.h"

namespace wavetrope::rig {

/// What became of a rig's events.
struct EventConditions {
    std::vector<filter::ConditionSpec> conditions;
    std::vector<rules::ConditionRule> rules;        ///< Of the other kinds, those of which frames and their stamps tell.
    /// Those that speak of something that the catalog has not, each with its name and place in the document. In a log from
    /// elsewhere they are no events; in a run they are mistakes.
    std::vector<std::pair<std::string, Error>> unknown;
};

/// Whether frames and their stamps tell of a kind of condition.
[[nodiscard]] bool framesTell(rules::ConditionKind kind);

[[nodiscard]] EventConditions conditionsOf(const Rig& rig, const std::shared_ptr<const database::Catalog>& catalog);

/// What became of a rig's conditions and recordings over the buses of a run or log.
struct CompiledRules {
    rules::RuleSet set;                     ///< As many conditions as the rig has, in its order.
    std::vector<std::size_t> recordings;    ///< For each recording of the set: which of the rig's it is.
    /// When playback plays, and when it rests: wherever a take of a recording that keeps nothing would begin.
    std::optional<rules::RecordingRule> plays, rests;
    /// What speaks of something that the catalog has not, with its place in the document. Such conditions are never true, and
    /// such recordings are left out.
    std::vector<Error> unknown;
};

/// `buses` are those of the run or log.
[[nodiscard]] CompiledRules rulesOf(
    const Rig& rig, const std::shared_ptr<const database::Catalog>& catalog, const std::vector<std::string>& buses);

}  // namespace wavetrope::rig
