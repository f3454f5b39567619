// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/member_spec.h"

#include <charconv>

#include "base/json_reader.h"
#include "base/time_text.h"
#include "protocol/dictionary.h"

namespace wavetrope::drive {

namespace {

constexpr std::size_t mostOfOne = 256;
constexpr std::uint64_t mostBlock = 65'536;
constexpr Time leastEvery = std::chrono::milliseconds(1);

std::uint64_t hexOf(const JsonReader& in, std::uint64_t most, const char* what)
{
    const std::string text = in.text();
    std::string_view digits = text;
    if (digits.starts_with("0x") || digits.starts_with("0X"))
        digits.remove_prefix(2);
    std::uint64_t value = 0;
    const auto [end, problem] = std::from_chars(digits.data(), digits.data() + digits.size(), value, 16);
    if (digits.empty() || problem != std::errc() || end != digits.data() + digits.size() || value > most)
        in.wrong("expected " + std::string(what) + " in hexadecimal digits");
    return value;
}

WhenSpec whenOf(const JsonReader& in)
{
    WhenSpec when;
    for (const std::string& text : in.texts("at")) {
        const auto at = spanFromText(text);
        if (!at)
            JsonReader::fail(in.placeOf("at"), "'" + text + "': expected a moment of the story, such as \"60 s\"");
        when.at.push_back(*at);
    }
    when.every = in.span("every");
    when.phase = in.span("phase");
    if (when.every.count() > 0 && when.every < leastEvery)
        JsonReader::fail(in.placeOf("every"), "a millisecond at least");
    if (when.at.empty() == (when.every.count() == 0))
        in.wrong("expected either moments or a period", "Such as \"every\": \"1 s\", or \"at\": [\"60 s\"]");
    if (when.at.size() > mostOfOne)
        in.wrong("256 moments at the most");
    return when;
}

std::optional<std::uint8_t> toOf(const JsonReader& in)
{
    const auto to = in.find("to");
    return to ? std::optional(static_cast<std::uint8_t>(hexOf(*to, 253, "an address of 0x00 to 0xFD"))) : std::nullopt;
}

std::uint32_t groupOf(const JsonReader& in)
{
    const auto group = protocol::groupFromText(in.needText("group"));
    if (!group)
        JsonReader::fail(in.placeOf("group"), group.error().what);
    return *group;
}

template <class List>
void bounded(const JsonReader& in, const List& list)
{
    if (list.size() > mostOfOne)
        in.wrong("256 at the most");
}

}  // namespace

ObjectsSpec objectsFromJson(const JsonReader& in)
{
    ObjectsSpec spec;
    spec.pointer = in.pointer();
    spec.bus = in.needText("bus");
    spec.node = static_cast<std::uint8_t>(in.whole("node", 127, 0));
    in.eachMember("blocks", [&](const std::string& name, const JsonReader& member) {
        const auto place = protocol::objectPlaceFromText(name);
        if (!place)
            member.wrong(place.error().what);
        spec.blocks.emplace_back(*place, static_cast<std::uint32_t>(member.whole(mostBlock)));
        bounded(member, spec.blocks);
    });
    if (const auto sync = in.find("sync")) {
        spec.sync = whenOf(*sync);
        spec.counts = sync->flag("counter");
    }
    if (const auto time = in.find("time"))
        spec.time = whenOf(*time);
    in.eachMember("watches", [&](const std::string& name, const JsonReader& member) {
        const auto node = protocol::nodeFromText(name);
        if (!node)
            member.wrong(node.error().what);
        const auto span = spanFromText(member.text());
        if (!span || *span < leastEvery)
            member.wrong("expected how long a heartbeat may stay away, such as \"1.5 s\"");
        spec.watches.emplace_back(*node, *span);
    });
    in.each("reads", [&](const JsonReader& read) {
        ObjectAskSpec ask;
        ask.when = whenOf(read);
        ask.node = static_cast<std::uint8_t>(read.whole("node", 127, 0));
        if (ask.node == 0)
            JsonReader::fail(read.placeOf("node"), "expected a node of 1 to 127");
        const auto place = protocol::objectPlaceFromText(read.needText("object"));
        if (!place)
            JsonReader::fail(read.placeOf("object"), place.error().what);
        ask.place = *place;
        ask.block = read.flag("block");
        spec.reads.push_back(std::move(ask));
        bounded(read, spec.reads);
    });
    return spec;
}

AddressSpec addressFromJson(const JsonReader& in)
{
    AddressSpec spec;
    spec.pointer = in.pointer();
    spec.bus = in.needText("bus");
    spec.name = hexOf(in.at("name"), ~std::uint64_t{0}, "a name of 64 bits");
    spec.address = static_cast<std::uint8_t>(hexOf(in.at("address"), 253, "an address of 0x00 to 0xFD"));
    spec.after = in.span("after");
    in.each("sends", [&](const JsonReader& send) {
        GroupSpec group;
        group.when = whenOf(send);
        group.group = groupOf(send);
        group.to = toOf(send);
        group.priority = static_cast<std::uint8_t>(send.whole("priority", 7, 6));
        group.troubles = send.flag("troubles");
        if (group.troubles == send.has("data"))
            send.wrong("expected either bytes or trouble codes", "\"data\": \"01 02\", or \"troubles\": true");
        if (!group.troubles) {
            auto data = protocol::bytesFromText(send.needText("data"));
            if (!data)
                JsonReader::fail(send.placeOf("data"), data.error().what);
            if (data->size() > 1785)
                JsonReader::fail(send.placeOf("data"), "a group has 1,785 bytes at the most");
            group.data = std::move(*data);
        }
        spec.sends.push_back(std::move(group));
        bounded(send, spec.sends);
    });
    in.each("requests", [&](const JsonReader& request) {
        spec.requests.push_back({whenOf(request), groupOf(request), toOf(request)});
        bounded(request, spec.requests);
    });
    in.each("troubles", [&](const JsonReader& trouble) {
        spec.troubles.push_back({trouble.needText("when"), static_cast<std::uint32_t>(trouble.whole("parameter", 0x7FFFF, 0)),
            static_cast<std::uint8_t>(trouble.whole("failure", 31, 31))});
        bounded(trouble, spec.troubles);
    });
    return spec;
}

}  // namespace wavetrope::drive
