// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/text_columns.h"

#include <algorithm>
#include <cctype>
#include <set>

#include "formats/text_heads.h"
#include "formats/text_line.h"

namespace wavetrope::formats {

namespace {

constexpr std::size_t enough = 2;           // lines that a layout must explain at least
constexpr double fitting = 0.9;             // share of cells of a column that must be what it means

bool isNumberLike(std::string_view cell)
{
    return std::any_of(cell.begin(), cell.end(), [](char c) { return c >= '0' && c <= '9'; })
           && cell.find_first_not_of("0123456789abcdefABCDEFxXhHT.,:-+/_Zsmun \t") == std::string_view::npos;
}

bool isIdentifier(std::string_view cell)
{
    if (!cell.empty() && (cell.back() == 'x' || cell.back() == 'X'))
        cell.remove_suffix(1);
    const auto value = wholeNumber(cell, Base::hexadecimal);
    const auto decimal = wholeNumber(cell, Base::decimal);
    return value && cell.size() <= 11 && (*value <= 0x1FFFFFFF || (decimal && *decimal <= 0x1FFFFFFF));
}

// The names of the fields that the lines have, in the order in which they come.
std::vector<std::string> keysOf(const std::vector<std::string_view>& lines, char separator)
{
    constexpr std::size_t mostKeys = 64;
    std::vector<std::string> keys;
    std::vector<std::pair<std::string_view, std::string_view>> fields;
    std::size_t keyed = 0;
    for (const std::string_view line : lines) {
        fieldsOf(line, separator, fields);
        // Of name=value nothing may stand in front that has no name.
        const std::size_t first = line.find_first_not_of(" \t");
        const bool whole = separator != '='
                           || (first != std::string_view::npos
                               && line.substr(first, line.find_first_of(" \t", first) - first).find('=') != std::string_view::npos);
        keyed += fields.size() >= 2 && whole ? 1 : 0;
        for (const auto& [name, value] : fields)
            if (keys.size() < mostKeys && std::find(keys.begin(), keys.end(), name) == keys.end())
                keys.emplace_back(name);
    }
    return keyed * 10 >= lines.size() * 7 ? keys : std::vector<std::string>();
}

std::optional<unsigned> bytesTogether(std::string_view cell)
{
    TextLayout layout;
    layout.bytes = Bytes::together;
    layout.columns = {Meaning::identifier, Meaning::data};
    layout.separator = '\t';
    LineReader reader(layout);
    can::FrameView frame;
    std::uint8_t data[can::maxLength];
    std::string_view channel;
    for (const Base base : {Base::hexadecimal, Base::decimal}) {
        layout.dataBase = base;
        LineReader with(layout);
        const std::string line = "1\t" + std::string(cell);
        if (with.read(line, frame, data, channel) == nullptr)
            return frame.length;
    }
    return {};
}

}  // namespace

namespace {

// Two digits for each byte, of as many as a word has, or fewer at the end.
bool isWord(std::string_view cell, unsigned word)
{
    return cell.size() >= 2 && cell.size() % 2 == 0 && cell.size() <= 2 * std::size_t{word}
           && cell.find_first_not_of("0123456789abcdefABCDEF") == std::string_view::npos;
}

}  // namespace

bool isByte(std::string_view cell)
{
    return !cell.empty() && cell.size() <= 4
           && (wholeNumber(cell, Base::hexadecimal)
               && (cell.size() <= 2 || cell.size() == 3 || cell.starts_with("0x") || cell.starts_with("0X")));
}

std::optional<Table> tableOf(const std::vector<std::string_view>& lines, char separator)
{
    Table table;
    table.separator = separator;
    std::vector<std::string_view> row;
    unsigned number = 0;
    TextLayout layout;
    layout.separator = separator;
    if (hasKeys(separator)) {
        layout.keys = keysOf(lines, separator);
        if (layout.keys.size() < 2)
            return {};
        table.keys = layout.keys;
    }
    for (const std::string_view line : lines) {
        ++number;
        splitLine(line, layout, row);
        if (hasKeys(separator) && row.empty()) {
            if (table.rows.empty())
                table.everythingBefore += std::string(line) + '\n';
            continue;
        }
        const std::size_t numbers = static_cast<std::size_t>(std::count_if(row.begin(), row.end(), isNumberLike));
        const auto promises = [](const std::vector<std::string_view>& cells) {
            return std::count_if(cells.begin(), cells.end(), [](std::string_view cell) { return promised(cell) != Meaning::nothing; }) >= 2;
        };
        const bool isHead = table.rows.empty() && !hasKeys(separator) && promises(row);    // its words may look like numbers: "b0"
        if (!isHead && !isRemark(line) && row.size() >= 2 && numbers >= 2 && 2 * numbers >= std::min<std::size_t>(row.size(), 6)) {
            if (table.rows.empty())
                table.headLines = number - 1;
            table.rows.push_back(row);
        } else if (table.rows.empty()) {
            table.everythingBefore += std::string(line) + '\n';
            // A head may stand in a remark.
            std::string_view bareLine = line;
            while (!bareLine.empty()
                   && (bareLine.front() == '#' || bareLine.front() == '/' || bareLine.front() == ';' || bareLine.front() == '*'
                       || bareLine.front() == '%' || bareLine.front() == ' '))
                bareLine.remove_prefix(1);
            splitLine(bareLine, separator, row);
            if (promises(row))
                table.head = row;
        }
    }
    if (table.rows.size() < enough)
        return {};
    for (const std::string& key : table.keys)
        table.head.push_back(key);
    std::vector<std::size_t> sizes;
    for (const auto& r : table.rows)
        sizes.push_back(r.size());
    std::nth_element(sizes.begin(), sizes.begin() + static_cast<std::ptrdiff_t>(sizes.size() / 10), sizes.end());
    table.columns = sizes[sizes.size() / 10];
    return table.columns < 2 ? std::nullopt : std::optional(std::move(table));
}

namespace {

// Whole seconds, and the part of one in the column behind.
FoundTime findParted(const Table& table)
{
    for (std::size_t c = 0; c + 1 < table.columns; ++c) {
        const auto meant = [&](std::size_t column) {
            return promised(table.headOf(column)) == Meaning::nothing || promised(table.headOf(column)) == Meaning::time;
        };
        if (!meant(c) || !meant(c + 1) || sincePrevious(table.headOf(c)))
            continue;
        std::size_t width = table.cell(table.rows.front(), c + 1).size();
        bool sameWidth = true;
        std::uint64_t most = 0;
        std::uint64_t lastWhole = 0;
        std::uint64_t lastPart = 0;
        std::size_t rising = 0;
        std::size_t steps = 0;
        bool fits = true;
        for (std::size_t r = 0; r < table.rows.size() && fits; ++r) {
            const std::string_view wholeText = table.cell(table.rows[r], c);
            const std::string_view partText = table.cell(table.rows[r], c + 1);
            const bool digits = !wholeText.empty() && !partText.empty()
                                && wholeText.find_first_not_of("0123456789") == std::string_view::npos
                                && partText.find_first_not_of("0123456789") == std::string_view::npos;
            const auto whole = digits ? wholeNumber(wholeText, Base::decimal) : std::nullopt;
            const auto part = digits ? wholeNumber(partText, Base::decimal) : std::nullopt;
            fits = whole && part && *part < 1'000'000'000 && (r == 0 || *whole >= lastWhole);
            if (!fits)
                break;
            sameWidth = sameWidth && partText.size() == width;
            most = std::max(most, *part);
            if (r > 0) {
                steps += *whole != lastWhole ? 1 : 0;
                rising += *whole > lastWhole || *part >= lastPart ? 1 : 0;
            }
            lastWhole = *whole;
            lastPart = *part;
        }
        if (!fits || rising * 20 < (table.rows.size() - 1) * 19 || steps * 2 > table.rows.size())
            continue;
        const auto unit = unitOf(table.headOf(c + 1));
        const bool named = unit && (*unit == TimeForm::microseconds || *unit == TimeForm::nanoseconds);
        if (!named && !(sameWidth && (width == 9 || width == 6)))
            continue;
        FoundTime time;
        time.column = static_cast<int>(c);
        time.confidence = named ? 1 : 0.9;
        time.form = TimeForm::seconds;
        time.unitKnown = true;
        time.fraction = static_cast<int>(c) + 1;
        time.fractionForm = most >= 1'000'000 || (named && *unit == TimeForm::nanoseconds) || (!named && width == 9)
                                ? TimeForm::nanoseconds
                                : TimeForm::microseconds;
        return time;
    }
    return {};
}

}  // namespace

FoundTime findTime(const Table& table)
{
    if (const FoundTime parted = findParted(table))
        return parted;
    FoundTime best;
    for (std::size_t c = 0; c < table.columns; ++c) {
        const std::string_view head = table.headOf(c);
        const bool promisedTime = promised(head) == Meaning::time;
        if (promised(head) != Meaning::nothing && !promisedTime)
            continue;
        for (const bool comma : {false, true}) {
            if (comma && table.separator == ',')
                continue;
            FoundTime time;
            time.decimalComma = comma;
            const bool clock = table.share(c, [&](std::string_view cell) { return timeOf(cell, TimeForm::clock, comma).has_value(); })
                               >= fitting;
            time.form = clock ? TimeForm::clock : TimeForm::seconds;
            std::vector<std::int64_t> values;
            std::size_t decimals = 0;
            std::size_t suffixed = 0;
            std::size_t hexLike = 0;
            for (const auto& row : table.rows)
                decimals += table.cell(row, c).find(comma ? ',' : '.') != std::string_view::npos ? 1 : 0;
            const TimeForm form = clock ? TimeForm::clock : decimals > 0 ? TimeForm::seconds : TimeForm::nanoseconds;
            const std::uint64_t one = form == TimeForm::nanoseconds ? 1 : 1'000'000'000;
            for (const auto& row : table.rows) {
                const std::string_view cell = table.cell(row, c);
                if (const auto value = timeOf(cell, form, comma))
                    values.push_back(value->count());
                suffixed += !cell.empty() && cell.back() == 's' ? 1 : 0;
                hexLike += cell.size() <= 3 && cell.find('.') == std::string_view::npos ? 1 : 0;
            }
            if (static_cast<double>(values.size()) < fitting * static_cast<double>(table.rows.size()))
                continue;
            if (comma && decimals == 0)
                continue;
            std::size_t rising = 0;
            bool byOne = true;
            for (std::size_t i = 1; i < values.size(); ++i) {
                rising += values[i] >= values[i - 1] || (clock && values[i - 1] - values[i] > std::int64_t{43'200} * 1'000'000'000)
                              ? 1
                              : 0;    // or past midnight
                byOne = byOne && static_cast<std::uint64_t>(values[i]) - static_cast<std::uint64_t>(values[i - 1]) == one;
            }
            const double rises = values.size() < 2 ? 0 : static_cast<double>(rising) / static_cast<double>(values.size() - 1);
            const bool delta = sincePrevious(head);
            if ((rises < 0.95 || values.front() == values.back()) && !(delta && promisedTime))
                continue;
            time.column = static_cast<int>(c);
            time.confidence = std::min(1.0, 0.55 + (clock || decimals > 0 || suffixed > 0 ? 0.2 : 0) + (promisedTime ? 0.3 : 0)
                                                - (byOne && decimals == 0 ? 0.4 : 0) - (hexLike == table.rows.size() ? 0.15 : 0)
                                                - (delta ? 0.35 : 0) - 0.01 * static_cast<double>(c));
            time.sincePrevious = delta;
            time.unitKnown = clock || suffixed == table.rows.size();
            if (!clock)
                if (const auto unit = unitOf(head)) {
                    time.form = *unit;
                    time.unitKnown = true;
                }
            if (time.confidence > best.confidence)
                static_cast<FoundTime&>(best) = time;
        }
    }
    return best;
}

FoundData findData(const Table& table, int time, int identifier)
{
    FoundData best;
    const auto taken = [&](std::size_t c) { return static_cast<int>(c) == time || static_cast<int>(c) == identifier; };
    const auto counts = [&](std::size_t c) {     // row numbers
        for (std::size_t r = 1; r < table.rows.size(); ++r)
            if (wholeNumber(table.cell(table.rows[r], c), Base::decimal).value_or(0)
                != wholeNumber(table.cell(table.rows[r - 1], c), Base::decimal).value_or(0) + 1)
                return false;
        return true;
    };
    const auto lengthLike = [&](std::size_t c) {
        return c < table.columns && !counts(c) && !taken(c)
               && table.share(
                      c,
                      [](std::string_view cell) {
                          const auto value = lengthNumber(cell);
                          const auto hex = cell.size() == 1 ? wholeNumber(cell, Base::hexadecimal) : std::nullopt;
                          return (value && *value <= can::maxLength) || hex;
                      })
                      >= fitting;
    };
    std::vector<int> lengths = {-1};
    for (std::size_t c = 0; c < table.columns; ++c)
        if (const Meaning head = promised(table.headOf(c)); lengthLike(c) && (head == Meaning::nothing || head == Meaning::length))
            lengths.push_back(static_cast<int>(c));
    for (std::size_t from = 0; from <= table.columns; ++from) {
        if (const Meaning head = promised(table.headOf(from)); taken(from) || (head != Meaning::nothing && head != Meaning::data))
            continue;
        struct Spread {
            Bytes bytes;
            unsigned word;
        };
        for (const auto& [bytes, word] :
            {Spread{Bytes::apart, 1}, Spread{Bytes::together, 1}, Spread{Bytes::apart, 2}, Spread{Bytes::apart, 4}})
            for (const int length : lengths) {
                if (length == static_cast<int>(from) || (bytes == Bytes::apart && length > static_cast<int>(from)))
                    continue;
                // What stands apart ends where something else is known to stand.
                std::size_t until = ~std::size_t{0};
                for (const int other : {time, identifier})
                    if (other > static_cast<int>(from))
                        until = std::min(until, static_cast<std::size_t>(other));
                if (bytes == Bytes::apart && until != ~std::size_t{0} && (word > 1 || until - from > can::maxLength))
                    continue;
                std::size_t agrees = 0;
                std::size_t asCode = 0;
                std::size_t some = 0;
                std::size_t wide = 0;
                std::size_t exactly = 0;        // rows with nothing behind
                for (const auto& row : table.rows) {
                    unsigned count = 0;
                    bool whole = true;
                    if (bytes == Bytes::apart) {
                        std::size_t c = from;
                        const std::size_t end = std::min(row.size(), until);
                        if (word == 1) {
                            for (; c < end && isByte(row[c]) && count < can::maxLength; ++c)
                                ++count;
                        } else {
                            for (; c < end && isWord(row[c], word) && count < can::maxLength; ++c) {
                                count += static_cast<unsigned>(row[c].size() / 2);
                                wide += row[c].size() == 2 * std::size_t{word} ? 1 : 0;
                            }
                        }
                        whole = c >= end || row[c].empty();
                        exactly += c >= end ? 1 : 0;
                    } else if (from < row.size()) {
                        const auto read = bytesTogether(row[from]);
                        whole = read.has_value();
                        count = read.value_or(0);
                        wide += row[from].size() > (length < 0 ? 4U : 2U) ? 1 : 0;
                    }
                    some += count > 0 ? 1 : 0;
                    if (length < 0) {
                        agrees += whole ? 1 : 0;
                        continue;
                    }
                    const std::string_view cell = table.cell(row, static_cast<std::size_t>(length));
                    const auto says = lengthNumber(cell);
                    const auto code = cell.size() == 1 ? wholeNumber(cell, Base::hexadecimal) : says;
                    const auto kindThere = kindOf(table.cell(row, from));
                    const bool remote = (kindThere && kindThere->remote) || std::any_of(row.begin(), row.end(), [](std::string_view other) {
                        const auto kind = kindOf(other);
                        return kind && kind->remote;
                    });
                    agrees += (says && (bytes == Bytes::apart ? *says <= count : *says == count)) || (remote && count == 0) ? 1 : 0;
                    asCode += (code && *code <= 15
                                  && (bytes == Bytes::apart ? can::lengthOfDlc(static_cast<unsigned>(*code)) <= count
                                                            : can::lengthOfDlc(static_cast<unsigned>(*code)) == count))
                                      || (remote && count == 0)
                                  ? 1
                                  : 0;
                }
                // Both agree with as many bytes or more; what explains all of them is better.
                std::size_t exact[2] = {0, 0};
                if (length >= 0 && bytes == Bytes::apart)
                    for (const auto& row : table.rows)
                        if (const auto says = lengthNumber(table.cell(row, static_cast<std::size_t>(length)))) {
                            const std::size_t has = std::min(row.size(), until);
                            const auto columns = [&](std::uint64_t count) { return (count + word - 1) / word; };
                            // With something that is no byte behind, the bytes themselves are counted.
                            std::size_t bytesThere = 0;
                            while (from + bytesThere < has
                                   && (word == 1 ? isByte(row[from + bytesThere]) : isWord(row[from + bytesThere], word)))
                                ++bytesThere;
                            exact[0] += has == from + columns(*says) || bytesThere == columns(*says) ? 1 : 0;
                            exact[1] += *says <= 15
                                                && (has == from + columns(can::lengthOfDlc(static_cast<unsigned>(*says)))
                                                    || bytesThere == columns(can::lengthOfDlc(static_cast<unsigned>(*says))))
                                            ? 1
                                            : 0;
                        }
                const bool code = asCode > agrees || (asCode == agrees && exact[1] > exact[0]);
                const double share = static_cast<double>(std::max(agrees, asCode)) / static_cast<double>(table.rows.size());
                if (share < fitting || some == 0 || ((bytes == Bytes::together || word > 1) && wide == 0))
                    continue;
                // In front of something else, and in words, nothing but bytes may stand there.
                if (bytes == Bytes::apart && length < 0 && until != ~std::size_t{0} && exactly < table.rows.size())
                    continue;
                const bool named = length >= 0 && promised(table.headOf(static_cast<std::size_t>(length))) == Meaning::length;
                // A number that nobody calls the length is it only where the bytes say so, or it may be the first of them.
                if (length >= 0 && bytes == Bytes::apart && !named
                    && static_cast<double>(exact[code ? 1 : 0]) < fitting * static_cast<double>(table.rows.size()))
                    continue;
                FoundData data;
                data.word = word;
                data.column = static_cast<int>(from);
                data.bytes = bytes;
                data.lengthIsCode = length >= 0 && code;
                const bool promisedData = promised(table.headOf(from)) == Meaning::data;
                const bool promisedLength = length >= 0 && promised(table.headOf(static_cast<std::size_t>(length))) == Meaning::length;
                const double wholly = bytes == Bytes::together
                                          ? 1
                                          : static_cast<double>(exact[code ? 1 : 0]) / static_cast<double>(table.rows.size());
                data.confidence = std::min(1.0, (length >= 0 ? 0.6 + 0.2 * wholly : 0.4) * share + (promisedData ? 0.25 : 0)
                                                    + (promisedLength ? 0.1 : 0) + (length >= 0 && length + 1 == data.column ? 0.1 : 0)
                                                    - 0.01 * static_cast<double>(from) - (word > 1 ? 0.15 : 0)
                                                    - (bytes == Bytes::apart && until != ~std::size_t{0} ? 0.2 : 0));
                data.length = {length, length < 0 ? 0 : std::min(1.0, share * (promisedLength ? 1.0 : 0.7 + 0.2 * wholly))};
                if (data.confidence > best.confidence)
                    best = data;
            }
    }
    return best;
}

namespace {

// Whether a column counts the lines, decimal or hexadecimal.
bool numbersRows(const Table& table, std::size_t c)
{
    for (const Base base : {Base::decimal, Base::hexadecimal}) {
        bool counts = table.rows.size() > 3;
        for (std::size_t r = 1; r < table.rows.size() && counts; ++r) {
            const auto before = wholeNumber(table.cell(table.rows[r - 1], c), base);
            const auto now = wholeNumber(table.cell(table.rows[r], c), base);
            counts = before && now && *now == *before + 1;
        }
        if (counts)
            return true;
    }
    return false;
}

}  // namespace

Found findIdentifier(const Table& table, int time)
{
    Found best;
    for (std::size_t c = 0; c < table.columns; ++c) {
        if (static_cast<int>(c) == time)
            continue;
        const Meaning head = promised(table.headOf(c));
        if (head != Meaning::nothing && head != Meaning::identifier)
            continue;
        const double share = table.share(
            c, [](std::string_view cell) { return isIdentifier(cell) || (kindOf(cell) && kindOf(cell)->error); });
        if (share < fitting || (head != Meaning::identifier && numbersRows(table, c)))
            continue;
        std::set<std::string_view> different;
        std::size_t prefixed = 0;
        std::size_t usual = 0;
        std::size_t letters = 0;
        std::size_t small = 0;
        std::size_t wide = 0;
        for (const auto& row : table.rows) {
            const std::string_view cell = table.cell(row, c);
            different.insert(cell);
            prefixed += cell.starts_with("0x") || cell.starts_with("0X") || (!cell.empty() && (cell.back() == 'h' || cell.back() == 'x'))
                            ? 1
                            : 0;
            usual += cell.size() == 3 || cell.size() == 8 ? 1 : 0;
            wide += cell.size() >= 3 ? 1 : 0;
            letters += cell.find_first_of("ABCDEFabcdef") != std::string_view::npos ? 1 : 0;
            small += cell.size() <= 2 ? 1 : 0;
        }
        const auto rows = static_cast<double>(table.rows.size());
        const double confidence = std::clamp(0.15 + 0.3 * static_cast<double>(prefixed) / rows + 0.25 * static_cast<double>(usual) / rows
                                                 + 0.15 * static_cast<double>(wide) / rows + (letters > 0 ? 0.1 : 0)
                                                 + (head == Meaning::identifier ? 0.4 : 0)
                                                 + (different.size() > 1 && different.size() * 3 < table.rows.size() * 2 ? 0.1 : 0)
                                                 - 0.3 * static_cast<double>(small) / rows - 0.01 * static_cast<double>(c),
            0.0, 1.0);
        if (confidence > best.confidence)
            best = {static_cast<int>(c), confidence};
    }
    return best;
}

Found findWords(const Table& table, const TextLayout& layout, Meaning meaning)
{
    Found best;
    for (std::size_t c = 0; c < table.columns; ++c) {
        if (layout.columns[c] != Meaning::nothing)
            continue;
        const Meaning head = promised(table.headOf(c));
        const bool switches = head == Meaning::fdFormat || head == Meaning::extendedId || head == Meaning::remoteRequest;
        if (head != Meaning::nothing && head != meaning && !(meaning == Meaning::kind && switches))
            continue;
        double confidence = 0;
        if (meaning == Meaning::date)
            confidence = table.share(c, [](std::string_view cell) { return dayOf(cell).has_value(); });
        else if (meaning == Meaning::direction)
            // Some lines may leave it open.
            confidence = table.share(c, [](std::string_view cell) { return directionOf(cell).has_value(); }) < 0.02
                             ? 0
                             : table.share(c, [](std::string_view cell) { return cell.empty() || directionOf(cell).has_value(); }) - 0.05;
        else if (meaning == Meaning::bitRateSwitch || meaning == Meaning::errorState || meaning == Meaning::fdFormat
                 || meaning == Meaning::extendedId || meaning == Meaning::remoteRequest)
            confidence = head != meaning ? 0 : table.share(c, [](std::string_view cell) { return switchOf(cell).has_value(); });
        else if (meaning == Meaning::kind)
            confidence = table.share(c, [](std::string_view cell) { return cell.empty() || kindOf(cell).has_value(); }) - 0.15
                         - (table.share(c, [](std::string_view cell) { return !cell.empty() && kindOf(cell).has_value(); }) < 0.1 ? 1 : 0);
        else {  // channel: few different words, or small numbers
            std::set<std::string_view> different;
            std::size_t filled = 0;
            bool numbers = true;
            bool smallNumbers = true;
            for (const auto& row : table.rows) {
                const std::string_view cell = table.cell(row, c);
                different.insert(cell);
                filled += cell.empty() ? 0 : 1;
                const auto value = wholeNumber(cell, Base::decimal);
                numbers = numbers && value.has_value();
                smallNumbers = smallNumbers && value && *value <= 32;
            }
            const bool few = different.size() <= 16 && (different.size() == 1 || different.size() * 2 <= table.rows.size());
            const bool digitBehind = std::all_of(different.begin(), different.end(), [](std::string_view cell) {
                return !cell.empty() && std::isalpha(static_cast<unsigned char>(cell.front())) != 0
                       && std::isdigit(static_cast<unsigned char>(cell.back())) != 0;
            });
            if (filled == table.rows.size() && few && (!numbers || smallNumbers))
                confidence = head == meaning ? 0.95 : digitBehind ? 0.7 : numbers ? 0.5 : different.size() > 1 ? 0.55 : 0.35;
        }
        if (confidence > best.confidence && (confidence >= 0.75 || meaning == Meaning::channel))
            best = {static_cast<int>(c), std::min(1.0, confidence)};
    }
    return best;
}

}  // namespace wavetrope::formats
