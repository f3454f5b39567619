// SPDX-License-Identifier: GPL-3.0-or-later
// The frames that a conversion takes.
#pragma once

#include <algorithm>
#include <vector>

#include "convert/conversion.h"
#include "trace/time_index.h"

namespace wavetrope::convert {

/// Rows that a conversion takes at one go.
inline constexpr std::size_t rowsAtOnce = 8192;

/// Rows of a snapshot that a filter passes, within a stretch of time.
class Frames {
public:
    /// `rows` is null where the filter passes everything.
    Frames(const trace::Snapshot& snapshot, const filter::RowSet* rows, Time from, Time to)
        : snapshot_(snapshot), rows_(rows), from_(from), to_(to), end_(snapshot.rows())
    {
        if (!snapshot.trace().monotone())
            return;
        // Where stamps never run backwards, the stretch of time is one of rows.
        const trace::TimeIndex order(snapshot);
        begin_ = order.lowerBound(from);
        if (to < Time::max())
            end_ = order.lowerBound(to + Time(1));
    }

    [[nodiscard]] const trace::Snapshot& snapshot() const { return snapshot_; }
    [[nodiscard]] trace::Row begin() const { return begin_; }
    [[nodiscard]] trace::Row end() const { return end_; }
    /// Whether a row is one of them.
    [[nodiscard]] bool has(trace::Row row) const
    {
        return row >= begin_ && row < end_ && inTime(snapshot_.time(row)) && (rows_ == nullptr || rows_->contains(row));
    }

    /// Replaces `rows` by up to `most` further ones from row `from` on. Gives the row to go on with, or end().
    trace::Row next(trace::Row from, std::size_t most, std::vector<trace::Row>& rows) const
    {
        rows.clear();
        from = std::max(from, begin_);
        if (rows_ == nullptr) {
            for (; from < end_ && rows.size() < most; ++from)
                if (inTime(snapshot_.time(from)))
                    rows.push_back(from);
            return from;
        }
        trace::Row last = end_;
        rows_->each(rows_->rank(from), [&](trace::Row row) {
            last = row;
            if (row >= end_ || rows.size() == most)
                return false;
            if (inTime(snapshot_.time(row)))
                rows.push_back(row);
            last = end_;
            return true;
        });
        return std::min(last, end_);
    }

private:
    [[nodiscard]] bool inTime(Time time) const { return time >= from_ && time <= to_; }

    trace::Snapshot snapshot_;
    const filter::RowSet* rows_;
    Time from_;
    Time to_;
    trace::Row begin_ = 0;
    trace::Row end_;
};

}  // namespace wavetrope::convert
