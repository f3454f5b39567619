// SPDX-License-Identifier: GPL-3.0-or-later
// Signals on their way by the mouse.
#pragma once

#include <QStringList>

#include <utility>
#include <vector>

#include "can/frame.h"
#include "database/catalog.h"

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
/// What is seen under the pointer: bus and name of the first signal, and how many more.
[[nodiscard]] QPixmap signalChip(Stage& stage, const QStringList& paths, qreal ratio);
/// Drags signals from a widget until they are dropped.
void dragSignals(QWidget* from, Stage& stage, const QStringList& paths, int lane = -1);

/// A message of a bus.
using MessageKey = std::pair<std::uint8_t, can::Identifier>;
/// What may be sent: messages, and all that nodes send. Signals go with them where whoever takes them draws.
struct Sendable {
    std::vector<MessageKey> messages;
    QStringList nodes;
    QStringList paths;
};
[[nodiscard]] QMimeData* sendableData(const Sendable& what);
/// What came so; the messages of signals that were dragged by themselves count too.
[[nodiscard]] Sendable sendableIn(const database::Catalog& catalog, const QMimeData* mime);
[[nodiscard]] bool carriesSendable(const QMimeData* mime);
void dragSendable(QWidget* from, Stage& stage, const Sendable& what);

}  // namespace wavetrope::app
