// SPDX-License-Identifier: GPL-3.0-or-later
// A bus that exists only here, exact to the bit.
#pragma once

#include <optional>
#include <unordered_map>
#include <vector>

#include "bus/bus.h"
#include "bus/collision.h"
#include "can/wire_bits.h"
#include "clock/timer.h"

namespace wavetrope::bus {

/// How a simulated bus behaves.
struct SimulatedBusOptions {
    can::BitRate rate{500'000, 0};
    std::uint8_t index = 0;             ///< Stamped into every frame.
    std::size_t queueLimit = 64;        ///< Frames that wait in one port's transmit queue at the most.
    bool observed = true;               ///< This program listens and acknowledges; else a lone node gets no ACK.
    /// After so long a port that is bus off asks to take part again by itself; without, it waits to be asked.
    std::optional<Time> restartAfter = std::nullopt;
};

/// Something that goes wrong on the wire on purpose. What befalls frames befalls those that start at or behind its moment and that nobody else
/// starts with other contents; of several that would, the one that was asked for first.
struct WireFault {
    /// Those up to `acknowledge` are the same for all who listen.
    enum class Kind : std::uint8_t {
        bit,  ///< The first bit of the data field is turned round; of a frame without data, that of the CRC.
        stuff,  ///< The first stuff bit behind the arbitration field is turned round. A frame without one goes by.
        crc,  ///< The bits come as they were sent, but no receiver finds its CRC right, and nobody acknowledges.
        form,  ///< The delimiter of the CRC is dominant.
        acknowledge,  ///< Nobody drives the acknowledge slot.
        error,  ///< A node misreads the first bit of the data field, of the CRC where there is none, and sends an error flag.
        rate,  ///< A node has another bit rate: the same in each frame, its own too, for as long as it lasts.
        babble,  ///< A node sends one frame after the other: eight bytes of 0.
        shorted,  ///< Nobody can make the wire dominant.
        counters,  ///< The error counters of a node are set.
    };
    Kind kind = Kind::bit;
    std::optional<can::Identifier> id;  ///< Of the frame; none: the next one, whichever.
    Time from{};
    unsigned times = 1;  ///< So many frames, repeated ones too; of what lasts: 0.
    std::string node{};  ///< Of `error`, `rate`, `babble` and `counters`: whose.
    std::optional<Time> to{};  ///< Of what lasts: until then.
    unsigned transmit = 0, receive = 0;  ///< Of `counters`.
};
/// How a fault is doing.
struct WireFaultFacts {
    std::uint64_t harmed = 0;  ///< Frames so far: that went wrong, or that were sent by one who babbles.
    bool acts = false;  ///< Its time has come, and it is not over.
    bool over = false;
};
/// Whether it goes on for a time, and not for so many frames.
[[nodiscard]] bool lasts(WireFault::Kind kind);
/// Whether it is one of a node.
[[nodiscard]] bool ofNode(WireFault::Kind kind);
[[nodiscard]] const char* toText(WireFault::Kind kind);

/// Arbitration, occupancy and fault confinement of ISO 11898-1:2015 in virtual time.
///
/// A port offers the pending frame of its queue that would win on the wire; frames of one identifier keep their order.
/// A frame occupies the bus for its exact bits and 3 bits of intermission and is stamped with the end of its last
/// end-of-frame bit. Ports that start the same identifier with different contents at one instant collide: the bits
/// are followed one by one (error flags, superposition, delimiter). In a frame that switches its rate the whole BRS bit and
/// the whole CRC delimiter count as nominal bits, since where within them the rate changes is the controller's own.
///
/// Ports that are there when the bus begins take part at once: it was idle before. Those that are attached or switched on
/// later wait for 11 recessive bits. Overload frames are not made, and nobody starts a frame in the third bit of intermission.
class SimulatedBus final : public Bus {
public:
    SimulatedBus(clock::Scheduler& scheduler, SimulatedBusOptions options);
    SimulatedBus(const SimulatedBus&) = delete;
    SimulatedBus& operator=(const SimulatedBus&) = delete;

    Port attach(std::string name, can::Direction direction, Order order = Order::byPriority) override;
    bool offer(Port port, const can::Frame& frame) override;
    void makeRoom(Port port, std::size_t frames) override { ports_[port].room = std::max(options_.queueLimit, frames); }
    [[nodiscard]] bool accepts(Port port) const override { return ports_[port].on && ports_[port].queue.size() < ports_[port].room; }
    void enable(Port port, bool on) override;
    void restart(Port port) override;
    [[nodiscard]] Health health() const override;
    [[nodiscard]] bool isOff(Port port) const override { return ports_[port].counters.state() == can::ErrorState::busOff; }
    [[nodiscard]] can::BitRate bitRate() const override { return options_.rate; }
    [[nodiscard]] std::vector<MeasuredResponse> responses() const override;

