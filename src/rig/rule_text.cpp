// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/rule_text.h"

#include <algorithm>
#include <charconv>
#include <set>
#include <vector>

#include "base/joined.h"
#include "base/number_text.h"
#include "base/time_text.h"
#include "base/trimmed.h"
#include "rig/rules_json.h"

namespace wavetrope::rig {

namespace {

using rules::ConditionKind;

// Cuts "<word> SPAN" off the end of a text, outside of quotes.
std::optional<Time> cutSpan(std::string& text, std::string_view word)
{
    const std::string marked = " " + std::string(word) + " ";
    const std::size_t at = text.rfind(marked);
    if (at == std::string::npos || std::count(text.begin() + static_cast<std::ptrdiff_t>(at), text.end(), '"') != 0)
        return std::nullopt;
    const auto span = spanFromText(std::string_view(text).substr(at + marked.size()));
    // A number without a unit belongs to what stands before.
    if (!span || span->count() < 0 || text.find_first_not_of("0123456789. ", at + marked.size()) == std::string::npos)
        return std::nullopt;
    text = trimmed(text.substr(0, at));
    return span;
}

bool cutFront(std::string& text, std::string_view front)
{
    if (!text.starts_with(front))
        return false;
    text = trimmed(std::string_view(text).substr(front.size()));
    return true;
}

Expected<void> needBusIn(const Rig& rig, const std::string& bus)
{
    std::vector<std::string> names;
    for (const BusSpec& spec : rig.buses) {
        if (spec.name == bus)
            return {};
        names.push_back(spec.name);
    }
    return fail("the rig has no bus '" + bus + "'", {}, names.empty() ? "It has none" : "It has " + joined(names));
}

std::string shortNumber(double number)
{
    std::string out;
    appendNumber(out, number);
    return out;
}

std::string sizeText(std::uint64_t bytes)
{
    constexpr std::pair<std::uint64_t, const char*> units[] = {
        {1'000'000'000'000, "TB"}, {1'000'000'000, "GB"}, {1'000'000, "MB"}, {1000, "kB"}};
    for (const auto& [factor, name] : units)
        if (bytes >= factor && bytes % (factor / 1000) == 0)
            return shortNumber(static_cast<double>(bytes) / static_cast<double>(factor)) + " " + name;
    return std::to_string(bytes) + " B";
}

std::vector<std::string> alternatives(const std::string& text)
{
    std::vector<std::string> out;
    for (std::size_t at = 0; at <= text.size();) {
        const std::size_t end = std::min(text.find(" or ", at), text.size());
        if (std::string part = trimmed(std::string_view(text).substr(at, end - at)); !part.empty())
            out.push_back(std::move(part));
        at = end + 4;
    }
    return out;
}

// "20 files": the number.
std::optional<std::uint64_t> counted(const std::string& text, std::string_view singular, std::string_view plural)
{
    std::uint64_t number = 0;
    const auto [end, bad] = std::from_chars(text.data(), text.data() + text.size(), number);
    const std::string unit = trimmed(std::string_view(end, static_cast<std::size_t>(text.data() + text.size() - end)));
    if (bad != std::errc{} || number == 0 || (unit != singular && unit != plural))
        return std::nullopt;
    return number;
}

}  // namespace

std::string conditionText(const EventSpec& is)
{
    rules::ConditionRule rule;
    rule.kind = is.kind;
    rule.span = is.hold;
    rule.percent = is.above;
    rule.state = is.state;
    rule.word = is.word;
    rule.text = is.when;
    rule.busName = is.bus;
    std::string out = rule.words();
    if (is.stays.count() > 0)
        out += ", stays " + exactSpanText(is.stays);
    return out;
}

Expected<EventSpec> conditionFromText(const std::string& name, const std::string& text, const Rig& rig)
{
    EventSpec out;
    out.name = trimmed(name);
    std::string rest = trimmed(text);
    if (rest.empty())
        return fail("expected what it hangs on", {}, "For example a filter, such as Chatter > 6 mm/s for 100 ms");
    if (const auto stays = cutSpan(rest, "stays")) {
        out.stays = *stays;
        if (rest.ends_with(','))
            rest = trimmed(std::string_view(rest).substr(0, rest.size() - 1));
    }
    if (cutFront(rest, "no frame of ") || cutFront(rest, "no frame ")) {
        rest = " " + rest;      // so that "for" may stand first
        const auto hold = cutSpan(rest, "for");
        if (!hold || hold->count() <= 0)
            return fail("expected for how long nothing comes", {}, "For example no frame of id 0x120 for 60 ms");
        out.kind = ConditionKind::silent;
        out.hold = *hold;
        out.when = rest == "any frame" ? std::string() : rest;
        return out;
    }
    if (cutFront(rest, "load of ")) {
        const char* example = "For example load of Implement above 80 % over 20 ms";
        const auto over = cutSpan(rest, "over");
        const std::size_t above = rest.rfind(" above ");
        if (!over || over->count() <= 0 || *over > rules::longestLoadSpan || above == std::string::npos)
            return fail("expected a bus, a share and a span of 60 s at the most", {}, example);
        std::string share = trimmed(std::string_view(rest).substr(above + 7));
        if (share.ends_with('%'))
            share = trimmed(std::string_view(share).substr(0, share.size() - 1));
        const auto [end, bad] = std::from_chars(share.data(), share.data() + share.size(), out.above);
        if (bad != std::errc{} || end != share.data() + share.size() || !(out.above >= 0 && out.above <= 100))
            return fail("expected a share of 0 to 100 percent", {}, example);
        out.kind = ConditionKind::load;
        out.hold = *over;
        out.bus = trimmed(std::string_view(rest).substr(0, above));
        if (const auto known = needBusIn(rig, out.bus); !known)
            return tl::unexpected(known.error());
        return out;
    }
    for (const rules::BusState state : {rules::BusState::errorPassive, rules::BusState::busOff, rules::BusState::gone})
        if (const std::string ending = std::string(" is ") + rules::toText(state); rest.ends_with(ending)) {
            out.kind = ConditionKind::state;
            out.state = state;
            out.bus = trimmed(std::string_view(rest).substr(0, rest.size() - ending.size()));
            if (const auto known = needBusIn(rig, out.bus); !known)
                return tl::unexpected(known.error());
            return out;
        }
    if (rest == "the run begins" || rest == "run begins") {
        out.kind = ConditionKind::begins;
        return out;
    }
    if (rest == "from the run's begin on") {
        out.kind = ConditionKind::after;
        return out;
    }
    if (rest.ends_with(" behind the run's begin") || rest.starts_with("after ")) {
        const std::string span = rest.starts_with("after ") ? rest.substr(6) : rest.substr(0, rest.find(" behind the run's begin"));
        if (const auto read = spanFromText(span); read && read->count() >= 0) {
            out.kind = ConditionKind::after;
            out.hold = *read;
            return out;
        }
    }
    // "every 10" is a filter that thins; with a unit of time it is a moment that comes again.
    if (rest.starts_with("every ") && rest.find_first_not_of("0123456789. ", 6) != std::string::npos)
        if (const auto read = spanFromText(std::string_view(rest).substr(6))) {
            if (*read < std::chrono::microseconds(1))
                return fail("expected 1 us or more");
            out.kind = ConditionKind::every;
            out.hold = *read;
            return out;
        }
    if (rest == "the disk is nearly full" || rest == "disk nearly full") {
        out.kind = ConditionKind::disk;
        return out;
    }
    for (const char* front : {"frames are lost", "frames lost"})
        if (rest == front || rest.starts_with(std::string(front) + " on ")) {
            out.kind = ConditionKind::lost;
            if (rest != front) {
                out.bus = trimmed(std::string_view(rest).substr(std::string_view(front).size() + 4));
                if (const auto known = needBusIn(rig, out.bus); !known)
                    return tl::unexpected(known.error());
            }
            return out;
        }
    for (const auto& [front, kind] :
        {std::pair{"key ", ConditionKind::key}, {"the word ", ConditionKind::word}, {"word ", ConditionKind::word}})
        if (rest.starts_with(front)) {
            out.kind = kind;
            out.word = trimmed(std::string_view(rest).substr(std::string_view(front).size()));
            return out;
        }
    if (const auto hold = cutSpan(rest, "for"))
        out.hold = *hold;
    out.when = rest == "any frame" ? std::string() : rest;
    if (out.when.empty())
        return fail("expected a filter that some frames do not pass", {}, "For example id 0x1F0");
    return out;
}

std::string fieldText(const RecordingSpec& is, RecordingField field)
{
    const auto margin = [](const rules::Margin& of) {
        return (of.byFrames ? of.frames == 0 : of.span.count() == 0) ? std::string() : marginText(of);
    };
    std::vector<std::string> parts;
    switch (field) {
    case RecordingField::name: return is.name;
    case RecordingField::keep: return is.keep;
    case RecordingField::start: return is.start;
    case RecordingField::stop: return is.stop;
    case RecordingField::before: return margin(is.before);
    case RecordingField::after: return margin(is.after);
    case RecordingField::again: return is.again ? "again" : "once";
    case RecordingField::pattern: return is.files.pattern;
    case RecordingField::anew:
        if (is.files.size > 0)
            parts.push_back(sizeText(is.files.size));
        if (is.files.frames > 0)
            parts.push_back(std::to_string(is.files.frames) + " frames");
        if (is.files.every.count() > 0)
            parts.push_back(exactSpanText(is.files.every));
        if (is.files.midnight)
            parts.emplace_back("midnight");
        return joined(parts, " or ");
    case RecordingField::stay:
        if (is.files.forGood)
            return "for good";
        if (is.files.keep > 0)
            parts.push_back(std::to_string(is.files.keep) + (is.files.keep == 1 ? " file" : " files"));
        if (is.files.total > 0)
            parts.push_back(sizeText(is.files.total));
        return joined(parts, " or ");
    }
    return {};
}

Expected<RecordingSpec> withField(RecordingSpec is, RecordingField field, const std::string& typed)
{
    const std::string text = trimmed(typed);
    switch (field) {
    case RecordingField::name:
        if (text.empty())
            return fail("a recording has a name");
        is.name = text;
        break;
    case RecordingField::keep: is.keep = text == "everything" ? std::string() : text; break;
    case RecordingField::start: is.start = text; break;
    case RecordingField::stop: is.stop = text; break;
    case RecordingField::before:
    case RecordingField::after: {
        const auto margin = text.empty() ? rules::Margin{} : marginFromText(text);
        if (!margin || (margin->span.count() > 0 && text.find_first_not_of("0123456789. ") == std::string::npos))
            return fail("expected a time or a number of frames, such as 2 s or 200 frames");
        (field == RecordingField::before ? is.before : is.after) = *margin;
        break;
    }
    case RecordingField::again:
        if (text != "again" && text != "once")
            return fail("expected again or once");
        is.again = text == "again";
        break;
    case RecordingField::pattern: is.files.pattern = text; break;
    case RecordingField::anew: {
        is.files.size = is.files.frames = 0;
        is.files.every = {};
        is.files.midnight = false;
        for (const std::string& part : alternatives(text == "one file" ? std::string() : text)) {
            const auto size = sizeFromText(part);
            const auto span = spanFromText(part);
            if (const auto frames = counted(part, "frame", "frames"))
                is.files.frames = *frames;
            else if (part == "midnight")
                is.files.midnight = true;
            else if (size && *size > 0)
                is.files.size = *size;
            else if (span && span->count() > 0 && part.find_first_not_of("0123456789. ") != std::string::npos)
                is.files.every = *span;
            else
                return fail("expected when a new file begins, such as 200 MB or 1 h or 1000 frames or midnight");
        }
        break;
    }
    case RecordingField::stay: {
        is.files.keep = is.files.total = 0;
        is.files.forGood = text == "for good";
        for (const std::string& part : alternatives(is.files.forGood || text == "all" ? std::string() : text)) {
            const auto size = sizeFromText(part);
            if (const auto files = counted(part, "file", "files"))
                is.files.keep = *files;
            else if (size && *size > 0)
                is.files.total = *size;
            else
                return fail("expected how many files stay, such as 20 files or 20 GB, or for good");
        }
        break;
    }
    }
    return is;
}

nlohmann::json written(const EventSpec& is, nlohmann::json out)
{
    if (!out.is_object())
        out = nlohmann::json::object();
    for (const char* field :
        {"when", "for", "stays", "silent", "load", "state", "bus", "run", "after", "every", "disk", "frames", "key", "word"})
        out.erase(field);
    out["name"] = is.name;
    const auto span = [&](const char* field, Time time) { out[field] = exactSpanText(time); };
    switch (is.kind) {
    case ConditionKind::frames:
        out["when"] = is.when;
        if (is.hold.count() > 0)
            span("for", is.hold);
        break;
    case ConditionKind::silent:
        out["silent"] = is.when;
        span("for", is.hold);
        break;
    case ConditionKind::load: out["load"] = {{"bus", is.bus}, {"above", is.above}, {"over", exactSpanText(is.hold)}}; break;
    case ConditionKind::state:
        out["bus"] = is.bus;
        out["state"] = rules::toText(is.state);
        break;
    case ConditionKind::begins: out["run"] = "begins"; break;
    case ConditionKind::after: span("after", is.hold); break;
    case ConditionKind::every: span("every", is.hold); break;
    case ConditionKind::disk: out["disk"] = "nearly full"; break;
    case ConditionKind::lost:
        out["frames"] = "lost";
        if (!is.bus.empty())
            out["bus"] = is.bus;
        break;
    case ConditionKind::key: out["key"] = is.word; break;
    case ConditionKind::word: out["word"] = is.word; break;
    }
    if (is.stays.count() > 0)
        span("stays", is.stays);
    return out;
}

nlohmann::json written(const RecordingSpec& is, nlohmann::json out)
{
    if (!out.is_object())
        out = nlohmann::json::object();
    out["name"] = is.name;
    const auto put = [](nlohmann::json& in, const char* field, const nlohmann::json& value, bool there) {
        if (there)
            in[field] = value;
        else
            in.erase(field);
    };
    for (const auto& [field, value] : {std::pair{"keep", RecordingField::keep}, {"start", RecordingField::start},
             {"stop", RecordingField::stop}, {"before", RecordingField::before}, {"after", RecordingField::after}}) {
        const std::string text = fieldText(is, value);
        put(out, field, text, !text.empty());
    }
    put(out, "again", false, !is.again);
    nlohmann::json files = out.value("files", nlohmann::json::object());
    if (!files.is_object())
        files = nlohmann::json::object();
    put(files, "pattern", is.files.pattern, is.files.pattern != record::FileRules{}.pattern);
    put(files, "size", sizeText(is.files.size), is.files.size > 0);
    put(files, "frames", is.files.frames, is.files.frames > 0);
    put(files, "every", exactSpanText(is.files.every), is.files.every.count() > 0);
    put(files, "midnight", true, is.files.midnight);
    put(files, "keep", is.files.keep, is.files.keep > 0);
    put(files, "total", sizeText(is.files.total), is.files.total > 0);
    put(files, "forGood", true, is.files.forGood);
    put(out, "files", files, !files.empty());
    return out;
}

RuleDocument rulesIn(const Rig& rig)
{
    const auto list = [&](const char* field) {
        const auto found = rig.document.find(field);
        return found != rig.document.end() && found->is_array() ? *found : nlohmann::json::array();
    };
    const auto playback = rig.document.find("playback");
    const bool any = playback != rig.document.end() && playback->is_object();
    return {list("events"), list("recordings"), any ? *playback : nlohmann::json::object()};
}

Expected<void> setRules(Rig& rig, const RuleDocument& rules)
{
    Rig next;
    next.buses = rig.buses;
    next.document = {{"events", rules.events}, {"recordings", rules.recordings}, {"playback", rules.playback}};
    try {
        readRules(JsonReader(next.document), next);
    } catch (const JsonFailure& failure) {
        return tl::unexpected(failure.error);
    }
    std::set<std::string> names;
    for (const EventSpec& condition : next.events)
        if (!names.insert(condition.name).second)
            return fail("there are two conditions called '" + condition.name + "'", "/events", "Give one of them another name");
    rig.events = std::move(next.events);
    rig.recordings = std::move(next.recordings);
    rig.playback = std::move(next.playback);
    for (const auto& [field, list] :
        {std::pair{"events", &rules.events}, {"recordings", &rules.recordings}, {"playback", &rules.playback}}) {
        if (list->empty())
            rig.document.erase(field);
        else
            rig.document[field] = *list;
    }
    return {};
}

}  // namespace wavetrope::rig
