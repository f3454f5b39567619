// SPDX-License-Identifier: GPL-3.0-or-later
// The rows of a trace that a filter passes, found as the trace grows.
#pragma once

#include <atomic>
#include <map>
#include <memory>
#include <mutex>
#include <unordered_map>
#include <vector>

#include "filter/filter_stream.h"
#include "filter/program.h"
#include "filter/row_finder.h"
#include "filter/row_set.h"

namespace wavetrope::filter {

/// Goes through a trace once. Identifiers that cannot pass are never looked at; where the identifier decides, its list of
/// rows is the answer; else its payloads, which lie together in a segment, are gone through, segment by segment on all
/// threads. One thread advances; others may read what was found.
class FilterScan final : public RowFinder {
public:
    /// Times in the filter count from `origin`, else from the first row.
    explicit FilterScan(Filter filter, std::optional<Time> origin = {});

    /// Looks at further rows of a snapshot. True when it has seen them all.
    bool advance(const trace::Snapshot& snapshot, const ScanLimits& limits = {}) override;
    /// Matching rows so far.
    [[nodiscard]] const RowSet& rows() const override { return *rows_; }
    [[nodiscard]] std::uint64_t seen() const override { return seen_.load(std::memory_order_acquire); }
    [[nodiscard]] const Filter& filter() const { return filter_; }

private:
    struct Known {
        Program whole;
        std::vector<Program> inner;             // of each `within`, by slot
    };
    // Groups of one identifier in a segment.
    struct Candidate {
        trace::IdentifierIndex identifier = 0;
        std::uint32_t group = 0;
    };
    using Candidates = std::vector<std::vector<Candidate>>;

    [[nodiscard]] const Program& program(trace::IdentifierIndex identifier, int slot) const;
    void learn(const trace::Snapshot& snapshot);
    void scan(const trace::Snapshot& snapshot, std::size_t from, std::size_t to, int slot, RowSet& target, const ScanLimits& limits);
    RowPart lookAt(const trace::Snapshot& snapshot, std::size_t index, const std::vector<Candidate>& candidates, int slot);
    // What a `within` passes in a segment, and its newest row before.
    struct Earlier {
        RowBits bits;
        trace::Row before = trace::noRow;
    };
    using Earliers = std::map<unsigned, std::unique_ptr<Earlier>>;
    void lookAtIdentifier(const trace::Snapshot& snapshot, const trace::Segment& segment, std::uint32_t limit, const Candidate& candidate,
        int slot, const Earliers& earlier, RowBits& bits);
    Past pastOf(const trace::Snapshot& snapshot, trace::IdentifierIndex identifier, std::size_t segment, const Program& program, int slot);
    RowPart thinned(const trace::Segment& segment, const RowPart& part);
    RowPart follow(const trace::Snapshot& snapshot, std::size_t index);

    Filter filter_;
    // Where it speaks of derived signals, whose past has no end: frame after frame.
    std::unique_ptr<FilterStream> stream_;
    trace::Row streamed_ = 0;
    RowBits streamedBits_;                      // of the segment in which that stands
    std::unique_ptr<RowSet> rows_;
    std::vector<std::unique_ptr<RowSet>> inner_;
    std::vector<std::unique_ptr<Known>> known_; // by identifier
    // What is remembered behind the last frame of an identifier in a finished segment.
    std::mutex pastMutex_;
    std::map<std::pair<std::uint64_t, int>, std::map<std::size_t, Past>> pasts_;
    // Matches of each identifier before the open segment, for thinning per identifier.
    std::unordered_map<trace::IdentifierIndex, std::uint64_t> matches_;
    std::unordered_map<trace::IdentifierIndex, std::uint64_t> matchesBefore_;
    std::size_t counted_ = 0;
    std::optional<Time> given_;
    Time origin_{};
    std::atomic<std::uint64_t> seen_{0};
};

}  // namespace wavetrope::filter
