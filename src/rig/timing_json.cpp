// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/timing_json.h"

#include "base/time_text.h"

namespace wavetrope::rig {

Timings timingsFrom(const JsonReader& rig)
{
    Timings out;
    const auto span = [](const JsonReader& in, const char* key) -> std::optional<Time> {
        if (!in.find(key))
            return std::nullopt;
        const Time read = in.span(key);
        if (read.count() < 0)
            JsonReader::fail(in.placeOf(key), "expected a time of 0 or more, such as \"0.2 ms\"");
        return read;
    };
    rig.each("timing", [&](const JsonReader& bus) {
        const std::string name = bus.needText("bus");
        const auto [at, fresh] = out.try_emplace(name);
        if (!fresh)
            JsonReader::fail(bus.placeOf("bus"), "the bus '" + name + "' stands here twice");
        at->second.jitter = span(bus, "jitter").value_or(Time{0});
        bus.each("messages", [&](const JsonReader& message) {
            const std::string of = message.needText("name");
            if (!at->second.messages.try_emplace(of, MessageTiming{span(message, "jitter"), span(message, "deadline")}).second)
                JsonReader::fail(message.placeOf("name"), "the message '" + of + "' stands here twice");
        });
    });
    return out;
}

nlohmann::json toJson(const Timings& timings)
{
    nlohmann::json out = nlohmann::json::array();
    for (const auto& [name, bus] : timings) {
        if (bus.empty())
            continue;
        nlohmann::json one = {{"bus", name}};
        if (bus.jitter.count() > 0)
            one["jitter"] = exactSpanText(bus.jitter);
        for (const auto& [of, message] : bus.messages) {
            nlohmann::json entry = {{"name", of}};
            if (message.jitter)
                entry["jitter"] = exactSpanText(*message.jitter);
            if (message.deadline)
                entry["deadline"] = exactSpanText(*message.deadline);
            one["messages"].push_back(std::move(entry));
        }
        out.push_back(std::move(one));
    }
    return out;
}

}  // namespace wavetrope::rig
