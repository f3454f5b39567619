// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/conditions.h"

#include <algorithm>

namespace wavetrope::rig {

bool framesTell(rules::ConditionKind kind)
{
    using rules::ConditionKind;
    return kind == ConditionKind::frames || kind == ConditionKind::silent || kind == ConditionKind::load || kind == ConditionKind::begins
           || kind == ConditionKind::after || kind == ConditionKind::every;
}

EventConditions conditionsOf(const Rig& rig, const std::shared_ptr<const database::Catalog>& catalog)
{
    EventConditions out;
    const auto named = rig.namedFilters();
    for (std::size_t i = 0; i < rig.events.size(); ++i) {
        const EventSpec& event = rig.events[i];
        if (event.kind != rules::ConditionKind::frames) {
            if (!framesTell(event.kind))
                continue;
            rules::ConditionRule rule{
                event.name, event.kind, {}, event.hold, {}, -1, event.above, event.state, {}, event.when, event.bus, true};
            if (event.kind == rules::ConditionKind::silent) {
                auto silent = filter::Filter::compile(event.when, catalog, {&named});
                if (!silent)
                    continue;       // it is named where the rules are
                rule.filter = std::move(*silent);
            }
            if (!event.bus.empty())
                rule.bus = catalog->findBus(event.bus);
            if (event.bus.empty() || rule.bus >= 0)
                out.rules.push_back(std::move(rule));
            continue;
        }
        auto filter = filter::Filter::compile(event.when, catalog, {&named});
        if (filter) {
            out.conditions.push_back({event.name, std::move(*filter), event.hold});
            continue;
        }
        Error error = filter.error();
        error.where = "event " + event.name + ", /events/" + std::to_string(i) + "/when";
        out.unknown.emplace_back(event.name, std::move(error));
    }
    return out;
}

CompiledRules rulesOf(const Rig& rig, const std::shared_ptr<const database::Catalog>& catalog, const std::vector<std::string>& buses)
{
    CompiledRules out;
    const auto named = rig.namedFilters();
    std::vector<std::string> names;
    const auto unknown = [&](Error error, const std::string& what, const std::string& place) {
        error.where = what + ", " + place;
        out.unknown.push_back(std::move(error));
    };
    const auto busOf = [&](const std::string& name) {
        const auto found = std::find(buses.begin(), buses.end(), name);
        return found == buses.end() ? -1 : static_cast<int>(found - buses.begin());
    };
    for (std::size_t i = 0; i < rig.events.size(); ++i) {
        const EventSpec& event = rig.events[i];
        names.push_back(event.name);
        rules::ConditionRule rule{
            event.name, event.kind, {}, event.hold, event.stays, -1, event.above, event.state, event.word, event.when, event.bus, true};
        const std::string place = "/events/" + std::to_string(i);
        if (event.kind == rules::ConditionKind::frames || event.kind == rules::ConditionKind::silent) {
            auto filter = filter::Filter::compile(event.when, catalog, {&named});
            rule.known = filter.has_value();
            if (filter)
                rule.filter = std::move(*filter);
            else
                unknown(filter.error(), "event " + event.name, place + (event.kind == rules::ConditionKind::frames ? "/when" : "/silent"));
        }
        if (!event.bus.empty()) {
            rule.bus = busOf(event.bus);
            rule.known = rule.bus >= 0;
            if (!rule.known)
                unknown({"there is no bus '" + event.bus + "'", {}, 0, 0, {}}, "event " + event.name, place);
        }
        out.set.conditions.push_back(std::move(rule));
    }
    for (std::size_t i = 0; i < rig.recordings.size(); ++i) {
        const RecordingSpec& spec = rig.recordings[i];
        rules::RecordingRule rule{spec.name, {}, {}, {}, spec.before, spec.after, spec.again};
        const std::string place = "/recordings/" + std::to_string(i);
        auto keep = filter::Filter::compile(spec.keep, catalog, {&named});
        bool good = keep.has_value();
        if (keep)
            rule.keep = std::move(*keep);
        else
            unknown(keep.error(), "recording " + spec.name, place + "/keep");
        for (const auto& [text, terms, field] :
            {std::tuple(&spec.start, &rule.start, "/start"), std::tuple(&spec.stop, &rule.stop, "/stop")}) {
            if (text->empty())
                continue;
            auto parsed = rules::Terms::parse(*text, names);
            good = good && parsed.has_value();
            if (parsed)
                *terms = std::move(*parsed);
            else
                unknown(parsed.error(), "recording " + spec.name, place + field);
        }
        if (!good)
            continue;
        out.set.recordings.push_back(std::move(rule));
        out.recordings.push_back(i);
    }
    for (const auto& [text, rule, field] :
        {std::tuple(&rig.playback.start, &out.plays, "/start"), std::tuple(&rig.playback.stop, &out.rests, "/stop")}) {
        if (text->empty())
            continue;
        auto parsed = rules::Terms::parse(*text, names);
        if (parsed)
            *rule = rules::RecordingRule{"playback", {}, std::move(*parsed), {}, {Time{0}, 0, true}, {}, true};
        else
            unknown(parsed.error(), "playback", std::string("/playback") + field);
    }
    return out;
}

}  // namespace wavetrope::rig
