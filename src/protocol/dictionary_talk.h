// SPDX-License-Identifier: GPL-3.0-or-later
// A whole dictionary of a node: read, compared with its file, written.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "protocol/process_data.h"

namespace wavetrope::protocol {

/// Reads one object after the other. An object that is refused is noted, and the next one asked for; a node that does not answer ends it.
class DictionaryRead : public Talk {
public:
    /// By Dictionary::keyOf.
    [[nodiscard]] virtual const WrittenObjects& values() const = 0;
    /// Why an object was not given, by the same.
    [[nodiscard]] virtual const std::map<std::uint32_t, std::string>& refused() const = 0;
};
/// Of a node, all that its dictionary lets somebody read.
[[nodiscard]] std::unique_ptr<DictionaryRead> dictionaryRead(std::uint8_t node, const Dictionary& dictionary);

/// An object whose value is another one than the file says.
struct ObjectDifference {
    const ObjectEntry* entry = nullptr;     ///< Of the dictionary.
    std::string file;       ///< What the file sets it to, as text; empty where it says nothing.
    std::string node;       ///< What the node has; empty where it refused.
    std::string refused;    ///< Why it did.
};
/// Those that a file says something of and that differ, and those that were refused, in the order of the dictionary. What only can be read (measured values,
/// counters) says nothing of how a node is set, and is left out.
[[nodiscard]] std::vector<ObjectDifference> differencesOf(const Dictionary& dictionary, std::uint8_t node, const DictionaryRead& read);

/// Writes these objects, one after the other; the first that is refused ends it, in words.
[[nodiscard]] std::unique_ptr<Talk> objectsWrite(std::uint8_t node, std::vector<std::pair<ObjectPlace, std::vector<std::uint8_t>>> values);

/// Reads all, and writes what differs from the file and may be written. What it tells is how the node was before. `dictionary` outlives it.
[[nodiscard]] std::unique_ptr<DictionaryRead> dictionaryLoad(std::uint8_t node, const Dictionary& dictionary);

/// The text of an EDS or DCF as a DCF of a node that has these values (CiA 306-1, 6): each section of an object gets its ParameterValue, and a section
/// DeviceComissioning names the node. All else stays as it is.
[[nodiscard]] std::string dcfText(std::string_view sheet, const Dictionary& dictionary, std::uint8_t node, const WrittenObjects& values);

}  // namespace wavetrope::protocol
