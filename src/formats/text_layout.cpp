#include "formats/text_layout.h"

#include <sys/stat.h>

#include <algorithm>
#include <cctype>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>

#include "can/replace_file.h"

namespace wavetrope::formats {

namespace {

constexpr const char* meanings[meaningCount] = {"-", "date", "time", "channel", "direction", "kind", "identifier", "length", "data", "brs", "esi"};
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

template <std::size_t count>
Expected<std::uint8_t> wordIn(const nlohmann::json& document, const char* key, const char* const (&words)[count], const std::string& where)
{
    if (!document.contains(key))
        return std::uint8_t{0};
    for (std::size_t i = 0; i < count; ++i)
        if (document[key] == words[i])
            return static_cast<std::uint8_t>(i);
    std::string all;
    for (const char* word : words)
        all += (all.empty() ? "" : ", ") + std::string(word);
    return fail(std::string("'") + key + "': expected one of " + all, where);
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
                return;
            std::size_t end = line.find_first_of(" \t", at);
            if (end == std::string_view::npos)
                end = line.size();
            // A sign by itself is no column.
            if (const std::string_view cell = bare(line.substr(at, end - at)); !cell.empty() && cell != "|" && cell != ":")
                columns.push_back(cell);
            at = end;
        }
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
    out["decimal_comma"] = layout.decimalComma;
    out["head_lines"] = layout.headLines;
    out["columns"] = nlohmann::ordered_json::array();
    for (const Meaning meaning : layout.columns)
        out["columns"].push_back(toText(meaning));
    out["time"] = toText(layout.timeForm);
    out["since_previous"] = layout.sincePrevious;
    out["identifier"] = bases[static_cast<unsigned>(layout.identifierBase)];
    out["padded"] = layout.padded;
    out["data"] = bases[static_cast<unsigned>(layout.dataBase)];
    out["bytes"] = spreads[static_cast<unsigned>(layout.bytes)];
    out["length_is_code"] = layout.lengthIsCode;
    return out.dump(2, ' ', false, nlohmann::json::error_handler_t::replace) + '\n';
}

Expected<TextLayout> layoutFromJson(std::string_view text, const std::string& where)
{
    const auto document = nlohmann::json::parse(text, nullptr, false);
    if (!document.is_object() || !document.contains("wavetrope_layout") || !document.contains("columns") || !document["columns"].is_array() || document["columns"].size() > mostColumns)
        return fail("this is no layout of a text log", where);
    TextLayout layout;
    if (document.contains("name") && document["name"].is_string())
        layout.name = document["name"].get<std::string>();
    constexpr const char* separators[] = {"blanks", "tab", "comma", "semicolon", "bar"};
    const auto separator = wordIn(document, "separator", separators, where);
    const auto time = wordIn(document, "time", timeForms, where);
    const auto identifier = wordIn(document, "identifier", bases, where);
    const auto data = wordIn(document, "data", bases, where);
    const auto bytes = wordIn(document, "bytes", spreads, where);
    for (const auto* word : {&separator, &time, &identifier, &data, &bytes})
        if (!*word)
            return tl::unexpected(word->error());
    layout.separator = " \t,;|"[*separator];
    layout.timeForm = static_cast<TimeForm>(*time);
    layout.identifierBase = static_cast<Base>(*identifier);
    layout.dataBase = static_cast<Base>(*data);
    layout.bytes = static_cast<Bytes>(*bytes);
    for (const auto& column : document["columns"]) {
        const auto* found = std::find_if(std::begin(meanings), std::end(meanings), [&](const char* word) { return column == word; });
        if (found == std::end(meanings))
            return fail("'columns': " + column.dump() + " says nothing that a column can mean", where);
        layout.columns.push_back(static_cast<Meaning>(found - std::begin(meanings)));
    }
    const auto flag = [&](const char* key) { return document.contains(key) && document[key].is_boolean() && document[key].get<bool>(); };
    layout.decimalComma = flag("decimal_comma");
    layout.sincePrevious = flag("since_previous");
    layout.lengthIsCode = flag("length_is_code");
    layout.padded = flag("padded");
    if (document.contains("head_lines") && document["head_lines"].is_number_unsigned())
        layout.headLines = std::min(document["head_lines"].get<unsigned>(), 10'000U);
    if (layout.columnOf(Meaning::identifier) < 0)
        return fail("'columns': none is the identifier", where);
    return layout;
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
    const std::string base = given != nullptr && *given == '/' ? given : home != nullptr && *home == '/' ? std::string(home) + "/.config" : std::string();
    return base.empty() ? base : base + "/wavetrope/layouts";
}

}  // namespace wavetrope::formats
