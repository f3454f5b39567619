// SPDX-License-Identifier: GPL-3.0-or-later
// Writes signal databases of the .dbc text form.
#pragma once

#include <string>

#include "base/error.h"
#include "database/database.h"
#include "database/dbc_reader.h"

namespace wavetrope::database {

/// A database as a new file: UTF-8, statements in the order of the format.
[[nodiscard]] std::string writeDbc(const Database& database);

/// A database that was read from `source` as `original` and then edited: only the statements of what was edited differ,
/// everything else stays byte for byte, in the file's encoding and with its line ends. New statements stand behind the
/// last of their kind. An error when code page 1252 has no place for a character.
[[nodiscard]] Expected<std::string> writeDbc(const Database& edited, const Database& original, const DbcSource& source);

}  // namespace wavetrope::database
