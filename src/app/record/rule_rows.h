// SPDX-License-Identifier: GPL-3.0-or-later
// What the rows of the page Record show.
#pragma once

#include <QString>

#include <cstdint>
#include <optional>
#include <vector>

#include "base/time.h"
#include "rig/session.h"
#include "rules/near_miss.h"
#include "rules/rehearsal.h"

namespace wavetrope::app {

/// A stretch over which a condition is true; `to` lies beyond all time where it still is.
struct TrueSpan {
    Time from, to;
};

struct ConditionRow {
    QString name, words;
    bool now = false, known = true;
    bool isArmed = true;            ///< The run follows it as it stands here.
    std::uint64_t met = 0;
    std::optional<Time> last;
    std::vector<TrueSpan> spans{};  ///< In order.
    std::optional<rules::NearMiss> miss{};        ///< Of one that was never true: how close it came.
};

struct RecordingRow {
    rig::RecordingSpec spec;
    std::optional<rig::RecordingSpec> armed;    ///< As the run follows it, where it does.
    QString state, below, never;
    rules::Rules::Phase phase = rules::Rules::Phase::armed;
    bool changed = false;           ///< What is armed is another.
    bool gone = false;              ///< It is armed, and no longer in the rig.
    std::size_t session = 0;        ///< Its number among those that are armed.
    double buffer = -1;             ///< How full of what it may have from before, 0 to 1; below 0: it has none.
};

/// The mark of a take: thin before its start, thick from start to stop, thin behind. What is armed waits before its start.
void paintTakeMark(QPainter& painter, const QPointF& centre, rules::Rules::Phase phase, const QColor& colour);
/// The level of a condition over a stretch of time: high while it is true. The cursor is marked.
void paintLevel(QPainter& painter, const QRectF& box, const std::vector<TrueSpan>& spans, Time from, Time to);

}  // namespace wavetrope::app
