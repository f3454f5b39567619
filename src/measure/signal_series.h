// SPDX-License-Identifier: GPL-3.0-or-later
// One signal over the whole trace, with levels of detail.
#pragma once

#include <optional>
#include <vector>

#include "database/catalog.h"
#include "measure/range_levels.h"
#include "trace/trace.h"

namespace wavetrope::measure {

/// Decodes one signal of one identifier of a growing trace. Times are seconds since an origin, ascending.
class SignalSeries {
public:
    SignalSeries(database::SignalRef signal, Time origin) : signal_(signal), origin_(origin) {}

    /// Brings in the frames that a newer snapshot has, of at most `budget` rows. Gives how many values came.
    std::size_t update(const trace::Snapshot& snapshot, std::uint64_t budget = ~std::uint64_t{0});
    /// Whether all rows of a snapshot went in.
    [[nodiscard]] bool complete(const trace::Snapshot& snapshot) const { return nextRow_ >= snapshot.rows(); }

    [[nodiscard]] const database::SignalRef& signal() const { return signal_; }
    [[nodiscard]] std::size_t size() const { return times_.size(); }
    [[nodiscard]] double time(std::size_t index) const { return times_[index]; }
    [[nodiscard]] double value(std::size_t index) const { return values_[index]; }
    /// First index at or behind a time in seconds.
    [[nodiscard]] std::size_t lowerBound(double seconds) const;
    /// The value that holds at a time: the newest at or before it.
    [[nodiscard]] std::optional<double> at(double seconds) const;
    /// Whether one came by a time, and no more than three periods before it: later the value is a thing of the past.
    [[nodiscard]] bool holds(double seconds) const;
    /// Smallest and largest value in [first, last).
    [[nodiscard]] RangeSummary over(std::size_t first, std::size_t last) const { return levels_.over(values_, first, last); }

    /// What one may want to see of a curve.
    enum class Place : std::uint8_t { change, rise, fall, smallest, largest, gap };
    /// Seconds of the next such place behind a moment, or with `back` of the one before it. Smallest and largest are those of [from, to],
    /// the first that is so. A gap is where nothing came for more than three periods: the value before it. Empty where there is none.
    [[nodiscard]] std::optional<double> next(Place place, double seconds, bool back, double from, double to) const;
    /// Seconds between two values: what the database promises, else the usual distance; 0 where there are too few.
    [[nodiscard]] double period() const;
    /// Points to draw [from, to] in about `columns` columns, as steps: a value holds until the next one. All values where
    /// they are few, else smallest and largest of each column, in the order in which a line through them shows both. One value
    /// before and behind included. Where none came for more than three periods, a value holds for one, and a point that is not
    /// a number breaks the line. The newest value holds until `now`.
    void points(double from, double to, unsigned columns, double now, std::vector<double>& times, std::vector<double>& values) const;

private:
    [[nodiscard]] double silentAfter() const;

    database::SignalRef signal_;
    Time origin_;
    trace::Row nextRow_ = 0;
    std::vector<double> times_;
    std::vector<double> values_;
    RangeLevels levels_;
    mutable double usual_ = 0;
    mutable std::size_t usualOf_ = 0;
};

}  // namespace wavetrope::measure
