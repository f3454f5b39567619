// SPDX-License-Identifier: GPL-3.0-or-later
// Databases for readers: a page of the whole network, and a table.
#pragma once

#include <functional>
#include <string>

#include "base/error.h"
#include "database/database.h"

namespace wavetrope::database {

/// An HTML page of its own: nodes, messages with their layout as SVG, signals. No script, nothing from elsewhere.
[[nodiscard]] std::string toHtml(const Database& database, const std::string& title);

/// The layout of a message as SVG.
[[nodiscard]] std::string layoutSvg(const Message& message);

/// A row for each signal, RFC 4180 with "\n": message, id, length, sender, cycle_ms, signal, start_bit, bits, byte_order,
/// sign, type, factor, offset, minimum, maximum, unit, multiplexing, receivers, texts, start_raw, comment.
[[nodiscard]] std::string toCsv(const Database& database);

/// Reads a database: .dbc, or .json of our own. `problem` hears of each statement that could not be understood.
[[nodiscard]] Expected<Database> readDatabase(const std::string& path, const std::function<void(const Error&)>& problem = {});

/// Writes a database in the form that the ending asks for: .dbc, .json, .csv or .html.
[[nodiscard]] Expected<void> exportDatabase(const Database& database, const std::string& path);

}  // namespace wavetrope::database
