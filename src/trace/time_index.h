// Time order beside the order of arrival.
#pragma once

#include <vector>

#include "trace/trace.h"

namespace wavetrope::trace {

/// Finds rows by time. Where every frame is stamped at or behind its predecessor, the trace itself is the index. Rows that
/// are not are *strays*: those before and behind them stay an index by themselves, and only the strays are sorted, equal
/// times in the order of arrival. Where too many are, all rows are sorted.
class TimeIndex {
public:
    TimeIndex() = default;
    explicit TimeIndex(const Snapshot& snapshot) { update(snapshot); }

    /// Brings the index up to a newer snapshot of the same trace; looks at the rows that are new alone.
    void update(const Snapshot& snapshot);

    [[nodiscard]] std::uint64_t rows() const { return snapshot_.valid() ? snapshot_.rows() : 0; }
    /// Row at a position of the time order.
    [[nodiscard]] Row rowAt(std::uint64_t position) const;
    /// First position whose time is `time` or later; rows() when there is none.
    [[nodiscard]] std::uint64_t lowerBound(can::Time time) const;
    /// The newest row at or before `time`, or noRow.
    [[nodiscard]] Row newestAt(can::Time time) const;
    /// Rows that are kept apart.
    [[nodiscard]] std::size_t strays() const { return sorted_.empty() ? strays_.size() : sorted_.size(); }

private:
    struct Stray {
        can::Time time;
        Row row;
        bool operator<(const Stray& other) const { return time != other.time ? time < other.time : row < other.row; }
    };
    void look(Row from, Row to);
    void sortAll();
    /// Of the rows that are in order: how many there are before a row, and the one at a place among them.
    [[nodiscard]] std::uint64_t straightBefore(Row row) const;
    [[nodiscard]] Row straightAt(std::uint64_t place) const;
    [[nodiscard]] std::uint64_t straightCount() const { return rows() - strayRows_.size(); }
    /// How many of those in order come before a time and row.
    [[nodiscard]] std::uint64_t straightBefore(const Stray& stray) const;

    Snapshot snapshot_;
    Row looked_ = 0;                    // rows that were looked at for strays; all of a trace in order
    can::Time top_{};                   // the newest of those in order
    std::vector<Stray> strays_;         // by time
    std::vector<Row> strayRows_;        // the same by row
    std::vector<Row> sorted_;           // all rows, where strays are too many
};

}  // namespace wavetrope::trace
