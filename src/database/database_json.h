// SPDX-License-Identifier: GPL-3.0-or-later
// The product's own JSON form of a signal database. docs/database-json.md describes it.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <string_view>

#include "base/error.h"
#include "database/database.h"

namespace wavetrope {
class JsonReader;
}

namespace wavetrope::database {

inline constexpr int databaseJsonVersion = 1;

/// Nodes, tables, messages with their signals, attribute definitions and values.
[[nodiscard]] nlohmann::ordered_json toJson(const Database& database);
/// The database of such a document, or of a part of one; throws JsonFailure, with its place there.
[[nodiscard]] Database databaseFromJson(const JsonReader& in);
/// The database of a text. An error names the JSON pointer.
[[nodiscard]] Expected<Database> readDatabaseJson(std::string_view text, const std::string& where);

}  // namespace wavetrope::database
