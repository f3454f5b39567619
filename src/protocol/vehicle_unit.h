// SPDX-License-Identifier: GPL-3.0-or-later
// A unit of a network of vehicles that is simulated: it claims an address, sends groups of any length, and answers who asks (SAE J1939-21, -81).
#pragma once

#include <deque>
#include <functional>
#include <memory>
#include <optional>
#include <vector>

#include "protocol/talk.h"

namespace wavetrope::protocol {

/// Knows neither bus nor clock, as a Talk does. Messages wait until the address is its own, and go out one behind the other.
class VehicleUnit {
public:
    enum class State : std::uint8_t { silent, claiming, claimed, cannotClaim };
    static constexpr std::size_t mostWaiting = 64;

    VehicleUnit(std::uint64_t name, std::uint8_t address) : name_(name), address_(address) {}

    void begin(Time now);
    void hear(const can::FrameView& frame);
    void passed(Time now);
    [[nodiscard]] Time due() const;
    [[nodiscard]] std::vector<can::Frame> take();

    /// False where too many wait already, or the unit has no address.
    bool offer(std::uint32_t group, std::vector<std::uint8_t> data, std::optional<std::uint8_t> to, std::uint8_t priority, Time now);
    /// What it answers to a request; nothing: it does not have the group, and says so to who asked for itself alone.
    std::function<std::optional<std::vector<std::uint8_t>>(std::uint32_t group)> has;

    [[nodiscard]] State state() const;
    [[nodiscard]] std::uint8_t address() const { return address_; }
    [[nodiscard]] std::uint64_t name() const { return name_; }

private:
    struct Outgoing {
        std::uint32_t group = 0;
        std::vector<std::uint8_t> data;
        std::optional<std::uint8_t> to;
        std::uint8_t priority = 6;
    };
    class Work;

    std::uint64_t name_;
    std::uint8_t address_;
    bool begun_ = false;
    std::unique_ptr<Talk> claim_;
    Work* work_ = nullptr;  // within it, once it has an address
    std::deque<Outgoing> early_;  // from before that
};

}  // namespace wavetrope::protocol
