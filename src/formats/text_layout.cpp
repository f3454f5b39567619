// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/text_layout.h"

#include <sys/stat.h>

#include <algorithm>
#include <cctype>
#include <cstdlib>
#include <filesystem>
#include <fstream>

#include "base/json_reader.h"
#include "base/replace_file.h"

namespace wavetrope::formats {

namespace {

constexpr const char* meanings[meaningCount] = {"-", "date", "time", "channel", "direction", "kind", "identifier", "length", "data", "brs",
    "esi", "fraction", "fd", "extended", "remote"};
constexpr const char* timeForms[] = {"seconds", "milliseconds", "microseconds", "nanoseconds", "clock"};
constexpr const char* bases[] = {"hexadecimal", "decimal"};
constexpr const char* spreads[] = {"apart", "together"};
constexpr std::size_t mostColumns = 256;
constexpr std::uintmax_t largestLayout = 64 * 1024;

std::string_view trimmed(std::string_view text, std::string_view off)
{
    const auto from = text.find_first_not_of(off);
    if (from == std::string_view::npos)
        return {};
    return text.substr(from, text.find_last_not_of(off) - from + 1);
}

// A cell without what only encloses it, and without a name that says what it is.
std::string_view bare(std::string_view cell)
{
    cell = trimmed(cell, " \t()[]{}\"'");
    std::size_t letters = 0;
    while (letters < cell.size() && std::isalpha(static_cast<unsigned char>(cell[letters])) != 0)
        ++letters;
    if (letters > 0 && letters + 1 < cell.size() && (cell[letters] == '=' || cell[letters] == ':'))
        cell = trimmed(cell.substr(letters + 1), " \t()[]{}<>\"'");
    return cell;
}

// Two cells of a line as one, with what stands between.
std::string_view from(std::string_view first, std::string_view last)
{
    return {first.data(), static_cast<std::size_t>(last.data() + last.size() - first.data())};
}

bool isNoon(std::string_view cell)
{
    return cell.size() == 2 && (cell[1] == 'M' || cell[1] == 'm') && (cell[0] == 'A' || cell[0] == 'P' || cell[0] == 'a' || cell[0] == 'p');
}

bool isDigits(std::string_view cell, std::size_t least, std::size_t most)
{
    if (!cell.empty() && (cell.back() == ',' || cell.back() == '.'))
        cell.remove_suffix(1);
    return cell.size() >= least && cell.size() <= most && cell.find_first_not_of("0123456789") == std::string_view::npos;
}

// "5 Feb 2031" and "Feb 5 2031" in front of a clock are one cell.
void joinDates(std::vector<std::string_view>& columns)
{
    for (std::size_t i = 0; i < std::min<std::size_t>(columns.size(), 4); ++i) {
        if (columns[i].size() < 3 || std::isalpha(static_cast<unsigned char>(columns[i][0])) == 0 || monthOf(columns[i]) == 0)
            continue;
        const bool dayBefore = i > 0 && isDigits(columns[i - 1], 1, 2) && i + 2 < columns.size() && isDigits(columns[i + 1], 4, 4)
                               && columns[i + 2].find(':') != std::string_view::npos;
        const bool dayBehind = i + 3 < columns.size() && isDigits(columns[i + 1], 1, 2) && isDigits(columns[i + 2], 4, 4)
                               && columns[i + 3].find(':') != std::string_view::npos;
        if (!dayBefore && !dayBehind)
            continue;
        const std::size_t first = dayBefore ? i - 1 : i;
        columns[first] = from(columns[first], columns[first + 2]);
        columns.erase(columns.begin() + static_cast<std::ptrdiff_t>(first) + 1, columns.begin() + static_cast<std::ptrdiff_t>(first) + 3);
        return;
    }
}

TextLayout layoutOf(const JsonReader& in)
{
    TextLayout layout;
    layout.name = in.text("name");
    static constexpr const char* separators[] = {"blanks", "tab", "comma", "semicolon", "bar", "json", "tags", "fields"};
    layout.separator = " \t,;|{<="[in.word("separator", separators)];
    layout.timeForm = static_cast<TimeForm>(in.word("time", timeForms));
    layout.fractionForm = static_cast<TimeForm>(in.word("fraction", timeForms, static_cast<unsigned>(TimeForm::nanoseconds)));
    if (layout.fractionForm == TimeForm::clock || layout.fractionForm == TimeForm::seconds)
        in.at("fraction").wrong("expected milliseconds, microseconds or nanoseconds");
    in.each("columns", [&](const JsonReader& column) { layout.columns.push_back(static_cast<Meaning>(column.word(meanings))); });
    if (layout.columns.size() > mostColumns)
        in.at("columns").wrong("expected " + std::to_string(mostColumns) + " columns at the most");
    if (layout.columnOf(Meaning::identifier) < 0)
        in.at("columns").wrong("none is the identifier");
    layout.keys = in.texts("keys");
    if (layout.keys.size() > mostColumns)
        in.at("keys").wrong("expected the names of the fields");
    if (hasKeys(layout.separator) && layout.keys.size() < layout.columns.size())
        layout.keys.resize(layout.columns.size());
    layout.word = static_cast<unsigned>(in.whole("word", 4, 1));
    if (layout.word != 1 && layout.word != 2 && layout.word != 4)
        in.at("word").wrong("expected 1, 2 or 4 bytes");
    layout.identifierBase = static_cast<Base>(in.word("identifier", bases));
    layout.dataBase = static_cast<Base>(in.word("data", bases));
    layout.bytes = static_cast<Bytes>(in.word("bytes", spreads));
    layout.decimalComma = in.flag("decimal_comma");
    layout.sincePrevious = in.flag("since_previous");
    layout.lengthIsCode = in.flag("length_is_code");
    layout.padded = in.flag("padded");
    layout.wordsSwapped = in.flag("words_swapped");
    layout.headLines = static_cast<unsigned>(in.whole("head_lines", 10'000, 0));
    return layout;
}

}  // namespace

int TextLayout::columnOf(Meaning meaning) const
{
    const auto found = std::find(columns.begin(), columns.end(), meaning);
    return found == columns.end() ? -1 : static_cast<int>(found - columns.begin());
}

const char* toText(Meaning meaning) { return meanings[static_cast<unsigned>(meaning)]; }
const char* toText(TimeForm form) { return timeForms[static_cast<unsigned>(form)]; }

const char* separatorText(char separator)
{
    switch (separator) {
    case '\t': return "tab";
    case ',': return "comma";
    case ';': return "semicolon";
    case '|': return "bar";
    case '{': return "json";
    case '<': return "tags";
    case '=': return "fields";
    default: return "blanks";
    }
}

void splitLine(std::string_view line, char separator, std::vector<std::string_view>& columns)
{
    columns.clear();
    if (!line.empty() && line.back() == '\r')
        line.remove_suffix(1);
    if (separator == ' ') {
        std::size_t at = 0;
        while (columns.size() < mostColumns) {
            at = line.find_first_not_of(" \t", at);
            if (at == std::string_view::npos)
                break;
            std::size_t end = line.find_first_of(" \t", at);
            if (end == std::string_view::npos)
                end = line.size();
            // A sign by itself is no column.
            if (const std::string_view cell = bare(line.substr(at, end - at)); !cell.empty() && cell != "|" && cell != ":") {
                if (isNoon(cell) && !columns.empty() && columns.back().find(':') != std::string_view::npos) {
                    columns.back() = from(columns.back(), cell);
                } else if (const auto sharp = cell.find('#', 1);
                    sharp != std::string_view::npos && sharp + 1 < cell.size()) {    // identifier and data
                    columns.push_back(cell.substr(0, sharp));
                    columns.push_back(cell.substr(sharp + 1));
                } else if (sharp != std::string_view::npos) {
                    columns.push_back(cell.substr(0, sharp));
                } else {
                    columns.push_back(cell);
                }
            }
            at = end;
        }
        joinDates(columns);
        return;
    }
    bool quoted = false;
    std::size_t from = 0;
    for (std::size_t i = 0; i <= line.size() && columns.size() < mostColumns; ++i) {
        if (i < line.size() && line[i] == '"')
            quoted = !quoted;
        if (i == line.size() || (line[i] == separator && !quoted)) {
            columns.push_back(bare(line.substr(from, i - from)));
            from = i + 1;
        }
    }
}

unsigned monthOf(std::string_view word)
{
    static constexpr const char* months[12] = {
        "january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november", "december"};
    if (word.size() < 3)
        return 0;
    for (unsigned m = 0; m < 12; ++m) {
        const std::string_view name = months[m];
        if ((word.size() == 3 || word.size() == name.size())
            && std::equal(word.begin(), word.end(), name.begin(), [](char a, char b) { return (a >= 'A' && a <= 'Z' ? a + 32 : a) == b; }))
            return m + 1;
    }
    return 0;
}

void fieldsOf(std::string_view line, char separator, std::vector<std::pair<std::string_view, std::string_view>>& fields)
{
    fields.clear();
    const auto isName = [](char c) {
        return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_' || c == '-' || c == '.' || c == ':';
    };
    const auto skipBlanks = [&](std::size_t at) { return std::min(line.find_first_not_of(" \t\r", at), line.size()); };
    if (separator == '{') {
        for (std::size_t at = line.find('"'); at != std::string_view::npos && fields.size() < mostColumns; at = line.find('"', at)) {
            const std::size_t end = line.find('"', at + 1);
            if (end == std::string_view::npos)
                return;
            const std::string_view name = line.substr(at + 1, end - at - 1);
            at = skipBlanks(end + 1);
            if (at >= line.size() || line[at] != ':')
                continue;
            at = skipBlanks(at + 1);
            if (at >= line.size())
                return;
            if (line[at] == '{')    // its members come next
                continue;
            std::string_view value;
            if (line[at] == '"' || line[at] == '[') {
                const std::size_t close = std::min(line.find(line[at] == '"' ? '"' : ']', at + 1), line.size());
                value = line.substr(at + 1, close - at - 1);
                at = std::min(close + 1, line.size());
            } else {
                const std::size_t close = std::min(line.find_first_of(",}] \t\r", at), line.size());
                value = line.substr(at, close - at);
                if (value == "null")
                    value = {};
                at = close;
            }
            fields.emplace_back(name, trimmed(value, " \t"));
        }
        return;
    }
    for (std::size_t at = line.find('='); at != std::string_view::npos && fields.size() < mostColumns; at = line.find('=', at)) {
        std::size_t begin = at;
        while (begin > 0 && isName(line[begin - 1]))
            --begin;
        const std::string_view name = line.substr(begin, at - begin);
        std::size_t value = at + 1;
        at = value;
        if (name.empty())
            continue;
        if (value < line.size() && (line[value] == '"' || line[value] == '\'')) {
            const std::size_t close = line.find(line[value], value + 1);
            if (close == std::string_view::npos)
                return;
            fields.emplace_back(name, trimmed(line.substr(value + 1, close - value - 1), " \t"));
            at = close + 1;
        } else if (separator == '=') {
            const std::size_t close = std::min(line.find_first_of(" \t\r;", value), line.size());
            fields.emplace_back(name, trimmed(line.substr(value, close - value), " \t,()[]{}"));
            at = close;
        }
    }
}

void splitLine(std::string_view line, const TextLayout& layout, std::vector<std::string_view>& columns)
{
    if (!hasKeys(layout.separator))
        return splitLine(line, layout.separator, columns);
    static thread_local std::vector<std::pair<std::string_view, std::string_view>> fields;
    fieldsOf(line, layout.separator, fields);
    columns.assign(fields.empty() ? 0 : layout.keys.size(), {});
    for (std::size_t i = 0; i < fields.size(); ++i)
        for (std::size_t k = 0; k < layout.keys.size(); ++k) {
            const std::size_t at = (i + k) % layout.keys.size();    // most often in the same order
            if (layout.keys[at] == fields[i].first && columns[at].empty()) {
                columns[at] = fields[i].second;
                break;
            }
        }
}

bool isSkipped(std::string_view line, const TextLayout& layout)
{
    if (isRemark(line))
        return true;
    if (!hasKeys(layout.separator) || layout.separator == '=')
        return false;
    std::vector<std::pair<std::string_view, std::string_view>> fields;
    fieldsOf(line, layout.separator, fields);
    return fields.empty()
           && (layout.separator == '<' ? trimmed(line, " \t\r").front() == '<'
                                       : line.find_first_not_of(" \t\r[]{},") == std::string_view::npos);
}

bool isRemark(std::string_view line)
{
    const auto from = line.find_first_not_of(" \t\r");
    if (from == std::string_view::npos)
        return true;
    line.remove_prefix(from);
    return line[0] == '#' || line[0] == ';' || line[0] == '*' || line[0] == '%' || line.starts_with("//");
}

std::string toJson(const TextLayout& layout)
{
    nlohmann::ordered_json out;
    out["wavetrope_layout"] = 1;
    out["name"] = layout.name;
    out["separator"] = separatorText(layout.separator);
    if (!layout.keys.empty())
        out["keys"] = layout.keys;
    out["decimal_comma"] = layout.decimalComma;
    out["head_lines"] = layout.headLines;
    out["columns"] = nlohmann::ordered_json::array();
    for (const Meaning meaning : layout.columns)
        out["columns"].push_back(toText(meaning));
    out["time"] = toText(layout.timeForm);
    if (layout.columnOf(Meaning::fraction) >= 0)
        out["fraction"] = toText(layout.fractionForm);
    out["since_previous"] = layout.sincePrevious;
    out["identifier"] = bases[static_cast<unsigned>(layout.identifierBase)];
    out["padded"] = layout.padded;
    out["data"] = bases[static_cast<unsigned>(layout.dataBase)];
    out["bytes"] = spreads[static_cast<unsigned>(layout.bytes)];
    if (layout.word > 1) {
        out["word"] = layout.word;
        out["words_swapped"] = layout.wordsSwapped;
    }
    out["length_is_code"] = layout.lengthIsCode;
    return out.dump(2, ' ', false, nlohmann::json::error_handler_t::replace) + '\n';
}

Expected<TextLayout> layoutFromJson(std::string_view text, const std::string& where)
{
    const auto document = nlohmann::json::parse(text, nullptr, false);
    if (!document.is_object() || !document.contains("wavetrope_layout") || !document.contains("columns"))
        return fail("this is no layout of a text log", where);
    return readingJson(where, [&] { return layoutOf(JsonReader(document)); });
}

KeptLayouts::KeptLayouts(std::string folder) : folder_(std::move(folder))
{
    std::error_code problem;
    for (const auto& entry : std::filesystem::directory_iterator(folder_, problem)) {
        if (entry.path().extension() != ".json" || !entry.is_regular_file(problem) || entry.file_size(problem) > largestLayout)
            continue;
        std::ifstream file(entry.path(), std::ios::binary);
        const std::string text((std::istreambuf_iterator<char>(file)), {});
        if (auto layout = layoutFromJson(text, entry.path()); layout && !layout->name.empty())
            layouts_.push_back(std::move(*layout));
    }
    std::sort(layouts_.begin(), layouts_.end(), [](const TextLayout& a, const TextLayout& b) { return a.name < b.name; });
}

Expected<void> KeptLayouts::keep(const TextLayout& layout)
{
    if (layout.name.empty())
        return fail("a layout needs a name to be kept under", folder_, "Give it one");
    std::string file;
    for (const char c : layout.name)
        file += std::isalnum(static_cast<unsigned char>(c)) != 0 || (c & 0x80) != 0 || c == '-' ? c : '_';
    std::error_code problem;
    std::filesystem::create_directories(folder_, problem);
    if (auto written = replaceFile(folder_ + "/" + file + ".json", toJson(layout)); !written)
        return written;
    std::erase_if(layouts_, [&](const TextLayout& other) { return other.name == layout.name; });
    layouts_.push_back(layout);
    return {};
}

std::string KeptLayouts::usualFolder()
{
    const char* given = std::getenv("XDG_CONFIG_HOME");
    const char* home = std::getenv("HOME");
    const std::string base = given != nullptr && *given == '/' ? given
                             : home != nullptr && *home == '/' ? std::string(home) + "/.config"
                                                               : std::string();
    return base.empty() ? base : base + "/wavetrope/layouts";
}

}  // namespace wavetrope::formats
