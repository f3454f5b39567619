// SPDX-License-Identifier: GPL-3.0-or-later
// A bus in another room, that somebody shares over a broker.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "bus/bus.h"
#include "remote/receiver.h"

namespace wavetrope::bus {

/// What comes has the stamps of its origin. What is offered is sent there, where the sharing side permits it, and comes back
/// from the bus marked as sent.
class RemoteBus final : public Bus {
public:
    /// An error where the address or what belongs to it (certificates, a file with passwords) cannot be used. Whether anybody
    /// is there shows in its health; it is tried until somebody is.
    [[nodiscard]] static Expected<std::unique_ptr<RemoteBus>> open(const std::string& address, std::uint8_t index, can::BitRate rate);

    Port attach(std::string name, can::Direction direction, Order order = Order::byPriority) override;
    bool offer(Port port, const can::Frame& frame) override;
    [[nodiscard]] bool accepts(Port port) const override { return enabled_[port] && receiver_->accepts(); }
    void enable(Port port, bool on) override { enabled_[port] = on; }
    [[nodiscard]] std::optional<Time> arrived() override { return receiver_->next(); }
    void take() override;
    [[nodiscard]] Health health() const override;
    [[nodiscard]] can::BitRate bitRate() const override { return rate_; }

private:
    RemoteBus(remote::Place place, remote::Credentials credentials, std::uint8_t index, can::BitRate rate);

    std::uint8_t index_;
    can::BitRate rate_;
    std::unique_ptr<remote::Receiver> receiver_;
    std::vector<bool> enabled_;
};

}  // namespace wavetrope::bus
