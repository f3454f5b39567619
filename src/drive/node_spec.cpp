// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/node_spec.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <numbers>

#include "base/json_reader.h"

namespace wavetrope::drive {

namespace {

using nlohmann::json;

constexpr Time shortestCycle = std::chrono::microseconds(20);

CurveSpec curveOf(const JsonReader& in, bool straight)
{
    CurveSpec curve;
    curve.straight = straight;
    if (!in.json().is_array() || in.json().empty())
        in.wrong("expected a list of [time in s, value]");
    for (const json& point : in.json()) {
        if (!point.is_array() || point.size() != 2 || !point[0].is_number() || !point[1].is_number())
            in.wrong("expected pairs [time in s, value]");
        const double time = point[0].get<double>();
        if (!curve.points.empty() && time < curve.points.back().first)
            in.wrong("the times must ascend");
        curve.points.emplace_back(time, point[1].get<double>());
    }
    return curve;
}

}  // namespace

SourceSpec sourceFromJson(const JsonReader& in)
{
    const json& value = in.json();
    if (value.is_number())
        return value.get<double>();
    if (value.is_boolean())
        return value.get<bool>() ? 1.0 : 0.0;
    if (value.is_string())
        return FormulaSpec{value.get<std::string>()};
    if (!value.is_object() || value.size() != 1)
        in.wrong("expected a number, an expression, or one of ramp, sine, steps, table, noise, counter, checksum, label",
            "For example {\"sine\": {\"mean\": 3, \"amplitude\": 1, \"period\": 9}}");
    const std::string form = value.begin().key();
    const JsonReader body(value.begin().value(), in.placeOf(form));
    if (form == "table" || form == "steps")
        return curveOf(body, form == "table");
    if (form == "label") {
        if (!body.json().is_string())
            body.wrong("expected one of the signal's texts");
        return LabelSpec{body.text()};
    }
    if (form == "checksum") {
        static constexpr const char* words[] = {"sum8", "xor8", "crc8"};
        static constexpr Checksum checksums[] = {Checksum::sum8, Checksum::xor8, Checksum::crc8};
        return checksums[body.word(words)];
    }
    if (form != "ramp" && form != "sine" && form != "noise" && form != "counter")
        in.wrong("unknown source '" + form + "'", "Known are ramp, sine, steps, table, noise, counter, checksum and label");
    if (form == "ramp") {
        const double begins = static_cast<double>(body.span("begins").count()) * 1e-9;
        const double lasts = static_cast<double>(body.span("lasts").count()) * 1e-9;
        return CurveSpec{{{begins, body.number("from", 0)}, {begins + lasts, body.number("to", 1)}}, true};
    }
    if (form == "sine") {
        SineSpec sine{body.number("mean", 0), body.number("amplitude", 1), body.number("period", 1), body.number("phase", 0)};
        if (!(sine.period > 0))
            JsonReader::fail(body.placeOf("period"), "expected seconds greater than 0");
        return sine;
    }
    if (form == "noise")
        return NoiseSpec{body.number("mean", 0), body.number("deviation", 1)};
    const double modulo = body.number("modulo", 16);
    if (!(modulo >= 1 && modulo <= 4294967296.0))
        JsonReader::fail(body.placeOf("modulo"), "expected 1 to 2^32");
    return CounterSpec{static_cast<std::uint64_t>(modulo)};
}

namespace {

std::vector<Window> windowsOf(const JsonReader& in, const char* key)
{
    std::vector<Window> windows;
    in.each(key, [&](const JsonReader& pair) {
        if (!pair.json().is_array() || pair.json().size() != 2)
            pair.wrong("expected a pair [from, to] of times");
        windows.emplace_back(JsonReader(pair.json()[0], pair.placeOf("0")).span(), JsonReader(pair.json()[1], pair.placeOf("1")).span());
        if (windows.back().second < windows.back().first)
            pair.wrong("the stretch ends before it begins", "Give the earlier time first");
    });
    return windows;
}

SendSpec sendOf(const JsonReader& in)
{
    SendSpec send;
    send.pointer = in.pointer();
    send.bus = in.text("bus");
    send.message = in.text("message");
    send.identifier = in.text("id");
    const double length = in.number("length", 8);
    send.length = length >= 0 && length <= 64 ? static_cast<unsigned>(length) : 0;
    if (static_cast<double>(send.length) != length || can::lengthOfDlc(can::dlcOfLength(send.length)) != send.length)
        JsonReader::fail(in.placeOf("length"), "expected the length of a frame, 0 to 8, 12, 16, 20, 24, 32, 48 or 64 bytes");
    send.every = in.span("every");
    send.phase = in.span("phase");
    send.jitter = in.span("jitter");
    if (send.every.count() != 0 && send.every < shortestCycle)
        JsonReader::fail(in.placeOf("every"), "expected 20 us or more");
    if (send.message.empty() == send.identifier.empty())
        in.wrong("expected either a message or an id");
    for (const char* members : {"signals", "bytes"})
        in.eachMember(
            members, [&](const std::string& name, const JsonReader& member) { send.values.emplace(name, sourceFromJson(member)); });
    send.silent = windowsOf(in, "silent");
    send.only = windowsOf(in, "only");
    if (const std::string overflow = in.text("overflow"); overflow == "refuse")
        send.overflow = database::Overflow::refuse;
    else if (!overflow.empty() && overflow != "limit")
        JsonReader::fail(in.placeOf("overflow"), "expected limit or refuse",
            "limit sends the nearest value that the bits hold; refuse leaves what was there, and reports it");
    return send;
}

ReactionSpec reactionOf(const JsonReader& in)
{
    ReactionSpec reaction;
    reaction.pointer = in.pointer();
    reaction.when = in.text("when");
    reaction.on = in.text("on");
    if (reaction.when.empty() == reaction.on.empty())
        in.wrong("expected either 'when' with an expression or 'on' with a message");
    reaction.hold = in.span("for");
    in.eachMember("set", [&](const std::string& name, const JsonReader& member) {
        if (!member.json().is_string() && !member.json().is_number())
            member.wrong("expected a number or an expression");
        reaction.set.emplace_back(name, member.json().is_string() ? member.text() : member.json().dump());
    });
    reaction.enter = in.text("enter");
    reaction.wrong = in.flag("wrong");
    reaction.send = in.texts("send");
    reaction.after = in.span("after");
    return reaction;
}

}  // namespace

NodeSpec nodeFromJson(const JsonReader& in)
{
    NodeSpec node;
    node.pointer = in.pointer();
    node.name = in.needText("name");
    node.buses = in.texts("buses");
    node.state = in.text("state");
    node.off = in.flag("off");
    // A list, so that a value can use those that stand before it.
    in.each("values", [&](const JsonReader& value) {
        if (!value.json().is_object() || value.json().size() != 1)
            value.wrong("expected one named value, {\"name\": source}");
        const auto named = value.json().begin();
        node.values.emplace_back(named.key(), sourceFromJson(JsonReader(named.value(), value.placeOf(named.key()))));
    });
    in.eachMember("variables", [&](const std::string& name, const JsonReader& member) { node.variables[name] = member.number(); });
    in.each("sends", [&](const JsonReader& send) { node.sends.push_back(sendOf(send)); });
    in.each("reacts", [&](const JsonReader& reaction) { node.reactions.push_back(reactionOf(reaction)); });
    if (const auto objects = in.find("objects"))
        node.objects = objectsFromJson(*objects);
    if (const auto address = in.find("address"))
        node.address = addressFromJson(*address);
    if (in.has("script")) {
        node.script.pointer = in.placeOf("script");
        const JsonReader script(in.json()["script"], node.script.pointer);
        if (script.json().is_string())
            node.script.file = script.text();
        else if (script.json().is_object()) {
            node.script.file = script.text("file");
            node.script.text = script.text("text");
        }
        if (node.script.file.empty() == node.script.text.empty())
            script.wrong("expected the name of a file beside the rig, or {\"text\": \"...\"}", "Such as \"script\": \"dock.lua\"");
        if (node.script.file.starts_with('/') || ("/" + node.script.file + "/").find("/../") != std::string::npos)
            script.wrong("'" + node.script.file + "' lies outside of the folder of the rig", "Give a file beside the rig");
    }
    return node;
}

double CurveSpec::at(double time) const
{
    const auto behind = std::upper_bound(points.begin(), points.end(), time, [](double t, const auto& point) { return t < point.first; });
    if (behind == points.begin())
        return points.front().second;
    const auto before = behind - 1;
    if (!straight || behind == points.end())
        return before->second;
    const double width = behind->first - before->first;
    return width <= 0 ? behind->second : before->second + (behind->second - before->second) * (time - before->first) / width;
}

double SineSpec::at(double time) const { return mean + amplitude * std::sin(2 * std::numbers::pi * (time - phase) / period); }

}  // namespace wavetrope::drive
