// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/csv_text.h"

#include <algorithm>
#include <utility>

namespace wavetrope {

Expected<std::vector<CsvRow>> csvFromText(std::string_view text, const std::string& where)
{
    std::vector<CsvRow> rows;
    std::size_t at = text.substr(0, 3) == "\xEF\xBB\xBF" ? 3 : 0;
    int line = 1;
    while (at < text.size()) {
        CsvRow row{line, {}};
        bool quoted = false;
        for (bool more = true; more;) {
            std::string field;
            if (at < text.size() && text[at] == '"') {
                quoted = true;
                const int began = line;
                for (++at;; ++at) {
                    if (at >= text.size())
                        return tl::unexpected(Error{"a field in quotes does not end", where, began, 0, {}});
                    if (text[at] == '"' && (at + 1 >= text.size() || text[at + 1] != '"'))
                        break;
                    at += text[at] == '"' ? 1 : 0;
                    line += text[at] == '\n' ? 1 : 0;
                    field += text[at];
                }
                ++at;
                if (at < text.size() && text[at] != ',' && text[at] != '\n' && text[at] != '\r')
                    return tl::unexpected(
                        Error{"behind a field in quotes, a comma or the end of the line was expected", where, line, 0, {}});
            } else {
                const std::size_t end = std::min(text.find_first_of(",\r\n", at), text.size());
                field = text.substr(at, end - at);
                at = end;
            }
            row.fields.push_back(std::move(field));
            more = at < text.size() && text[at] == ',';
            at += more ? 1 : 0;
        }
        if (at < text.size() && text[at] == '\r')
            ++at;
        if (at < text.size() && text[at] == '\n')
            ++at;
        ++line;
        if (quoted || row.fields.size() > 1 || !row.fields.front().empty())
            rows.push_back(std::move(row));
    }
    return rows;
}

}  // namespace wavetrope
