// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/field_text.h"

#include <algorithm>
#include <charconv>

namespace wavetrope::database {

namespace {

std::string_view trimmed(std::string_view text)
{
    while (!text.empty() && (text.front() == ' ' || text.front() == '\t'))
        text.remove_prefix(1);
    while (!text.empty() && (text.back() == ' ' || text.back() == '\t'))
        text.remove_suffix(1);
    return text;
}

template <class Number>
bool readWhole(std::string_view text, Number& value)
{
    text = trimmed(text);
    int base = 10;
    if (text.substr(0, 2) == "0x" || text.substr(0, 2) == "0X") {
        text.remove_prefix(2);
        base = 16;
    }
    const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value, base);
    return code == std::errc{} && end == text.data() + text.size() && !text.empty();
}

bool readWhole(std::string_view text, RawValue& value)
{
    std::uint64_t bits = 0;
    const auto whole = trimmed(text).substr(0, 2) == "0x" && readWhole(text, bits) ? std::optional(RawValue{bits})
                                                                                   : wholeFromText(trimmed(text));
    value = whole.value_or(0);
    return whole.has_value();
}

// Parts between a separator.
std::vector<std::string_view> split(std::string_view text, char separator)
{
    std::vector<std::string_view> parts;
    while (true) {
        const auto at = text.find(separator);
        parts.push_back(trimmed(text.substr(0, at)));
        if (at == std::string_view::npos)
            return parts;
        text.remove_prefix(at + 1);
    }
}

}  // namespace

std::string muxText(const Signal& signal)
{
    if (signal.mux == MuxRole::plain)
        return {};
    std::string out = signal.mux == MuxRole::selector ? "selector" : "";
    if (signal.mux == MuxRole::multiplexed) {
        if (!signal.muxSelector.empty())
            out = signal.muxSelector + " = ";
        if (signal.muxRanges.empty())
            return out + std::to_string(signal.muxValue) + (signal.alsoSelector ? ", selector" : "");
        for (std::size_t i = 0; i < signal.muxRanges.size(); ++i) {
            const MuxRange& range = signal.muxRanges[i];
            out += (i == 0 ? "" : ", ") + std::to_string(range.from) + (range.to != range.from ? " to " + std::to_string(range.to) : "");
        }
        if (signal.alsoSelector)
            out += ", selector";
    }
    return out;
}

Expected<void> takeMuxText(Signal& signal, std::string_view text)
{
    text = trimmed(text);
    Signal next = signal;
    next.mux = MuxRole::plain;
    next.alsoSelector = false;
    next.muxSelector.clear();
    next.muxRanges.clear();
    next.muxValue = 0;
    if (text == "selector") {
        next.mux = MuxRole::selector;
    } else if (!text.empty()) {
        next.mux = MuxRole::multiplexed;
        if (const auto equals = text.find('='); equals != std::string_view::npos) {
            next.muxSelector = trimmed(text.substr(0, equals));
            text = text.substr(equals + 1);
        }
        for (std::string_view part : split(text, ',')) {
            if (part == "selector") {
                next.alsoSelector = true;
                continue;
            }
            MuxRange range;
            const auto to = part.find(" to ");
            const bool good = to == std::string_view::npos
                                  ? readWhole(part, range.from)
                                  : readWhole(part.substr(0, to), range.from) && readWhole(part.substr(to + 4), range.to);
            if (to == std::string_view::npos)
                range.to = range.from;
            if (!good || range.to < range.from)
                return fail(
                    "'" + std::string(part)
                    + "': expected a selector value such as 3, or 3 to 5; several with commas; \"selector\" for a signal that selects");
            next.muxRanges.push_back(range);
        }
        if (next.muxRanges.empty())
            return fail("no selector value is named: expected one such as 3, or 3 to 5");
        next.muxValue = next.muxRanges.front().from;
        if (next.muxRanges.size() == 1 && next.muxRanges.front().from == next.muxRanges.front().to && next.muxSelector.empty())
            next.muxRanges.clear();
    }
    signal = std::move(next);
    return {};
}

std::string textsText(const std::vector<ValueText>& texts)
{
    std::string out;
    for (const ValueText& entry : texts) {
        out += (out.empty() ? "" : "; ") + wholeText(entry.value) + (entry.more > 0 ? " to " + wholeText(entry.last()) : "") + " = ";
        const std::string& text = entry.text;
        if (text.find_first_of(";\"") == std::string::npos && trimmed(text) == text) {
            out += text;
            continue;
        }
        out += '"';
        for (const char c : text)
            out += c == '"' ? std::string("\"\"") : std::string(1, c);
        out += '"';
    }
    return out;
}

namespace {

// The text of an entry, up to its semicolon; with quotes, up to the closing one. Takes it off the front of `rest`.
std::string takeText(std::string_view& rest)
{
    const std::string_view from = trimmed(rest);
    if (from.empty() || from.front() != '"') {
        const auto end = std::min(rest.find(';'), rest.size());
        const std::string text(trimmed(rest.substr(0, end)));
        rest.remove_prefix(end);
        return text;
    }
    std::string text;
    std::size_t at = 1;
    for (; at < from.size(); ++at) {
        if (from[at] != '"')
            text += from[at];
        else if (at + 1 < from.size() && from[at + 1] == '"')
            text += from[at++];
        else
            break;
    }
    rest = trimmed(from.substr(std::min(at + 1, from.size())));
    return text;
}

}  // namespace

Expected<std::vector<ValueText>> textsFromText(std::string_view text)
{
    std::vector<ValueText> texts;
    while (!(text = trimmed(text)).empty()) {
        if (text.front() == ';') {
            text.remove_prefix(1);
            continue;
        }
        const auto wrong = [part = std::string(text.substr(0, text.find(';')))] {
            return fail("'" + part + "': expected a value or a range and its text, such as 0 = off; 1 = on; 3 to 250 = reserved");
        };
        const auto equals = text.find('=');
        if (equals == std::string_view::npos)
            return wrong();
        const std::string_view values = text.substr(0, equals);
        ValueText entry;
        if (const auto to = values.find(" to "); to != std::string_view::npos) {
            RawValue last = 0;
            if (!readWhole(values.substr(0, to), entry.value) || !readWhole(values.substr(to + 4), last) || last < entry.value)
                return wrong();
            entry.more = static_cast<std::uint64_t>(last - entry.value);
        } else if (!readWhole(values, entry.value)) {
            return wrong();
        }
        text.remove_prefix(equals + 1);
        entry.text = takeText(text);
        if (!text.empty() && text.front() != ';')
            return wrong();
        texts.push_back(std::move(entry));
    }
    return texts;
}

std::vector<std::string> wordsFromText(std::string_view text)
{
    std::vector<std::string> words;
    std::string word;
    for (const char c : text) {
        if (c != ',' && c != ' ' && c != ';') {
            word += c;
        } else if (!word.empty()) {
            words.push_back(std::move(word));
            word.clear();
        }
    }
    if (!word.empty())
        words.push_back(std::move(word));
    return words;
}

}  // namespace wavetrope::database
