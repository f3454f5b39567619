// SPDX-License-Identifier: GPL-3.0-or-later
// A take of a recording, as it is drawn everywhere.
#pragma once

#include <QPainter>
#include <QRectF>
#include <QString>

#include <string>
#include <vector>

#include "base/time.h"

namespace wavetrope::app {

/// A take on an axis of time: thin before its start, thick to its stop, thin behind.
struct TakeShape {
    Time before, begins, stops, ends;
    enum class Form : std::uint8_t { kept, tried, missed };     ///< Missed: it was kept and would no longer come.
    Form form = Form::kept;
    std::vector<std::string> files{};       ///< Of one that has ended; some may be there no more.
    friend bool operator==(const TakeShape&, const TakeShape&) = default;
};
void paintTakeShape(QPainter& painter, const QRectF& box, const TakeShape& take, Time from, Time to, const QColor& colour);

/// The takes of a recording, and words about them.
struct TakeTier {
    QString words;
    std::vector<TakeShape> takes;
    friend bool operator==(const TakeTier&, const TakeTier&) = default;
};

}  // namespace wavetrope::app
