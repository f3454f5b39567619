// SPDX-License-Identifier: GPL-3.0-or-later
// What the user settled on for all windows: look, window of time, how long kept runs stay.
#pragma once

#include <QString>
#include <QStringList>

namespace wavetrope::app {

/// Seconds that a live view shows, and that Now returns to.
[[nodiscard]] double usualWindowSeconds();
void setUsualWindowSeconds(double seconds);
/// Megabytes that the curves of a window may keep.
[[nodiscard]] int curveMegabytes();
void setCurveMegabytes(int megabytes);
/// Days after which a run that was kept on purpose is removed; 0 for never.
[[nodiscard]] int keptRunDays();
void setKeptRunDays(int days);
/// Folders in which patterns of boards are looked for.
[[nodiscard]] QStringList patternFolders();
void setPatternFolders(const QStringList& folders);
/// Takes theme and text size of the last time; the theme may be said otherwise.
void applyLook(const QString& theme = {});
/// Makes texts larger or smaller, and keeps that.
void scaleText(double by);
void toggleTheme();

}  // namespace wavetrope::app
