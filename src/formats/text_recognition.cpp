#include "formats/text_recognition.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <map>
#include <optional>
#include <set>

#include "formats/text_heads.h"
#include "formats/text_line.h"

namespace wavetrope::formats {

namespace {

constexpr std::size_t sampleLines = 400;
constexpr unsigned longestHead = 50;
constexpr std::size_t enough = 2;           // lines that a layout must explain at least
constexpr double fitting = 0.9;             // share of cells of a column that must be what it means

bool isNumberLike(std::string_view cell)
{
    return std::any_of(cell.begin(), cell.end(), [](char c) { return c >= '0' && c <= '9'; }) && cell.find_first_not_of("0123456789abcdefABCDEFxXhHT.,:-+/_Zsmun \t") == std::string_view::npos;
}

// The lines, split by one separator.
struct Table {
    char separator = ' ';
    std::vector<std::vector<std::string_view>> rows;
    std::vector<std::string_view> head;         // the line before the first row, where it fits the columns
    std::string everythingBefore;
    unsigned headLines = 0;
    std::size_t columns = 0;                    // that nine rows of ten have

    [[nodiscard]] std::string_view headOf(std::size_t column) const { return column < head.size() ? head[column] : std::string_view(); }
    [[nodiscard]] std::string_view cell(const std::vector<std::string_view>& row, std::size_t column) const { return column < row.size() ? row[column] : std::string_view(); }
    // Share of the rows whose cell of a column passes.
    template <class Test>
    [[nodiscard]] double share(std::size_t column, Test test) const
    {
        std::size_t passed = 0;
        for (const auto& row : rows)
            passed += test(cell(row, column)) ? 1 : 0;
        return static_cast<double>(passed) / static_cast<double>(rows.size());
    }
};

std::optional<Table> tableOf(const std::vector<std::string_view>& lines, char separator)
{
    Table table;
    table.separator = separator;
    std::vector<std::string_view> row;
    unsigned number = 0;
    for (const std::string_view line : lines) {
        ++number;
        splitLine(line, separator, row);
        const std::size_t numbers = static_cast<std::size_t>(std::count_if(row.begin(), row.end(), isNumberLike));
        const auto promises = [](const std::vector<std::string_view>& cells) { return std::count_if(cells.begin(), cells.end(), [](std::string_view cell) { return promised(cell) != Meaning::nothing; }) >= 2; };
        const bool isHead = table.rows.empty() && promises(row);    // its words may look like numbers: "b0"
        if (!isHead && !isRemark(line) && row.size() >= 2 && numbers >= 2 && 2 * numbers >= std::min<std::size_t>(row.size(), 6)) {
            if (table.rows.empty())
                table.headLines = number - 1;
            table.rows.push_back(row);
        } else if (table.rows.empty()) {
            table.everythingBefore += std::string(line) + '\n';
            // A head may stand in a remark.
            std::string_view bareLine = line;
            while (!bareLine.empty() && (bareLine.front() == '#' || bareLine.front() == '/' || bareLine.front() == ';' || bareLine.front() == '*' || bareLine.front() == '%' || bareLine.front() == ' '))
                bareLine.remove_prefix(1);
            splitLine(bareLine, separator, row);
            if (promises(row))
                table.head = row;
        }
    }
    if (table.rows.size() < enough)
        return {};
    std::vector<std::size_t> sizes;
    for (const auto& r : table.rows)
        sizes.push_back(r.size());
    std::nth_element(sizes.begin(), sizes.begin() + static_cast<std::ptrdiff_t>(sizes.size() / 10), sizes.end());
    table.columns = sizes[sizes.size() / 10];
    return table.columns < 2 ? std::nullopt : std::optional(std::move(table));
}

bool isIdentifier(std::string_view cell)
{
    if (!cell.empty() && (cell.back() == 'x' || cell.back() == 'X'))
        cell.remove_suffix(1);
    const auto value = wholeNumber(cell, Base::hexadecimal);
    const auto decimal = wholeNumber(cell, Base::decimal);
    return value && cell.size() <= 11 && (*value <= 0x1FFFFFFF || (decimal && *decimal <= 0x1FFFFFFF));
}

struct Found {
    int column = -1;
    double confidence = 0;
    explicit operator bool() const { return column >= 0; }
};

// Times: numbers that rise, or a clock.
struct FoundTime : Found {
    TimeForm form = TimeForm::seconds;
    bool decimalComma = false;
    bool sincePrevious = false;
    bool unitKnown = false;
};

FoundTime findTime(const Table& table)
{
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
            const bool clock = table.share(c, [&](std::string_view cell) { return timeOf(cell, TimeForm::clock, comma).has_value(); }) >= fitting;
            time.form = clock ? TimeForm::clock : TimeForm::seconds;
            std::vector<std::int64_t> values;
            std::size_t decimals = 0;
            std::size_t suffixed = 0;
            std::size_t hexLike = 0;
            for (const auto& row : table.rows)
                decimals += table.cell(row, c).find(comma ? ',' : '.') != std::string_view::npos ? 1 : 0;
            const TimeForm form = clock ? TimeForm::clock : decimals > 0 ? TimeForm::seconds : TimeForm::nanoseconds;
            const std::int64_t one = form == TimeForm::nanoseconds ? 1 : 1'000'000'000;
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
                rising += values[i] >= values[i - 1] ? 1 : 0;
                byOne = byOne && values[i] - values[i - 1] == one;
            }
            const double rises = values.size() < 2 ? 0 : static_cast<double>(rising) / static_cast<double>(values.size() - 1);
            const bool delta = lowered(head).find("delta") != std::string::npos || lowered(head).find("diff") != std::string::npos || lowered(head).find("gap") != std::string::npos || lowered(head).find("since") != std::string::npos;
            if ((rises < 0.95 || values.front() == values.back()) && !(delta && promisedTime))
                continue;
            time.column = static_cast<int>(c);
            time.confidence = std::min(1.0, 0.55 + (clock || decimals > 0 || suffixed > 0 ? 0.2 : 0) + (promisedTime ? 0.3 : 0) - (byOne && decimals == 0 ? 0.4 : 0) - (hexLike == table.rows.size() ? 0.15 : 0) - (delta ? 0.35 : 0) - 0.01 * static_cast<double>(c));
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

// A payload, and the length that agrees with it.
struct FoundData : Found {
    Bytes bytes = Bytes::apart;
    Found length;
    bool lengthIsCode = false;
};

bool isByte(std::string_view cell) { return !cell.empty() && cell.size() <= 4 && (wholeNumber(cell, Base::hexadecimal) && (cell.size() <= 2 || cell.size() == 3 || cell.starts_with("0x") || cell.starts_with("0X"))); }

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

FoundData findData(const Table& table, int time, int identifier)
{
    FoundData best;
    const auto taken = [&](std::size_t c) { return static_cast<int>(c) == time || static_cast<int>(c) == identifier; };
    const auto counts = [&](std::size_t c) {     // row numbers
        for (std::size_t r = 1; r < table.rows.size(); ++r)
            if (wholeNumber(table.cell(table.rows[r], c), Base::decimal).value_or(0) != wholeNumber(table.cell(table.rows[r - 1], c), Base::decimal).value_or(0) + 1)
                return false;
        return true;
    };
    const auto lengthLike = [&](std::size_t c) {
        return c < table.columns && !counts(c) && !taken(c) && table.share(c, [](std::string_view cell) {
            const auto value = wholeNumber(cell, Base::decimal);
            const auto hex = cell.size() == 1 ? wholeNumber(cell, Base::hexadecimal) : std::nullopt;
            return (value && *value <= can::maxLength) || hex;
        }) >= fitting;
    };
    std::vector<int> lengths = {-1};
    for (std::size_t c = 0; c < table.columns; ++c)
        if (lengthLike(c) && promised(table.headOf(c)) != Meaning::channel)
            lengths.push_back(static_cast<int>(c));
    for (std::size_t from = 1; from <= table.columns; ++from) {
        if (taken(from))
            continue;
        for (const Bytes bytes : {Bytes::apart, Bytes::together})
            for (const int length : lengths) {
                if (length == static_cast<int>(from) || (bytes == Bytes::apart && (time >= static_cast<int>(from) || identifier >= static_cast<int>(from) || length > static_cast<int>(from))))
                    continue;
                std::size_t agrees = 0;
                std::size_t asCode = 0;
                std::size_t some = 0;
                std::size_t wide = 0;
                for (const auto& row : table.rows) {
                    unsigned count = 0;
                    bool whole = true;
                    if (bytes == Bytes::apart) {
                        std::size_t c = from;
                        for (; c < row.size() && isByte(row[c]) && count < can::maxLength; ++c)
                            ++count;
                        whole = c >= row.size() || row[c].empty();
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
                    const auto says = wholeNumber(cell, Base::decimal);
                    const auto code = cell.size() == 1 ? wholeNumber(cell, Base::hexadecimal) : says;
                    const auto word = kindOf(table.cell(row, from));
                    const bool remote = (word && word->remote) || std::any_of(row.begin(), row.end(), [](std::string_view other) { const auto kind = kindOf(other); return kind && kind->remote; });
                    agrees += (says && (bytes == Bytes::apart ? *says <= count : *says == count)) || (remote && count == 0) ? 1 : 0;
                    asCode += (code && *code <= 15 && (bytes == Bytes::apart ? can::lengthOfDlc(static_cast<unsigned>(*code)) <= count : can::lengthOfDlc(static_cast<unsigned>(*code)) == count)) || (remote && count == 0) ? 1 : 0;
                }
                // Both agree with as many bytes or more; what explains all of them is better.
                std::size_t exact[2] = {0, 0};
                if (length >= 0 && bytes == Bytes::apart)
                    for (const auto& row : table.rows)
                        if (const auto says = wholeNumber(table.cell(row, static_cast<std::size_t>(length)), Base::decimal)) {
                            exact[0] += row.size() == from + *says ? 1 : 0;
                            exact[1] += *says <= 15 && row.size() == from + can::lengthOfDlc(static_cast<unsigned>(*says)) ? 1 : 0;
                        }
                const bool code = asCode > agrees || (asCode == agrees && exact[1] > exact[0]);
                const double share = static_cast<double>(std::max(agrees, asCode)) / static_cast<double>(table.rows.size());
                if (share < fitting || some == 0 || (bytes == Bytes::together && wide == 0))
                    continue;
                FoundData data;
                data.column = static_cast<int>(from);
                data.bytes = bytes;
                data.lengthIsCode = length >= 0 && code;
                const bool promisedData = promised(table.headOf(from)) == Meaning::data;
                const bool promisedLength = length >= 0 && promised(table.headOf(static_cast<std::size_t>(length))) == Meaning::length;
                const double exactly = bytes == Bytes::together ? 1 : static_cast<double>(exact[code ? 1 : 0]) / static_cast<double>(table.rows.size());
                data.confidence = std::min(1.0, (length >= 0 ? 0.6 + 0.2 * exactly : 0.4) * share + (promisedData ? 0.25 : 0) + (promisedLength ? 0.1 : 0) + (length >= 0 && length + 1 == data.column ? 0.1 : 0) - 0.01 * static_cast<double>(from));
                data.length = {length, length < 0 ? 0 : std::min(1.0, share * (promisedLength ? 1.0 : 0.7 + 0.2 * exactly))};
                if (data.confidence > best.confidence)
                    best = data;
            }
    }
    return best;
}

Found findIdentifier(const Table& table, int time)
{
    Found best;
    for (std::size_t c = 0; c < table.columns; ++c) {
        if (static_cast<int>(c) == time)
            continue;
        const Meaning head = promised(table.headOf(c));
        if (head != Meaning::nothing && head != Meaning::identifier)
            continue;
        const double share = table.share(c, [](std::string_view cell) { return isIdentifier(cell) || (kindOf(cell) && kindOf(cell)->error); });
        if (share < fitting)
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
            prefixed += cell.starts_with("0x") || cell.starts_with("0X") || (!cell.empty() && (cell.back() == 'h' || cell.back() == 'x')) ? 1 : 0;
            usual += cell.size() == 3 || cell.size() == 8 ? 1 : 0;
            wide += cell.size() >= 3 ? 1 : 0;
            letters += cell.find_first_of("ABCDEFabcdef") != std::string_view::npos ? 1 : 0;
            small += cell.size() <= 2 ? 1 : 0;
        }
        const auto rows = static_cast<double>(table.rows.size());
        const double confidence = std::clamp(0.15 + 0.3 * static_cast<double>(prefixed) / rows + 0.25 * static_cast<double>(usual) / rows + 0.15 * static_cast<double>(wide) / rows + (letters > 0 ? 0.1 : 0) + (head == Meaning::identifier ? 0.4 : 0)
                                                 + (different.size() > 1 && different.size() * 3 < table.rows.size() * 2 ? 0.1 : 0) - 0.3 * static_cast<double>(small) / rows - 0.01 * static_cast<double>(c),
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
        if (head != Meaning::nothing && head != meaning)
            continue;
        double confidence = 0;
        if (meaning == Meaning::date)
            confidence = table.share(c, [](std::string_view cell) { return dayOf(cell).has_value(); });
        else if (meaning == Meaning::direction)
            confidence = table.share(c, [](std::string_view cell) { return directionOf(cell).has_value(); }) - 0.05;
        else if (meaning == Meaning::bitRateSwitch || meaning == Meaning::errorState)
            confidence = head != meaning ? 0 : table.share(c, [](std::string_view cell) { return switchOf(cell).has_value(); });
        else if (meaning == Meaning::kind)
            confidence = table.share(c, [](std::string_view cell) { return cell.empty() || kindOf(cell).has_value(); }) - 0.15 - (table.share(c, [](std::string_view cell) { return !cell.empty() && kindOf(cell).has_value(); }) < 0.1 ? 1 : 0);
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
            const bool digitBehind = std::all_of(different.begin(), different.end(), [](std::string_view cell) { return !cell.empty() && std::isalpha(static_cast<unsigned char>(cell.front())) != 0 && std::isdigit(static_cast<unsigned char>(cell.back())) != 0; });
            if (filled == table.rows.size() && few && (!numbers || smallNumbers))
                confidence = head == meaning ? 0.95 : digitBehind ? 0.7 : numbers ? 0.5 : different.size() > 1 ? 0.55 : 0.35;
        }
        if (confidence > best.confidence && (confidence >= 0.75 || meaning == Meaning::channel))
            best = {static_cast<int>(c), std::min(1.0, confidence)};
    }
    return best;
}

// Hexadecimal or decimal: told by signs, letters, leading noughts, values that are too large, or the head.
struct Told {
    Base base = Base::hexadecimal;
    bool sure = true;
};

Told tell(const std::vector<std::string_view>& cells, std::string_view head, bool bytes)
{
    if (const auto base = baseOf(head))
        return {*base, true};
    std::set<std::string_view> different;
    bool anyDecimalOnly = false;
    bool allWidth = true;
    bool leadingNought = false;
    std::size_t width = cells.empty() ? 0 : cells.front().size();
    for (const std::string_view cell : cells) {
        if (bytes && cell.size() > 3)       // several bytes in one piece have two digits each
            return {Base::hexadecimal, true};
        if (cell.find_first_of("ABCDEFabcdefxXhH") != std::string_view::npos)
            return {Base::hexadecimal, true};
        different.insert(cell);
        allWidth = allWidth && cell.size() == width;
        leadingNought = leadingNought || (cell.size() > 1 && cell.front() == '0');
        const auto value = wholeNumber(cell, Base::decimal);
        if (bytes ? cell.size() == 3 || (value && *value > 99) : cell.size() > 8 || (cell.size() > 3 && cell.size() < 8))
            anyDecimalOnly = true;
    }
    if (anyDecimalOnly)
        return {Base::decimal, true};
    if (leadingNought && allWidth)
        return {Base::hexadecimal, true};
    // Of n different hexadecimal numbers, hardly any set has no letter.
    const bool many = different.size() >= (bytes ? 12U : 10U);
    if (many)
        return {Base::decimal, true};
    return {allWidth && (bytes ? width == 2 : width == 3 || width == 8) ? Base::hexadecimal : Base::decimal, false};
}

// The unit of plain numbers: the one that makes the pace that of a bus.
struct Unit {
    TimeForm form = TimeForm::seconds;
    std::optional<TimeForm> other;
};

Unit unitByPace(const Table& table, const FoundTime& time)
{
    std::vector<double> values;
    std::size_t decimals = 0;
    for (const auto& row : table.rows) {
        const std::string_view cell = table.cell(row, static_cast<std::size_t>(time.column));
        if (const auto value = timeOf(cell, TimeForm::seconds, time.decimalComma))
            values.push_back(static_cast<double>(value->count()) * 1e-9);
        else if (const auto whole = timeOf(cell, TimeForm::nanoseconds, time.decimalComma))
            values.push_back(static_cast<double>(whole->count()));
        const auto point = cell.find(time.decimalComma ? ',' : '.');
        if (point != std::string_view::npos)
            decimals = std::max(decimals, cell.size() - point - 1);
    }
    const double largest = *std::max_element(values.begin(), values.end());
    // Counted since 1970, the size of the number tells.
    for (const auto& [from, form] : {std::pair{1e9, TimeForm::seconds}, std::pair{1e12, TimeForm::milliseconds}, std::pair{1e15, TimeForm::microseconds}, std::pair{1e18, TimeForm::nanoseconds}})
        if (largest >= from * 0.9 && largest < from * 9 && values.front() > from * 0.9)
            return {form, {}};
    std::vector<double> gaps;
    for (std::size_t i = 1; i < values.size(); ++i)
        if (!time.sincePrevious && values[i] > values[i - 1])
            gaps.push_back(values[i] - values[i - 1]);
    if (time.sincePrevious)
        for (const double value : values)
            if (value > 0)
                gaps.push_back(value);
    if (gaps.empty())
        return {TimeForm::seconds, TimeForm::milliseconds};
    std::nth_element(gaps.begin(), gaps.begin() + static_cast<std::ptrdiff_t>(gaps.size() / 2), gaps.end());
    const double usual = gaps[gaps.size() / 2];
    // Decimals to the microsecond or finer are those of seconds.
    if (decimals >= 6)
        return {TimeForm::seconds, {}};
    // The shortest frame takes 47 bits, 47 us at the highest rate; a bus that is of interest is not silent for seconds.
    constexpr double shortest = 40e-6;
    constexpr double longest = 0.6;
    std::vector<TimeForm> possible;
    for (const auto& [unit, form] : {std::pair{1.0, TimeForm::seconds}, std::pair{1e-3, TimeForm::milliseconds}, std::pair{1e-6, TimeForm::microseconds}, std::pair{1e-9, TimeForm::nanoseconds}})
        if (usual * unit >= shortest && usual * unit <= longest)
            possible.push_back(form);
    if (possible.empty())
        return {TimeForm::seconds, TimeForm::milliseconds};
    if (decimals >= 4 && possible.front() == TimeForm::seconds)
        return {TimeForm::seconds, {}};
    if (possible.size() == 1)
        return {possible.front(), {}};
    return {possible[0], possible[1]};
}

std::vector<std::string_view> cellsOf(const Table& table, const TextLayout& layout, Meaning meaning)
{
    std::vector<std::string_view> cells;
    const int column = layout.columnOf(meaning);
    for (const auto& row : table.rows) {
        std::string_view cell = table.cell(row, static_cast<std::size_t>(column));
        if (meaning != Meaning::data) {
            if (!cell.empty() && !(kindOf(cell) && kindOf(cell)->error))
                cells.push_back(cell);
            continue;
        }
        if (layout.bytes == Bytes::together) {
            // Its pieces, where signs part them.
            for (std::size_t at = 0; at < cell.size();) {
                const std::size_t end = std::min(cell.find_first_of(" -.:_,;", at), cell.size());
                if (end > at && !kindOf(cell.substr(at, end - at)))
                    cells.push_back(cell.substr(at, end - at));
                at = end + 1;
            }
            continue;
        }
        const int length = layout.columnOf(Meaning::length);
        const auto says = length < 0 ? std::optional<std::uint64_t>(can::maxLength) : wholeNumber(table.cell(row, static_cast<std::size_t>(length)), Base::decimal);
        for (std::size_t c = static_cast<std::size_t>(column); c < row.size() && c < static_cast<std::size_t>(column) + says.value_or(8) && isByte(row[c]); ++c)
            cells.push_back(row[c]);
    }
    return cells;
}

Expected<Recognition> recogniseTable(const Table& table, std::string_view head, const std::string& where)
{
    Recognition found;
    TextLayout& layout = found.layout;
    layout.separator = table.separator;
    layout.headLines = table.headLines;
    layout.columns.assign(table.columns + 1, Meaning::nothing);
    found.confidence.assign(table.columns + 1, 0);
    const FoundTime time = findTime(table);
    const Found identifier = findIdentifier(table, time.column);
    if (!identifier)
        return fail("no column of identifiers is recognised", where);
    const FoundData data = findData(table, time.column, identifier.column);
    const auto put = [&](const Found& what, Meaning meaning) {
        if (!what || static_cast<std::size_t>(what.column) >= layout.columns.size())
            return;
        layout.columns[static_cast<std::size_t>(what.column)] = meaning;
        found.confidence[static_cast<std::size_t>(what.column)] = what.confidence;
    };
    put(time, Meaning::time);
    put(identifier, Meaning::identifier);
    put(data, Meaning::data);
    put(data.length, Meaning::length);
    layout.bytes = data.bytes;
    layout.lengthIsCode = data.lengthIsCode;
    if (data && data.bytes == Bytes::apart) {  // nothing else stands behind such a payload
        layout.columns.resize(static_cast<std::size_t>(data.column) + 1);
        found.confidence.resize(layout.columns.size());
    }
    Table front = table;
    front.columns = std::min(front.columns, layout.columns.size());
    if (time.form == TimeForm::clock)
        put(findWords(front, layout, Meaning::date), Meaning::date);
    put(findWords(front, layout, Meaning::direction), Meaning::direction);
    put(findWords(front, layout, Meaning::kind), Meaning::kind);
    put(findWords(front, layout, Meaning::bitRateSwitch), Meaning::bitRateSwitch);
    put(findWords(front, layout, Meaning::errorState), Meaning::errorState);
    put(findWords(front, layout, Meaning::channel), Meaning::channel);
    layout.timeForm = time.form;
    layout.decimalComma = time.decimalComma;
    layout.sincePrevious = time.sincePrevious;

    const auto idCells = cellsOf(table, layout, Meaning::identifier);
    const auto padded = [](std::string_view cell) { return cell.size() >= 8; };
    layout.padded = std::all_of(idCells.begin(), idCells.end(), padded) && std::any_of(idCells.begin(), idCells.end(), [](std::string_view cell) { return wholeNumber(cell, Base::hexadecimal).value_or(0x800) <= 0x7FF; });
    const std::string before = lowered(table.everythingBefore);
    Told id = tell(idCells, table.headOf(static_cast<std::size_t>(identifier.column)), false);
    Told bytes = data ? tell(cellsOf(table, layout, Meaning::data), table.headOf(static_cast<std::size_t>(data.column)), true) : Told{};
    // One word for all of it, above the first line.
    if (const auto all = baseOf(before); all && (before.find("hex") == std::string::npos || before.find("dec") == std::string::npos))
        for (Told* one : {&id, &bytes})
            if (!one->sure)
                *one = {*all, true};
    layout.identifierBase = id.base;
    layout.dataBase = bytes.base;
    const auto ask = [&](const char* what, std::vector<std::string> answers, auto change) {
        LayoutQuestion question;
        question.what = what;
        question.answers = std::move(answers);
        question.choices = {layout, layout};
        change(question.choices[1]);
        found.questions.push_back(std::move(question));
    };
    const auto otherBase = [](Base base) { return base == Base::hexadecimal ? Base::decimal : Base::hexadecimal; };
    const auto baseAnswers = [](Base base) { return base == Base::hexadecimal ? std::vector<std::string>{"hexadecimal", "decimal"} : std::vector<std::string>{"decimal", "hexadecimal"}; };
    if (time && !time.unitKnown) {
        const Unit unit = unitByPace(table, time);
        layout.timeForm = unit.form;
        if (unit.other) {
            LayoutQuestion question;
            question.what = "In what unit are the times?";
            question.choices = {layout, layout};
            question.choices[1].timeForm = *unit.other;
            question.answers = {toText(unit.form), toText(*unit.other)};
            found.questions.push_back(std::move(question));
        }
    }
    if (!id.sure)
        ask("Are the identifiers hexadecimal or decimal?", baseAnswers(id.base), [&](TextLayout& other) { other.identifierBase = otherBase(id.base); });
    if (!bytes.sure)
        ask("Are the data bytes hexadecimal or decimal?", baseAnswers(bytes.base), [&](TextLayout& other) { other.dataBase = otherBase(bytes.base); });
    if (!time)
        ask("No column of times is recognised. Read the frames without times?", {"without times"}, [](TextLayout&) {});
    const Fit fit = fitOf(layout, head);
    found.lines = fit.lines;
    found.fitting = fit.fitting;
    return found;
}

}  // namespace

std::vector<std::string_view> linesOf(std::string_view text, std::size_t most)
{
    std::vector<std::string_view> lines;
    for (std::size_t at = 0; at < text.size() && lines.size() < most;) {
        const std::size_t end = std::min(text.find('\n', at), text.size());
        std::string_view line = text.substr(at, end - at);
        if (!line.empty() && line.back() == '\r')
            line.remove_suffix(1);
        lines.push_back(line);
        at = end + 1;
    }
    return lines;
}

bool looksLikeText(std::string_view head)
{
    std::size_t odd = 0;
    for (const char c : head.substr(0, 4096)) {
        const auto byte = static_cast<unsigned char>(c);
        if (byte == 0)
            return false;
        odd += byte < 32 && byte != '\t' && byte != '\n' && byte != '\r' ? 1 : 0;
    }
    return !head.empty() && odd * 100 <= head.size() && head.find('\n') != std::string_view::npos;
}

Fit fitOf(const TextLayout& layout, std::string_view head)
{
    Fit fit;
    LineReader reader(layout);
    can::FrameView frame;
    std::uint8_t data[can::maxLength];
    std::string_view channel;
    unsigned number = 0;
    auto lines = linesOf(head, sampleLines);
    if (lines.size() > 1 && !head.ends_with('\n'))  // the last may be cut off
        lines.pop_back();
    for (const std::string_view line : lines) {
        if (number++ < layout.headLines || isRemark(line))
            continue;
        ++fit.lines;
        const bool fits = reader.read(line, frame, data, channel) == nullptr;
        if (fits && fit.fitting == 0 && number <= layout.headLines + longestHead)
            fit.lines = 1;      // what came before was the head
        fit.fitting += fits ? 1 : 0;
    }
    return fit;
}

Expected<Recognition> recogniseLayout(std::string_view head, const std::string& where)
{
    if (!looksLikeText(head))
        return fail("this is no text", where);
    auto lines = linesOf(head, sampleLines);
    if (lines.size() > 2 && !head.ends_with('\n'))
        lines.pop_back();
    std::optional<Recognition> best;
    double bestScore = 0;
    for (const char separator : {'\t', ';', ',', '|', ' '}) {
        const auto table = tableOf(lines, separator);
        if (!table)
            continue;
        auto found = recogniseTable(*table, head, where);
        if (!found || found->lines == 0)
            continue;
        double confidence = 0;
        for (const double one : found->confidence)
            confidence += one;
        // What explains most lines and says most about each.
        const double score = static_cast<double>(found->fitting) / found->lines * (1 + confidence) + (separator == ' ' ? 0 : 0.2);
        if (score > bestScore && found->fitting * 2 > found->lines) {
            bestScore = score;
            best = std::move(*found);
        }
    }
    if (!best)
        return fail("its lines are no frames that are recognised", where, "Say what each column means: open it in the window, or describe its layout in a file (wavetrope-cli layout)");
    return *best;
}

}  // namespace wavetrope::formats
