// SPDX-License-Identifier: GPL-3.0-or-later
// Fields of comma-separated values after RFC 4180.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "base/error.h"

namespace wavetrope {

/// Appends a field, in quotes where it needs them (RFC 4180, 2.5 to 2.7).
inline void appendCsvField(std::string& out, std::string_view text)
{
    if (text.find_first_of(",\"\r\n") == std::string_view::npos) {
        out += text;
        return;
    }
    out += '"';
    for (const char c : text) {
        if (c == '"')
            out += '"';
        out += c;
    }
    out += '"';
}

/// One row of such a text, with the line on which it begins, from 1.
struct CsvRow {
    int line = 1;
    std::vector<std::string> fields;
};
/// The rows of a text, empty lines left out; lines may end with or without a carriage return. Errors name `where` and the line.
[[nodiscard]] Expected<std::vector<CsvRow>> csvFromText(std::string_view text, const std::string& where);

}  // namespace wavetrope
