// A bus that exists only here, exact to the bit.
#pragma once

#include <vector>

#include "bus/bus.h"
#include "clock/scheduler.h"

namespace wavetrope::bus {

/// How a simulated bus behaves.
struct SimulatedBusOptions {
    can::BitRate rate{500'000, 0};
    std::uint8_t index = 0;             ///< Stamped into every frame.
    std::size_t queueLimit = 64;        ///< Frames that wait in one port's transmit queue at the most.
    bool observed = true;               ///< This program listens and acknowledges; else a lone node gets no ACK.
};

/// Arbitration, occupancy and fault confinement of ISO 11898-1:2015 in virtual time.
///
/// A port offers the pending frame of its queue that would win on the wire; frames of one identifier keep their order.
/// A frame occupies the bus for its exact bits and 3 bits of intermission and is stamped with the end of its last
/// end-of-frame bit. Ports that start the same identifier with different contents at one instant collide: the bits
/// are followed one by one (error flags, superposition, delimiter).
class SimulatedBus final : public Bus {
public:
    SimulatedBus(clock::Scheduler& scheduler, SimulatedBusOptions options);
    SimulatedBus(const SimulatedBus&) = delete;
    SimulatedBus& operator=(const SimulatedBus&) = delete;

    Port attach(std::string name, can::Direction direction) override;
    bool offer(Port port, const can::Frame& frame) override;
    [[nodiscard]] bool accepts(Port port) const override { return ports_[port].on && ports_[port].queue.size() < options_.queueLimit; }
    void enable(Port port, bool on) override;
    void drain() override {}
    [[nodiscard]] Health health() const override;
    [[nodiscard]] can::BitRate bitRate() const override { return options_.rate; }

    /// Destroys the next `count` frames that the port starts, by a bit error in the middle of each.
    void corruptNext(Port port, unsigned count) { ports_[port].corrupt = count; }
    [[nodiscard]] const can::ErrorCounters& counters(Port port) const { return ports_[port].counters; }
    [[nodiscard]] std::uint64_t dropped(Port port) const { return ports_[port].dropped; }
    [[nodiscard]] std::size_t waiting(Port port) const { return ports_[port].queue.size(); }
    /// Longest time that a frame of the port waited from its offer to its start. Only a simulated bus can know.
    [[nodiscard]] Time longestWait(Port port) const { return ports_[port].longestWait; }

private:
    struct Pending {
        std::uint32_t key;      // arbitration bits
        Time offered;
        can::Frame frame;
    };
    struct PortState {
        std::string name;
        can::Direction direction;
        bool on = true;
        std::vector<Pending> queue;  // the next to send is the last
        can::ErrorCounters counters;
        std::uint64_t dropped = 0;
        unsigned corrupt = 0;
        unsigned recoveries = 0;     // sequences of 11 recessive bits since bus off
        Time suspendedUntil{0};
        Time longestWait{0};
    };

    [[nodiscard]] Time bits(std::uint64_t count) const;
    void wake(Time when);
    void insert(PortState& port, Pending pending);
    void arbitrate();
    void transmit();
    void finish();
    void collide(const std::vector<Port>& transmitters, bool corrupt);
    void endError();
    void becomeIdleAt(Time when);
    void countRecessive(std::uint64_t sequences);

    clock::Scheduler& scheduler_;
    SimulatedBusOptions options_;
    std::vector<PortState> ports_;
    std::vector<Port> contenders_;   // senders of the frame in flight
    can::Frame inFlight_;
    can::Frame errorFrame_;
    Time busyUntil_{0};
    Time idleSince_{0};
    std::uint64_t generation_ = 0;   // of the wake-up that counts
    Time wakeAt_ = Time::max();
    bool busy_ = false;
    std::uint64_t errors_ = 0;
};

}  // namespace wavetrope::bus
