// SPDX-License-Identifier: GPL-3.0-or-later
// The one event queue that everything acting in time goes through.
#pragma once

#include <cstdint>
#include <deque>
#include <vector>

#include "base/time.h"

namespace wavetrope::clock {

class Timer;

/// Within one instant, what acts comes before what settles: a bus arbitrates after every node has offered its frame.
enum class Phase : std::uint8_t { act, settle };

/// A queue of events in virtual nanoseconds. Events of one instant run by phase, then in the order in which they were
/// asked for, so that the same calls give the same run. Not thread-safe: one thread owns it.
class Scheduler {
public:
    using Handler = void (*)(void* context, std::uint64_t tag);

    /// Virtual time begins at `start`.
    explicit Scheduler(Time start = Time{0}) : now_(start) {}

    [[nodiscard]] Time now() const { return now_; }
    [[nodiscard]] std::size_t pending() const { return heap_.size(); }

    /// Calls `handler(context, tag)` at `when`; a moment in the past means now.
    void at(Time when, Handler handler, void* context, std::uint64_t tag = 0, Phase phase = Phase::act);

    /// Runs everything due up to and including `end`, then stands at `end`.
    void runUntil(Time end);

    /// Nothing behind this instant is run any more: `runUntil` comes back standing at it.
    void halt() { halted_ = true; }
    [[nodiscard]] bool halted() const { return halted_; }
    /// What was halted may be run on.
    void goOn() { halted_ = false; }

    /// Moment of the next event, or `Time::max()`.
    [[nodiscard]] Time next() const { return heap_.empty() ? Time::max() : heap_.front().when; }

private:
    friend class Timer;
    // What a timer calls, and which of the events that it asked for count.
    struct Slot {
        void (*handler)(void* context, std::uint32_t tag) = nullptr;
        void* context = nullptr;
        std::uint32_t generation = 0;
    };
    Slot* takeSlot(Slot slot);
    void giveBack(Slot& slot);
    void at(Time when, Slot& slot, std::uint32_t tag, Phase phase);

    struct Event {
        Time when;
        std::uint64_t order;  // phase in the highest bit, then the sequence number
        Handler handler;
        void* context;
        std::uint64_t tag;
    };
    struct Later {
        bool operator()(const Event& a, const Event& b) const { return a.when != b.when ? a.when > b.when : a.order > b.order; }
    };

    std::vector<Event> heap_;
    std::deque<Slot> slots_;        // stay where they are: events know them
    std::vector<Slot*> free_;
    Time now_;
    std::uint64_t sequence_ = 0;
    bool halted_ = false;
};

}  // namespace wavetrope::clock
