// The rows of a trace that a filter passes, found as the trace grows.
#pragma once

#include <vector>

#include "filter/filter.h"
#include "trace/trace.h"

namespace wavetrope::filter {

/// Goes through a trace once. Identifiers that cannot pass are never looked at: a segment without any that could is
/// stepped over whole.
class FilterScan {
public:
    explicit FilterScan(Filter filter) : filter_(std::move(filter)) {}

    /// Looks at up to `budget` further rows of a snapshot. True when it has seen them all.
    bool advance(const trace::Snapshot& snapshot, std::uint64_t budget = ~std::uint64_t{0});
    /// Matching rows so far, ascending.
    [[nodiscard]] const std::vector<trace::Row>& rows() const { return rows_; }
    [[nodiscard]] std::uint64_t seen() const { return seen_; }
    [[nodiscard]] const Filter& filter() const { return filter_; }

private:
    Verdict verdictOf(const trace::Snapshot& snapshot, trace::IdentifierIndex identifier);

    Filter filter_;
    std::vector<trace::Row> rows_;
    std::vector<Verdict> verdicts_;
    std::uint64_t seen_ = 0;
};

}  // namespace wavetrope::filter
