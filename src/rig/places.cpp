// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/places.h"

#include <algorithm>
#include <cstdio>

#include "base/nearest_name.h"
#include "base/time_text.h"

namespace wavetrope::rig {

namespace {

constexpr std::size_t mostVariables = 4;

// "open since 12.3 s, closed = 0, trim = 0".
std::string doing(const drive::NodeFacts& facts, Time begins)
{
    std::string words;
    if (!facts.states.empty())
        words = facts.states.back().state + " since " + spanText(facts.states.back().time - begins);
    std::size_t told = 0;
    for (const auto& [name, value] : facts.variables) {
        if (++told > mostVariables)
            return words + ", and more";
        char text[40];
        std::snprintf(text, sizeof text, "%.6g", value);
        words += (words.empty() ? "" : ", ") + name + " = " + text;
    }
    return words;
}

// The log's frames of a node go to the buses of the same name, or no longer. False where no bus of it is in the log.
bool route(Session& session, const drive::ActorReport& node, bool plays)
{
    drive::Playback& playback = session.playback();
    auto routes = playback.routes();
    bool any = false, others = false;
    const auto logBuses = playback.log() != nullptr ? playback.log()->buses() : std::vector<trace::TraceBus>();
    for (std::size_t i = 0; i < logBuses.size(); ++i) {
        const int bus = session.catalog()->findBus(logBuses[i].name);
        if (bus < 0 || std::find(node.buses.begin(), node.buses.end(), static_cast<std::uint8_t>(bus)) == node.buses.end())
            continue;
        any = true;
        // The route that leads there, or one that leads nowhere yet, or another one.
        const auto leads = [&](int to) {
            return std::find_if(routes.begin(), routes.end(),
                [&](const drive::Route& route) { return route.from == static_cast<int>(i) && route.to == to; });
        };
        auto found = leads(bus);
        if (found == routes.end())
            found = leads(-1);
        if (found == routes.end())
            found = routes.insert(routes.end(), drive::Route{static_cast<int>(i)});
        drive::Route& of = *found;
        const drive::Route before = of;
        const auto named = std::find(of.nodes.begin(), of.nodes.end(), node.name);
        if (of.to < 0 && plays)
            of = {of.from, bus, drive::Senders::only, {node.name}};
        else if (of.to >= 0 && of.senders == drive::Senders::all && !plays) {
            of.senders = drive::Senders::except;
            of.nodes = {node.name};
        } else if (of.to >= 0 && of.senders != drive::Senders::all) {
            const bool list = (of.senders == drive::Senders::only) == plays;
            if (list && named == of.nodes.end())
                of.nodes.push_back(node.name);
            else if (!list && named != of.nodes.end())
                of.nodes.erase(named);
            if (of.nodes.empty()) {
                if (of.senders == drive::Senders::only)
                    of.to = -1;
                of.senders = drive::Senders::all;
            }
        }
        others = others || of.to != before.to || of.senders != before.senders || of.nodes != before.nodes;
    }
    if (others && plays)
        session.routed().insert(node.name);
    if (others) {
        const bool playing = playback.playing(), chosen = playback.chosen() > 0;
        const Time at = playback.position();
        playback.route(std::move(routes));
        if (chosen)     // it stands where it stood
            playback.seek(at);
        if (playing)
            playback.play();
    }
    return any;
}

}  // namespace

const char* toText(NodePlace place)
{
    constexpr const char* words[] = {"simulated", "played back", "outside", "off"};
    return words[static_cast<unsigned>(place)];
}

Expected<std::string> setPlace(Session& session, const std::string& name, NodePlace place)
{
    drive::Actor* node = session.actor(name);
    const drive::ActorReport report = node != nullptr ? node->report() : drive::ActorReport{};
    const auto* facts = report.as<drive::NodeFacts>();
    if (facts == nullptr) {
        std::vector<std::string> names;
        for (const NodeReport& one : session.nodeReports())
            names.push_back(one.name);
        return fail("the rig has no node '" + name + "'", {}, didYouMean(name, names));
    }
    const bool plays = place == NodePlace::playedBack;
    if (plays && !session.playback().loaded())
        return fail("playback holds no log that could send for " + name, {}, "Load one into playback first");
    // Whoever simulates it goes before the log comes, and the other way round, so that nobody sends twice.
    if (place != NodePlace::simulated)
        node->setOn(false);
    // What somebody has routed by hand stays as it is.
    if (plays && !route(session, report, true)) {
        node->setOn(report.on);
        return fail("no bus of " + name + " is in the log that playback holds");
    }
    if (!plays && session.routed().erase(name) > 0)
        (void)route(session, report, false);
    session.absent().erase(name);
    if (place == NodePlace::off)
        session.absent().insert(name);
    if (place == NodePlace::simulated)
        node->setOn(true);
    return doing(*facts, session.begins());
}

}  // namespace wavetrope::rig
