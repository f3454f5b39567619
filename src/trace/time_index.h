// Time order beside the order of arrival.
#pragma once

#include <vector>

#include "trace/trace.h"

namespace wavetrope::trace {

/// Finds rows by time. Where every frame is stamped at or behind its predecessor, the trace itself is the index; else
/// the rows are sorted by time, equal times in the order of arrival.
class TimeIndex {
public:
    TimeIndex() = default;
    explicit TimeIndex(const Snapshot& snapshot) { update(snapshot); }

    /// Brings the index up to a newer snapshot of the same trace.
    void update(const Snapshot& snapshot);

    [[nodiscard]] std::uint64_t rows() const { return snapshot_.valid() ? snapshot_.rows() : 0; }
    /// Row at a position of the time order.
    [[nodiscard]] Row rowAt(std::uint64_t position) const { return sorted_.empty() ? position : sorted_[position]; }
    /// First position whose time is `time` or later; rows() when there is none.
    [[nodiscard]] std::uint64_t lowerBound(can::Time time) const;
    /// The newest row at or before `time`, or noRow.
    [[nodiscard]] Row newestAt(can::Time time) const;

private:
    Snapshot snapshot_;
    std::vector<Row> sorted_;
};

}  // namespace wavetrope::trace
