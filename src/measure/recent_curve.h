// SPDX-License-Identifier: GPL-3.0-or-later
// A curve of the last while, kept up as its samples come.
#pragma once

#include <deque>
#include <functional>
#include <optional>
#include <utility>
#include <vector>

#include "measure/signal_series.h"
#include "measure/standing.h"

namespace wavetrope::measure {

/// What was known of a signal a moment ago is not read again: following a run costs as much as came since. Columns of one width hold what lies in
/// them: first, smallest, largest and last sample. Not for derived signals, whose samples are not read one by one.
class RecentCurve {
public:
    /// Of the last `span`, in columns of `width`. `key` is what a value counts as for `since`: itself, or the side of a limit.
    RecentCurve(Time span, Time width, std::function<double(double)> key) : span_(span), width_(width), key_(std::move(key)) {}

    /// Up to a moment. One in front of the last moment, or more than the span behind it, has all read anew.
    void follow(const SignalSeries& series, const trace::Snapshot& snapshot, Time to);

    /// Values to draw from `from` on, with their moments: a value holds to the next one, NaN where none holds. One in front included.
    void points(const SignalSeries& series, Time from, std::vector<std::pair<Time, double>>& into) const;
    /// Smallest and largest from `from` on, and of what held there; to within a column in front of it.
    [[nodiscard]] std::optional<std::pair<double, double>> range(Time from) const;
    /// Since when the newest value counts as what it counts as; open where that was so already at the begin of the span.
    [[nodiscard]] std::pair<Time, bool> since() const
    {
        return {since_, sinceOpen_ && !columns_.empty() && columns_.front().firstAt <= to_ - span_};
    }

private:
    struct Column {
        std::int64_t index = 0;
        Time firstAt{}, lastAt{};
        double first = 0, low = 0, high = 0, last = 0;
        bool breaks = false;  // the line breaks behind it
    };
    void add(Time time, double value);

    Time span_, width_;
    std::function<double(double)> key_;
    std::deque<Column> columns_;
    Time to_ = Time::min(), newest_ = Time::min();
    std::optional<double> now_;  // what the newest counts as
    Time since_{};
    bool sinceOpen_ = true;
};

}  // namespace wavetrope::measure
