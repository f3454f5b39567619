// SPDX-License-Identifier: GPL-3.0-or-later
#include "clock/scheduler.h"

#include <algorithm>

namespace wavetrope::clock {

void Scheduler::at(Time when, Handler handler, void* context, std::uint64_t tag, Phase phase)
{
    const std::uint64_t order = sequence_++ | (phase == Phase::settle ? 1ULL << 63 : 0);
    heap_.push_back({std::max(when, now_), order, handler, context, tag});
    std::push_heap(heap_.begin(), heap_.end(), Later());
}

Scheduler::Slot* Scheduler::takeSlot(Slot slot)
{
    if (free_.empty())
        return &slots_.emplace_back(slot);
    Slot* taken = free_.back();
    free_.pop_back();
    slot.generation = taken->generation;    // what the one before was set for stays void
    *taken = slot;
    return taken;
}

void Scheduler::giveBack(Slot& slot)
{
    ++slot.generation;
    free_.push_back(&slot);
}

void Scheduler::at(Time when, Slot& slot, std::uint32_t tag, Phase phase)
{
    const Handler fire = [](void* context, std::uint64_t mark) {
        const Slot& set = *static_cast<const Slot*>(context);
        if (mark >> 32 == set.generation)
            set.handler(set.context, static_cast<std::uint32_t>(mark));
    };
    at(when, fire, &slot, std::uint64_t{slot.generation} << 32 | tag, phase);
}

void Scheduler::runUntil(Time end)
{
    while (!heap_.empty() && heap_.front().when <= (halted_ ? std::min(end, now_) : end)) {
        std::pop_heap(heap_.begin(), heap_.end(), Later());
        const Event event = heap_.back();
        heap_.pop_back();
        now_ = event.when;
        event.handler(event.context, event.tag);
    }
    if (!halted_)
        now_ = std::max(now_, end);
}

}  // namespace wavetrope::clock
