// SPDX-License-Identifier: GPL-3.0-or-later
// Reports, as a rig has them.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/json_reader.h"
#include "base/time.h"

namespace wavetrope::rig {

/// A heading, a text, or a view as it was set up, of a stretch of time since the beginning of the run.
struct ReportPart {
    enum class Kind : std::uint8_t { heading, text, view };
    static constexpr int usualWidth = 960, usualHeight = 360, least = 80, most = 4000;     ///< Pixels.

    Kind kind = Kind::text;
    std::string words;  ///< Of a heading or text; of a view what stands above it, its usual name where that is empty.
    std::string view;  ///< Kind of the view, as on pages.
    std::string page;  ///< Page whose view of that kind it is, where it has no set-up of its own.
    nlohmann::json setUp;  ///< Of the view; null for none.
    std::optional<Time> from, to;  ///< Window; the whole run where it is left out.
    std::optional<Time> a, b;  ///< Marks.
    int width = usualWidth, height = usualHeight;
    nlohmann::json written = nlohmann::json::object();  ///< As it stands in the file: what is not understood stays.

    friend bool operator==(const ReportPart&, const ReportPart&) = default;
};

/// What a report is made of, from top to bottom.
struct ReportSpec {
    std::string name;
    std::string title;  ///< Empty: its name.
    std::vector<ReportPart> parts;
    nlohmann::json written = nlohmann::json::object();

    friend bool operator==(const ReportSpec&, const ReportSpec&) = default;
};

/// Reads the field "reports" of a rig, see docs/reports.md. Throws JsonFailure.
[[nodiscard]] std::vector<ReportSpec> reportsFrom(const JsonReader& rig);
/// The same as it is written.
[[nodiscard]] nlohmann::json toJson(const std::vector<ReportSpec>& reports);

}  // namespace wavetrope::rig
