// SPDX-License-Identifier: GPL-3.0-or-later
// The one way of asking for logs: what can be read, written and followed is what the formats' registry says.
#pragma once

#include <QString>
#include <QStringList>
#include <QWidget>

namespace wavetrope::app {

/// A log to read. Empty where none was chosen, as below.
[[nodiscard]] QString askForLog(QWidget* parent, const QString& title);
/// A log, or a rig.
[[nodiscard]] QString askForLogOrRig(QWidget* parent, const QString& title);
/// Several logs to read.
[[nodiscard]] QStringList askForLogs(QWidget* parent, const QString& title);
/// A log that another program is writing.
[[nodiscard]] QString askForGrowingLog(QWidget* parent, const QString& title);
/// Where a log is written; its format follows from the name.
[[nodiscard]] QString askWhereToWriteLog(QWidget* parent, const QString& title, const QString& proposed);

}  // namespace wavetrope::app
