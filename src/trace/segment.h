// SPDX-License-Identifier: GPL-3.0-or-later
// A stretch of a trace: up to 65,536 frames by column, payloads grouped by identifier.
#pragma once

#include <algorithm>
#include <array>
#include <atomic>
#include <cstring>
#include <memory>
#include <span>
#include <vector>

#include "can/frame.h"
#include "trace/trace_key.h"

namespace wavetrope::trace {

inline constexpr std::uint32_t segmentRows = 1U << 16;
inline constexpr std::uint32_t noGroup = ~std::uint32_t{0};
/// Bytes that may be read behind a payload.
inline constexpr std::size_t readableBehind = 64;

/// Frames of one identifier, one payload length and one set of attributes in a segment: their rows and payloads, one
/// behind the other. Chunks grow (two of each size, then twice as large) and never move, so that readers go on while the
/// writer appends. Behind every payload there are readable bytes, so that a signal may be loaded by whole words.
class Group {
public:
    static constexpr unsigned firstBits = 3;
    static constexpr unsigned chunkCount = 2 * (16 - firstBits);

    Group() = default;
    Group(const Group&) = delete;
    Group& operator=(const Group&) = delete;

    [[nodiscard]] IdentifierIndex identifier() const { return identifier_; }
    [[nodiscard]] std::uint8_t length() const { return length_; }
    /// Kind, direction, switches and length code of all its frames, packed.
    [[nodiscard]] std::uint16_t attributes() const { return attributes_; }
    /// Index of the next group of the same identifier in the segment, or noGroup.
    [[nodiscard]] std::uint32_t next() const { return next_.load(std::memory_order_acquire); }
    [[nodiscard]] std::uint32_t size() const { return size_.load(std::memory_order_acquire); }
    /// Row within the segment of the n-th frame of the group.
    [[nodiscard]] std::uint16_t row(std::uint32_t ordinal) const;
    [[nodiscard]] const std::uint8_t* payload(std::uint32_t ordinal) const;
    /// Number of frames of the group that lie before `row` of the segment.
    [[nodiscard]] std::uint32_t countBefore(std::uint32_t row) const;

    /// Calls visit(rows, payloads, count) for stretches of its frames that lie together, from one ordinal to another.
    template <class Visit>
    void chunks(std::uint32_t from, std::uint32_t to, Visit visit) const
    {
        while (from < to) {
            const Place at = place(from);
            const std::uint32_t count = std::min(to - from, capacity(at.chunk) - at.offset);
            const std::uint8_t* chunk = chunks_[at.chunk].load(std::memory_order_acquire);
            visit(chunk + 2UL * at.offset,
                static_cast<const std::uint8_t*>(chunk + 2UL * capacity(at.chunk) + static_cast<std::size_t>(length_) * at.offset), count);
            from += count;
        }
    }
    /// Asks the memory for its chunks, ahead of `chunks`.
    void prefetch() const
    {
        const std::uint32_t count = size();
        for (unsigned c = 0; c < chunkCount; ++c) {
            const std::uint8_t* chunk = chunks_[c].load(std::memory_order_relaxed);
            if (chunk == nullptr || count == 0)
                return;
            const std::size_t bytes = std::size_t{capacity(c)} * (2U + length_);
            for (std::size_t at = 0; at < bytes && at < 1024; at += 64)
                __builtin_prefetch(chunk + at);
        }
    }
    /// The i-th of the rows that `chunks` shows.
    [[nodiscard]] static std::uint16_t rowAt(const std::uint8_t* rows, std::uint32_t i)
    {
        std::uint16_t row;
        std::memcpy(&row, rows + 2UL * i, sizeof row);
        return row;
    }

private:
    friend class Segment;
    friend class SegmentFill;
    friend class Trace;
    struct Place {
        unsigned chunk;
        std::uint32_t offset;
    };
    [[nodiscard]] Place place(std::uint32_t ordinal) const
    {
        return ordinal < firstCapacity_ ? Place{0, ordinal} : placeBehindFirst(ordinal);
    }
    static Place placeBehindFirst(std::uint32_t ordinal);
    [[nodiscard]] std::uint32_t capacity(unsigned chunk) const { return chunk == 0 ? firstCapacity_ : 1U << (firstBits + chunk / 2); }

    IdentifierIndex identifier_ = 0;
    std::uint32_t firstCapacity_ = 1U << firstBits;  // all its frames, where they were counted beforehand
    std::uint8_t length_ = 0;
    std::uint16_t attributes_ = 0;
    std::atomic<std::uint32_t> next_{noGroup};
    std::array<std::atomic<std::uint8_t*>, chunkCount> chunks_{};  // rows, then payloads
    // Stored for every frame: apart from what readers look up for every row.
    alignas(64) std::atomic<std::uint32_t> size_{0};
};

/// Where the next frame of a group goes. The writer's own, apart from what readers look at.
struct GroupEnd {
    Group* group = nullptr;
    std::uint8_t* rows = nullptr;
    std::uint8_t* payloads = nullptr;
    std::uint32_t ordinal = 0;
    std::uint32_t left = 0;  ///< Room in the chunk.
    std::uint16_t index = 0;  ///< Of the group in its segment.
};

/// Bytes that the segments of all traces of this program hold.
[[nodiscard]] std::size_t memoryOfSegments();

/// One writer appends, readers look at the rows that were published to them by a snapshot.
class Segment {
public:
    explicit Segment(Row first);
    /// Stands for one that is lost: as many rows and groups, all of them empty, stamped with one time.
    [[nodiscard]] static std::unique_ptr<Segment> withoutRows(Row first, std::uint32_t groups, std::int64_t time);
    ~Segment();
    Segment(const Segment&) = delete;
    Segment& operator=(const Segment&) = delete;

