// SPDX-License-Identifier: GPL-3.0-or-later
// What a node's script asks others on a bus.
#include "drive/node.h"
#include "drive/node_script.h"
#include "protocol/describe.h"

namespace wavetrope::drive {

namespace {

using script::Arguments;
using script::Handler;
using script::Value;

constexpr unsigned mostAskedInSecond = 1'000;
constexpr std::size_t mostBytesTold = 16'384;   // as text three times as many

Expected<std::vector<std::uint8_t>> bytesAt(const Arguments& given, int index)
{
    const auto text = given.text(index);
    if (!text)
        return tl::unexpected(text.error());
    return protocol::bytesFromText(*text);
}

Expected<std::uint32_t> groupAt(const Arguments& given, int index)
{
    const auto text = given.text(index);
    if (!text)
        return tl::unexpected(text.error());
    return protocol::groupFromText(*text);
}

Expected<Value> done(const Expected<void>& asked) { return asked ? Expected<Value>(Value{}) : tl::unexpected(asked.error()); }

}  // namespace

// The bus that is named, else the first of the node's.
Expected<std::uint8_t> NodeScript::busAt(const Arguments& given, int index) const
{
    std::string name = node_.spec_.buses.empty() ? std::string() : node_.spec_.buses.front();
    if (given.has(index)) {
        auto text = given.text(index);
        if (!text)
            return tl::unexpected(text.error());
        name = std::move(*text);
    }
    const int bus = node_.world_.catalog->findBus(name);
    if (bus < 0 || !node_.attachedTo(static_cast<std::uint8_t>(bus)))
        return fail("'" + name + "' is no bus of the node");
    return static_cast<std::uint8_t>(bus);
}

// `handler` is told the bytes, as hexadecimal digits, and why there are none; or why alone. 0: nobody is told.
Expected<void> NodeScript::ask(std::uint8_t bus, std::unique_ptr<protocol::Talk> talk, Handler handler, bool bytes)
{
    if (!node_.world_.ask || !script_)
        return fail("nobody is asked before the run has begun: do it in on.start");
    tick();
    if (++askedNow_ > mostAskedInSecond)
        return fail("more than " + std::to_string(mostAskedInSecond) + " questions within one second of the run");
    node_.world_.ask(bus, std::move(talk), [self = std::weak_ptr<NodeScript*>(self_), handler, bytes](const protocol::Answer& answer) {
        const auto script = self.lock();
        if (script == nullptr || handler == 0)
            return;
        NodeScript& of = **script;
        const Value why = answer.good ? Value{} : Value(answer.words);
        if (bytes)
            of.post(handler, {answer.good ? Value(protocol::bytesWords(answer.data, mostBytesTold)) : Value{}, why});
        else
            of.post(handler, {why});
        of.drain();
    });
    return {};
}

// What several calls take: the node of a dictionary, an object, and identifiers of two.
Expected<std::uint8_t> NodeScript::machineAt(const Arguments& given, int index)
{
    const auto node = given.number(index);
    if (!node || !(*node >= 1 && *node <= 127))
        return fail("argument " + std::to_string(index) + " has to be a node of 1 to 127");
    return static_cast<std::uint8_t>(*node);
}

Expected<protocol::ObjectPlace> NodeScript::objectAt(const Arguments& given, int index)
{
    const auto text = given.text(index);
    if (!text)
        return tl::unexpected(text.error());
    return protocol::objectPlaceFromText(*text);
}

Expected<Value> NodeScript::readObject(const Arguments& given)
{
    const auto node = machineAt(given, 1);
    if (!node)
        return tl::unexpected(node.error());
    const auto place = objectAt(given, 2);
    if (!place)
        return tl::unexpected(place.error());
    const auto handler = given.function(3);
    if (!handler)
        return tl::unexpected(handler.error());
    const auto bus = busAt(given, 4);
    if (!bus)
        return tl::unexpected(bus.error());
    return done(ask(*bus, protocol::objectRead(*node, *place, false), *handler, true));
}

Expected<Value> NodeScript::writeObject(const Arguments& given)
{
    const auto node = machineAt(given, 1);
    if (!node)
        return tl::unexpected(node.error());
    const auto place = objectAt(given, 2);
    if (!place)
        return tl::unexpected(place.error());
    auto bytes = bytesAt(given, 3);
    if (!bytes)
        return tl::unexpected(bytes.error());
    const auto handler = given.function(4);
    if (!handler)
        return tl::unexpected(handler.error());
    const auto bus = busAt(given, 5);
    if (!bus)
        return tl::unexpected(bus.error());
    return done(ask(*bus, protocol::objectWrite(*node, *place, std::move(*bytes), false), *handler, false));
}

Expected<Value> NodeScript::commandState(const Arguments& given)
{
    std::uint8_t node = 0;
    if (given.has(1)) {
        const auto one = machineAt(given, 1);
        if (!one)
            return tl::unexpected(one.error());
        node = *one;
    }
    const auto text = given.text(2);
    if (!text)
        return tl::unexpected(text.error());
    const auto command = protocol::stateCommandFromText(*text);
    if (!command)
        return tl::unexpected(command.error());
    const auto bus = busAt(given, 3);
    if (!bus)
        return tl::unexpected(bus.error());
    return done(ask(*bus, protocol::stateCommand(node, *command), 0, false));
}

Expected<Value> NodeScript::sendSync(const Arguments& given)
{
    const auto bus = busAt(given, 1);
    if (!bus)
        return tl::unexpected(bus.error());
    return done(ask(*bus, protocol::framesSent([](Time) { return protocol::syncFrame(); }), 0, false));
}

Expected<Value> NodeScript::sendTime(const Arguments& given)
{
    const auto bus = busAt(given, 1);
    if (!bus)
        return tl::unexpected(bus.error());
    return done(ask(*bus, protocol::framesSent([](Time now) { return protocol::timeFrame(now); }), 0, false));
}

Expected<protocol::VehiclePlace> NodeScript::vehicleAt(const Arguments& given, int index) const
{
    protocol::VehiclePlace place;
    if (node_.spec_.address)
        place.own = node_.spec_.address->address;
    if (!given.has(index))
        return place;
    const auto address = given.number(index);
    if (!address || !(*address >= 0 && *address <= 253))
        return fail("argument " + std::to_string(index) + " has to be an address of 0 to 253, or nil for everybody");
    place.other = static_cast<std::uint8_t>(*address);
    return place;
}

Expected<Value> NodeScript::requestGroup(const Arguments& given)
{
    const auto group = groupAt(given, 1);
    if (!group)
        return tl::unexpected(group.error());
    const auto place = vehicleAt(given, 2);
    if (!place)
        return tl::unexpected(place.error());
    if (!place->other)
        return fail("argument 2 has to be an address of 0 to 253");
    const auto handler = given.function(3);
    if (!handler)
        return tl::unexpected(handler.error());
    const auto bus = busAt(given, 4);
    if (!bus)
        return tl::unexpected(bus.error());
    return done(ask(*bus, protocol::groupRequest(*place, *group), *handler, true));
}

Expected<Value> NodeScript::sendGroup(const Arguments& given)
{
    const auto group = groupAt(given, 1);
    if (!group)
        return tl::unexpected(group.error());
    const auto place = vehicleAt(given, 2);
    if (!place)
        return tl::unexpected(place.error());
    auto bytes = bytesAt(given, 3);
    if (!bytes)
        return tl::unexpected(bytes.error());
    const auto bus = busAt(given, 4);
    if (!bus)
        return tl::unexpected(bus.error());
    return done(ask(*bus, protocol::groupSend(*place, *group, std::move(*bytes)), 0, false));
}

Expected<Value> NodeScript::diagnose(const Arguments& given)
{
    const auto text = given.text(1);
    if (!text)
        return tl::unexpected(text.error());
    const auto spoken = protocol::spokenFromText("bus=diagnostics:" + *text);
    if (!spoken || spoken->pairs.size() != 1)
        return fail("argument 1 has to be two identifiers, such as 0x7E0/0x7E8");
    auto bytes = bytesAt(given, 2);
    if (!bytes)
        return tl::unexpected(bytes.error());
    const auto handler = given.function(3);
    if (!handler)
        return tl::unexpected(handler.error());
    const auto bus = busAt(given, 4);
    if (!bus)
        return tl::unexpected(bus.error());
    return done(ask(*bus, protocol::diagnosticRequest(spoken->pairs.front(), std::move(*bytes)), *handler, true));
}

}  // namespace wavetrope::drive
