// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/text_line.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <chrono>
#include <limits>
#include <optional>
#include <utility>

#include "base/stamp.h"

namespace wavetrope::formats {

namespace {

constexpr std::uint32_t busErrorClass = 0x80;   // as the kernel's interface says "bus error"
constexpr std::int64_t second = 1'000'000'000;
constexpr std::int64_t dayLength = 86'400 * second;

bool isDigit(char c) { return c >= '0' && c <= '9'; }

std::string shortLowered(std::string_view word)
{
    std::string lower(word.substr(0, 24));
    std::transform(lower.begin(), lower.end(), lower.begin(), [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c; });
    return lower;
}

// A number with decimals as nanoseconds of a unit of so many. Exact; empty where it does not fit.
std::optional<std::int64_t> scaled(std::string_view text, std::int64_t unit, bool decimalComma)
{
    bool negative = false;
    if (!text.empty() && (text[0] == '-' || text[0] == '+')) {
        negative = text[0] == '-';
        text.remove_prefix(1);
    }
    const std::size_t point = std::min(text.find(decimalComma ? ',' : '.'), text.size());
    if (text.empty() || text.size() > 40 || (point == 0 && text.size() == 1))
        return {};
    std::uint64_t whole = 0;
    for (const char c : text.substr(0, point)) {
        if (!isDigit(c) || whole > std::numeric_limits<std::uint64_t>::max() / 10 - 1)
            return {};
        whole = whole * 10 + static_cast<unsigned>(c - '0');
    }
    if (whole > static_cast<std::uint64_t>(std::numeric_limits<std::int64_t>::max() / unit) - 1)
        return {};
    std::int64_t value = static_cast<std::int64_t>(whole) * unit;
    std::int64_t place = unit;
    for (std::size_t i = point + 1; i < text.size(); ++i) {
        if (!isDigit(text[i]))
            return {};
        place /= 10;
        value += place * (text[i] - '0');
    }
    return negative ? -value : value;
}

std::optional<unsigned> number(std::string_view text, unsigned most)
{
    unsigned value = 0;
    const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (problem != std::errc() || end != text.data() + text.size() || value > most)
        return {};
    return value;
}

// Hours, minutes and seconds with decimals, or minutes and seconds.
std::optional<Time> clockOf(std::string_view text, bool decimalComma)
{
    const auto first = text.find(':');
    if (first == std::string_view::npos || first == 0)
        return {};
    const auto second_ = text.find(':', first + 1);
    const auto hours = second_ == std::string_view::npos ? std::optional<unsigned>(0) : number(text.substr(0, first), 9999);
    const auto minutes = second_ == std::string_view::npos ? number(text.substr(0, first), 59'999)
                                                           : number(text.substr(first + 1, second_ - first - 1), 59);
    std::string_view rest = text.substr((second_ == std::string_view::npos ? first : second_) + 1);
    // A third colon in place of the decimal sign.
    const auto third = rest.find(':');
    std::string replaced;
    if (third != std::string_view::npos) {
        replaced = std::string(rest);
        replaced[third] = '.';
        rest = replaced;
    }
    const bool comma = third == std::string_view::npos && (decimalComma || rest.find(',') != std::string_view::npos);
    const auto seconds = scaled(rest, second, comma);
    if (!hours || !minutes || !seconds || *seconds < 0 || *seconds >= 61 * second)
        return {};
    return Time((std::int64_t{*hours} * 3600 + std::int64_t{*minutes} * 60) * second + *seconds);
}

// A clock, with a day before it or without, with AM or PM and an offset from UTC behind it or without.
std::optional<Time> momentOf(std::string_view text, bool decimalComma)
{
    const auto blank = [](char c) { return c == ' ' || c == '\t'; };
    while (!text.empty() && blank(text.back()))
        text.remove_suffix(1);
    const std::size_t colon = text.find(':');
    if (colon == std::string_view::npos)
        return {};
    std::int64_t offset = 0;    // minutes
    if (text.back() == 'Z' || text.back() == 'z') {
        text.remove_suffix(1);
    } else if (text.ends_with("UTC") || text.ends_with("GMT")) {
        text.remove_suffix(3);
    } else if (const std::size_t sign = text.find_last_of("+-"); sign != std::string_view::npos && sign > colon) {
        std::string digits;
        for (const char c : text.substr(sign + 1))
            if (c != ':')
                digits += c;
        const auto hours = number(std::string_view(digits).substr(0, 2), 14);
        const auto minutes = digits.size() == 4   ? number(std::string_view(digits).substr(2), 59)
                             : digits.size() == 2 ? std::optional<unsigned>(0)
                                                  : std::nullopt;
        if (!hours || !minutes)
            return {};
        offset = (text[sign] == '-' ? -1 : 1) * static_cast<std::int64_t>(*hours * 60 + *minutes);
        text.remove_suffix(text.size() - sign);
    }
    while (!text.empty() && blank(text.back()))
        text.remove_suffix(1);
    int noon = 0;               // 1 for AM, 2 for PM
    if (text.size() > 2 && (text.back() == 'M' || text.back() == 'm')) {
        const char half = text[text.size() - 2];
        noon = half == 'A' || half == 'a' ? 1 : half == 'P' || half == 'p' ? 2 : 0;
        if (noon == 0)
            return {};
        text.remove_suffix(2);
        while (!text.empty() && blank(text.back()))
            text.remove_suffix(1);
    }
    const std::size_t between = text.find_last_of("T_ ", colon);
    const auto day = between == std::string_view::npos ? std::optional<Time>(Time{0}) : dayOf(text.substr(0, between));
    auto time = clockOf(between == std::string_view::npos ? text : text.substr(between + 1), decimalComma);
    if (!day || !time)
        return {};
    constexpr Time half = std::chrono::hours(12);
    if (noon != 0) {
        if (*time < std::chrono::hours(1) || *time >= std::chrono::hours(13))
            return {};
        *time = *time % half + (noon == 2 ? half : Time{0});
    }
    return *day + *time - std::chrono::minutes(offset);
}

int hexValue(char c)
{
    if (isDigit(c))
        return c - '0';
    if (c >= 'a' && c <= 'f')
        return c - 'a' + 10;
    if (c >= 'A' && c <= 'F')
        return c - 'A' + 10;
    return -1;
}

bool isRemoteWord(std::string_view word)
{
    if (word.size() < 3 || (word[0] != 'r' && word[0] != 'R'))
        return false;
    const std::string lower = shortLowered(word);
    return lower == "remote" || lower == "rtr" || lower == "rmt";
}

// The bytes of one cell, in one piece or with signs between them. False where it holds anything else.
bool bytesOfCell(std::string_view cell, Base base, std::uint8_t (&data)[can::maxLength], unsigned& count)
{
    count = 0;
    if (cell.starts_with("0x") || cell.starts_with("0X"))
        cell.remove_prefix(2);
    for (std::size_t at = 0; at < cell.size();) {
        if (const char c = cell[at];
            c == ' ' || c == '-' || c == '.' || c == ':' || c == '_' || c == ',' || c == ';' || c == '\t' || c == '"') {
            ++at;
            continue;
        }
        unsigned value = 0;
        if (base == Base::decimal) {
            std::size_t end = at;
            for (; end < cell.size() && isDigit(cell[end]); ++end)
                if ((value = value * 10 + static_cast<unsigned>(cell[end] - '0')) > 255)
                    return false;
            if (end == at)
                return false;
            at = end;
        } else {
            const int high = hexValue(cell[at]);
            const int low = at + 1 < cell.size() ? hexValue(cell[at + 1]) : -1;
            if (high < 0)
                return false;
            // One digit alone is a byte only between signs.
            const bool alone = low < 0;
            if (alone
                && ((at > 0 && hexValue(cell[at - 1]) >= 0)
                    || (at + 1 < cell.size() && std::isalnum(static_cast<unsigned char>(cell[at + 1])) != 0)))
                return false;
            value = static_cast<unsigned>(alone ? high : high * 16 + low);
            at += alone ? 1 : 2;
        }
        if (count == can::maxLength)
            return false;
        data[count++] = static_cast<std::uint8_t>(value);
    }
    return true;
}

}  // namespace

std::optional<can::Direction> directionOf(std::string_view word)
{
    static constexpr std::pair<std::string_view, can::Direction> words[] = {
        {"rx", can::Direction::received},
        {"r", can::Direction::received},
        {"in", can::Direction::received},
        {"recv", can::Direction::received},
        {"received", can::Direction::received},
        {"receive", can::Direction::received},
        {"<-", can::Direction::received},
        {"tx", can::Direction::sent},
        {"t", can::Direction::sent},
        {"s", can::Direction::sent},
        {"out", can::Direction::sent},
        {"sent", can::Direction::sent},
        {"send", can::Direction::sent},
        {"transmit", can::Direction::sent},
        {"transmitted", can::Direction::sent},
        {"->", can::Direction::sent},
    };
    const auto same = [](char a, char b) { return a == b || (a >= 'A' && a <= 'Z' && a + 32 == b); };
    for (const auto& [text, direction] : words)
        if (word.size() == text.size() && std::equal(word.begin(), word.end(), text.begin(), same))
            return direction;
    return {};
}

std::optional<bool> switchOf(std::string_view cell)
{
    if (cell == "0" || cell == "-" || cell.empty())
        return false;
    if (cell == "1")
        return true;
    const std::string word = shortLowered(cell);
    if (word == "yes" || word == "true" || word == "on" || word == "x" || word == "y" || word == "set" || word == "brs" || word == "esi")
        return true;
    if (word == "no" || word == "false" || word == "off" || word == "n")
        return false;
    return {};
}

std::optional<KindWord> kindOf(std::string_view word)
{
    static const std::array<std::pair<std::string_view, KindWord>, 24> words = [] {
        const auto with = [](auto set) {
            KindWord kind;
            set(kind);
            return kind;
        };
        const KindWord none;
        const KindWord remote = with([](KindWord& k) { k.remote = true; });
        const KindWord error = with([](KindWord& k) { k.error = true; });
        const KindWord fd = with([](KindWord& k) { k.fd = true; });
        const KindWord extended = with([](KindWord& k) { k.extended = true; });
        const KindWord standard = with([](KindWord& k) { k.standard = true; });
        return std::array<std::pair<std::string_view, KindWord>, 24>{{{"data", none}, {"d", none}, {"classic", none}, {"can", none},
            {"-", none}, {"remote", remote}, {"rtr", remote}, {"rmt", remote}, {"error", error}, {"err", error}, {"errorframe", error},
            {"fd", fd}, {"fdf", fd}, {"canfd", fd}, {"can-fd", fd}, {"f", fd}, {"x", extended}, {"ext", extended}, {"extended", extended},
            {"29", extended}, {"std", standard}, {"standard", standard}, {"11", standard}, {"e", extended}}};
    }();
    const std::string lower = shortLowered(word);
    for (const auto& [text, kind] : words)
        if (lower == text)
            return kind;
    // Letters of a CAN FD frame: F, with B for the switch and E for the error state.
    if (lower.size() >= 2 && lower.size() <= 3 && lower[0] == 'f' && lower.find_first_not_of("be", 1) == std::string::npos
        && (lower.size() == 2 || lower[1] != lower[2])) {
        KindWord letters;
        letters.fd = true;
        letters.brs = lower.find('b') != std::string::npos;
        letters.esi = lower.find('e') != std::string::npos;
        return letters;
    }
    // Several joined: "FD+BRS", "fd/brs/esi", "EXT|RTR".
    KindWord all;
    bool any = false;
    for (std::size_t at = 0; at < lower.size();) {
        const std::size_t end = std::min(lower.find_first_of("+/|,_& ", at), lower.size());
        const std::string_view part = std::string_view(lower).substr(at, end - at);
        at = end + 1;
        if (part == "brs")
            all.brs = all.fd = true;
        else if (part == "esi")
            all.esi = all.fd = true;
        else if (part == lower)
            return {};
        else if (const auto one = kindOf(part)) {
            all.remote |= one->remote;
            all.error |= one->error;
            all.fd |= one->fd;
            all.extended |= one->extended;
            all.standard |= one->standard;
        } else
            return {};
        any = true;
    }
    return any ? std::optional(all) : std::nullopt;
}

std::optional<std::uint64_t> wholeNumber(std::string_view text, Base base)
{
    if (text.starts_with("0x") || text.starts_with("0X")) {
        text.remove_prefix(2);
        base = Base::hexadecimal;
    } else if (!text.empty() && (text.back() == 'h' || text.back() == 'H')) {
        text.remove_suffix(1);
        base = Base::hexadecimal;
    }
    std::uint64_t value = 0;
    const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), value, base == Base::hexadecimal ? 16 : 10);
    if (text.empty() || text[0] == '-' || problem != std::errc() || end != text.data() + text.size())
        return {};
    return value;
}

