// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/text_recognition.h"

#include <algorithm>
#include <optional>
#include <set>

#include "formats/text_columns.h"
#include "formats/text_heads.h"
#include "formats/text_line.h"

namespace wavetrope::formats {

namespace {

constexpr std::size_t sampleLines = 400;
constexpr unsigned headLinesAllowed = 50;

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
    for (const auto& [from, form] : {std::pair{1e9, TimeForm::seconds}, std::pair{1e12, TimeForm::milliseconds},
             std::pair{1e15, TimeForm::microseconds}, std::pair{1e18, TimeForm::nanoseconds}})
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
    for (const auto& [unit, form] : {std::pair{1.0, TimeForm::seconds}, std::pair{1e-3, TimeForm::milliseconds},
             std::pair{1e-6, TimeForm::microseconds}, std::pair{1e-9, TimeForm::nanoseconds}})
        if (usual * unit >= shortest && usual * unit <= longest)
            possible.push_back(form);
    // Whole seconds, as a slow log has them.
    if (decimals == 0 && usual <= 2 && !possible.empty() && possible.front() != TimeForm::seconds)
        return {possible.front(), TimeForm::seconds};
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
        if (layout.word > 1) {
            cells.push_back("0x00");    // its digits are hexadecimal
            continue;
        }
        const auto says = length < 0 ? std::optional<std::uint64_t>(can::maxLength)
                                     : lengthNumber(table.cell(row, static_cast<std::size_t>(length)));
        std::size_t until = row.size();
        for (std::size_t c = static_cast<std::size_t>(column) + 1; c < layout.columns.size(); ++c)
            if (layout.columns[c] != Meaning::nothing) {
                until = std::min(until, c);
                break;
            }
        for (std::size_t c = static_cast<std::size_t>(column);
            c < until && c < static_cast<std::size_t>(column) + says.value_or(8) && isByte(row[c]); ++c)
            cells.push_back(row[c]);
    }
    return cells;
}

Expected<Recognition> recogniseTable(const Table& table, std::string_view head, const std::string& where)
{
    Recognition found;
    TextLayout& layout = found.layout;
    layout.separator = table.separator;
    layout.keys = table.keys;
    layout.headLines = hasKeys(table.separator) ? 0 : table.headLines;
    layout.columns.assign(table.columns + 1, Meaning::nothing);
    found.confidence.assign(table.columns + 1, 0);
    const FoundTime time = findTime(table);
    const Found identifier = findIdentifier(table, time.column);
    if (!identifier)
        return fail("no column of identifiers is recognised", where);
    const FoundData data = findData(table, time.fraction >= 0 ? time.fraction : time.column, identifier.column);
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
    layout.word = data.word;
    if (time.fraction >= 0) {
        put({time.fraction, time.confidence}, Meaning::fraction);
        layout.fractionForm = time.fractionForm;
    }
    layout.lengthIsCode = data.lengthIsCode;
    const bool payloadLast = identifier.column < data.column && time.column < data.column;
    if (data && data.bytes == Bytes::apart && payloadLast && !hasKeys(table.separator)) {  // nothing else stands behind such a payload
        layout.columns.resize(static_cast<std::size_t>(data.column) + 1);
        found.confidence.resize(layout.columns.size());
    }
    Table front = table;
    front.columns = std::min(front.columns, layout.columns.size());
    if (time.form == TimeForm::clock)
        put(findWords(front, layout, Meaning::date), Meaning::date);
    put(findWords(front, layout, Meaning::direction), Meaning::direction);
    for (const Meaning meaning : {Meaning::fdFormat, Meaning::extendedId, Meaning::remoteRequest})
        put(findWords(front, layout, meaning), meaning);
    put(findWords(front, layout, Meaning::kind), Meaning::kind);
    put(findWords(front, layout, Meaning::bitRateSwitch), Meaning::bitRateSwitch);
    put(findWords(front, layout, Meaning::errorState), Meaning::errorState);
    put(findWords(front, layout, Meaning::channel), Meaning::channel);
    layout.timeForm = time.form;
    layout.decimalComma = time.decimalComma;
    layout.sincePrevious = time.sincePrevious;

    const auto idCells = cellsOf(table, layout, Meaning::identifier);
    const auto padded = [](std::string_view cell) { return cell.size() >= 8; };
    layout.padded = std::all_of(idCells.begin(), idCells.end(), padded)
                    && std::any_of(idCells.begin(), idCells.end(),
                        [](std::string_view cell) { return wholeNumber(cell, Base::hexadecimal).value_or(0x800) <= 0x7FF; });
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
        question.choices.assign(question.answers.size(), layout);
        if (question.choices.size() > 1)
            change(question.choices[1]);
        found.questions.push_back(std::move(question));
    };
    const auto otherBase = [](Base base) { return base == Base::hexadecimal ? Base::decimal : Base::hexadecimal; };
    const auto baseAnswers = [](Base base) {
        return base == Base::hexadecimal ? std::vector<std::string>{"hexadecimal", "decimal"}
                                         : std::vector<std::string>{"decimal", "hexadecimal"};
    };
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
        ask("Are the identifiers hexadecimal or decimal?", baseAnswers(id.base),
            [&](TextLayout& other) { other.identifierBase = otherBase(id.base); });
    if (!bytes.sure)
        ask("Are the data bytes hexadecimal or decimal?", baseAnswers(bytes.base),
            [&](TextLayout& other) { other.dataBase = otherBase(bytes.base); });
    // One number in front of so many bytes may be their number, or the first of them.
    if (const int length = data.length.column; data && length >= 0 && length + 1 == data.column && data.bytes == Bytes::apart
                                               && promised(table.headOf(static_cast<std::size_t>(length))) == Meaning::nothing) {
        const std::string_view first = table.cell(table.rows.front(), static_cast<std::size_t>(length));
        if (first.size() == 2 && table.share(static_cast<std::size_t>(length), [&](std::string_view cell) { return cell == first; }) == 1)
            ask("Is the number in front of the data their length, or the first byte?", {"length", "first byte"}, [&](TextLayout& other) {
                other.columns[static_cast<std::size_t>(length)] = Meaning::data;
                other.columns[static_cast<std::size_t>(data.column)] = Meaning::nothing;
            });
    }
    if (data && data.word > 1)
        ask("In what order do the bytes of a word stand?", {"as written", "swapped"}, [](TextLayout& other) { other.wordsSwapped = true; });
    const int said = [&] {
        for (std::size_t c = 0; c < table.columns; ++c)
            if (promised(table.headOf(c)) == Meaning::length)
                return static_cast<int>(c);
        return -1;
    }();
    if (!data && said >= 0)
        ask("There is a length, but no data are recognised. Read the frames without data?", {"without data"}, [](TextLayout&) {});
    // What a head names and nobody obeys would be lost in silence.
    for (std::size_t c = 0; c < table.columns && c < table.head.size(); ++c) {
        const Meaning meant = promised(table.head[c]);
        const bool used = c >= layout.columns.size() ? data && data.bytes == Bytes::apart : layout.columns[c] != Meaning::nothing;
        if (meant == Meaning::nothing || used || layout.columnOf(meant) >= 0 || (meant == Meaning::length && !data))
            continue;
        if ((meant == Meaning::date && time && time.form != TimeForm::clock)
            || table.share(c, [](std::string_view cell) { return cell.empty() || cell == "-"; }) == 1)
            continue;
        ask(("What stands under \"" + std::string(table.head[c].substr(0, 40)) + "\" is not understood. Leave it out?").c_str(),
            {"leave it out"}, [](TextLayout&) {});
    }
    if (!time)
        ask("No column of times is recognised. Read the frames without times?", {"without times"}, [](TextLayout&) {});
    const Fit fit = fitOf(layout, head);
    found.lines = fit.lines;
    found.fitting = fit.fitting;
    return found;
}

}  // namespace

