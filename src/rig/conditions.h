// SPDX-License-Identifier: GPL-3.0-or-later
// The events of a rig as conditions over the frames of a run or log.
#pragma once

#include <memory>
#include <vector>

#include "filter/condition.h"
#include "rig/rig.h"

namespace wavetrope::rig {

/// What became of a rig's events.
struct EventConditions {
    std::vector<filter::ConditionSpec> conditions;
    /// Those that speak of something that the catalog has not, each with its name and place in the document. In a log from
    /// elsewhere they are no events; in a run they are mistakes.
    std::vector<std::pair<std::string, Error>> unknown;
};

[[nodiscard]] EventConditions conditionsOf(const Rig& rig, const std::shared_ptr<const database::Catalog>& catalog);

}  // namespace wavetrope::rig