std::optional<std::uint64_t> lengthNumber(std::string_view text)
{
    for (const std::string_view unit : {std::string_view("bytes"), std::string_view("byte"), std::string_view("B"), std::string_view("b")})
        if (text.size() > unit.size() && text.ends_with(unit)) {
            text.remove_suffix(unit.size());
            while (!text.empty() && text.back() == ' ')
                text.remove_suffix(1);
            break;
        }
    return wholeNumber(text, Base::decimal);
}

std::optional<Time> timeOf(std::string_view text, TimeForm form, bool decimalComma)
{
    static constexpr std::int64_t units[] = {second, 1'000'000, 1'000, 1};
    if (form == TimeForm::clock)
        return momentOf(text, decimalComma);
    // A unit behind the number is the one that counts.
    static constexpr std::pair<std::string_view, std::int64_t> suffixes[] = {{"ms", 1'000'000}, {"us", 1'000}, {"ns", 1}, {"s", second}};
    std::int64_t unit = units[static_cast<unsigned>(form)];
    for (const auto& [suffix, size] : suffixes)
        if (text.size() > suffix.size() && text.ends_with(suffix)
            && (isDigit(text[text.size() - suffix.size() - 1]) || text[text.size() - suffix.size() - 1] == '.')) {
            text.remove_suffix(suffix.size());
            unit = size;
            break;
        }
    const auto value = scaled(text, unit, decimalComma);
    return value ? std::optional(Time(*value)) : std::nullopt;
}

std::optional<Time> dayOf(std::string_view text)
{
    // Three parts between signs, one of them a month's name perhaps.
    std::string_view parts[3];
    std::size_t count = 0;
    char sign = 0;
    for (std::size_t at = 0; at < text.size();) {
        const std::size_t from = text.find_first_not_of("-/., ", at);
        if (from == std::string_view::npos)
            break;
        const std::size_t end = std::min(text.find_first_of("-/., ", from), text.size());
        if (count == 3)
            return {};
        parts[count++] = text.substr(from, end - from);
        if (count == 1 && end < text.size())
            sign = text[end];
        at = end;
    }
    if (count != 3)
        return {};
    unsigned year = 0;
    unsigned month = 0;
    unsigned day = 0;
    const auto take = [](std::string_view part, unsigned most, unsigned& value) {
        const auto read = number(part, most);
        value = read.value_or(0);
        return read.has_value();
    };
    if (monthOf(parts[1]) != 0) {           // 05-Feb-2031, 2031-Feb-05
        month = monthOf(parts[1]);
        const bool yearFirst = parts[0].size() == 4;
        if (!take(parts[yearFirst ? 2 : 0], 31, day) || !take(parts[yearFirst ? 0 : 2], 9999, year))
            return {};
    } else if (monthOf(parts[0]) != 0) {    // Feb 5, 2031
        month = monthOf(parts[0]);
        if (!take(parts[1], 31, day) || !take(parts[2], 9999, year))
            return {};
    } else {
        const bool yearFirst = parts[0].size() == 4;
        // With numbers alone, only years in front or points between leave no doubt.
        if ((sign != '-' && sign != '/' && sign != '.') || (!yearFirst && (sign != '.' || parts[2].size() != 4))
            || text.find(' ') != std::string_view::npos)
            return {};
        if (!take(parts[yearFirst ? 0 : 2], 9999, year) || !take(parts[1], 12, month) || !take(parts[yearFirst ? 2 : 0], 31, day))
            return {};
    }
    if (year < 100)
        year += 2000;
    const std::chrono::year_month_day date{std::chrono::year(static_cast<int>(year)), std::chrono::month(month), std::chrono::day(day)};
    if (!date.ok() || year < 1970 || year > 2259)  // with any clock behind it within 64 bits
        return {};
    return std::chrono::sys_days(date).time_since_epoch();
}

LineReader::LineReader(const TextLayout& layout)
    : layout_(layout),
      date_(layout.columnOf(Meaning::date)),
      time_(layout.columnOf(Meaning::time)),
      channel_(layout.columnOf(Meaning::channel)),
      direction_(layout.columnOf(Meaning::direction)),
      kind_(layout.columnOf(Meaning::kind)),
      identifier_(layout.columnOf(Meaning::identifier)),
      length_(layout.columnOf(Meaning::length)),
      data_(layout.columnOf(Meaning::data)),
      bitRateSwitch_(layout.columnOf(Meaning::bitRateSwitch)),
      errorState_(layout.columnOf(Meaning::errorState)),
      fraction_(layout.columnOf(Meaning::fraction)),
      fdFormat_(layout.columnOf(Meaning::fdFormat)),
      extendedId_(layout.columnOf(Meaning::extendedId)),
      remoteRequest_(layout.columnOf(Meaning::remoteRequest)),
      dataEnd_(~std::size_t{0})
{
    for (std::size_t i = 0; i < layout.columns.size(); ++i)
        if (data_ >= 0 && i > static_cast<std::size_t>(data_) && layout.columns[i] != Meaning::nothing) {
            dataEnd_ = i;
            break;
        }
}

const char* LineReader::readData(std::size_t from, std::uint8_t (&data)[can::maxLength], unsigned& count, bool& remote) const
{
    count = 0;
    if (from >= columns_.size())
        return nullptr;
    if (isRemoteWord(columns_[from])) {
        remote = true;
        return nullptr;
    }
    if (layout_.bytes == Bytes::together)
        return bytesOfCell(columns_[from], layout_.dataBase, data, count) ? nullptr : "the data are not bytes";
    const std::size_t end = std::min(columns_.size(), dataEnd_);
    if (layout_.word > 1) {
        for (std::size_t i = from; i < end; ++i) {
            std::uint8_t word[can::maxLength];
            unsigned bytes = 0;
            if (columns_[i].empty() || !bytesOfCell(columns_[i], Base::hexadecimal, word, bytes) || bytes > layout_.word
                || count + bytes > can::maxLength)
                break;
            for (unsigned b = 0; b < bytes; ++b)
                data[count++] = word[layout_.wordsSwapped ? bytes - 1 - b : b];
        }
        return nullptr;
    }
    for (std::size_t i = from; i < end && count < can::maxLength; ++i) {
        const auto value = columns_[i].size() <= 4 ? wholeNumber(columns_[i], layout_.dataBase) : std::nullopt;
        if (!value || *value > 255)
            break;
        data[count++] = static_cast<std::uint8_t>(*value);
    }
    return nullptr;
}

const char* LineReader::read(std::string_view line, can::FrameView& frame, std::uint8_t (&data)[can::maxLength], std::string_view& channel)
{
    splitLine(line, layout_, columns_);
    const auto cell = [&](int column) {
        return column >= 0 && static_cast<std::size_t>(column) < columns_.size() ? columns_[static_cast<std::size_t>(column)]
                                                                                 : std::string_view();
    };
    KindWord kind;
    if (kind_ >= 0 && !cell(kind_).empty()) {
        const auto word = kindOf(cell(kind_));
        if (!word)
            return "the kind is none that is known";
        kind = *word;
    }
    if (bitRateSwitch_ >= 0 || errorState_ >= 0) {
        const auto rate = switchOf(cell(bitRateSwitch_));
        const auto state = switchOf(cell(errorState_));
        if (!rate || !state)
            return "the bit-rate switch or the error state is neither set nor not";
        kind.brs |= *rate;
        kind.esi |= *state;
        kind.fd |= *rate || *state;     // a classic frame has neither
    }
    for (const auto& [column, flag] :
        {std::pair{fdFormat_, &kind.fd}, std::pair{extendedId_, &kind.extended}, std::pair{remoteRequest_, &kind.remote}})
        if (column >= 0) {
            const auto set = switchOf(cell(column));
            if (!set)
                return "a switch is neither set nor not";
            *flag |= *set;
        }
    Time time = previous_;
    Time days = days_;
    if (time_ >= 0) {
        const auto read = timeOf(cell(time_), layout_.timeForm, layout_.decimalComma);
        if (!read)
            return "the time is none";
        std::int64_t count = read->count();
        if (fraction_ >= 0) {
            const auto part = timeOf(cell(fraction_), layout_.fractionForm, false);
            if (!part || part->count() < 0 || part->count() >= second)
                return "the part of the second is none";
            count += count < 0 ? -part->count() : part->count();
        }
        if (layout_.timeForm == TimeForm::clock && date_ < 0 && count >= 0 && count < dayLength) {
            // A clock without dates begins anew at midnight.
            if (count + days.count() < previous_.count() - dayLength / 2)
                days += Time(dayLength);
            count += days.count();
        }
        if (layout_.sincePrevious && __builtin_add_overflow(previous_.count(), read->count(), &count))
            return "the time is too far from the line before";
        if (date_ >= 0) {
            const auto date = dayOf(cell(date_));
            if (!date)
                return "the date is none";
            if (__builtin_add_overflow(count, date->count(), &count))
                return "the time is too far from the date";
        }
        time = Time(count);
        if (!isStamp(time))
            return "the time lies outside the years 1970 to 2261";
    }
    frame.direction = can::Direction::unknown;
    if (direction_ >= 0)
        if (const auto direction = directionOf(cell(direction_)))
            frame.direction = *direction;
    channel = cell(channel_);
    frame.brs = kind.brs;
    frame.esi = kind.esi;
    std::string_view idText = cell(identifier_);
    days_ = days;
    const bool word = !idText.empty() && (idText[0] == 'e' || idText[0] == 'E') && !wholeNumber(idText, Base::hexadecimal);
    if (kind.error || (word && kindOf(idText) && kindOf(idText)->error)) {
        frame.kind = can::FrameKind::error;
        // Its class bits and facts, where they stand there.
        const auto classes = wholeNumber(idText, layout_.identifierBase);
        frame.id = {classes && *classes <= 0x1FFFFFFFU && !word ? static_cast<std::uint32_t>(*classes) : busErrorClass, false};
        unsigned count = 0;
        bool none = false;
        if (data_ < 0 || readData(static_cast<std::size_t>(data_), data, count, none) != nullptr || count > can::maxClassicLength)
            count = 0;
        if (length_ >= 0)
            count = static_cast<unsigned>(std::min<std::uint64_t>(count, lengthNumber(cell(length_)).value_or(count)));
        frame.length = frame.dlc = static_cast<std::uint8_t>(count);
        frame.data = data;
        frame.time = previous_ = time;
        return nullptr;
    }
    const bool marked = !idText.empty() && (idText.back() == 'x' || idText.back() == 'X');
    if (marked)
        idText.remove_suffix(1);
    const auto id = wholeNumber(idText, layout_.identifierBase);
    if (!id || *id > 0x1FFFFFFFU)
        return "the identifier is none";
    const std::size_t digits = idText.size() - (idText.starts_with("0x") || idText.starts_with("0X") ? 2 : 0)
                               - (idText.back() == 'h' || idText.back() == 'H' ? 1 : 0);
    const bool eight = !layout_.padded && digits >= 8 && (layout_.identifierBase == Base::hexadecimal || digits != idText.size());
    frame.id = {static_cast<std::uint32_t>(*id), !kind.standard && (marked || kind.extended || *id > 0x7FF || eight)};
    if (kind.standard && *id > 0x7FF)
        return "the identifier has more than 11 bits";

    unsigned count = 0;
    bool remote = kind.remote;
    if (data_ >= 0)
        if (const char* problem = readData(static_cast<std::size_t>(data_), data, count, remote))
            return problem;
    std::optional<std::uint64_t> length;
    if (length_ >= 0) {
        length = lengthNumber(cell(length_));
        if (!length && layout_.lengthIsCode)
            length = wholeNumber(cell(length_), Base::hexadecimal);
        if (!length || *length > (layout_.lengthIsCode ? 15U : can::maxLength))
            return "the length is none";
    }
    frame.kind = remote ? can::FrameKind::remote : kind.fd ? can::FrameKind::fd : can::FrameKind::data;
    if (remote) {
        frame.length = 0;
        frame.dlc = static_cast<std::uint8_t>(std::min<std::uint64_t>(length.value_or(0), 8));
    } else {
        const unsigned wanted = !length ? count
                                : layout_.lengthIsCode
                                    ? (kind.fd || *length <= 8 || count > 8 ? can::lengthOfDlc(static_cast<unsigned>(*length)) : 8U)
                                    : static_cast<unsigned>(*length);
        if (data_ >= 0 && count < wanted)
            return "there are fewer bytes than the length says";
        if (data_ >= 0 && layout_.bytes == Bytes::together && count > wanted)
            return "there are more bytes than the length says";
        frame.length = static_cast<std::uint8_t>(data_ >= 0 ? wanted : 0);
        if (wanted > can::maxClassicLength) {
            frame.kind = can::FrameKind::fd;
            if (can::lengthOfDlc(can::dlcOfLength(wanted)) != wanted)
                return "no frame has so many bytes";
        }
        frame.dlc = layout_.lengthIsCode && length ? static_cast<std::uint8_t>(*length) : can::dlcOfLength(frame.length);
    }
    frame.data = data;
    frame.time = previous_ = time;
    return nullptr;
}

}  // namespace wavetrope::formats
