// A stretch of a trace: up to 65,536 frames by column, payloads grouped by identifier.
#pragma once

#include <array>
#include <atomic>
#include <memory>
#include <span>
#include <vector>

#include "can/frame.h"
#include "trace/trace_key.h"

namespace wavetrope::trace {

inline constexpr std::uint32_t segmentRows = 1U << 16;

/// Frames of one identifier and one payload length in a segment: their rows and payloads, one behind the other.
/// Chunks double in size and never move, so that readers go on while the writer appends.
class Group {
public:
    static constexpr unsigned firstBits = 3;
    static constexpr unsigned chunkCount = 17 - firstBits;

    Group() = default;
    Group(IdentifierIndex identifier, std::uint8_t length) : identifier_(identifier), length_(length) {}
    Group(const Group&) = delete;
    Group& operator=(const Group&) = delete;

    [[nodiscard]] IdentifierIndex identifier() const { return identifier_; }
    [[nodiscard]] std::uint8_t length() const { return length_; }
    [[nodiscard]] std::uint32_t size() const { return size_.load(std::memory_order_acquire); }
    /// Row within the segment of the n-th frame of the group.
    [[nodiscard]] std::uint16_t row(std::uint32_t ordinal) const;
    [[nodiscard]] const std::uint8_t* payload(std::uint32_t ordinal) const;
    /// Number of frames of the group that lie before `row` of the segment.
    [[nodiscard]] std::uint32_t countBefore(std::uint32_t row) const;

private:
    friend class Segment;
    struct Place {
        unsigned chunk;
        std::uint32_t offset;
    };
    static Place place(std::uint32_t ordinal);
    static std::uint32_t capacity(unsigned chunk) { return 1U << (firstBits + chunk); }

    IdentifierIndex identifier_ = 0;
    std::uint8_t length_ = 0;
    std::atomic<std::uint32_t> size_{0};
    std::array<std::atomic<std::uint8_t*>, chunkCount> chunks_{};  // rows, then payloads
};

/// One writer appends, readers look at the rows that were published to them by a snapshot.
class Segment {
public:
    explicit Segment(Row first);
    ~Segment();
    Segment(const Segment&) = delete;
    Segment& operator=(const Segment&) = delete;

    [[nodiscard]] Row firstRow() const { return first_; }
    [[nodiscard]] can::Time time(std::uint32_t row) const { return can::Time(times_[row]); }
    [[nodiscard]] IdentifierIndex identifier(std::uint32_t row) const { return groupOf(row).identifier(); }
    /// Kind, direction, switches and length code of a row, without its time, identifier and payload.
    void readHead(std::uint32_t row, can::FrameHead& head) const;
    [[nodiscard]] const std::uint8_t* payload(std::uint32_t row) const { return groupOf(row).payload(ordinals_[row]); }
    [[nodiscard]] std::uint16_t attributes(std::uint32_t row) const { return attributes_[row]; }

    [[nodiscard]] std::uint32_t groupCount() const { return groupCount_.load(std::memory_order_acquire); }
    [[nodiscard]] const Group& group(std::uint32_t index) const;
    [[nodiscard]] std::uint32_t groupIndex(std::uint32_t row) const { return groups_[row]; }
    [[nodiscard]] const Group& groupOf(std::uint32_t row) const { return group(groups_[row]); }

    /// Smallest and largest time of the rows so far.
    [[nodiscard]] can::Time earliest() const { return can::Time(earliest_.load(std::memory_order_acquire)); }
    [[nodiscard]] can::Time latest() const { return can::Time(latest_.load(std::memory_order_acquire)); }

    /// Bytes that the segment holds.
    [[nodiscard]] std::size_t memory() const { return memory_.load(std::memory_order_relaxed); }

    /// Attributes packed: kind, direction, bit-rate switch, error-state indicator, length code.
    [[nodiscard]] static std::uint16_t pack(const can::FrameHead& head);
    static void unpack(std::uint16_t attributes, can::FrameHead& head);

private:
    friend class Trace;
    void append(std::uint32_t row, const can::FrameView& frame, std::uint32_t group);
    std::uint32_t addGroup(IdentifierIndex identifier, std::uint8_t length);
    std::uint8_t* allocate(std::size_t bytes);

    Row first_;
    std::unique_ptr<std::int64_t[]> times_;
    std::unique_ptr<std::uint16_t[]> groups_;
    std::unique_ptr<std::uint16_t[]> ordinals_;
    std::unique_ptr<std::uint16_t[]> attributes_;
    static constexpr unsigned groupBlock = 256;
    std::array<std::atomic<Group*>, segmentRows / groupBlock> groupBlocks_{};
    std::atomic<std::uint32_t> groupCount_{0};
    std::atomic<std::int64_t> earliest_;
    std::atomic<std::int64_t> latest_;
    std::vector<std::unique_ptr<std::uint8_t[]>> arena_;
    std::size_t arenaLeft_ = 0;
    std::uint8_t* arenaAt_ = nullptr;
    std::atomic<std::size_t> memory_{0};
};

}  // namespace wavetrope::trace
