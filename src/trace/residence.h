// SPDX-License-Identifier: GPL-3.0-or-later
// Which segments of a trace are in memory.
#pragma once

#include <array>
#include <atomic>
#include <cstddef>
#include <mutex>
#include <vector>

#include "trace/published_list.h"
#include "trace/segment_slot.h"

namespace wavetrope::trace {

/// Keeps the complete segments of a trace within so many bytes: those that were not asked for longest leave, and come
/// back from a store when they are asked for. The open segment always stays.
class Residence {
public:
    Residence(const PublishedList<SegmentSlot*>& slots, std::size_t bound, SegmentStore& store)
        : slots_(slots), store_(store), bound_(bound)
    {}

    /// A segment, fetched if need be. Any thread.
    [[nodiscard]] SegmentPin pin(std::size_t index);
    /// The store has it: it may leave.
    void kept(std::size_t index) { slots_[index]->state.store(SegmentSlot::State::kept, std::memory_order_release); }
    /// Takes in segments that were completed, and has those leave that may, until the rest is within the bound. Gives
    /// the bytes that are in memory then.
    std::size_t relieve()
    {
        const std::scoped_lock lock(listMutex_);
        return relieveLocked();
    }
    /// Bytes of complete segments that are in memory alone.
    [[nodiscard]] std::size_t held();
    /// Lets the oldest segment go that is in memory alone. Gives its index, or `none`.
    std::size_t letGoOldest();
    static constexpr std::size_t none = ~std::size_t{0};

    [[nodiscard]] std::size_t bound() const { return bound_.load(std::memory_order_relaxed); }
    /// Another bound, from the next look on.
    void setBound(std::size_t bytes) { bound_.store(bytes, std::memory_order_relaxed); }
    [[nodiscard]] std::size_t bytes() const { return bytes_.load(std::memory_order_relaxed); }

private:
    [[nodiscard]] std::mutex& lockOf(std::size_t index) { return locks_[index % locks_.size()]; }
    /// Complete segments are all but the last.
    [[nodiscard]] std::size_t complete() const { return slots_.size() == 0 ? 0 : slots_.size() - 1; }
    Segment* fetch(std::size_t index, SegmentSlot& slot);
    bool leave(std::size_t index);
    std::size_t relieveLocked();
    void note();

    const PublishedList<SegmentSlot*>& slots_;
    SegmentStore& store_;
    std::atomic<std::size_t> bound_;
    std::atomic<std::uint64_t> loads_{1};
    std::atomic<std::size_t> bytes_{0};
    std::array<std::mutex, 16> locks_;      // held while a segment comes or leaves; by segment
    std::mutex listMutex_;
    std::vector<std::size_t> present_;      // complete segments in memory
    std::size_t noted_ = 0;                 // of the complete ones
    std::size_t oldest_ = 0;                // no segment before it is in memory alone
};

}  // namespace wavetrope::trace
