// SPDX-License-Identifier: GPL-3.0-or-later
// A signal on its way by the mouse.
#pragma once

#include <QString>

class QMimeData;
class QPixmap;
class QWidget;

namespace wavetrope::app {

class Stage;

/// What a drag of a signal carries: its path, for the lanes, and as text for other programs.
[[nodiscard]] QMimeData* signalData(const QString& path);
/// What is seen of it under the pointer: its bus and its name.
[[nodiscard]] QPixmap signalChip(const Stage& stage, const QString& path, qreal ratio);
/// Drags a signal from a widget until it is dropped.
void dragSignal(QWidget* from, const Stage& stage, const QString& path);

}  // namespace wavetrope::app