void answer(TextLayout& layout, const LayoutQuestion& question, std::size_t which)
{
    const TextLayout& choice = question.choices[which];
    const TextLayout& usual = question.choices.front();
    const TextLayout& other = question.choices.back();
    if (usual.identifierBase != other.identifierBase)
        layout.identifierBase = choice.identifierBase;
    if (usual.dataBase != other.dataBase)
        layout.dataBase = choice.dataBase;
    if (usual.timeForm != other.timeForm)
        layout.timeForm = choice.timeForm;
    if (usual.wordsSwapped != other.wordsSwapped)
        layout.wordsSwapped = choice.wordsSwapped;
    if (usual.columns != other.columns)
        layout.columns = choice.columns;
}

std::vector<std::string_view> linesOf(std::string_view text, std::size_t most)
{
    std::vector<std::string_view> lines;
    if (text.starts_with(byteOrderMark))
        text.remove_prefix(byteOrderMark.size());
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
    // The first line may be a long one.
    return !head.empty() && odd * 100 <= head.size() && (head.size() >= 4096 || head.find('\n') != std::string_view::npos);
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
        if (number++ < layout.headLines || isSkipped(line, layout))
            continue;
        ++fit.lines;
        const bool fits = reader.read(line, frame, data, channel) == nullptr;
        if (fits && fit.fitting == 0 && number <= layout.headLines + headLinesAllowed)
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
    for (const char separator : {'{', '<', '=', '\t', ';', ',', '|', ' '}) {
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
        const double score = static_cast<double>(found->fitting) / found->lines * (1 + confidence)
                             + (separator == ' '      ? 0
                                 : hasKeys(separator) ? 0.6
                                                      : 0.2);
        if (score > bestScore && found->fitting * 2 > found->lines) {
            bestScore = score;
            best = std::move(*found);
        }
    }
    if (!best)
        return fail("its lines are no frames that are recognised", where,
            "Say what each column means: open it in the window, or describe its layout in a file (wavetrope-cli layout)");
    return *best;
}

}  // namespace wavetrope::formats
