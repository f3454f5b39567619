// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/text_heads.h"

#include <algorithm>
#include <cctype>

namespace wavetrope::formats {

std::string lowered(std::string_view text)
{
    std::string lower(text);
    std::transform(lower.begin(), lower.end(), lower.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return lower;
}

Meaning promised(std::string_view head)
{
    const std::string word = lowered(head);
    const auto has = [&](std::initializer_list<const char*> parts) {
        return std::any_of(parts.begin(), parts.end(), [&](const char* part) { return word.find(part) != std::string::npos; });
    };
    const auto is = [&](std::initializer_list<const char*> words) {
        return std::any_of(words.begin(), words.end(), [&](const char* other) { return word == other; });
    };
    if (is({"brs"}) || has({"rate switch", "rate_switch", "rate-switch", "rateswitch"}))
        return Meaning::bitRateSwitch;
    if (is({"esi"}) || has({"error state", "error_state", "error-state", "errorstate"}))
        return Meaning::errorState;
    if (is({"fdf", "edl", "fd", "canfd", "can fd"}))
        return Meaning::fdFormat;
    if (is({"ide", "ext", "xtd", "extended", "29bit", "29-bit"}))
        return Meaning::extendedId;
    if (is({"rtr", "remote"}))
        return Meaning::remoteRequest;
    if (is({"date", "day"}) || word.starts_with("date ") || word.starts_with("date_") || word.starts_with("date(")
        || word.starts_with("date[") || word.ends_with(" date"))
        return Meaning::date;
    if (is({"ts", "dt", "sec", "secs", "usec", "nsec", "msec"}) || word.starts_with("ts_") || word.starts_with("ts[")
        || word.starts_with("ts ") || word.starts_with("dt_") || word.starts_with("dt[") || word.starts_with("dt ")
        || word.starts_with("dt(") || word.starts_with("t_") || word.starts_with("delta") || word.starts_with("elapsed"))
        return Meaning::time;
    if (has({"time", "zeit", "stamp", "moment", "when", "seconds"}) || is({"t", "s", "ms", "us"}) || word.starts_with("t [")
        || word.starts_with("t(") || word.starts_with("t/"))
        return Meaning::time;
    if (has({"dlc", "len", "size", "count of bytes"}) || is({"dl", "n", "bytes#", "nbytes"}))
        return Meaning::length;
    if (has({"data", "payload", "content", "bytes", "daten"}) || is({"b0", "d0", "byte0", "db0"}))
        return Meaning::data;
    if (has({"dir", "rx/tx", "rxtx", "tx/rx"}))
        return Meaning::direction;
    if (has({"chan", "bus", "port", "interface", "network", "line"}) || is({"ch", "if", "net", "can"}))
        return Meaning::channel;
    if (has({"ident", "arb", "msgid", "can id", "canid", "can-id"}) || is({"id", "id(hex)", "id(dec)"}) || word.starts_with("id ")
        || word.starts_with("id["))
        return Meaning::identifier;
    if (has({"type", "kind", "flag", "format"}))
        return Meaning::kind;
    return Meaning::nothing;
}

bool sincePrevious(std::string_view head)
{
    const std::string word = lowered(head);
    for (const char* part : {"delta", "diff", "gap", "since", "interval"})
        if (word.find(part) != std::string::npos)
            return true;
    return word == "dt" || word.starts_with("dt_") || word.starts_with("dt[") || word.starts_with("dt ") || word.starts_with("dt(");
}

std::optional<TimeForm> unitOf(std::string_view head)
{
    const std::string word = lowered(head);
    if (word == "msec" || word == "ms")
        return TimeForm::milliseconds;
    if (word == "usec" || word == "us")
        return TimeForm::microseconds;
    if (word == "nsec" || word == "ns")
        return TimeForm::nanoseconds;
    if (word == "sec" || word == "secs" || word == "s")
        return TimeForm::seconds;
    const auto bracketed = [&](const char* unit) {
        for (const char* form : {"[%]", "(%)", "/%", "_%", " in %", " %"}) {
            std::string text = form;
            text.replace(text.find('%'), 1, unit);
            if (word.ends_with(text) || word.find(text + " ") != std::string::npos)
                return true;
        }
        return false;
    };
    if (word.find("milli") != std::string::npos || bracketed("ms") || bracketed("msec"))
        return TimeForm::milliseconds;
    if (word.find("micro") != std::string::npos || bracketed("us") || bracketed("usec") || bracketed("\xC2\xB5s"))
        return TimeForm::microseconds;
    if (word.find("nano") != std::string::npos || bracketed("ns") || bracketed("nsec"))
        return TimeForm::nanoseconds;
    if (word.find("second") != std::string::npos || bracketed("s") || bracketed("sec"))
        return TimeForm::seconds;
    return {};
}

std::optional<Base> baseOf(std::string_view head)
{
    const std::string word = lowered(head);
    if (word.find("hex") != std::string::npos || word.find("0x") != std::string::npos)
        return Base::hexadecimal;
    if (word.find("dec") != std::string::npos)
        return Base::decimal;
    return {};
}

}  // namespace wavetrope::formats
