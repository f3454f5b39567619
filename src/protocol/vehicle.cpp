// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/vehicle.h"

#include "can/parameter_group.h"
#include "protocol/transport_receiver.h"

namespace wavetrope::protocol {

using namespace std::chrono_literals;

namespace {

// SAE J1939-21, 5.10.2.4 and annex C; T1, of the receiver, is betweenPackets.
constexpr Time behindClear = 1250ms;      // T2, of the receiver, for the first packet that it asked for
constexpr Time forAnswer = 1250ms;        // T3, of the sender
constexpr Time holdLimit = 1050ms;       // T4, of the sender

constexpr std::uint8_t reasonTimeout = 3;

std::uint64_t keyOf(std::uint8_t source, std::uint8_t destination) { return static_cast<std::uint64_t>(source) << 8 | destination; }

Kind kindOf(std::uint32_t group)
{
    switch (group) {
    case groupRequested: return Kind::request;
    case groupAcknowledge: return Kind::acknowledge;
    case groupClaim: return Kind::claim;
    case groupManagement:
    case groupData: return Kind::transport;
    default: return Kind::group;
    }
}

}  // namespace

Taken Vehicle::take(const can::FrameView& frame, std::uint64_t number)
{
    if (frame.kind != can::FrameKind::data || !frame.id.extended)
        return {};
    const auto parts = can::ParameterGroup::of(frame.id);
    Taken taken{Taken::As::alone, {Protocol::vehicle, kindOf(parts.group), Party::address(parts.source),
                                      parts.addressed ? Party::addressed(parts.destination) : Party{}}};
    if (taken.head.kind == Kind::transport && frame.length == 8
        && (parts.group == groupManagement ? steer(frame, number) : carry(frame, number)))
        taken.as = Taken::As::piece;
    return taken;
}

bool Vehicle::announce(const can::FrameView& frame, std::uint64_t number, std::uint64_t key)
{
    const auto parts = can::ParameterGroup::of(frame.id);
    const bool toAll = frame.data[0] == announceToAll;
    const auto size = static_cast<std::uint16_t>(frame.data[1] | frame.data[2] << 8);
    const unsigned packets = frame.data[3];
    if ((parts.destination == 255) != toAll || size < shortestTransport || size > longestTransport
        || packets != (size + packetBytes - 1) / packetBytes)
        return false;
    if (const Open* before = open_.find(key); before != nullptr)
        open_.end(key, before->wrong ? Ended::sequence : Ended::unfinished);
    Open* open = open_.begin(key);
    if (open == nullptr)
        return false;
    const std::uint32_t group = managedGroup(frame) & 0x3FFFFU;
    open->size = size;
    open->packets = packets;
    open->last = toAll ? packets : 0;
    Transfer& transfer = open->transfer;
    transfer.what = group;
    transfer.head = {Protocol::vehicle, kindOf(group), Party::address(parts.source), Party::addressed(parts.destination)};
    const bool addressed = (group >> 8 & 0xFFU) < 240;
    transfer.id = {static_cast<std::uint32_t>(parts.priority) << 26 | (addressed ? group & 0x3FF00U : group) << 8
                       | (addressed ? static_cast<std::uint32_t>(parts.destination) << 8 : 0U) | parts.source,
        true};
    open_.add(key, frame, number, toAll ? betweenPackets : forAnswer);
    return true;
}

bool Vehicle::abort(const can::FrameView& frame, std::uint64_t number)
{
    const auto parts = can::ParameterGroup::of(frame.id);
    for (const std::uint64_t key : {keyOf(parts.source, parts.destination), keyOf(parts.destination, parts.source)})
        if (const Open* open = open_.find(key); open != nullptr && parts.destination != 255 && open->transfer.what == managedGroup(frame)) {
            open_.add(key, frame, number, 0ms);
            open_.end(key, frame.data[1] == reasonTimeout ? Ended::timeout : Ended::aborted);
            return true;
        }
    return false;
}

bool Vehicle::steer(const can::FrameView& frame, std::uint64_t number)
{
    const auto parts = can::ParameterGroup::of(frame.id);
    const std::uint64_t forward = keyOf(parts.source, parts.destination), back = keyOf(parts.destination, parts.source);
    switch (frame.data[0]) {
    case requestToSend:
    case announceToAll: return announce(frame, number, forward);
    case connectionAbort: return abort(frame, number);
    case clearToSend: {
        Open* open = open_.find(back);
        if (open == nullptr || parts.destination == 255 || open->transfer.what != managedGroup(frame))
            return false;
        const unsigned count = frame.data[1], next = frame.data[2];
        if (count == 0) {
            open_.add(back, frame, number, holdLimit);
            return true;
        }
        open->next = next;
        open->last = next + count - 1;
        open->wrong = false;
        open_.add(back, frame, number, behindClear);
        return true;
    }
    case endOfMessage: {
        const Open* open = open_.find(back);
        if (open == nullptr || parts.destination == 255 || open->transfer.what != managedGroup(frame) || open->came < open->packets)
            return false;
        open_.add(back, frame, number, 0ms);
        open_.end(back, Ended::whole);
        return true;
    }
    default: return false;
    }
}

bool Vehicle::carry(const can::FrameView& frame, std::uint64_t number)
{
    const auto parts = can::ParameterGroup::of(frame.id);
    const std::uint64_t key = keyOf(parts.source, parts.destination);
    Open* open = open_.find(key);
    if (open == nullptr)
        return false;
    const bool toAll = parts.destination == 255;
    const unsigned at = frame.data[0];
    if (at != open->next || at > open->last || at > open->packets) {
        open->wrong = true;
        open_.add(key, frame, number, betweenPackets);
        if (toAll)
            open_.end(key, Ended::sequence);
        return true;
    }
    open->wrong = false;
    ++open->next;
    if (at == open->came + 1) {
        ++open->came;
        open_.append(*open, frame.data + 1, std::min<std::size_t>(packetBytes, open->size - open->transfer.bytes));
    }
    const bool done = open->came == open->packets;
    open_.add(key, frame, number, toAll || (!done && at < open->last) ? betweenPackets : forAnswer);
    if (toAll && done)
        open_.end(key, Ended::whole);
    return true;
}

void Vehicle::passed(Time now)
{
    open_.passed(now, [](const Open& open) { return open.wrong ? Ended::sequence : Ended::timeout; });
}

void Vehicle::finish()
{
    open_.finish([](const Open& open) { return open.wrong ? Ended::sequence : Ended::unfinished; });
}

}  // namespace wavetrope::protocol
