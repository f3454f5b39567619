#include "drive/node_spec.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "drive/json_reader.h"

namespace wavetrope::drive {

namespace {

using nlohmann::json;

constexpr Time shortestCycle = std::chrono::microseconds(20);

CurveSpec curveOf(const json& value, const std::string& pointer, bool straight)
{
    CurveSpec curve;
    curve.straight = straight;
    if (!value.is_array() || value.empty())
        JsonReader::fail(pointer, "expected a list of [time in s, value]");
    for (const json& point : value) {
        if (!point.is_array() || point.size() != 2 || !point[0].is_number() || !point[1].is_number())
            JsonReader::fail(pointer, "expected pairs [time in s, value]");
        const double time = point[0].get<double>();
        if (!curve.points.empty() && time < curve.points.back().first)
            JsonReader::fail(pointer, "the times must ascend");
        curve.points.emplace_back(time, point[1].get<double>());
    }
    return curve;
}

SourceSpec sourceOf(const json& value, const std::string& pointer)
{
    if (value.is_number())
        return value.get<double>();
    if (value.is_boolean())
        return value.get<bool>() ? 1.0 : 0.0;
    if (value.is_string())
        return FormulaSpec{value.get<std::string>()};
    if (!value.is_object() || value.size() != 1)
        JsonReader::fail(pointer, "expected a number, an expression, or one of ramp, sine, steps, table, noise, counter, checksum, label",
                         "For example {\"sine\": {\"mean\": 3, \"amplitude\": 1, \"period\": 9}}");
    const std::string form = value.begin().key();
    const json& body = value.begin().value();
    const std::string inner = pointer + "/" + form;
    if (form == "table" || form == "steps")
        return curveOf(body, inner, form == "table");
    if (form == "label") {
        if (!body.is_string())
            JsonReader::fail(inner, "expected one of the signal's texts");
        return LabelSpec{body.get<std::string>()};
    }
    if (form == "checksum") {
        if (body == "sum8")
            return Checksum::sum8;
        if (body == "xor8")
            return Checksum::xor8;
        if (body == "crc8")
            return Checksum::crc8;
        JsonReader::fail(inner, "expected sum8, xor8 or crc8");
    }
    if (form != "ramp" && form != "sine" && form != "noise" && form != "counter")
        JsonReader::fail(pointer, "unknown source '" + form + "'", "Known are ramp, sine, steps, table, noise, counter, checksum and label");
    const JsonReader reader(body, inner);
    if (form == "ramp") {
        const double begins = static_cast<double>(reader.span("begins").count()) * 1e-9;
        const double lasts = static_cast<double>(reader.span("lasts").count()) * 1e-9;
        return CurveSpec{{{begins, reader.number("from", 0)}, {begins + lasts, reader.number("to", 1)}}, true};
    }
    if (form == "sine") {
        SineSpec sine{reader.number("mean", 0), reader.number("amplitude", 1), reader.number("period", 1), reader.number("phase", 0)};
        if (!(sine.period > 0))
            JsonReader::fail(inner + "/period", "expected seconds greater than 0");
        return sine;
    }
    if (form == "noise")
        return NoiseSpec{reader.number("mean", 0), reader.number("deviation", 1)};
    const double modulo = reader.number("modulo", 16);
    if (!(modulo >= 1 && modulo <= 4294967296.0))
        JsonReader::fail(inner + "/modulo", "expected 1 to 2^32");
    return CounterSpec{static_cast<std::uint64_t>(modulo)};
}

std::vector<Window> windowsOf(const JsonReader& reader, const char* key)
{
    std::vector<Window> windows;
    reader.each(key, [&](const json& element, const std::string& pointer) {
        if (!element.is_array() || element.size() != 2)
            JsonReader::fail(pointer, "expected a pair [from, to] of times");
        windows.emplace_back(JsonReader::spanOf(element[0], pointer + "/0"), JsonReader::spanOf(element[1], pointer + "/1"));
        if (windows.back().second < windows.back().first)
            JsonReader::fail(pointer, "the stretch ends before it begins", "Give the earlier time first");
    });
    return windows;
}

SendSpec sendOf(const json& value, const std::string& pointer)
{
    const JsonReader reader(value, pointer);
    SendSpec send;
    send.pointer = pointer;
    send.bus = reader.text("bus");
    send.message = reader.text("message");
    send.identifier = reader.text("id");
    const double length = reader.number("length", 8);
    send.length = length >= 0 && length <= 64 ? static_cast<unsigned>(length) : 0;
    if (static_cast<double>(send.length) != length || can::lengthOfDlc(can::dlcOfLength(send.length)) != send.length)
        JsonReader::fail(reader.at("length"), "expected the length of a frame, 0 to 8, 12, 16, 20, 24, 32, 48 or 64 bytes");
    send.every = reader.span("every");
    send.phase = reader.span("phase");
    send.jitter = reader.span("jitter");
    if (send.every.count() != 0 && send.every < shortestCycle)
        JsonReader::fail(reader.at("every"), "expected 20 us or more");
    if (send.message.empty() == send.identifier.empty())
        JsonReader::fail(pointer, "expected either a message or an id");
    reader.eachMember("signals", [&](const std::string& name, const json& member, const std::string& place) { send.values.emplace(name, sourceOf(member, place)); });
    reader.eachMember("bytes", [&](const std::string& name, const json& member, const std::string& place) { send.values.emplace(name, sourceOf(member, place)); });
    send.silent = windowsOf(reader, "silent");
    send.only = windowsOf(reader, "only");
    if (const std::string overflow = reader.text("overflow"); overflow == "refuse")
        send.overflow = database::Overflow::refuse;
    else if (!overflow.empty() && overflow != "limit")
        JsonReader::fail(reader.at("overflow"), "expected limit or refuse", "limit sends the nearest value that the bits hold; refuse leaves what was there, and reports it");
    return send;
}

ReactionSpec reactionOf(const json& value, const std::string& pointer)
{
    const JsonReader reader(value, pointer);
    ReactionSpec reaction;
    reaction.pointer = pointer;
    reaction.when = reader.text("when");
    reaction.on = reader.text("on");
    if (reaction.when.empty() == reaction.on.empty())
        JsonReader::fail(pointer, "expected either 'when' with an expression or 'on' with a message");
    reaction.hold = reader.span("for");
    reader.eachMember("set", [&](const std::string& name, const json& member, const std::string& place) {
        if (member.is_string())
            reaction.set.emplace_back(name, member.get<std::string>());
        else if (member.is_number())
            reaction.set.emplace_back(name, member.dump());
        else
            JsonReader::fail(place, "expected a number or an expression");
    });
    reaction.enter = reader.text("enter");
    reaction.wrong = reader.flag("wrong");
    reaction.send = reader.texts("send");
    reaction.after = reader.span("after");
    return reaction;
}

}  // namespace

Expected<NodeSpec> nodeFromJson(const json& value, const std::string& pointer)
{
    try {
        const JsonReader reader(value, pointer);
        NodeSpec node;
        node.pointer = pointer;
        node.name = reader.needText("name");
        node.buses = reader.texts("buses");
        node.state = reader.text("state");
        node.off = reader.flag("off");
        // A list, so that a value can use those that stand before it.
        reader.each("values", [&](const json& element, const std::string& place) {
            if (!element.is_object() || element.size() != 1)
                JsonReader::fail(place, "expected one named value, {\"name\": source}");
            node.values.emplace_back(element.begin().key(), sourceOf(element.begin().value(), place + "/" + element.begin().key()));
        });
        reader.eachMember("variables", [&](const std::string& name, const json& member, const std::string& place) {
            if (!member.is_number())
                JsonReader::fail(place, "expected a number");
            node.variables[name] = member.get<double>();
        });
        reader.each("sends", [&](const json& element, const std::string& place) { node.sends.push_back(sendOf(element, place)); });
        reader.each("reacts", [&](const json& element, const std::string& place) { node.reactions.push_back(reactionOf(element, place)); });
        return node;
    } catch (const JsonFailure& failure) {
        return tl::unexpected(failure.error);
    }
}

}  // namespace wavetrope::drive
