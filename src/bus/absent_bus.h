// SPDX-License-Identifier: GPL-3.0-or-later
// A bus that nothing carries: it cannot be opened, or has no source yet.
#pragma once

#include "bus/bus.h"

namespace wavetrope::bus {

/// Stands in for it, so that the rest of a rig runs: it carries nothing, refuses what is offered, and says why.
class AbsentBus final : public Bus {
public:
    /// What is offered to one that was to be there is lost; to one that nobody expects yet it is not.
    AbsentBus(can::BitRate rate, Error why, bool expected = true) : rate_(rate), why_(std::move(why)), expected_(expected) {}

    Port attach(std::string, can::Direction, Order) override { return ports_++; }
    bool offer(Port, const can::Frame&) override
    {
        ++refused_;
        return false;
    }
    [[nodiscard]] bool accepts(Port) const override { return false; }
    void enable(Port, bool) override {}
    [[nodiscard]] Health health() const override
    {
        Health health;
        health.state = Health::State::down;
        health.words = why_.where.empty() ? why_.what : why_.where + ": " + why_.what;
        health.lost = expected_ ? refused_ : 0;
        return health;
    }
    [[nodiscard]] can::BitRate bitRate() const override { return rate_; }

private:
    can::BitRate rate_;
    Error why_;
    bool expected_;
    Port ports_ = 0;
    std::uint64_t refused_ = 0;
};

}  // namespace wavetrope::bus
