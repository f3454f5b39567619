// SPDX-License-Identifier: GPL-3.0-or-later
// Values of objects in their types (CiA 301, 7.1.4 and 7.4.7).
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/error.h"

namespace wavetrope::protocol {

/// A data type by its index in the object dictionary (CiA 301, table 44). What a file names beyond these stays as a number.
enum class ObjectType : std::uint16_t {
    boolean = 0x01,
    integer8 = 0x02,
    integer16 = 0x03,
    integer32 = 0x04,
    unsigned8 = 0x05,
    unsigned16 = 0x06,
    unsigned32 = 0x07,
    real32 = 0x08,
    visibleString = 0x09,
    octetString = 0x0A,
    unicodeString = 0x0B,
    timeOfDay = 0x0C,
    timeDifference = 0x0D,
    domain = 0x0F,
    integer24 = 0x10,
    real64 = 0x11,
    integer40 = 0x12,
    integer48 = 0x13,
    integer56 = 0x14,
    integer64 = 0x15,
    unsigned24 = 0x16,
    unsigned40 = 0x18,
    unsigned48 = 0x19,
    unsigned56 = 0x1A,
    unsigned64 = 0x1B,
};

/// Bits of a value; 0 where that is not fixed, or the type is not known.
[[nodiscard]] unsigned bitsOf(ObjectType type);
[[nodiscard]] bool isSigned(ObjectType type);
/// Whole numbers, and truth.
[[nodiscard]] bool isWhole(ObjectType type);
[[nodiscard]] bool isReal(ObjectType type);
/// "unsigned, 1 byte", "text", "bytes", "type 0x0040".
[[nodiscard]] std::string words(ObjectType type);

/// A value as it is read: whole and real numbers in decimal digits, texts as they are, all else, and bytes of a length that the type has not, in
/// hexadecimal digits.
[[nodiscard]] std::string valueText(ObjectType type, const std::vector<std::uint8_t>& bytes);
/// A whole number of up to eight bytes, least significant first; nothing of other types, or of another length.
[[nodiscard]] std::optional<std::int64_t> wholeOf(ObjectType type, const std::vector<std::uint8_t>& bytes);
/// The bytes of a value that is typed: numbers also as 0x1F, truth as 0 or 1, texts as they are, bytes in hexadecimal digits. An error says what the type
/// takes.
[[nodiscard]] Expected<std::vector<std::uint8_t>> bytesOfValue(ObjectType type, std::string_view text);

}  // namespace wavetrope::protocol