    [[nodiscard]] Row firstRow() const { return first_; }
    [[nodiscard]] Time time(std::uint32_t row) const
    {
        const TimeBlock& block = timeBlocks_[row / timeBlockRows];
        const std::int64_t* wide = block.wide.load(std::memory_order_acquire);
        return Time(wide == nullptr ? block.base + offsets_[row] : wide[row % timeBlockRows]);
    }
    [[nodiscard]] IdentifierIndex identifier(std::uint32_t row) const { return groupOf(row).identifier(); }
    /// Kind, direction, switches and length code of a row, without its time, identifier and payload.
    void readHead(std::uint32_t row, can::FrameHead& head) const;
    /// All of a row but its bus and identifier, whose index it gives.
    IdentifierIndex read(std::uint32_t row, can::FrameView& frame) const
    {
        const Group& group = groupOf(row);
        unpack(group.attributes(), frame);
        frame.time = time(row);
        frame.length = group.length();
        frame.data = group.payload(ordinals_[row]);
        return group.identifier();
    }
    [[nodiscard]] const std::uint8_t* payload(std::uint32_t row) const { return groupOf(row).payload(ordinals_[row]); }
    [[nodiscard]] std::uint16_t attributes(std::uint32_t row) const { return groupOf(row).attributes(); }

    [[nodiscard]] std::uint32_t groupCount() const { return groupCount_.load(std::memory_order_acquire); }
    [[nodiscard]] const Group& group(std::uint32_t index) const;
    [[nodiscard]] std::uint32_t groupIndex(std::uint32_t row) const { return groups_[row]; }
    [[nodiscard]] const Group& groupOf(std::uint32_t row) const { return group(groups_[row]); }

    /// Smallest and largest time of the rows so far.
    [[nodiscard]] Time earliest() const { return Time(earliest_.load(std::memory_order_acquire)); }
    [[nodiscard]] Time latest() const { return Time(latest_.load(std::memory_order_acquire)); }

    /// Whether it stands for one that is lost.
    [[nodiscard]] bool lost() const { return lost_; }

    /// Bytes that the segment holds.
    [[nodiscard]] std::size_t memory() const { return memory_.load(std::memory_order_relaxed); }

    /// Attributes packed: kind, direction, bit-rate switch, error-state indicator, length code.
    [[nodiscard]] static std::uint16_t pack(const can::FrameHead& head)
    {
        return static_cast<std::uint16_t>(static_cast<unsigned>(head.kind) | static_cast<unsigned>(head.direction) << 2
                                          | (head.brs ? 1U << 4 : 0U) | (head.esi ? 1U << 5 : 0U) | (head.dlc & 15U) << 6
                                          | (head.id.extended ? 1U << 10 : 0U));
    }
    static void unpack(std::uint16_t attributes, can::FrameHead& head);

private:
    friend class Trace;
    friend class SegmentFill;
    void append(std::uint32_t row, const can::FrameView& frame, GroupEnd& end);
    /// The next chunk of a group that is full, or its first.
    void enlarge(GroupEnd& end);
    [[nodiscard]] Group& ownGroup(std::uint32_t index)
    {
        return groupBlocks_[index / groupBlock].load(std::memory_order_relaxed)[index % groupBlock];
    }
    /// The end of a group that is empty.
    [[nodiscard]] GroupEnd endOf(std::uint32_t index)
    {
        return {&ownGroup(index), nullptr, nullptr, 0, 0, static_cast<std::uint16_t>(index)};
    }
    /// `before` is the last group of the same identifier in the segment, or noGroup.
    std::uint32_t addGroup(IdentifierIndex identifier, std::uint8_t length, std::uint16_t attributes, std::uint32_t before);
    void stamp(std::uint32_t row, std::int64_t time);
    /// A whole block of rows from `row` on at once.
    void stamp(std::uint32_t row, std::span<const std::int64_t> times);
    /// Counts bytes that it holds.
    void take(std::size_t bytes);
    std::uint8_t* allocate(std::size_t bytes);
    std::uint8_t* allocateAlone(std::size_t bytes);

    // Time stamps as offsets in nanoseconds from the first of their block; a block that spans more than 2.1 s either way
    // has a column of whole stamps instead.
    static constexpr std::uint32_t timeBlockRows = 256;
    struct TimeBlock {
        std::int64_t base = 0;
        std::atomic<std::int64_t*> wide{nullptr};
    };

    Row first_;
    std::unique_ptr<TimeBlock[]> timeBlocks_;
    std::unique_ptr<std::int32_t[]> offsets_;
    std::unique_ptr<std::uint16_t[]> groups_;
    std::unique_ptr<std::uint16_t[]> ordinals_;
    static constexpr unsigned groupBlock = 64;
    std::array<std::atomic<Group*>, segmentRows / groupBlock> groupBlocks_{};
    std::atomic<std::uint32_t> groupCount_{0};
    std::atomic<std::int64_t> earliest_;
    std::atomic<std::int64_t> latest_;
    std::vector<std::unique_ptr<std::uint8_t[]>> arena_;
    std::size_t arenaLeft_ = 0;
    std::uint8_t* arenaAt_ = nullptr;
    std::atomic<std::size_t> memory_{0};
    bool lost_ = false;
};

}  // namespace wavetrope::trace
