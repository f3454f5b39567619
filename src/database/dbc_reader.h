// Reads signal databases of the .dbc text form.
#pragma once

#include <string_view>
#include <vector>

#include "can/error.h"
#include "database/database.h"

namespace wavetrope::database {

/// What a reading gave: everything understood, and what was not.
struct DbcReading {
    Database database;
    std::vector<Error> problems;    ///< Each with line and column; reading went on behind it.
};

/// Reads a database from text in UTF-8 or code page 1252 (recognised), any line ends. Total: any bytes give a reading.
/// `name` stands in the errors.
[[nodiscard]] DbcReading readDbc(std::string_view text, std::string name);

/// Reads a file. An error when it cannot be read, or when nothing in it is a signal database.
[[nodiscard]] Expected<DbcReading> readDbcFile(const std::string& path);

}  // namespace wavetrope::database
