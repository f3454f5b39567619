// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/names.h"

#include <algorithm>
#include <fstream>

#include "base/trimmed.h"
#include "protocol/hex_text.h"

namespace wavetrope::protocol {

namespace {

constexpr std::size_t mostBytesOfTable = 16U << 20U;

// The third cell of a line: as it is, or within quotes that stand twice where one is meant.
Expected<std::string> nameFrom(std::string_view cell)
{
    const std::string plain(trimmed(cell));
    if (!plain.starts_with('"'))
        return plain;
    std::string out;
    std::size_t at = 1;
    for (; at < plain.size(); ++at) {
        if (plain[at] == '"') {
            if (at + 1 == plain.size() || plain[at + 1] != '"')
                break;
            ++at;
        }
        out += plain[at];
    }
    if (at + 1 != plain.size())
        return fail("a name in quotes has to end with one");
    return out;
}

}  // namespace

std::string named(std::uint32_t number, const std::map<std::uint32_t, std::string>* names)
{
    const auto found = names == nullptr ? std::map<std::uint32_t, std::string>::const_iterator() : names->find(number);
    return names == nullptr || found == names->end() ? std::to_string(number) : std::to_string(number) + ' ' + found->second;
}

Expected<Names> namesFromText(std::string_view text, const std::string& path)
{
    Names names;
    struct Group {
        std::string_view word;
        std::map<std::uint32_t, std::string>* into;
        std::uint32_t most;
    };
    const Group groups[] = {
        {"manufacturer", &names.manufacturers, 0x7FF}, {"function", &names.functions, 0xFF}, {"parameter", &names.parameters, 0x7FFFF}};
    if (text.starts_with("\xEF\xBB\xBF"))
        text.remove_prefix(3);
    int number = 0;
    while (!text.empty()) {
        std::string_view line = text.substr(0, text.find('\n'));
        text.remove_prefix(std::min(text.size(), line.size() + 1));
        ++number;
        if (line.ends_with('\r'))
            line.remove_suffix(1);
        const auto wrong = [&](const std::string& what) {
            return tl::unexpected(
                Error{what, path, number, 1, "A head kind,number,name, then lines such as manufacturer,418,\"Made-up works\""});
        };
        if (number == 1) {
            if (trimmed(line) != "kind,number,name")
                return wrong("expected the head kind,number,name");
            continue;
        }
        if (trimmed(line).empty())
            continue;
        const auto first = line.find(','), second = first == std::string_view::npos ? first : line.find(',', first + 1);
        if (second == std::string_view::npos)
            return wrong("expected three cells");
        const std::string word(trimmed(line.substr(0, first)));
        const Group* kind = nullptr;
        for (const Group& one : groups)
            if (one.word == word)
                kind = &one;
        if (kind == nullptr)
            return wrong("'" + word + "' is none of manufacturer, function, parameter");
        const std::string cell(trimmed(line.substr(first + 1, second - first - 1)));
        const auto value = wholeFromText(cell, kind->most);
        if (!value)
            return wrong("'" + cell + "': expected a number of 0 to " + std::to_string(kind->most));
        auto name = nameFrom(line.substr(second + 1));
        if (!name || name->empty())
            return wrong(name ? "expected a name" : name.error().what);
        (*kind->into)[*value] = std::move(*name);
    }
    if (number == 0)
        return fail("the table is empty", path, "It begins with kind,number,name");
    return names;
}

Expected<Names> readNames(const std::string& path)
{
    std::ifstream file(path, std::ios::binary);
    if (!file)
        return fail("the file cannot be read", path);
    std::string text(mostBytesOfTable + 1, '\0');
    file.read(text.data(), static_cast<std::streamsize>(text.size()));
    text.resize(static_cast<std::size_t>(file.gcount()));
    if (text.size() > mostBytesOfTable)
        return fail("the file has more than 16 MB", path);
    return namesFromText(text, path);
}

}  // namespace wavetrope::protocol
