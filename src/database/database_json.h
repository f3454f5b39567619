// The product's own JSON form of a signal database. docs/database-json.md describes it.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <string_view>

#include "can/error.h"
#include "database/database.h"

namespace wavetrope::database {

inline constexpr int databaseJsonVersion = 1;

/// Nodes, tables, messages with their signals, attribute definitions and values.
[[nodiscard]] nlohmann::ordered_json toJson(const Database& database);
/// The database of such a document. An error names the JSON pointer.
[[nodiscard]] Expected<Database> databaseFromJson(const nlohmann::json& document, const std::string& where);
/// Parses text first.
[[nodiscard]] Expected<Database> readDatabaseJson(std::string_view text, const std::string& where);

}  // namespace wavetrope::database
