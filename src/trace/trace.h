// SPDX-License-Identifier: GPL-3.0-or-later
// The frames of a run, append-only.
#pragma once

#include <algorithm>
#include <atomic>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <unordered_map>
#include <utility>
#include <vector>

#include "can/bit_rate.h"
#include "trace/published_list.h"
#include "trace/residence.h"
#include "trace/segment.h"
#include "trace/segment_fill.h"
#include "trace/segment_slot.h"

namespace wavetrope::trace {

/// One bus of a trace.
struct TraceBus {
    std::string name;
    can::BitRate rate;
};

class Snapshot;

/// Where an identifier occurs: one entry for each segment that holds frames of it.
struct Presence {
    std::uint32_t segment = 0;
    std::uint32_t group = 0;        ///< Its first group there; others hang on Group::next().
    std::uint64_t before = 0;       ///< Its frames in earlier segments.
};
using Presences = PublishedList<Presence, 1, 32>;

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

    /// Keeps the trace within so many bytes from the first frame on: complete segments leave memory once the store has
    /// them. To be called before there are frames; the store outlives all looking at the trace.
    void boundTo(std::size_t bytes, SegmentStore& store);
    /// What decides on what stays in memory, or null where everything does.
    [[nodiscard]] Residence* residence() const { return residence_.get(); }
    /// Whether a row was let go: it is counted, and that is all.
    [[nodiscard]] bool isGone(Row row) const
    {
        return slots_[static_cast<std::size_t>(row / segmentRows)]->state.load(std::memory_order_acquire) == SegmentSlot::State::gone;
    }

    /// Nobody will ask where an identifier occurs: `Presence` is not kept, which of runs of weeks would fill memory. Snapshots
    /// know rows alone then. To be called before there are frames.
    void leaveOutPresences() { presenceKept_ = false; }

    /// Appends a frame (writer) and publishes it.
    void append(const can::FrameView& frame);
    /// Appends a whole segment (writer) and publishes it. To be called where one begins: rows() is a multiple of segmentRows.
    void append(FilledSegment filled);

    [[nodiscard]] Snapshot snapshot() const;
    [[nodiscard]] std::uint64_t rows() const { return rows_.load(std::memory_order_acquire); }
    [[nodiscard]] std::size_t identifierCount() const { return keys_.size(); }
    [[nodiscard]] const TraceKey& key(IdentifierIndex index) const { return keys_[index]; }
    /// Index of an identifier, or empty when no frame has had it. Waits for no one but a first appearance.
    [[nodiscard]] std::optional<IdentifierIndex> find(const TraceKey& key) const;

    /// Bytes held by segments in memory and tables.
    [[nodiscard]] std::size_t memory() const;
    /// Time stamp of the first row, from which filters count; zero where there is none yet.
    [[nodiscard]] Time origin() const { return rows() == 0 ? Time{0} : Time(origin_.load(std::memory_order_relaxed)); }
    /// Whether no frame was stamped before its predecessor.
    [[nodiscard]] bool monotone() const { return disorders_.load(std::memory_order_acquire) == 0; }
    /// How many frames were stamped before their predecessor.
    [[nodiscard]] std::uint64_t disorders() const { return disorders_.load(std::memory_order_acquire); }

private:
    friend class Snapshot;
    [[nodiscard]] SegmentPin segment(std::size_t index) const
    {
        return residence_ ? residence_->pin(index) : SegmentPin(slots_[index]->segment.load(std::memory_order_acquire), nullptr);
    }
    /// Makes a segment that begins at `row` the open one.
    void open(Row row, std::unique_ptr<Segment> segment);
    [[nodiscard]] const Presences& presences(IdentifierIndex identifier) const { return *presences_[identifier]; }
    IdentifierIndex identifierOf(const TraceKey& key);
    GroupEnd& groupFor(IdentifierIndex identifier, std::uint8_t length, std::uint16_t attributes);
    GroupEnd newGroup(IdentifierIndex identifier, std::uint8_t length, std::uint16_t attributes);

    PublishedList<SegmentSlot*> slots_;
    std::unique_ptr<Residence> residence_;
    std::atomic<std::int64_t> origin_{0};
    PublishedList<TraceKey> keys_;
    PublishedList<Presences*> presences_;
    bool presenceKept_ = true;
    std::atomic<std::uint64_t> rows_{0};
    std::atomic<std::uint64_t> disorders_{0};
    Time lastTime_;
    Segment* open_ = nullptr;

