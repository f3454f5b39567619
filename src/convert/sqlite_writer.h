// SPDX-License-Identifier: GPL-3.0-or-later
// Frames and values as a SQLite database.
#pragma once

#include "convert/frames.h"

namespace wavetrope::convert {

/// Makes a database at `path`, where no file may be: tables bus, message, signal, frame and value with their indexes, a
/// view that joins them, and a table `readme` that explains each. False where progress asked for an end; what is there
/// then is of no use.
[[nodiscard]] Expected<bool> writeSqlite(const std::string& path, const Frames& frames, const database::Catalog& catalog,
    const Conversion& conversion, Outcome& outcome, const Progress& progress);

}  // namespace wavetrope::convert
