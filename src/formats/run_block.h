// SPDX-License-Identifier: GPL-3.0-or-later
// Frames of a run by column, compressed: what leaves memory, and what is read again after a crash.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "base/error.h"
#include "trace/trace.h"

namespace wavetrope::formats {

/// The head of a block, as docs/kept-runs.md lays it out.
struct RunBlockHead {
    static constexpr std::size_t size = 40;
    static constexpr std::uint32_t mostBytes = 16U << 20;

    std::uint64_t firstRow = 0;
    std::uint32_t rows = 0;         ///< 1 to trace::segmentRows.
    std::uint32_t stored = 0;       ///< Bytes behind the head.
    std::uint32_t plain = 0;        ///< Bytes that they become.
    std::uint32_t check = 0;        ///< CRC-32 of the bytes behind the head.

    void write(std::uint8_t* to) const;
    /// Empty where this is no head, or a damaged one.
    [[nodiscard]] static std::optional<RunBlockHead> read(std::span<const std::uint8_t> bytes);
};

/// Appends a block, head and all, with rows of one segment.
void writeRunBlock(
    const trace::Trace& trace, const trace::Segment& segment, std::uint32_t from, std::uint32_t to, std::vector<std::uint8_t>& out);

/// The rows of a block.
class RunBlock {
public:
    struct Group {
        trace::TraceKey key;
        std::uint16_t attributes = 0;
        std::uint8_t length = 0;
        std::size_t payloads = 0;       // where they begin
        std::uint32_t taken = 0;
    };

    /// Takes apart what stands behind a head; an error in words where that is damaged.
    [[nodiscard]] static Expected<RunBlock> read(const RunBlockHead& head, std::span<const std::uint8_t> stored);

    /// The same of columns that are not compressed.
    [[nodiscard]] static Expected<RunBlock> fromColumns(std::uint32_t rows, std::span<const std::uint8_t> columns);

    [[nodiscard]] std::uint32_t rows() const { return static_cast<std::uint32_t>(groupOf_.size()); }
    [[nodiscard]] const std::vector<Group>& groups() const { return groups_; }
    /// Calls visit(group, frame) row by row; payloads are valid as long as the block.
    template <class Visit>
    void each(Visit visit)
    {
        for (Group& group : groups_)
            group.taken = 0;
        can::FrameView frame;
        for (std::size_t row = 0; row < groupOf_.size(); ++row) {
            Group& group = groups_[groupOf_[row]];
            trace::Segment::unpack(group.attributes, frame);
            frame.bus = group.key.bus;
            frame.id = group.key.id;
            frame.length = group.length;
            frame.time = Time(times_[row]);
            frame.data = plain_.data() + group.payloads + std::size_t{group.taken++} * group.length;
            visit(groupOf_[row], static_cast<const can::FrameView&>(frame));
        }
    }
    /// The segment that these rows were, all of it; null where an identifier is not one of the trace.
    [[nodiscard]] std::unique_ptr<trace::Segment> segment(trace::Row first, const trace::Trace& trace) const;

private:
    [[nodiscard]] bool take(std::uint32_t rows);

    std::vector<std::uint8_t> plain_;       // columns, and bytes that may be read behind them
    std::vector<Group> groups_;
    std::vector<std::uint16_t> groupOf_;
    std::vector<std::int64_t> times_;
};

}  // namespace wavetrope::formats
