// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/manipulation.h"

#include <vector>

#include "base/time_text.h"
#include "base/trimmed.h"

namespace wavetrope::drive {

namespace {

constexpr const char* manipulationForm = "Such as \"BladeUnit BladeState.BladeDepth = 3.5 from 10s to 12s\"";

// Words parted by blanks; what stands in quotes holds together, and keeps them.
std::vector<std::string> manipulationWords(std::string_view text)
{
    std::vector<std::string> out;
    bool quoted = false, open = false;
    for (const char c : text) {
        if (c == '"')
            quoted = !quoted;
        if (!quoted && (c == ' ' || c == '\t')) {
            open = false;
            continue;
        }
        if (!open)
            out.emplace_back();
        open = true;
        out.back() += c;
    }
    return out;
}

std::string withoutQuotes(const std::string& word)
{
    return word.size() >= 2 && word.front() == '"' && word.back() == '"' ? word.substr(1, word.size() - 2) : word;
}

}  // namespace

Expected<Manipulation> manipulationFromText(std::string_view text)
{
    Manipulation out;
    out.text = trimmed(text);
    const auto wrong = [&](const std::string& what) { return fail("'" + out.text + "': " + what, {}, manipulationForm); };
    std::size_t equals = std::string::npos;
    bool quoted = false;
    for (std::size_t i = 0; i < out.text.size() && equals == std::string::npos; ++i) {
        quoted = quoted != (out.text[i] == '"');
        if (out.text[i] == '=' && !quoted)
            equals = i;
    }
    if (equals == std::string::npos)
        return wrong("expected a node, a signal of it, = and a value");
    const std::vector<std::string> left = manipulationWords(std::string_view(out.text).substr(0, equals));
    if (left.size() != 2)
        return wrong("expected a node and MESSAGE.SIGNAL in front of the =");
    out.node = withoutQuotes(left[0]);
    const std::size_t dot = left[1].rfind('.');
    if (dot == std::string::npos || dot == 0 || dot + 1 == left[1].size())
        return wrong("'" + left[1] + "' is no MESSAGE.SIGNAL");
    out.message = withoutQuotes(left[1].substr(0, dot));
    out.signal = withoutQuotes(left[1].substr(dot + 1));
    std::vector<std::string> right = manipulationWords(std::string_view(out.text).substr(equals + 1));
    // From the end: a time is one word, or a number and its unit.
    for (const auto& [word, moment] : {std::pair("to", &out.to), std::pair("from", &out.from)})
        for (const std::size_t words : {1U, 2U})
            if (right.size() > words && right[right.size() - words - 1] == word) {
                const std::string typed = words == 1 ? right.back() : right[right.size() - 2] + " " + right.back();
                const auto span = spanFromText(typed);
                if (!span || span->count() < 0)
                    return wrong("'" + typed + "' is no time of the run");
                *moment = *span;
                right.resize(right.size() - words - 1);
                break;
            }
    if (out.from && out.to && *out.to < *out.from)
        return wrong("it ends before it begins");
    for (const std::string& word : right)
        out.value += (out.value.empty() ? "" : " ") + word;
    if (out.value.empty())
        return wrong("expected a value behind the =");
    return out;
}

}  // namespace wavetrope::drive
