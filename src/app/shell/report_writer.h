// SPDX-License-Identifier: GPL-3.0-or-later
// Reports and pictures without anybody who looks.
#pragma once

#include <QSize>
#include <QString>

#include <functional>
#include <memory>
#include <optional>

#include "app/picture/picture.h"
#include "app/shell/view_kinds.h"
#include "rig/report_json.h"

namespace wavetrope::app {

class MainWindow;
class Stage;

/// A stretch of time that something is seen of, since the beginning of the run; what is left out is that of the run.
struct SeenTime {
    std::optional<Time> from, to;
    std::optional<Time> a, b;       ///< Marks.
};

/// Has a stage show a stretch of time, and gives back what it showed before when it goes.
class ShownFor {
public:
    ShownFor(Stage& stage, const SeenTime& time);
    ~ShownFor();
    ShownFor(const ShownFor&) = delete;
    ShownFor& operator=(const ShownFor&) = delete;

private:
    struct Before;
    Stage& stage_;
    std::unique_ptr<Before> before_;
};

/// What stands above a picture of a view: its name, the time in sight, the log or run.
[[nodiscard]] Caption captionOf(Stage& stage, const QString& title);
/// A view as it stands, as a part of a report: its set-up, the time in sight, the marks.
[[nodiscard]] rig::ReportPart partOf(Stage& stage, const ViewKind& kind, View& view);
/// Lets events pass until views that are in sight show all that they will show, as long as `goesOn` says; false where that ended it.
bool settle(const std::vector<View*>& views, const std::function<bool()>& goesOn = {});

/// A report of what a window shows: one file of HTML, with its pictures inside as SVG, or a PDF of A4 pages. The same rig and log give the
/// same bytes. The error names the part that cannot be.
[[nodiscard]] Expected<QByteArray> reportHtml(
    MainWindow& window, const rig::ReportSpec& report, const std::function<bool(int)>& progress = {});
[[nodiscard]] Expected<QByteArray> reportPdf(
    MainWindow& window, const rig::ReportSpec& report, const std::function<bool(int)>& progress = {});
/// Writes a report in the form that the name ends in: .html or .pdf.
[[nodiscard]] Expected<void> writeReport(
    MainWindow& window, const rig::ReportSpec& report, const QString& path, const std::function<bool(int)>& progress = {});

}  // namespace wavetrope::app
