// SPDX-License-Identifier: GPL-3.0-or-later
// The curves that lanes draw, for whoever offers to change how.
#pragma once

#include <QString>

#include <optional>
#include <utility>

#include "app/stage/lane_set_up.h"
#include "measure/signal_series.h"

namespace wavetrope::app {

/// What the lanes in sight draw. All of it can be undone where the lanes are.
class DrawnCurves {
public:
    struct Drawn {
        std::size_t lane = 0;
        LaneSetUp setUp;
        bool band = false;                      ///< Drawn as a band with names in it.
        std::pair<double, double> ends{0, 1};   ///< Of its scale, as it is now.
    };
    virtual ~DrawnCurves() = default;

    /// How a curve is drawn, or nothing.
    [[nodiscard]] virtual std::optional<Drawn> drawn(const QString& path) const = 0;
    /// Draws its lane another way.
    virtual void draw(const QString& path, const LaneSetUp& next, const QString& what) = 0;
    /// Where the next place of a curve is from the cursor, or the one before; the largest and smallest of what is between the marks, else
    /// of the window. Nothing where there is none, or where it is not known yet.
    [[nodiscard]] virtual std::optional<Time> place(const QString& path, measure::SignalSeries::Place what, bool back) const = 0;
};

}  // namespace wavetrope::app
