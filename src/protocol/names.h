// SPDX-License-Identifier: GPL-3.0-or-later
// Names that the standards give numbers for, and a user's own table words.
#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <string_view>

#include "base/error.h"

namespace wavetrope::protocol {

/// None are built in. By their numbers: manufacturers (11 bits) and functions (8 bits) of names of SAE J1939-81, parameters (19 bits) of trouble codes.
struct Names {
    std::map<std::uint32_t, std::string> manufacturers, functions, parameters;
};
/// "418", or "418 Made-up works" where the table has it.
[[nodiscard]] std::string named(std::uint32_t number, const std::map<std::uint32_t, std::string>* names);

/// Reads a table with the head `kind,number,name`: kind manufacturer, function or parameter; numbers decimal or 0x; names as CSV has texts. Up to 16 MB. An
/// error tells the line.
[[nodiscard]] Expected<Names> namesFromText(std::string_view text, const std::string& path);
[[nodiscard]] Expected<Names> readNames(const std::string& path);

}  // namespace wavetrope::protocol
