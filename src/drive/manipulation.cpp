// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/manipulation.h"

#include <algorithm>
#include <charconv>
#include <chrono>
#include <cmath>
#include <cstdlib>
#include <vector>

#include "base/time_text.h"
#include "base/trimmed.h"

namespace wavetrope::drive {

namespace {

constexpr Time longestDelay = std::chrono::hours(1), leastPeriod = std::chrono::microseconds(1);
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

bool ofWholeMessage(Manipulation::What what)
{
    using What = Manipulation::What;
    return what == What::off || what == What::later || what == What::again || what == What::every || what == What::length;
}

Expected<Manipulation> manipulationFromText(std::string_view text)
{
    using What = Manipulation::What;
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
    std::vector<std::string> left = manipulationWords(std::string_view(out.text).substr(0, equals)), right;
    if (equals != std::string::npos)
        right = manipulationWords(std::string_view(out.text).substr(equals + 1));
    else if (left.size() > 2) {
        right.assign(left.begin() + 2, left.end());
        left.resize(2);
    }
    // From the end: a time is one word, or a number and its unit.
    const std::size_t least = equals != std::string::npos ? 0 : 1;
    for (const auto& [word, name] : {std::pair("in", &out.phase), std::pair("while", &out.holds)})
        if (right.size() > 1 + least && right[right.size() - 2] == word) {
            *name = withoutQuotes(right.back());
            if (name->empty())
                return wrong(std::string("nothing stands behind ") + word);
            right.resize(right.size() - 2);
        }
    for (const auto& [word, moment] : {std::pair("to", &out.to), std::pair("from", &out.from)})
        for (const std::size_t words : {1U, 2U})
            if (right.size() > words + least && right[right.size() - words - 1] == word) {
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
    if (right.size() > 1 + least && (right.back() == "times" || right.back() == "time")) {
        std::uint64_t times = 0;
        const std::string& count = right[right.size() - 2];
        const auto [end, code] = std::from_chars(count.data(), count.data() + count.size(), times);
        if (code != std::errc{} || end != count.data() + count.size() || times == 0)
            return wrong("'" + count + "' is no number of times");
        out.times = times;
        right.resize(right.size() - 2);
    }
    if (equals != std::string::npos) {
        for (const std::string& word : right)
            out.value += (out.value.empty() ? "" : " ") + word;
    } else {
        if (left.size() != 2 || right.empty())
            return wrong("expected a node, a signal of it, = and a value; or a node, a message, and off, later or again");
        const std::string& verb = right.front();
        static constexpr std::pair<const char*, What> verbs[] = {{"+", What::add}, {"-", What::add}, {"*", What::scale},
            {"stuck", What::stuck}, {"wrong", What::wrong}, {"off", What::off}, {"later", What::later}, {"again", What::again},
            {"follows", What::follows}, {"jumps", What::jumps}, {"every", What::every}, {"length", What::length}};
        const auto found = std::find_if(std::begin(verbs), std::end(verbs), [&](const auto& one) { return verb == one.first; });
        if (found == std::end(verbs))
            return wrong("expected a node, a signal of it, = and a value; '" + verb
                         + "' is none of + - * follows jumps stuck wrong off later every again length");
        out.what = found->second;
        std::string operand;
        for (std::size_t i = 1; i < right.size(); ++i)
            operand += (i > 1 ? " " : "") + right[i];
        const bool whole = out.what == What::jumps || out.what == What::length;
        if (out.what == What::add || out.what == What::scale || whole) {
            char* end = nullptr;
            out.number = std::strtod(operand.c_str(), &end);
            if (operand.empty() || *end != '\0' || !std::isfinite(out.number))
                return wrong("'" + operand + "' is no number");
            if (whole
                && (out.number != std::floor(out.number) || std::abs(out.number) > 1e15 || (out.what == What::length && out.number < 0)))
                return wrong("'" + operand + "' is no whole number" + (out.what == What::length ? " of bytes" : ""));
            out.number = verb == "-" ? -out.number : out.number;
        } else if (out.what == What::later || out.what == What::every) {
            const auto span = spanFromText(operand);
            if (!span || span->count() <= 0 || *span > longestDelay)
                return wrong("'" + operand + "' is no " + (out.what == What::every ? "period" : "time to be later by") + ", up to an hour");
            if (out.what == What::every && *span < leastPeriod)
                return wrong("a period is 1 us at least");
            out.delay = *span;
        } else if (out.what == What::follows) {
            out.value = withoutQuotes(operand);
            if (out.value.empty())
                return wrong("expected an expression behind follows");
        } else if (!operand.empty()) {
            return wrong("'" + operand + "' stands behind " + verb);
        }
    }
    if (left.size() != 2)
        return wrong("expected a node and MESSAGE.SIGNAL in front of the =");
    out.node = withoutQuotes(left[0]);
    const std::size_t dot = left[1].rfind('.');
    if (ofWholeMessage(out.what)) {
        out.message = withoutQuotes(left[1]);
    } else {
        if (dot == std::string::npos || dot == 0 || dot + 1 == left[1].size())
            return wrong("'" + left[1] + "' is no MESSAGE.SIGNAL");
        out.message = withoutQuotes(left[1].substr(0, dot));
        out.signal = withoutQuotes(left[1].substr(dot + 1));
    }
    if (out.what == What::hold && out.value.empty())
        return wrong("expected a value behind the =");
    return out;
}

}  // namespace wavetrope::drive
