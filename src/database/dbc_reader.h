// SPDX-License-Identifier: GPL-3.0-or-later
// Reads signal databases of the .dbc text form.
#pragma once

#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "base/error.h"
#include "database/database.h"

namespace wavetrope::database {

/// A statement of a file that the model holds: where it lies and what it tells of.
struct DbcStatement {
    std::string key;            ///< As dbc_format.h makes it.
    std::size_t begin = 0;
    std::size_t end = 0;
    int line = 1;
    int column = 1;
};

/// The file behind a database, so that only what was edited needs to differ when it is written.
struct DbcSource {
    std::string text;                       ///< Byte for byte.
    bool utf8 = true;                       ///< Else code page 1252.
    std::string lineEnd = "\n";             ///< The first of the file.
    std::vector<DbcStatement> statements;   ///< In the order of the file.

    /// The statement of a key, or null.
    [[nodiscard]] const DbcStatement* find(const std::string& key) const;
};

/// What a reading gave: everything understood, and what was not.
struct DbcReading {
    Database database;
    std::vector<Error> problems;    ///< Each with line and column; reading went on behind it.
    std::vector<Error> warnings;    ///< What is not as the format wants it, but clear.
    DbcSource source;
};

/// Reads a database from text in UTF-8 or code page 1252 (recognised), any line ends. Total: any bytes give a reading.
/// `name` stands in the errors.
[[nodiscard]] DbcReading readDbc(std::string_view text, std::string name);

/// Reads a file. An error when it cannot be read, or when nothing in it is a signal database.
[[nodiscard]] Expected<DbcReading> readDbcFile(const std::string& path);

}  // namespace wavetrope::database
