// SPDX-License-Identifier: GPL-3.0-or-later
// Signals on their way by the mouse.
#pragma once

#include <QStringList>

class QMimeData;
class QPixmap;
class QWidget;

namespace wavetrope::app {

class Stage;

/// What a drag of signals carries: their paths, for the lanes, and as text for other programs; and the lane that one comes from, or -1.
[[nodiscard]] QMimeData* signalData(const QStringList& paths, int lane = -1);
/// What came so; empty, and -1, where it is something else.
[[nodiscard]] QStringList pathsIn(const QMimeData* mime);
[[nodiscard]] int laneIn(const QMimeData* mime);
/// What is seen of them under the pointer: bus and name of the first, and how many more.
[[nodiscard]] QPixmap signalChip(Stage& stage, const QStringList& paths, qreal ratio);
/// Drags signals from a widget until they are dropped.
void dragSignals(QWidget* from, Stage& stage, const QStringList& paths, int lane = -1);

}  // namespace wavetrope::app
