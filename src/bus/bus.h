// SPDX-License-Identifier: GPL-3.0-or-later
// A bus: what frames are offered to and come from.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "base/error.h"
#include "bus/state_history.h"
#include "can/bit_rate.h"
#include "can/error_counters.h"
#include "can/frame.h"

namespace wavetrope::bus {

/// Index of whoever is attached to a bus. `nobody` sent what came from outside.
using Port = std::uint32_t;
inline constexpr Port nobody = ~Port{0};

/// In which order a port's waiting frames go out: as a controller with many mailboxes does it, the one that would win on
/// the wire first; or as they were offered, which is one sender whose frames stand in line.
enum class Order : std::uint8_t { byPriority, asOffered };

/// Facts about a bus, for people.
struct Health {
    /// The worst that is true of it, in this order.
    enum class State : std::uint8_t { alive, warning, passive, refusing, busOff, down };
    State state = State::alive;
    bool alive = false;             ///< It can carry frames now.
    std::string words;              ///< "alive", "Cab is error-passive", "can0 is down".
    std::string facts;              ///< What else is to be told of the way to it; empty when nothing.
    std::string advice;             ///< What the machine could do better for it, with how; empty when nothing.
    std::uint64_t errors = 0;       ///< Error frames so far.
    std::shared_ptr<const std::vector<StateChange>>
        changes{};  ///< Of the error states of those who are attached, as far as known; null: none.
    std::uint64_t lost = 0;         ///< Frames refused by a full transmit queue or lost on the way in.
};

/// How long frames of an identifier took from their offer to the end of their last bit. Only a simulated bus can know.
struct MeasuredResponse {
    can::Identifier id{};
    std::uint64_t count = 0;
    Time longest{0};
    Time at{0};                     ///< Stamp of the frame that took longest.
};

/// Receives every frame of a bus in the order of the wire. Called on the thread that drives the bus.
class Listener {
public:
    virtual void onFrame(const can::FrameView& frame, Port sender) = 0;

protected:
    ~Listener() = default;
};

/// A simulated bus or one of the kernel's.
class Bus {
public:
    virtual ~Bus() = default;

    /// Attaches somebody who sends; frames of the port carry `direction`.
    virtual Port attach(std::string name, can::Direction direction, Order order = Order::byPriority) = 0;
    /// Puts a frame into the port's transmit queue. False when it was full (counted) or the port is off.
    virtual bool offer(Port port, const can::Frame& frame) = 0;
    /// So many frames of a port shall have room to wait, at least; of a bus that can say so.
    virtual void makeRoom(Port port, std::size_t frames) { static_cast<void>(port), static_cast<void>(frames); }
    /// Whether an offer would be taken now.
    [[nodiscard]] virtual bool accepts(Port port) const = 0;
    /// Switches a port off (its queue is emptied) or on again.
    virtual void enable(Port port, bool on) = 0;
    /// Asks for a port that is bus off to take part again: it does so behind 128 times 11 recessive bits. Nothing for others.
    virtual void restart(Port port) { (void)port; }
    /// Stamp of the frame that `take` brings in next; nothing where none has arrived from outside.
    [[nodiscard]] virtual std::optional<Time> arrived() { return {}; }
    /// Whether all that has come from outside by now is in hand, so that `arrived` knows of it.
    [[nodiscard]] virtual bool inHand() { return true; }
    /// Brings in the frame that arrived first.
    virtual void take() {}
    [[nodiscard]] virtual Health health() const = 0;
    /// Whether somebody who is attached has left the bus by itself after too many errors (ISO 11898-1:2015, 12.1.4.3), where that is known.
    [[nodiscard]] virtual bool isOff(Port port) const
    {
        static_cast<void>(port);
        return false;
    }
    /// Error counters of who is attached; nothing where only its controller knows them.
    [[nodiscard]] virtual std::optional<can::ErrorCounters> countersOf(Port port) const
    {
        static_cast<void>(port);
        return {};
    }
    [[nodiscard]] virtual can::BitRate bitRate() const = 0;
    /// By identifier, as far as it can be known.
    [[nodiscard]] virtual std::vector<MeasuredResponse> responses() const { return {}; }

    void listen(Listener* listener) { listeners_.push_back(listener); }

protected:
    void deliver(const can::FrameView& frame, Port sender) const
    {
        for (Listener* listener : listeners_)
            listener->onFrame(frame, sender);
    }

private:
    std::vector<Listener*> listeners_;
};

}  // namespace wavetrope::bus
