// SPDX-License-Identifier: GPL-3.0-or-later
// How a value stands at a moment: how old it is, whether it left its limits, and since when.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>

#include "measure/signal_series.h"

namespace wavetrope::measure {

/// Of the newest frame of an identifier at a moment.
struct Age {
    Time came{};    ///< When it came.
    Time after{};   ///< So long behind it what it says is old; 0 where nothing tells how often it comes.

    [[nodiscard]] bool oldAt(Time moment) const { return after.count() > 0 && moment - came > after; }
};

/// Periods without a frame behind which a value is old.
inline constexpr int oldAfterPeriods = 3;

/// How old is what an identifier says, by its newest frame in front of row `limit`. Old is what the user says with `after`, else three periods: those
/// of the database, `cycle`, else the mean of its last ones. Empty where none came.
[[nodiscard]] std::optional<Age> ageOf(
    const trace::Snapshot& snapshot, const trace::TraceKey& key, trace::Row limit, Time cycle, Time after = {});

/// Where a value is against its limits: on a limit it is inside.
enum class Side : std::uint8_t { inside, under, over };
[[nodiscard]] Side sideOf(double value, const std::optional<double>& below, const std::optional<double>& above);

/// Since when a curve is as it is.
struct Since {
    double from = 0;  ///< Seconds since the origin of its points.
    bool open = true;  ///< It was so already where the points begin.
};
/// Since when all values up to `now` are as `holds` says; points that are not a number are passed over.
[[nodiscard]] Since sinceOf(const SignalSeries::Points& points, double now, const std::function<bool(double)>& holds);

}  // namespace wavetrope::measure
