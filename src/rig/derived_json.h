// SPDX-License-Identifier: GPL-3.0-or-later
// Derived signals in the rig document, and their edits.
#pragma once

#include <nlohmann/json.hpp>

#include "base/json_reader.h"
#include "database/catalog.h"

namespace wavetrope::rig {

inline constexpr std::size_t mostDerived = 1000;

/// Throws what `JsonReader` throws.
[[nodiscard]] database::DerivedSpec derivedFrom(const JsonReader& in);
/// As they stand in the document. What `written`, which `before` is of, has besides stays.
[[nodiscard]] nlohmann::json toJson(
    const std::vector<database::DerivedSpec>& derived, const nlohmann::json& written, const std::vector<database::DerivedSpec>& before);

/// The derived signals with one in place of that at an index; behind the last it is added. A name that is no name or stands there
/// already, an empty formula, another one than before that cannot be followed over the signals of a catalog, a range that is none: an error, whose column
/// is that of the formula. Where its name is another now, the formulas that look at it name it so.
[[nodiscard]] Expected<std::vector<database::DerivedSpec>> withDerived(
    std::vector<database::DerivedSpec> all, std::size_t index, database::DerivedSpec next, const database::Catalog& over);

}  // namespace wavetrope::rig
