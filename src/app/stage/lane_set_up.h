// SPDX-License-Identifier: GPL-3.0-or-later
// How a lane is drawn.
#pragma once

#include <QString>

#include <initializer_list>
#include <map>
#include <vector>

#include <nlohmann/json.hpp>

namespace wavetrope::app {

/// What a lane shows, and how; kept with the page.
struct LaneSetUp {
    /// Where the ends of its scale come from. `database` without a range there is that of the window.
    enum class Scale : std::uint8_t { database, window, run, hand };
    /// `usual`: enumerations and flags that stand alone as bands, all else as steps.
    enum class Form : std::uint8_t { usual, steps, lines, points };

    LaneSetUp() = default;
    LaneSetUp(std::initializer_list<QString> of) : paths(of) {}
    LaneSetUp(std::vector<QString> of) : paths(std::move(of)) {}    // NOLINT: a lane is what it shows

    [[nodiscard]] std::size_t size() const { return paths.size(); }
    [[nodiscard]] const QString& operator[](std::size_t index) const { return paths[index]; }
    [[nodiscard]] bool has(const QString& path) const;
    /// The scale by hand of an axis: that of one curve where each has its own, else of all.
    [[nodiscard]] QString axisOf(const QString& path) const { return own ? path : QString(); }

    std::vector<QString> paths;         ///< See CurveSource.
    Scale scale = Scale::database;
    Form form = Form::usual;
    bool own = false;                   ///< Each curve has an axis of its own.
    bool logarithmic = false;
    bool folded = false;                ///< To its head.
    int height = 0;                     ///< Pixels at scale 1; 0: its share of what there is.
    std::map<QString, std::pair<double, double>> hand;  ///< Ends that were set by hand, by axis.

    friend bool operator==(const LaneSetUp&, const LaneSetUp&) = default;
};

/// Lanes, one above the other.
using Arrangement = std::vector<LaneSetUp>;

/// As a page keeps them; a lane that is drawn as usual is the list of its signals. What is not understood is left out.
[[nodiscard]] nlohmann::json written(const Arrangement& arrangement);
[[nodiscard]] Arrangement arrangementFrom(const nlohmann::json& lanes);

}  // namespace wavetrope::app
