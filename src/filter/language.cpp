// SPDX-License-Identifier: GPL-3.0-or-later
#include "filter/language.h"

#include <algorithm>
#include <array>
#include <vector>

namespace wavetrope::filter {

namespace {

using ConstructKind = Construct::Kind;

constexpr std::array table = {
    Construct{"id", ConstructKind::condition, "id 0x1F0", "frames of one identifier; `1F0`, `1F0h` and `0x1f0` are the same"},
    Construct{"id", ConstructKind::condition, "id 0x200..0x2FF", "a range, both ends included"},
    Construct{"id", ConstructKind::condition, "id 0x1A0 mask 0x7F0", "identifiers that agree with 0x1A0 in the bits of the mask"},
    Construct{
        "name", ConstructKind::condition, "name Blade*", "messages by name; `*` is any run of characters, `?` one; capitals do not matter"},
    Construct{"from", ConstructKind::condition, "from WaterUnit", "messages that the database says this node sends"},
    Construct{"bus", ConstructKind::condition, "bus Implement", "frames of one bus"},
    Construct{"kind", ConstructKind::condition, "kind data", "by kind of frame: data, fd, remote, error"},
    Construct{"sent", ConstructKind::condition, "sent", "frames that this machine sent; a log without directions has none"},
    Construct{"received", ConstructKind::condition, "received", "frames that this machine received"},
    Construct{"undecoded", ConstructKind::condition, "undecoded", "frames of identifiers that no attached database explains"},
    Construct{"group", ConstructKind::condition, "group 0xFEF1", "29-bit identifiers of one parameter group"},
    Construct{"source", ConstructKind::condition, "source 0x21", "29-bit identifiers from one source address"},
    Construct{"destination", ConstructKind::condition, "destination 0x28",
        "29-bit identifiers sent to one address; those to everybody have none"},
    Construct{"length", ConstructKind::condition, "length 8", "payloads of so many bytes; also `length < 8`, `length between 2 and 4`"},
    Construct{"byte", ConstructKind::condition, "byte 3 = 0x1F",
        "by one byte of the payload, counted from 0; false where the payload is shorter"},
    Construct{"byte", ConstructKind::condition, "byte 3 mask 0xF0", "any of these bits set; `byte 3 mask 0xF0 = 0x30` compares them"},
    Construct{
        "gap", ConstructKind::condition, "gap > 50 ms", "by the time since the previous frame of the same identifier; false on the first"},
    Construct{"time", ConstructKind::condition, "time 12 s .. 14.5 s", "a stretch of time from the start, both ends included"},
    Construct{"within", ConstructKind::condition, "within 20 ms after (Valve = \"open\")",
        "frames at most so long behind the newest earlier frame that the condition passes"},
    Construct{"", ConstructKind::ofSignal, "BladeState.BladeDepth > 4 mm",
        "frames that carry the signal, with a value that compares so: `>`, `>=`, `<`, `<=`, `=`, `!=`"},
    Construct{"", ConstructKind::ofSignal, "BladeDepth > 4", "the same where only one message has a signal of that name"},
    Construct{"", ConstructKind::ofSignal, "Valve = \"open\"", "by the text of a value"},
    Construct{"between", ConstructKind::ofSignal, "BladeDepth between 3 and 4", "values from one to the other, both included"},
    Construct{"changes", ConstructKind::ofSignal, "Valve changes",
        "another value than in the frame of the same identifier before it; false on the first"},
    Construct{"changes", ConstructKind::ofSignal, "BladeDepth changes by 2", "by at least so much"},
    Construct{"rises", ConstructKind::ofSignal, "CylinderPressure rises above 5 bar",
        "the frame in which the value is above, where it was not before"},
    Construct{"falls", ConstructKind::ofSignal, "CylinderPressure falls below 5 bar",
        "the frame in which the value is below, where it was not before"},
    Construct{"not", ConstructKind::joining, "not sent", "what the condition does not pass"},
    Construct{"and", ConstructKind::joining, "sent and bus Body", "what both pass; binds stronger than `or`"},
    Construct{"or", ConstructKind::joining, "id 0x181 or id 0x182", "what either passes"},
    Construct{"", ConstructKind::joining, "(sent or received) and bus Body", "parentheses group"},
    Construct{
        "", ConstructKind::joining, "@shaving and sent", "a filter of the rig by its name; `@\"deep cut\"` where the name has blanks"},
    Construct{"every", ConstructKind::thinning, "bus Body every 10", "every tenth of what the rest passes, beginning with the first"},
    Construct{"every", ConstructKind::thinning, "bus Body every 10 per id", "the same for each identifier"},
    Construct{"first", ConstructKind::thinning, "Valve = \"open\" first", "the first alone; `first per id` the first of each identifier"},
};

}  // namespace

std::span<const Construct> constructs() { return table; }

std::string languageTable(ConstructKind kind)
{
    std::string out = "| write | passes |\n|---|---|\n";
    for (const Construct& construct : table)
        if (construct.kind == kind)
            out += "| `" + std::string(construct.write) + "` | " + std::string(construct.passes) + " |\n";
    return out;
}

bool beginsCondition(std::string_view word)
{
    return !word.empty() && std::any_of(table.begin(), table.end(), [&](const Construct& c) {
        return c.kind == ConstructKind::condition && c.word == word;
    });
}

std::string exampleOf(std::string_view word)
{
    const auto found = std::find_if(
        table.begin(), table.end(), [&](const Construct& c) { return c.kind == ConstructKind::condition && c.word == word; });
    return found == table.end() ? std::string() : std::string(found->write);
}

std::string conditionWordsWithoutDatabase()
{
    std::vector<std::string_view> words;
    for (const Construct& construct : table)
        if (construct.kind == ConstructKind::condition && construct.word != "name" && construct.word != "from"
            && (words.empty() || construct.word != words.back()))
            words.push_back(construct.word);
    std::string out;
    for (std::size_t i = 0; i < words.size(); ++i)
        out += (i == 0 ? "" : i + 1 == words.size() ? " and " : ", ") + std::string(words[i]);
    return out;
}

std::string conditionWords()
{
    std::string out;
    std::string_view last;
    for (const Construct& construct : table) {
        if (construct.kind != ConstructKind::condition || construct.word == last)
            continue;
        last = construct.word;
        out += std::string(last) + ", ";
    }
    return out.substr(0, out.size() - 2) + " or a signal";
}

}  // namespace wavetrope::filter