    // Writer's own: the open segment's usual group of each identifier (of the length and attributes that it had first
    // there), and the groups of other lengths and attributes.
    struct alignas(64) Slot {
        GroupEnd end;
        std::uint32_t epoch = 0;
        std::uint32_t shape = 0;        // length and attributes
        std::uint16_t last = 0;         // the identifier's newest group in the segment
    };
    std::vector<Slot> newest_;
    std::vector<std::uint64_t> counts_;     // of each identifier, in the segments before the open one
    std::unordered_map<std::uint64_t, GroupEnd> otherShapes_;
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
    static constexpr unsigned framesAtHand = 256;

    Snapshot() = default;
    Snapshot(const Trace& trace, std::uint64_t rows) : trace_(&trace), rows_(rows) {}

    [[nodiscard]] bool valid() const { return trace_ != nullptr; }
    [[nodiscard]] const Trace& trace() const { return *trace_; }
    [[nodiscard]] std::uint64_t rows() const { return rows_; }
    [[nodiscard]] std::size_t segmentCount() const { return static_cast<std::size_t>((rows_ + segmentRows - 1) / segmentRows); }
    /// A segment, which stays in memory as long as what this gives.
    [[nodiscard]] SegmentPin segment(std::size_t index) const { return trace_->segment(index); }
    /// Rows of a segment that belong to the snapshot.
    [[nodiscard]] std::uint32_t rowsIn(std::size_t index) const;

    /// The frame of a row. Its payload stays valid as long as the trace; where segments may leave memory, until the
    /// thread has asked for `framesAtHand` further ones.
    [[nodiscard]] can::FrameView frame(Row row) const;
    [[nodiscard]] Time time(Row row) const { return segmentOf(row)->time(static_cast<std::uint32_t>(row % segmentRows)); }
    [[nodiscard]] IdentifierIndex identifier(Row row) const
    {
        return segmentOf(row)->identifier(static_cast<std::uint32_t>(row % segmentRows));
    }

    /// Newest row of an identifier before `limit` (and before the snapshot's end), or noRow.
    [[nodiscard]] Row previousOf(IdentifierIndex identifier, Row limit) const;
    /// Next row of an identifier at or behind `from`, or noRow.
    [[nodiscard]] Row nextOf(IdentifierIndex identifier, Row from) const;
    /// The n-th frame of an identifier, counted from 0; noRow where it has fewer in the snapshot.
    [[nodiscard]] Row nthOf(IdentifierIndex identifier, std::uint64_t n) const;
    /// Frames of an identifier before `limit` (and before the snapshot's end).
    [[nodiscard]] std::uint64_t countOf(IdentifierIndex identifier, Row limit = noRow) const;

    /// Calls visit(row, frame) for the frames of one identifier from row `from` on, in order; stops when it returns false.
    template <class Visit>
    void eachOf(IdentifierIndex identifier, Row from, Visit visit) const;

    /// The same backwards from before row `limit` on. Payloads are valid as those of `frame` are.
    template <class Visit>
    void eachBack(IdentifierIndex identifier, Row limit, Visit visit) const;

    /// Calls visit(presence) for the presences of an identifier in segments from one to another.
    template <class Visit>
    void eachPresence(IdentifierIndex identifier, std::size_t from, std::size_t to, Visit visit) const
    {
        const Presences& presences = trace_->presences(identifier);
        const std::size_t end = presencesBefore(presences, std::min<Row>(rows_, Row{to} * segmentRows));
        for (std::size_t r = presencesBefore(presences, Row{from} * segmentRows); r < end; ++r)
            visit(presences[r]);
    }
    /// The same backwards from before a segment on; stops when visit returns false.
    template <class Visit>
    void eachPresenceBack(IdentifierIndex identifier, std::size_t before, Visit visit) const
    {
        const Presences& presences = trace_->presences(identifier);
        for (std::size_t r = presencesBefore(presences, Row{before} * segmentRows); r-- > 0;)
            if (!visit(presences[r]))
                return;
    }

    /// First and last time stamp; zero when there are no rows.
    [[nodiscard]] Time earliest() const;
    [[nodiscard]] Time latest() const;
    /// Last time stamp up to and with a segment that another one follows; needs no segment in memory.
    [[nodiscard]] Time latestThrough(std::size_t index) const;

private:
    /// First and last time stamp of the rows of a segment.
    [[nodiscard]] std::pair<Time, Time> rangeIn(std::size_t index) const;
    /// A payload of a segment that may leave memory, copied to where `framesAtHand` of them are kept for each thread.
    [[nodiscard]] static const std::uint8_t* atHand(const std::uint8_t* payload, std::uint8_t length);
    /// Number of the identifier's presences that begin before a row.
    [[nodiscard]] std::size_t presencesBefore(const Presences& presences, Row limit) const;
    /// Frames of a presence before a row of its segment.
    [[nodiscard]] std::uint32_t countIn(const Presence& presence, std::uint32_t limit) const;
    [[nodiscard]] SegmentPin segmentOf(Row row) const { return trace_->segment(static_cast<std::size_t>(row / segmentRows)); }

