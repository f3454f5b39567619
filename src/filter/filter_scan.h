// The rows of a trace that a filter passes, found as the trace grows.
#pragma once

#include <atomic>
#include <vector>

#include "filter/filter.h"
#include "trace/published_list.h"
#include "trace/trace.h"

namespace wavetrope::filter {

/// Goes through a trace once. Identifiers that cannot pass are never looked at: a segment without any that could is
/// stepped over whole. One thread advances; others may read what was found.
class FilterScan {
public:
    explicit FilterScan(Filter filter) : filter_(std::move(filter)) {}

    /// Looks at up to `budget` further rows of a snapshot. True when it has seen them all.
    bool advance(const trace::Snapshot& snapshot, std::uint64_t budget = ~std::uint64_t{0});
    /// Matching rows so far, ascending.
    [[nodiscard]] const trace::PublishedList<trace::Row, 10>& rows() const { return rows_; }
    [[nodiscard]] std::uint64_t seen() const { return seen_.load(std::memory_order_acquire); }
    [[nodiscard]] const Filter& filter() const { return filter_; }

private:
    Verdict verdictOf(const trace::Snapshot& snapshot, trace::IdentifierIndex identifier);

    Filter filter_;
    trace::PublishedList<trace::Row, 10> rows_;
    std::vector<Verdict> verdicts_;
    std::atomic<std::uint64_t> seen_{0};
};

}  // namespace wavetrope::filter
