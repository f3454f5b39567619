// SPDX-License-Identifier: GPL-3.0-or-later
#include "record/file_pattern.h"

#include <ctime>

namespace wavetrope::record {

namespace {

constexpr std::size_t longestName = 120;

std::string numberText(std::uint64_t number)
{
    const std::string digits = std::to_string(number);
    return digits.size() < 3 ? std::string(3 - digits.size(), '0') + digits : digits;
}

std::string dateText(Time time, bool utc)
{
    const auto seconds = static_cast<std::time_t>(std::chrono::floor<std::chrono::seconds>(time).count());
    std::tm parts{};
    (utc ? gmtime_r(&seconds, &parts) : localtime_r(&seconds, &parts));
    char text[40];
    const std::size_t length = std::strftime(text, sizeof text, "%Y%m%d-%H%M%S", &parts);
    return {text, length};
}

}  // namespace

std::string fileNameOf(const std::string& name)
{
    std::string out;
    for (const char c : name)
        out += c == '/' || static_cast<unsigned char>(c) < 0x20 || c == 0x7F ? '_' : c;
    if (out.size() > longestName) {
        out.resize(longestName);
        while (!out.empty() && (static_cast<unsigned char>(out.back()) & 0xC0U) == 0x80U)
            out.pop_back();  // no half of a letter
        if (!out.empty() && static_cast<unsigned char>(out.back()) >= 0xC0U)
            out.pop_back();
    }
    return out;
}

Expected<std::string> fileNameFrom(const std::string& pattern, const FileFacts& facts)
{
    std::string out;
    for (std::size_t at = 0; at < pattern.size(); ++at) {
        if (pattern[at] != '{') {
            out += pattern[at];
            continue;
        }
        const std::size_t end = pattern.find('}', at);
        if (end == std::string::npos)
            return fail("the name '" + pattern + "' has a { without its }");
        const std::string part = pattern.substr(at + 1, end - at - 1);
        if (part == "recording")
            out += facts.recording;
        else if (part == "condition")
            out += facts.condition;
        else if (part == "take")
            out += numberText(facts.take);
        else if (part == "number")
            out += numberText(facts.number);
        else if (part == "date")
            out += dateText(facts.begins, facts.utc);
        else
            return fail("the name '" + pattern + "' asks for {" + part + "}", {},
                "There are {recording}, {condition}, {take}, {number} and {date}");
        at = end;
    }
    // The ending says the format: it stays where the rest is too long.
    const std::size_t dot = out.find('.', out.rfind('-') == std::string::npos ? 0 : out.rfind('-'));
    const std::string ending = dot == std::string::npos || out.size() - dot > 40 ? std::string() : out.substr(dot);
    std::string name = fileNameOf(out.substr(0, out.size() - ending.size())) + fileNameOf(ending);
    if (name.empty() || name.front() == '.')
        name = "_" + name;  // hidden, nobody would find it
    return name;
}

}  // namespace wavetrope::record
