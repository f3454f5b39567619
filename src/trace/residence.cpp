// SPDX-License-Identifier: GPL-3.0-or-later
#include "trace/residence.h"

#include <algorithm>

namespace wavetrope::trace {

using State = SegmentSlot::State;

SegmentPin Residence::pin(std::size_t index)
{
    SegmentSlot& slot = *slots_[index];
    // First the pin, then the look: whoever has it leave looks at the pins after taking it out of sight.
    slot.pins.fetch_add(1, std::memory_order_seq_cst);
    const Segment* segment = slot.segment.load(std::memory_order_seq_cst);
    const std::uint64_t now = loads_.load(std::memory_order_relaxed);
    if (slot.used.load(std::memory_order_relaxed) != now)
        slot.used.store(now, std::memory_order_relaxed);
    if (segment == nullptr) {
        segment = fetch(index, slot);
        if (const std::unique_lock lock(listMutex_, std::try_to_lock); lock.owns_lock())  // else another thread is at it
            relieveLocked();
    }
    return {segment, &slot};
}

Segment* Residence::fetch(std::size_t index, SegmentSlot& slot)
{
    const std::scoped_lock lock(lockOf(index));
    if (Segment* there = slot.segment.load(std::memory_order_seq_cst))
        return there;
    std::unique_ptr<Segment> segment;
    if (slot.state.load(std::memory_order_acquire) == State::kept)
        segment = store_.load(index);
    if (segment == nullptr)
        segment = Segment::withoutRows(
            slot.first, slot.groups.load(std::memory_order_acquire), slot.latest.load(std::memory_order_acquire));
    bytes_.fetch_add(segment->memory(), std::memory_order_relaxed);
    Segment* made = segment.release();
    slot.segment.store(made, std::memory_order_seq_cst);
    slot.used.store(loads_.fetch_add(1, std::memory_order_relaxed) + 1, std::memory_order_relaxed);
    const std::scoped_lock listed(listMutex_);
    present_.push_back(index);
    return made;
}

bool Residence::leave(std::size_t index)
{
    SegmentSlot& slot = *slots_[index];
    const std::unique_lock lock(lockOf(index), std::try_to_lock);
    if (!lock.owns_lock())
        return false;
    Segment* segment = slot.segment.exchange(nullptr, std::memory_order_seq_cst);
    if (segment == nullptr)
        return true;
    if (slot.pins.load(std::memory_order_seq_cst) != 0) {
        slot.segment.store(segment, std::memory_order_seq_cst);  // who saw nothing meanwhile waits for the lock, and finds it
        return false;
    }
    bytes_.fetch_sub(segment->memory(), std::memory_order_relaxed);
    delete segment;
    return true;
}

void Residence::note()
{
    for (const std::size_t end = complete(); noted_ < end; ++noted_) {
        present_.push_back(noted_);
        bytes_.fetch_add(slots_[noted_]->segment.load(std::memory_order_acquire)->memory(), std::memory_order_relaxed);
    }
}

std::size_t Residence::held()
{
    const std::scoped_lock lock(listMutex_);
    note();
    std::size_t sum = 0;
    for (const std::size_t index : present_)
        if (const SegmentSlot& slot = *slots_[index]; slot.state.load(std::memory_order_acquire) == State::held)
            sum += slot.segment.load(std::memory_order_acquire)->memory();
    return sum;
}

std::size_t Residence::relieveLocked()
{
    note();
    if (bytes() <= bound())
        return bytes();
    // Longest unused first; a little more than needed, so that this is not done for every segment that comes.
    std::vector<std::pair<std::uint64_t, std::size_t>> leaving;
    for (const std::size_t index : present_)
        if (slots_[index]->state.load(std::memory_order_acquire) != State::held)
            leaving.emplace_back(slots_[index]->used.load(std::memory_order_relaxed), index);
    std::sort(leaving.begin(), leaving.end());
    const std::size_t aim = bound() - bound() / 16;
    std::vector<std::size_t> left;
    for (const auto& [used, index] : leaving) {
        if (bytes() <= aim)
            break;
        if (leave(index))
            left.push_back(index);
    }
    std::sort(left.begin(), left.end());
    std::erase_if(present_, [&](std::size_t index) { return std::binary_search(left.begin(), left.end(), index); });
    return bytes();
}

std::size_t Residence::letGoOldest()
{
    for (const std::size_t end = complete(); oldest_ < end; ++oldest_) {
        State held = State::held;
        if (slots_[oldest_]->state.compare_exchange_strong(held, State::gone, std::memory_order_acq_rel))
            return oldest_++;
    }
    return none;
}

}  // namespace wavetrope::trace
