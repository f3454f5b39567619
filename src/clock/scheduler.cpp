#include "clock/scheduler.h"

#include <algorithm>

namespace wavetrope::clock {

void Scheduler::at(Time when, Handler handler, void* context, std::uint64_t tag, Phase phase)
{
    const std::uint64_t order = sequence_++ | (phase == Phase::settle ? 1ULL << 63 : 0);
    heap_.push_back({std::max(when, now_), order, handler, context, tag});
    std::push_heap(heap_.begin(), heap_.end(), later);
}

void Scheduler::runUntil(Time end)
{
    while (!heap_.empty() && heap_.front().when <= end) {
        std::pop_heap(heap_.begin(), heap_.end(), later);
        const Event event = heap_.back();
        heap_.pop_back();
        now_ = event.when;
        event.handler(event.context, event.tag);
    }
    now_ = std::max(now_, end);
}

}  // namespace wavetrope::clock
