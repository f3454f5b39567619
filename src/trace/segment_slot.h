// SPDX-License-Identifier: GPL-3.0-or-later
// A segment's place in a trace, whether or not the segment is in memory.
#pragma once

#include <atomic>
#include <cstdint>
#include <memory>
#include <utility>

#include "trace/segment.h"

namespace wavetrope::trace {

/// Keeps what leaves memory. Used by any thread; a call may read from the disk.
class SegmentStore {
public:
    virtual ~SegmentStore() = default;
    /// A segment as it was, or null when it cannot be read.
    [[nodiscard]] virtual std::unique_ptr<Segment> load(std::size_t index) = 0;
};

/// What is known of a segment without it.
struct SegmentSlot {
    enum class State : std::uint8_t {
        held,   ///< In memory alone.
        kept,   ///< In the store as well, and perhaps not in memory.
        gone    ///< Let go: its rows are counted, and that is all.
    };

    explicit SegmentSlot(Row row) : first(row) {}

    const Row first;
    std::atomic<Segment*> segment{nullptr};
    std::atomic<std::uint32_t> pins{0};
    std::atomic<std::uint64_t> used{0};     ///< When it was last asked for, in loads of other segments.
    std::atomic<State> state{State::held};
    // Of the whole trace up to and with this segment; there from the moment when the next one opens.
    std::atomic<std::int64_t> earliest{0}, latest{0};
    std::atomic<std::uint32_t> groups{0};
};

/// A segment that stays in memory for as long as this is there.
class SegmentPin {
public:
    /// `slot` is null where segments never leave memory.
    SegmentPin(const Segment* segment, SegmentSlot* slot) : segment_(segment), slot_(slot) {}
    SegmentPin(SegmentPin&& other) noexcept : segment_(other.segment_), slot_(std::exchange(other.slot_, nullptr)) {}
    SegmentPin& operator=(SegmentPin&& other) noexcept
    {
        std::swap(segment_, other.segment_);
        std::swap(slot_, other.slot_);
        return *this;
    }
    SegmentPin(const SegmentPin&) = delete;
    SegmentPin& operator=(const SegmentPin&) = delete;
    ~SegmentPin()
    {
        if (slot_ != nullptr)
            slot_->pins.fetch_sub(1, std::memory_order_release);
    }
    [[nodiscard]] const Segment& operator*() const { return *segment_; }
    [[nodiscard]] const Segment* operator->() const { return segment_; }

private:
    const Segment* segment_;
    SegmentSlot* slot_;
};

}  // namespace wavetrope::trace
