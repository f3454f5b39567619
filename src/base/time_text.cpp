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
