// SPDX-License-Identifier: GPL-3.0-or-later
// The process data of a node as messages and signals (CiA 301, 7.2.2 and 7.5.2.35 to .38).
#pragma once

#include <map>
#include <string>
#include <vector>

#include "database/database.h"
#include "protocol/dictionary.h"

namespace wavetrope::protocol {

/// What was written into objects of a node, by Dictionary::keyOf: it goes before what the file says.
using WrittenObjects = std::map<std::uint32_t, std::vector<std::uint8_t>>;

struct ProcessData {
    database::Database database;  ///< A message for each that the node sends or receives: `Sent1`, `Received1` behind the node's name.
    std::vector<std::string> findings;  ///< What contradicts itself, in words.
};

/// What is mapped into the process data of a node. Its identifiers and its mapping are the values of the objects 0x1400 to 0x1BFF, as written, else as
/// the file sets them. Signals are called as the objects are, with _ for what is no letter or digit.
[[nodiscard]] ProcessData processDataOf(
    const Dictionary& dictionary, std::uint8_t node, const std::string& name, const WrittenObjects& written = {});

/// The name of an object as a signal's.
[[nodiscard]] std::string signalNameOf(const Dictionary& dictionary, const ObjectEntry& entry);

}  // namespace wavetrope::protocol