    const Trace* trace_ = nullptr;
    std::uint64_t rows_ = 0;
};

template <class Visit>
void Snapshot::eachOf(IdentifierIndex identifier, Row from, Visit visit) const
{
    std::vector<std::pair<std::uint16_t, const Group*>> merged;
    if (from >= rows_)
        return;
    const Presences& presences = trace_->presences(identifier);
    can::FrameView frame;
    const TraceKey key = trace_->key(identifier);
    frame.bus = key.bus;
    frame.id = key.id;
    std::size_t r = presencesBefore(presences, from - from % segmentRows);
    const std::size_t count = presences.size();
    for (; r < count && Row{presences[r].segment} * segmentRows < rows_; ++r) {
        const SegmentPin pin = segment(presences[r].segment);
        const Segment& seg = *pin;
        const std::uint32_t limit = rowsIn(presences[r].segment);
        const std::uint32_t start = seg.firstRow() < from ? static_cast<std::uint32_t>(from - seg.firstRow()) : 0;
        const Group* group = &seg.group(presences[r].group);
        const auto show = [&](const Group& of, std::uint32_t ordinal, std::uint32_t row) {
            Segment::unpack(of.attributes(), frame);
            frame.length = of.length();
            frame.time = seg.time(row);
            frame.data = of.payload(ordinal);
            return visit(seg.firstRow() + row, static_cast<const can::FrameView&>(frame));
        };
        if (group->next() == noGroup) {
            const std::uint32_t end = group->size();
            for (std::uint32_t i = group->countBefore(start); i < end; ++i) {
                const std::uint16_t row = group->row(i);
                if (row >= limit || !show(*group, i, row))
                    return;
            }
            continue;
        }
        merged.clear();  // several lengths or kinds of one identifier: put their rows back in order
        for (;; group = &seg.group(group->next())) {
            const std::uint32_t end = group->size();
            for (std::uint32_t i = group->countBefore(start); i < end && group->row(i) < limit; ++i)
                merged.emplace_back(group->row(i), group);
            if (group->next() == noGroup)
                break;
        }
        std::sort(merged.begin(), merged.end());
        for (const auto& [row, of] : merged)
            if (!show(*of, of->countBefore(row), row))
                return;
    }
}

template <class Visit>
void Snapshot::eachBack(IdentifierIndex identifier, Row limit, Visit visit) const
{
    limit = std::min(limit, rows_);
    const Presences& presences = trace_->presences(identifier);
    can::FrameView frame;
    const TraceKey& key = trace_->key(identifier);
    frame.bus = key.bus;
    frame.id = key.id;
    const bool stays = trace_->residence() == nullptr;
    std::vector<std::pair<const Group*, std::uint32_t>> left;   // of each group: how many of its frames are to come
    for (std::size_t r = presencesBefore(presences, limit); r-- > 0;) {
        const SegmentPin pin = segment(presences[r].segment);
        const Segment& seg = *pin;
        const auto end = static_cast<std::uint32_t>(std::min<Row>(segmentRows, limit - seg.firstRow()));
        left.clear();
        for (std::uint32_t g = presences[r].group; g != noGroup; g = seg.group(g).next())
            if (const std::uint32_t count = seg.group(g).countBefore(end); count > 0)
                left.emplace_back(&seg.group(g), count);
        while (!left.empty()) {
            const auto newest = left.size() == 1 ? left.begin()
                                                 : std::max_element(left.begin(), left.end(), [](const auto& a, const auto& b) {
                                                       return a.first->row(a.second - 1) < b.first->row(b.second - 1);
                                                   });
            const Group& group = *newest->first;
            const std::uint32_t ordinal = --newest->second;
            const std::uint16_t row = group.row(ordinal);
            Segment::unpack(group.attributes(), frame);
            frame.length = group.length();
            frame.time = seg.time(row);
            frame.data = stays ? group.payload(ordinal) : atHand(group.payload(ordinal), frame.length);
            if (!visit(seg.firstRow() + row, static_cast<const can::FrameView&>(frame)))
                return;
            if (ordinal == 0)
                left.erase(newest);
        }
    }
}

}  // namespace wavetrope::trace
