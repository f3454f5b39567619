// SPDX-License-Identifier: GPL-3.0-or-later
// What a node's process data are mapped to where no file says it: heard in recorded traffic, or read from the node.
#pragma once

#include <map>
#include <memory>
#include <string>
#include <vector>

#include "protocol/dictionary_talk.h"
#include "protocol/layer.h"

namespace wavetrope::protocol {

/// Objects 0x1400 to 0x1BFF that were read from nodes or written into them, in the order of their transfers: the newest stays.
class HeardMapping {
public:
    void take(const Transfer& transfer);
    /// By bus and node.
    [[nodiscard]] const std::map<std::pair<std::uint8_t, std::uint8_t>, WrittenObjects>& nodes() const { return nodes_; }

private:
    std::map<std::pair<std::uint8_t, std::uint8_t>, WrittenObjects> nodes_;
};

/// Asks a node for the identifiers and the mapping of its process data (CiA 301, 7.5.2.35 to .38): of each direction one after the other, until four in a
/// row are not there. A node that does not answer ends it.
[[nodiscard]] std::unique_ptr<DictionaryRead> mappingRead(std::uint8_t node);

/// A dictionary of what is known of a mapping: its objects with their values, and those that are mapped, called by their numbers and taken as unsigned
/// numbers of their lengths. `known`, where there is one, gives names and types of objects, and all else that it has.
[[nodiscard]] Dictionary dictionaryOfMapping(const WrittenObjects& mapping, std::uint8_t node, const Dictionary* known = nullptr);

/// A dictionary as a DCF of its node (CiA 306-1, 4.6 and 6).
[[nodiscard]] std::string sheetOf(const Dictionary& dictionary);

}  // namespace wavetrope::protocol
