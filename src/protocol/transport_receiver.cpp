// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/transport_receiver.h"

#include <algorithm>

namespace wavetrope::protocol {

can::Identifier vehicleIdentifier(std::uint8_t priority, std::uint32_t group, std::uint8_t to, std::uint8_t from)
{
    const bool addressed = (group >> 8 & 0xFFU) < 240;
    return {static_cast<std::uint32_t>(priority) << 26 | (addressed ? (group & 0x3FF00U) | to : group) << 8 | from, true};
}

std::vector<std::uint8_t> connectionManagement(std::uint8_t control, unsigned a, unsigned b, unsigned c, unsigned d, std::uint32_t group)
{
    return {control, static_cast<std::uint8_t>(a), static_cast<std::uint8_t>(b), static_cast<std::uint8_t>(c), static_cast<std::uint8_t>(d),
        static_cast<std::uint8_t>(group), static_cast<std::uint8_t>(group >> 8), static_cast<std::uint8_t>(group >> 16)};
}

std::uint32_t managedGroup(const can::FrameView& frame)
{
    return static_cast<std::uint32_t>(frame.data[5]) | static_cast<std::uint32_t>(frame.data[6]) << 8
           | static_cast<std::uint32_t>(frame.data[7]) << 16;
}

void TransportReceiver::hear(const can::FrameView& frame)
{
    if (frame.kind != can::FrameKind::data || !frame.id.extended || frame.length != 8)
        return;
    const auto parts = can::ParameterGroup::of(frame.id);
    if (parts.source == own_ || (parts.destination != own_ && parts.destination != everybody))
        return;
    if (parts.group == groupManagement)
        steered(frame, parts);
    else if (parts.group == groupData)
        carried(frame, parts);
}

void TransportReceiver::passed(Time now)
{
    std::erase_if(coming_, [&](const auto& one) { return one.second.until <= now; });
}

Time TransportReceiver::until() const
{
    Time out = Time::max();
    for (const auto& [key, one] : coming_)
        out = std::min(out, one.until);
    return out;
}

void TransportReceiver::steered(const can::FrameView& frame, const can::ParameterGroup& parts)
{
    const std::uint32_t group = managedGroup(frame);
    if (only_ != ~std::uint32_t{0} && group != only_)
        return;
    const bool directed = frame.data[0] == requestToSend && parts.destination == own_;
    if (frame.data[0] == connectionAbort && parts.destination == own_) {
        coming_.erase({parts.source, true});
        return;
    }
    if (!directed && !(frame.data[0] == announceToAll && parts.destination == everybody))
        return;
    Coming one;
    one.group = group;
    one.size = frame.data[1] | static_cast<unsigned>(frame.data[2]) << 8;
    one.packets = frame.data[3];
    if (one.size < shortestTransport || one.size > longestTransport || one.packets != (one.size + packetBytes - 1) / packetBytes)
        return;
    one.atOnce = std::max<unsigned>(1, frame.data[4]);
    one.until = frame.time + betweenPackets;
    if (directed)
        clear(one, parts.source);
    coming_[{parts.source, directed}] = std::move(one);
}

void TransportReceiver::clear(Coming& one, std::uint8_t source)
{
    const unsigned count = std::min(one.packets - one.next + 1, one.atOnce);
    one.last = one.next + count - 1;
    send_(vehicleIdentifier(7, groupManagement, source, own_), connectionManagement(clearToSend, count, one.next, 255, 255, one.group));
}

void TransportReceiver::carried(const can::FrameView& frame, const can::ParameterGroup& parts)
{
    const bool directed = parts.destination == own_;
    const auto found = coming_.find({parts.source, directed});
    if (found == coming_.end())
        return;
    Coming& one = found->second;
    if (frame.data[0] != one.next) {
        // 5.10.3.4: a wrong number; an announced message is lost without words.
        if (directed)
            send_(vehicleIdentifier(7, groupManagement, parts.source, own_),
                connectionManagement(connectionAbort, 7, 255, 255, 255, one.group));
        coming_.erase(found);
        return;
    }
    ++one.next;
    one.until = frame.time + betweenPackets;
    const std::size_t count = std::min<std::size_t>(packetBytes, one.size - one.data.size());
    one.data.insert(one.data.end(), frame.data + 1, frame.data + 1 + count);
    if (one.data.size() < one.size) {
        if (directed && one.next > one.last)
            clear(one, parts.source);
        return;
    }
    if (directed)
        send_(vehicleIdentifier(7, groupManagement, parts.source, own_),
            connectionManagement(endOfMessage, one.size & 0xFFU, one.size >> 8, one.packets, 255, one.group));
    const std::uint32_t group = one.group;
    std::vector<std::uint8_t> data = std::move(one.data);
    coming_.erase(found);
    whole_(parts.source, group, std::move(data));
}

}  // namespace wavetrope::protocol
