// The frames of a run, append-only.
#pragma once

#include <algorithm>
#include <atomic>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <unordered_map>
#include <vector>

#include "can/bit_rate.h"
#include "trace/published_list.h"
#include "trace/segment.h"

namespace wavetrope::trace {

/// One bus of a trace.
struct TraceBus {
    std::string name;
    can::BitRate rate;
};

class Snapshot;

/// One writer, any number of readers. Readers take a snapshot, a count of rows, and never wait; what a snapshot shows
/// never changes. The trace outlives its snapshots.
class Trace {
public:
    Trace();
    ~Trace();
    Trace(const Trace&) = delete;
    Trace& operator=(const Trace&) = delete;

    /// Adds a bus (writer). Its index is stamped into frames.
    std::uint8_t addBus(TraceBus bus);
    /// Corrects the name or bit rate of a bus (writer). Readers get a copy.
    void describeBus(std::uint8_t index, TraceBus bus);
    [[nodiscard]] std::vector<TraceBus> buses() const;

    /// Appends a frame (writer) and publishes it.
    void append(const can::FrameView& frame);

    [[nodiscard]] Snapshot snapshot() const;
    [[nodiscard]] std::uint64_t rows() const { return rows_.load(std::memory_order_acquire); }
    [[nodiscard]] std::size_t identifierCount() const { return keys_.size(); }
    [[nodiscard]] const TraceKey& key(IdentifierIndex index) const { return keys_[index]; }
    /// Index of an identifier, or empty when no frame has had it. Waits for no one but a first appearance.
    [[nodiscard]] std::optional<IdentifierIndex> find(const TraceKey& key) const;

    /// Bytes held by segments and tables.
    [[nodiscard]] std::size_t memory() const;
    /// Whether no frame was stamped before its predecessor.
    [[nodiscard]] bool monotone() const { return disorders_.load(std::memory_order_acquire) == 0; }
    /// How many frames were stamped before their predecessor.
    [[nodiscard]] std::uint64_t disorders() const { return disorders_.load(std::memory_order_acquire); }

private:
    friend class Snapshot;
    [[nodiscard]] const Segment& segment(std::size_t index) const { return *segments_[index]; }
    IdentifierIndex identifierOf(const TraceKey& key);
    std::uint32_t groupFor(IdentifierIndex identifier, std::uint8_t length);

    PublishedList<Segment*> segments_;
    PublishedList<TraceKey> keys_;
    std::atomic<std::uint64_t> rows_{0};
    std::atomic<std::uint64_t> disorders_{0};
    can::Time lastTime_;
    Segment* open_ = nullptr;

    // Writer's own: the open segment's group of each identifier (length in the low byte, valid for one segment).
    struct Slot {
        std::uint32_t epoch = 0;
        std::uint16_t group = 0;
        std::uint8_t length = 0;
    };
    std::vector<Slot> slots_;
    std::unordered_map<std::uint64_t, std::uint16_t> otherLengths_;
    std::uint32_t epoch_ = 0;
    std::uint64_t lastPacked_ = ~0ULL;
    IdentifierIndex lastIdentifier_ = 0;
    std::vector<IdentifierIndex> standard_;  // by bus and 11-bit identifier, for speed

    mutable std::mutex tableMutex_;  // first appearances and names only, never frames
    std::unordered_map<std::uint64_t, IdentifierIndex> table_;
    std::vector<TraceBus> buses_;
};

/// What a trace held at one moment.
class Snapshot {
public:
    Snapshot() = default;
    Snapshot(const Trace& trace, std::uint64_t rows) : trace_(&trace), rows_(rows) {}

    [[nodiscard]] bool valid() const { return trace_ != nullptr; }
    [[nodiscard]] const Trace& trace() const { return *trace_; }
    [[nodiscard]] std::uint64_t rows() const { return rows_; }
    [[nodiscard]] std::size_t segmentCount() const { return static_cast<std::size_t>((rows_ + segmentRows - 1) / segmentRows); }
    [[nodiscard]] const Segment& segment(std::size_t index) const { return trace_->segment(index); }
    /// Rows of a segment that belong to the snapshot.
    [[nodiscard]] std::uint32_t rowsIn(std::size_t index) const;

