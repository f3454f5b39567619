// SPDX-License-Identifier: GPL-3.0-or-later
// A bus of the kernel that cannot be opened.
#pragma once

#include "bus/bus.h"

namespace wavetrope::bus {

/// Stands in for it, so that the rest of a rig runs: it carries nothing, refuses what is offered, and says why.
class AbsentBus final : public Bus {
public:
    AbsentBus(can::BitRate rate, Error why) : rate_(rate), why_(std::move(why)) {}

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
        health.words = why_.where + ": " + why_.what;
        health.lost = refused_;
        return health;
    }
    [[nodiscard]] can::BitRate bitRate() const override { return rate_; }

private:
    can::BitRate rate_;
    Error why_;
    Port ports_ = 0;
    std::uint64_t refused_ = 0;
};

}  // namespace wavetrope::bus
