// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/rules_json.h"

#include <algorithm>
#include <charconv>
#include <set>

#include "base/nearest_name.h"
#include "base/time_text.h"

namespace wavetrope::rig {

namespace {

using rules::ConditionKind;

constexpr std::size_t mostConditions = 10'000, mostRecordings = 1'000;

// The field that says what a condition hangs on.
struct Kind {
    const char* field;
    ConditionKind kind;
};
constexpr Kind conditionKinds[] = {
    {"when", ConditionKind::frames},
    {"silent", ConditionKind::silent},
    {"load", ConditionKind::load},
    {"state", ConditionKind::state},
    {"run", ConditionKind::begins},
    {"after", ConditionKind::after},
    {"every", ConditionKind::every},
    {"disk", ConditionKind::disk},
    {"frames", ConditionKind::lost},
    {"key", ConditionKind::key},
    {"word", ConditionKind::word},
};

void needBus(const JsonReader& in, const std::string& name, const Rig& rig)
{
    std::vector<std::string> names;
    for (const BusSpec& bus : rig.buses)
        names.push_back(bus.name);
    if (std::find(names.begin(), names.end(), name) == names.end())
        JsonReader::fail(in.placeOf("bus"), "the rig has no bus '" + name + "'", didYouMean(name, names));
}

Time needSpan(const JsonReader& in, const char* field, const char* what)
{
    const Time span = in.span(field);
    if (span.count() <= 0)
        JsonReader::fail(in.placeOf(field), std::string("expected ") + what + ", such as \"100 ms\"");
    return span;
}

void needWord(const JsonReader& in, const char* field, const char* word)
{
    if (in.needText(field) != word)
        JsonReader::fail(in.placeOf(field), "expected \"" + std::string(word) + "\"");
}

EventSpec conditionOf(const JsonReader& in, const Rig& rig)
{
    EventSpec out;
    out.name = in.needText("name");
    const Kind* found = nullptr;
    for (const Kind& kind : conditionKinds) {
        if (!in.has(kind.field))
            continue;
        if (found != nullptr)
            in.wrong(
                std::string("a condition hangs on one thing, and this one has both \"") + found->field + "\" and \"" + kind.field + "\"",
                "Make two of it, and join them where they are used");
        found = &kind;
    }
    if (found == nullptr)
        JsonReader::fail(in.placeOf("when"), "expected what the condition hangs on",
            "One of \"when\", \"silent\", \"load\", \"state\", \"run\", \"after\", \"every\", \"disk\", \"frames\", \"key\" and \"word\"");
    out.kind = found->kind;
    out.stays = in.span("stays");
    switch (out.kind) {
    case ConditionKind::frames:
        out.when = in.needText("when");
        out.hold = in.span("for");
        break;
    case ConditionKind::silent:
        out.when = in.text("silent");
        out.hold = needSpan(in, "for", "how long nothing came");
        break;
    case ConditionKind::load: {
        const JsonReader load = in.at("load");
        out.bus = load.needText("bus");
        needBus(load, out.bus, rig);
        out.above = load.at("above").number();
        if (!(out.above >= 0 && out.above <= 100))
            load.at("above").wrong("expected a share of 0 to 100 percent");
        out.hold = needSpan(load, "over", "the span of the load");
        if (out.hold > rules::longestLoadSpan)
            load.at("over").wrong("expected a span of 60 s at the most");
        break;
    }
    case ConditionKind::state: {
        out.bus = in.needText("bus");
        needBus(in, out.bus, rig);
        constexpr const char* states[] = {"error passive", "bus off", "gone"};
        out.state = static_cast<rules::BusState>(in.at("state").word(states));
        break;
    }
    case ConditionKind::begins: needWord(in, "run", "begins"); break;
    case ConditionKind::after: out.hold = in.span("after"); break;
    case ConditionKind::every:
        out.hold = needSpan(in, "every", "how often");
        if (out.hold < std::chrono::microseconds(1))
            in.at("every").wrong("expected 1 us or more");
        break;
    case ConditionKind::disk: needWord(in, "disk", "nearly full"); break;
    case ConditionKind::lost:
        needWord(in, "frames", "lost");
        out.bus = in.text("bus");
        if (!out.bus.empty())
            needBus(in, out.bus, rig);
        break;
    case ConditionKind::key: out.word = in.needText("key"); break;
    case ConditionKind::word: out.word = in.needText("word"); break;
    }
    return out;
}

rules::Margin marginOf(const JsonReader& in, const char* field)
{
    const auto member = in.find(field);
    if (!member)
        return {};
    if (member->json().is_string())
        if (const auto margin = marginFromText(member->text()))
            return *margin;
    if (!member->json().is_number())
        member->wrong("expected a time or a number of frames, such as \"2 s\" or \"200 frames\"");
    return {member->span(), 0, false};
}

std::uint64_t sizeOf(const JsonReader& in, const char* field)
{
    const auto member = in.find(field);
    if (!member)
        return 0;
    const auto size = member->json().is_string() ? sizeFromText(member->text()) : std::nullopt;
    if (!size || *size == 0)
        member->wrong("expected a size such as \"200 MB\"");
    return *size;
}

record::FileRules filesOf(const JsonReader& in)
{
    record::FileRules out;
    in.needObject();
    out.pattern = in.text("pattern", out.pattern);
    const auto name = record::fileNameFrom(out.pattern, {});
    if (!name)
        JsonReader::fail(in.placeOf("pattern"), name.error().what, name.error().remedy);
    if (const auto format = formats::formatForName(*name); !format)
        JsonReader::fail(in.placeOf("pattern"), format.error().what, format.error().remedy);
    out.size = sizeOf(in, "size");
    out.frames = in.whole("frames", std::uint64_t{1} << 53U, 0);
    if (in.has("every"))
        out.every = needSpan(in, "every", "how often a new file begins");
    out.midnight = in.flag("midnight");
    out.keep = in.whole("keep", 1'000'000, 0);
    out.total = sizeOf(in, "total");
    out.forGood = in.flag("forGood");
    if (out.forGood && (out.keep > 0 || out.total > 0))
        JsonReader::fail(
            in.placeOf("forGood"), "files that stay for good are not taken away by \"keep\" or \"total\"", "Leave one of them out");
    return out;
}

// What begins with one expression over conditions, and ends with another.
void startAndStopOf(const JsonReader& in, std::span<const std::string> names, std::string& start, std::string& stop)
{
    for (const auto& [field, text] : {std::pair{"start", &start}, std::pair{"stop", &stop}}) {
        *text = in.text(field);
        if (in.has(field) && text->empty())
            in.at(field).wrong("expected an expression over conditions, such as \"chatter and not quiet\"");
        if (text->empty())
            continue;
        if (const auto terms = rules::Terms::parse(*text, names); !terms)
            JsonReader::fail(
                in.placeOf(field), "column " + std::to_string(terms.error().column) + ": " + terms.error().what, terms.error().remedy);
    }
}

RecordingSpec recordingOf(const JsonReader& in, std::span<const std::string> names)
{
    RecordingSpec out;
    out.name = in.needText("name");
    out.keep = in.text("keep");
    startAndStopOf(in, names, out.start, out.stop);
    out.before = marginOf(in, "before");
    out.after = marginOf(in, "after");
    if (const auto again = in.find("again"))
        out.again = again->flag();
    if (const auto files = in.find("files"))
        out.files = filesOf(*files);
    return out;
}

}  // namespace

void readRules(const JsonReader& in, Rig& rig)
{
    in.each("events", [&](const JsonReader& event) {
        rig.events.push_back(conditionOf(event, rig));
        if (rig.events.size() > mostConditions)
            event.wrong("a rig has 10,000 conditions at the most");
    });
    std::vector<std::string> names;
    for (const EventSpec& event : rig.events)
        names.push_back(event.name);
    std::set<std::string> recordings;
    in.each("recordings", [&](const JsonReader& recording) {
        rig.recordings.push_back(recordingOf(recording, names));
        if (!recordings.insert(rig.recordings.back().name).second)
            JsonReader::fail(recording.placeOf("name"), "there are two recordings called '" + rig.recordings.back().name + "'",
                "Give one of them another name");
        if (rig.recordings.size() > mostRecordings)
            recording.wrong("a rig has 1,000 recordings at the most");
    });
    if (const auto playback = in.find("playback"))
        startAndStopOf(*playback, names, rig.playback.start, rig.playback.stop);
    if (rig.recordings.empty() && rig.playback == PlaybackSpec{})
        return;
    std::sort(names.begin(), names.end());
    if (const auto twice = std::adjacent_find(names.begin(), names.end()); twice != names.end())
        JsonReader::fail(in.placeOf("events"), "there are two conditions called '" + *twice + "'", "Give one of them another name");
}

std::optional<std::uint64_t> sizeFromText(std::string_view text)
{
    double number = 0;
    const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), number);
    if (code != std::errc{} || !(number >= 0))
        return std::nullopt;
    std::string_view unit(end, static_cast<std::size_t>(text.data() + text.size() - end));
    while (unit.starts_with(' '))
        unit.remove_prefix(1);
    constexpr std::pair<std::string_view, double> units[] = {{"B", 1}, {"kB", 1e3}, {"MB", 1e6}, {"GB", 1e9}, {"TB", 1e12}};
    for (const auto& [name, factor] : units)
        if (unit == name && number * factor < 9e18)
            return static_cast<std::uint64_t>(number * factor + 0.5);
    return std::nullopt;
}

std::optional<rules::Margin> marginFromText(std::string_view text)
{
    std::uint64_t frames = 0;
    const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), frames);
    std::string_view unit(end, static_cast<std::size_t>(text.data() + text.size() - end));
    while (unit.starts_with(' '))
        unit.remove_prefix(1);
    if (code == std::errc{} && (unit == "frames" || unit == "frame") && frames <= 1'000'000'000)
        return rules::Margin{Time{0}, frames, true};
    const auto span = spanFromText(text);
    if (!span || span->count() < 0)
        return std::nullopt;
    return rules::Margin{*span, 0, false};
}

std::string marginText(const rules::Margin& margin)
{
    return margin.byFrames ? std::to_string(margin.frames) + (margin.frames == 1 ? " frame" : " frames") : exactSpanText(margin.span);
}

}  // namespace wavetrope::rig