    /// The frame of a row; its payload stays valid as long as the trace.
    [[nodiscard]] can::FrameView frame(Row row) const;
    [[nodiscard]] can::Time time(Row row) const { return segmentOf(row).time(static_cast<std::uint32_t>(row % segmentRows)); }
    [[nodiscard]] IdentifierIndex identifier(Row row) const { return segmentOf(row).identifier(static_cast<std::uint32_t>(row % segmentRows)); }

    /// Newest row of an identifier before `limit` (and before the snapshot's end), or noRow.
    [[nodiscard]] Row previousOf(IdentifierIndex identifier, Row limit) const;
    /// Next row of an identifier at or behind `from`, or noRow.
    [[nodiscard]] Row nextOf(IdentifierIndex identifier, Row from) const;
    /// Frames of an identifier before `limit` (and before the snapshot's end).
    [[nodiscard]] std::uint64_t countOf(IdentifierIndex identifier, Row limit = noRow) const;

    /// Calls visit(row, frame) for the frames of one identifier from row `from` on, in order; stops when it returns false.
    template <class Visit>
    void eachOf(IdentifierIndex identifier, Row from, Visit visit) const;

    /// First and last time stamp; zero when there are no rows.
    [[nodiscard]] can::Time earliest() const;
    [[nodiscard]] can::Time latest() const;

private:
    [[nodiscard]] const Segment& segmentOf(Row row) const { return trace_->segment(static_cast<std::size_t>(row / segmentRows)); }

    const Trace* trace_ = nullptr;
    std::uint64_t rows_ = 0;
};

template <class Visit>
void Snapshot::eachOf(IdentifierIndex identifier, Row from, Visit visit) const
{
    std::vector<std::pair<std::uint16_t, const std::uint8_t*>> merged;
    for (std::size_t s = static_cast<std::size_t>(from / segmentRows); s < segmentCount(); ++s) {
        const Segment& seg = segment(s);
        const std::uint32_t limit = rowsIn(s);
        const std::uint32_t start = s == from / segmentRows ? static_cast<std::uint32_t>(from % segmentRows) : 0;
        const Group* only = nullptr;
        unsigned found = 0;
        for (std::uint32_t g = 0; g < seg.groupCount(); ++g)
            if (seg.group(g).identifier() == identifier) {
                only = &seg.group(g);
                ++found;
            }
        if (found == 0)
            continue;
        can::FrameView frame;
        const TraceKey key = trace_->key(identifier);
        frame.bus = key.bus;
        frame.id = key.id;
        const auto show = [&](std::uint32_t row, const std::uint8_t* payload) {
            seg.readHead(row, frame);
            frame.data = payload;
            return visit(seg.firstRow() + row, static_cast<const can::FrameView&>(frame));
        };
        if (found == 1) {
            const std::uint32_t end = only->size();
            for (std::uint32_t i = only->countBefore(start); i < end; ++i) {
                const std::uint16_t row = only->row(i);
                if (row >= limit)
                    return;
                if (!show(row, only->payload(i)))
                    return;
            }
            continue;
        }
        merged.clear();  // several lengths of one identifier: put their rows back in order
        for (std::uint32_t g = 0; g < seg.groupCount(); ++g) {
            const Group& group = seg.group(g);
            if (group.identifier() != identifier)
                continue;
            const std::uint32_t end = group.size();
            for (std::uint32_t i = group.countBefore(start); i < end && group.row(i) < limit; ++i)
                merged.emplace_back(group.row(i), group.payload(i));
        }
        std::sort(merged.begin(), merged.end());
        for (const auto& [row, payload] : merged)
            if (!show(row, payload))
                return;
    }
}

}  // namespace wavetrope::trace
