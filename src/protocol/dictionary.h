// SPDX-License-Identifier: GPL-3.0-or-later
// The object dictionary of a device, as its file says (EDS and DCF: CiA 306-1).
#pragma once

#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/error.h"
#include "protocol/object_value.h"
#include "protocol/talk.h"

namespace wavetrope::protocol {

/// How an object may be used from the bus.
enum class Access : std::uint8_t { readWrite, readOnly, writeOnly, constant };
/// "read and write", "read", "write", "constant".
[[nodiscard]] const char* toText(Access access);

/// One value of a dictionary: an object, or a sub-object.
struct ObjectEntry {
    ObjectPlace place;
    std::string name;           ///< Its own; see Dictionary::nameOf.
    ObjectType type = ObjectType::unsigned32;
    Access access = Access::readWrite;
    bool mappable = false;      ///< It may be part of process data.
    std::string initial{}, low{}, high{};  ///< As the file says them, $NODEID among them; empty where it says nothing.
    std::string set{};          ///< What a DCF sets it to; empty where it does not.
};

/// What a file says of a device. See `readDictionary`.
struct Dictionary {
    /// Objects of one file: what is more is refused.
    static constexpr std::size_t mostEntries = 300'000;

    std::string path;
    std::string product, vendor;    ///< Names, as the file gives them.
    std::optional<std::uint32_t> vendorNumber, productNumber, revision;
    std::optional<std::uint8_t> node;  ///< That a DCF sets.
    std::map<std::uint16_t, std::string> objects;   ///< Names by index, of those that have sub-objects too.
    std::map<std::uint32_t, ObjectEntry> entries;   ///< By index and sub-index: `keyOf`.
    std::vector<Error> problems;    ///< Lines and objects that were not understood; the rest was read.

    [[nodiscard]] static std::uint32_t keyOf(ObjectPlace place) { return static_cast<std::uint32_t>(place.index) << 8 | place.sub; }
    [[nodiscard]] const ObjectEntry* find(ObjectPlace place) const;
    /// `Name` of an object, `Object.Name` of a sub-object.
    [[nodiscard]] std::string nameOf(const ObjectEntry& entry) const;
    /// What somebody types: `0x2001:03`, `Object.Name`, or `Name` where only one has it; capitals and blanks do not matter. An error says what is near.
    [[nodiscard]] Expected<ObjectPlace> placeOf(std::string_view text) const;
    /// A whole number that the file writes, for a node: decimal, 0x hexadecimal, 0 octal, `$NODEID+0x180`.
    [[nodiscard]] static std::optional<std::int64_t> number(std::string_view text, std::uint8_t node);
    /// What the object begins with on a node: the value of the DCF, else that of the EDS; nothing where neither says, or it is none of its type.
    [[nodiscard]] std::optional<std::vector<std::uint8_t>> initialOf(const ObjectEntry& entry, std::uint8_t node) const;
    /// The bytes of a value that is typed for an object, within its limits.
    [[nodiscard]] static Expected<std::vector<std::uint8_t>> bytesFor(const ObjectEntry& entry, std::string_view text, std::uint8_t node);
};

/// Which node of which bus a file is of.
struct DictionaryOption {
    std::string bus;
    std::uint8_t node = 0;
    std::string path;
};
/// Reads `BUS.NODE=FILE`, node 1 to 127.
[[nodiscard]] Expected<DictionaryOption> dictionaryOptionFromText(std::string_view text);
/// Reads a node's number, 1 to 127.
[[nodiscard]] Expected<std::uint8_t> nodeFromText(std::string_view text);

/// Reads an EDS or DCF of up to 32 MB: any line ends, UTF-8 or else one byte a character. An error where it is no such file; what is wrong with single
/// lines and objects stands among the problems.
[[nodiscard]] Expected<Dictionary> readDictionary(const std::string& path);
[[nodiscard]] Expected<Dictionary> dictionaryFromText(std::string_view text, const std::string& path);

}  // namespace wavetrope::protocol
