// SPDX-License-Identifier: GPL-3.0-or-later
// Time order beside the order of arrival.
#pragma once

#include <memory>
#include <vector>

#include "trace/trace.h"

namespace wavetrope::trace {

/// Finds rows by time. Where every frame is stamped at or behind its predecessor, the trace itself is the index. Rows that
/// are not are *strays*: those before and behind them stay an index by themselves, and only the strays are sorted, equal
/// times in the order of arrival. Where too many are, all rows are sorted. A copy costs nothing: it shares what was sorted.
class TimeIndex {
public:
    TimeIndex() = default;
    explicit TimeIndex(const Snapshot& snapshot) { update(snapshot); }

    /// Brings the index up to a newer snapshot of the same trace; looks at the rows that are new alone.
    void update(const Snapshot& snapshot);
    /// The same for a trace that grows: where all rows are sorted, this waits until they are an eighth more. Rows that have
    /// not been looked at count as in order.
    void grow(const Snapshot& snapshot);
    /// Takes a newer snapshot without looking at its rows: they count as in order.
    void follow(const Snapshot& snapshot);

    [[nodiscard]] std::uint64_t rows() const { return snapshot_.valid() ? snapshot_.rows() : 0; }
    /// Row at a position of the time order.
    [[nodiscard]] Row rowAt(std::uint64_t position) const;
    /// First position whose time is `time` or later; rows() when there is none.
    [[nodiscard]] std::uint64_t lowerBound(Time time) const;
    /// The newest row at or before `time`, or noRow.
    [[nodiscard]] Row newestAt(Time time) const;
    /// Rows that are kept apart.
    [[nodiscard]] std::size_t strays() const { return lists_->sorted.empty() ? lists_->strays.size() : lists_->sorted.size(); }

    /// Calls visit(row) for all rows in the order of time; costs little more than going through the trace.
    template <class Visit>
    void each(Visit visit) const
    {
        if (!lists_->sorted.empty() || lists_->strays.empty()) {
            for (std::uint64_t position = 0; position < rows(); ++position)
                visit(rowAt(position));
            return;
        }
        auto stray = lists_->strays.begin();
        auto apart = lists_->strayRows.begin();
        for (Row row = 0; row < rows(); ++row) {
            if (apart != lists_->strayRows.end() && *apart == row) {
                ++apart;
                continue;
            }
            for (const Stray here{snapshot_.time(row), row}; stray != lists_->strays.end() && *stray < here; ++stray)
                visit(stray->row);
            visit(row);
        }
        for (; stray != lists_->strays.end(); ++stray)
            visit(stray->row);
    }

private:
    struct Stray {
        Time time;
        Row row;
        bool operator<(const Stray& other) const { return time != other.time ? time < other.time : row < other.row; }
    };
    struct Lists {
        std::vector<Stray> strays;      // by time
        std::vector<Row> strayRows;     // the same by row
        std::vector<Row> sorted;        // all rows, where strays are too many; those behind them count as in order
    };
    void look(Row from, Row to);
    void sortAll();
    /// Of the rows that are in order: how many there are before a row, and the one at a place among them.
    [[nodiscard]] std::uint64_t straightBefore(Row row) const;
    [[nodiscard]] Row straightAt(std::uint64_t place) const;
    [[nodiscard]] std::uint64_t straightCount() const { return rows() - lists_->strayRows.size(); }
    /// How many of those in order come before a time and row.
    [[nodiscard]] std::uint64_t straightBefore(const Stray& stray) const;

    Snapshot snapshot_;
    Row looked_ = 0;                    // rows that were looked at for strays
    Time top_{};                   // the newest of those in order
    std::shared_ptr<const Lists> lists_ = std::make_shared<const Lists>();  // never changed once others may have it
};

}  // namespace wavetrope::trace
