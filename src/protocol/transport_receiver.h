// SPDX-License-Identifier: GPL-3.0-or-later
// Who receives messages in pieces in a network of vehicles (SAE J1939-21, 5.10).
#pragma once

#include <functional>
#include <map>
#include <vector>

#include "can/parameter_group.h"

namespace wavetrope::protocol {

/// Takes announced and directed transports, and answers the latter. It knows neither bus nor clock.
class TransportReceiver {
public:
    using Send = std::function<void(can::Identifier, const std::vector<std::uint8_t>&)>;
    using Whole = std::function<void(std::uint8_t source, std::uint32_t group, std::vector<std::uint8_t> data)>;

    /// Of the address that it receives for.
    TransportReceiver(std::uint8_t own, Send send, Whole whole) : own_(own), send_(std::move(send)), whole_(std::move(whole)) {}
    /// Takes this group alone.
    void only(std::uint32_t group) { only_ = group; }

    void hear(const can::FrameView& frame);
    /// Gives up what had to go on before this moment.
    void passed(Time now);
    /// Until when it waits; `Time::max()` where nothing is open.
    [[nodiscard]] Time until() const;

private:
    struct Coming {
        std::uint32_t group = 0;
        std::vector<std::uint8_t> data;
        unsigned size = 0, next = 1, packets = 0;
        unsigned atOnce = 0, last = 0;  // packets that it sends when it is asked to, and the last that it was asked for
        Time until{};
    };
    using Key = std::pair<std::uint8_t, bool>;  // source, and whether it is directed
    void steered(const can::FrameView& frame, const can::ParameterGroup& parts);
    void carried(const can::FrameView& frame, const can::ParameterGroup& parts);
    void clear(Coming& one, std::uint8_t source);

    std::uint8_t own_;
    Send send_;
    Whole whole_;
    std::uint32_t only_ = ~std::uint32_t{0};
    std::map<Key, Coming> coming_;
};

/// The identifier of a group from an address to another one; 255: to everybody.
[[nodiscard]] can::Identifier vehicleIdentifier(std::uint8_t priority, std::uint32_t group, std::uint8_t to, std::uint8_t from);
/// A frame of the connection management.
[[nodiscard]] std::vector<std::uint8_t> connectionManagement(
    std::uint8_t control, unsigned a, unsigned b, unsigned c, unsigned d, std::uint32_t group);
/// The group in the last three bytes of such a frame.
[[nodiscard]] std::uint32_t managedGroup(const can::FrameView& frame);

/// SAE J1939-21, 5.10.3 and table A1; 5.4.2 and 5.4.4; SAE J1939-81, 4.2.2.
enum TransportControl : std::uint8_t { requestToSend = 16, clearToSend = 17, endOfMessage = 19, announceToAll = 32, connectionAbort = 255 };
inline constexpr std::uint32_t groupManagement = 0xEC00, groupData = 0xEB00, groupRequested = 0xEA00, groupAcknowledge = 0xE800,
                               groupClaim = 0xEE00;
inline constexpr std::uint8_t everybody = 255, nullAddress = 254;
inline constexpr unsigned packetBytes = 7, shortestTransport = 9, longestTransport = 1785;
inline constexpr Time betweenPackets = std::chrono::milliseconds(750);

}  // namespace wavetrope::protocol
