// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/time_text.h"

#include <cstdio>
#include <limits>

#include "base/number_text.h"

namespace wavetrope {

std::string secondsText(Time time)
{
    std::string text;
    appendSeconds(text, time);
    return text;
}

std::optional<Time> spanFromText(std::string_view text)
{
    while (!text.empty() && text.front() == ' ')
        text.remove_prefix(1);
    while (!text.empty() && text.back() == ' ')
        text.remove_suffix(1);
    bool negative = false;
    if (!text.empty() && (text.front() == '-' || text.front() == '+')) {
        negative = text.front() == '-';
        text.remove_prefix(1);
    }
    std::size_t end = 0;
    while (end < text.size() && ((text[end] >= '0' && text[end] <= '9') || text[end] == '.'))
        ++end;
    const std::string_view digits = text.substr(0, end);
    std::string_view unit = text.substr(end);
    while (!unit.empty() && unit.front() == ' ')
        unit.remove_prefix(1);
    struct Unit {
        std::string_view name;
        std::int64_t nanoseconds;
    };
    static constexpr Unit units[] = {{"", 1'000'000'000}, {"s", 1'000'000'000}, {"ms", 1'000'000}, {"us", 1000}, {"ns", 1},
        {"min", 60'000'000'000}, {"h", 3'600'000'000'000}};
    std::int64_t scale = 0;
    for (const Unit& u : units)
        if (u.name == unit)
            scale = u.nanoseconds;
    if (scale == 0 || digits.empty() || digits == ".")
        return std::nullopt;

    __int128 whole = 0;
    __int128 fraction = 0;
    __int128 divisor = 1;
    bool behindPoint = false;
    for (const char c : digits) {
        if (c == '.') {
            if (behindPoint)
                return std::nullopt;
            behindPoint = true;
        } else if (!behindPoint) {
            whole = whole * 10 + (c - '0');
            if (whole > std::numeric_limits<std::int64_t>::max())
                return std::nullopt;
        } else if (divisor < 1'000'000'000'000'000LL) {
            fraction = fraction * 10 + (c - '0');
            divisor *= 10;
        }
    }
    const __int128 total = whole * scale + fraction * scale / divisor;
    if (total > std::numeric_limits<std::int64_t>::max())
        return std::nullopt;
    const auto value = static_cast<std::int64_t>(total);
    return Time(negative ? -value : value);
}

std::optional<Time> momentFromText(std::string_view text, Time origin)
{
    const bool relative = !text.empty() && text.front() == '+';
    const auto span = spanFromText(text);
    if (!span)
        return std::nullopt;
    if (!relative)
        return span;
    std::int64_t sum = 0;
    if (__builtin_add_overflow(origin.count(), span->count(), &sum))
        return std::nullopt;
    return Time(sum);
}

namespace {

std::string_view withoutEnds(std::string_view text)
{
    while (!text.empty() && text.front() == ' ')
        text.remove_prefix(1);
    while (!text.empty() && text.back() == ' ')
        text.remove_suffix(1);
    return text;
}

bool isDigit(char c) { return c >= '0' && c <= '9'; }

bool isBare(std::string_view text) { return !text.empty() && (isDigit(text.back()) || text.back() == '.'); }

// "2:03.25" or "1:02:03", "-0:01": whole fields but for the last, each but the first below sixty.
std::optional<Time> clockFromText(std::string_view text)
{
    const bool negative = !text.empty() && text.front() == '-';
    if (negative)
        text.remove_prefix(1);
    std::int64_t before = 0;        // in units of the next field
    int fields = 0;
    for (std::size_t colon = text.find(':'); colon != std::string_view::npos; colon = text.find(':'), ++fields) {
        const std::string_view field = text.substr(0, colon);
        constexpr std::size_t mostDigits = 9;
        if (field.empty() || field.size() > mostDigits || fields > 1)
            return std::nullopt;
        std::int64_t value = 0;
        for (const char c : field) {
            if (!isDigit(c))
                return std::nullopt;
            value = value * 10 + (c - '0');
        }
        if (fields > 0 && value >= 60)
            return std::nullopt;
        before = before * 60 + value;
        text.remove_prefix(colon + 1);
    }
    if (fields == 0 || text.empty() || !isDigit(text.front()) || !isBare(text))
        return std::nullopt;
    const auto seconds = spanFromText(text);
    if (!seconds || *seconds >= std::chrono::minutes(1) || before > std::numeric_limits<std::int64_t>::max() / 60'000'000'000 - 1)
        return std::nullopt;
    const Time sum = std::chrono::minutes(before) + *seconds;
    return negative ? -sum : sum;
}

std::optional<Time> timeOfRange(std::string_view text, std::string_view unit)
{
    text = withoutEnds(text);
    if (text.find(':') != std::string_view::npos)
        return clockFromText(text);
    return spanFromText(isBare(text) ? std::string(text) + std::string(unit) : std::string(text));
}

std::string_view unitOf(std::string_view text)
{
    text = withoutEnds(text);
    std::size_t begin = text.size();
    while (begin > 0 && text[begin - 1] >= 'a' && text[begin - 1] <= 'z')
        --begin;
    const std::string_view unit = text.substr(begin);
    return spanFromText("1" + std::string(unit)) ? unit : std::string_view();
}

}  // namespace

Expected<TypedRange> rangeFromText(std::string_view text)
{
    const std::string remedy = "Type it as 44 to 50, 1:02.5 to 1:03 or 12 to 18.5 ms, or a width as 10 s";
    text = withoutEnds(text);
    if (text.empty())
        return fail("A range of times is missing", {}, remedy);
    std::size_t at = std::string_view::npos;
    std::size_t length = 0;
    for (const std::string_view between : {std::string_view("to"), std::string_view(".."), std::string_view("\xE2\x80\x93")})
        if (at == std::string_view::npos && (at = text.find(between)) != std::string_view::npos)
            length = between.size();
    if (at == std::string_view::npos) {
        at = text.find('-', 1);     // one in front is a sign
        length = 1;
    }
    if (at == std::string_view::npos) {
        const auto width = isBare(text) ? std::nullopt : spanFromText(text);
        if (!width)
            return fail("'" + std::string(text) + "' is no range of times", {}, remedy);
        if (width->count() <= 0)
            return fail("A window has to be wider than nothing", {}, remedy);
        return TypedRange{std::nullopt, *width};
    }
    const std::string_view first = text.substr(0, at);
    const std::string_view second = text.substr(at + length);
    const auto from = timeOfRange(first, unitOf(second));
    const auto to = timeOfRange(second, unitOf(first));
    if (!from || !to)
        return fail("'" + std::string(withoutEnds(!from ? first : second)) + "' is no time", {}, remedy);
    if (*to <= *from)
        return fail("The end has to lie behind the beginning", {}, remedy);
    return TypedRange{*from, *to};
}

std::string exactSpanText(Time span)
{
    constexpr std::pair<std::int64_t, const char*> units[] = {{1'000'000'000, "s"}, {1'000'000, "ms"}, {1'000, "us"}};
    const std::int64_t ns = span.count();
    for (const auto& [unit, name] : units) {
        if ((ns < unit && ns > -unit) || ns % (unit / 1000) != 0)
            continue;
        std::string out = std::to_string(ns / unit);
        if (const std::int64_t thousandths = std::abs(ns % unit) / (unit / 1000); thousandths != 0) {
            std::string digits = std::to_string(1000 + thousandths).substr(1);
            digits.resize(digits.find_last_not_of('0') + 1);
            out += "." + digits;
        }
        return out + " " + name;
    }
    return ns == 0 ? "0 s" : std::to_string(ns) + " ns";
}

std::string spanText(Time span)
{
    const double ns = static_cast<double>(span.count());
    const double size = ns < 0 ? -ns : ns;
    char buffer[40];
    if (size >= 1e9)
        std::snprintf(buffer, sizeof buffer, "%.4g s", ns / 1e9);
    else if (size >= 1e6)
        std::snprintf(buffer, sizeof buffer, "%.4g ms", ns / 1e6);
    else
        std::snprintf(buffer, sizeof buffer, "%.4g us", ns / 1e3);
    return buffer;
}

}  // namespace wavetrope