    /// Has the port misread a bit of the next `count` frames that it starts: the one at a place among its stuffed bits, or
    /// the one in the middle. It alone is harmed by that.
    void corruptNext(Port port, unsigned count, std::optional<std::size_t> bit = std::nullopt)
    {
        ports_[port].corrupt = count;
        ports_[port].corruptBit = bit;
    }
    /// Asks for a fault; gives the number to ask for it by.
    std::uint64_t disturb(const WireFault& fault);
    /// Takes it back, and ends it where it lasts.
    void lift(std::uint64_t fault);
    [[nodiscard]] WireFaultFacts faultFacts(std::uint64_t fault) const;
    /// Those who are attached, by name.
    [[nodiscard]] std::vector<std::string> portNames() const;
    /// Whether somebody of that name is attached.
    [[nodiscard]] bool hasPort(const std::string& name) const { return portNamed(name) != nobody; }
    /// Frames that were harmed so.
    [[nodiscard]] std::uint64_t disturbed() const { return disturbed_; }
    [[nodiscard]] const can::ErrorCounters& counters(Port port) const { return ports_[port].counters; }
    [[nodiscard]] std::optional<can::ErrorCounters> countersOf(Port port) const override { return counters(port); }
    [[nodiscard]] std::uint64_t dropped(Port port) const { return ports_[port].dropped; }
    [[nodiscard]] std::size_t waiting(Port port) const { return ports_[port].queue.size(); }
    /// Longest time that a frame of the port waited from its offer to its start. Only a simulated bus can know.
    [[nodiscard]] Time longestWait(Port port) const { return ports_[port].longestWait; }

private:
    struct Pending {
        std::uint32_t key;  // arbitration bits
        Time offered;
        can::Frame frame;
        bool esi;  // as it was offered
        bool babble = false;  // by one who has nothing to say
    };
    struct Asked {
        std::uint64_t number = 0;
        WireFault fault;
        WireFaultFacts facts;
    };
    struct PortState {
        std::string name;
        can::Direction direction;
        Order order = Order::byPriority;
        std::size_t room = 0;  // frames that may wait
        bool on = true;
        std::vector<Pending> queue;  // the next to send is the last
        can::ErrorCounters counters;
        can::ErrorState told = can::ErrorState::active;
        std::uint64_t dropped = 0;
        unsigned corrupt = 0;
        std::optional<std::size_t> corruptBit;
        // Takes part again behind sequences of 11 recessive bits: one behind attaching, 128 behind bus off once that was asked
        // for. 0 where it takes part, or waits to be asked.
        unsigned awaits = 0;
        Time awaitsFrom{0};
        Time suspendedUntil{0};
        Time longestWait{0};
        clock::Timer restart;  // where the bus brings its ports back by itself
    };

    [[nodiscard]] Time bits(std::uint64_t count) const;
    void wake(Time when);
    void insert(PortState& port, Pending pending);
    void putBack(PortState& port, Pending pending);
    void arbitrate();
    void transmit();
    void wokenUp();
    void acknowledge();
    void finish();
    void abandon();
    void collide(std::vector<Port> transmitters, std::optional<std::size_t> flipped = std::nullopt,
        std::optional<std::pair<Port, std::size_t>> misread = std::nullopt);
    bool disturbNow();
    [[nodiscard]] Port portNamed(const std::string& name) const;
    void faultDue(std::uint32_t number);
    void closeFault(Asked& asked);
    void babble();
    void stopBabbling(const Asked& asked);
    [[nodiscard]] bool shorted() const;
    void beginShort();
    void flagUnseen(const std::vector<Port>& senders, Time found, std::optional<Time> heard);
    [[nodiscard]] unsigned countUnseen(PortState& port, bool transmits) const;
    void breakTail();
    void endError();
    [[nodiscard]] Time lastDominantInFlight() const;
    void becomeIdleAt(Time when);
    // Sequences of 11 recessive bits up to a moment that a port has waited for.
    void countRecessive(Time until);
    [[nodiscard]] std::uint64_t sequences(const PortState& port, Time until) const;
    [[nodiscard]] Time readyAt(const PortState& port) const;
    [[nodiscard]] bool takesPart(const PortState& port) const
    {
        return port.on && port.awaits == 0 && port.counters.state() != can::ErrorState::busOff;
    }
    [[nodiscard]] bool transmits(Port port) const;
    [[nodiscard]] bool listens(Port port) const;
    void wentBusOff(Port port);
    void noteStates(Time at);
    void noteState(PortState& port, Time at);
    // `dominantUntil`: the last dominant bit in it ends then.
    void sendErrorFrame(
        Time end, Time dominantUntil, std::uint32_t classes, std::uint8_t kind, can::Place place, const std::vector<Port>& of);

    clock::Scheduler& scheduler_;
    SimulatedBusOptions options_;
    std::vector<PortState> ports_;
    std::vector<Port> contenders_;  // senders of the frame in flight
    can::Frame inFlight_;
    can::Frame errorFrame_;
    Port sender_ = nobody;  // of the frame in flight
    std::vector<std::pair<Port, Pending>> flying_;  // as it stood in the queues of its senders
    Time flightOffered_{0};  // when the first of its senders had it
    std::unordered_map<std::uint32_t, MeasuredResponse> responses_;
    Time flightBegan_{0};
    clock::Timer acknowledge_;  // of the frame in flight
    clock::Timer finish_;
    clock::Timer endError_;
    clock::Timer breakTail_;  // of a frame behind whose CRC something is wrong
    bool tailBreaks_ = false;
    Time began_;
    Time busyUntil_{0};
    Time recessiveSince_{0};  // the run of recessive bits that lasts while the bus is not busy
    Time errorDominantUntil_{0};
    clock::Timer wake_;
    Time wakeAt_ = Time::max();
    bool busy_ = false;
    std::uint64_t errors_ = 0;
    StateHistory states_;
    std::vector<Asked> faults_;  // those that are over too, up to a number
    std::size_t open_ = 0;  // that are not over
    std::uint64_t asked_ = 0;
    clock::Timer faultTimer_;  // when one begins or ends that goes by time
    std::vector<Port> complaining_;  // who flags passively while the frame in flight goes on
    std::uint64_t disturbed_ = 0;
    TailFault tailFault_ = TailFault::checksum;
};

}  // namespace wavetrope::bus
