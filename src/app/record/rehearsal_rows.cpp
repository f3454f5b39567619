// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/record/rehearsal_rows.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

RehearsalRows::RehearsalRows(Stage& stage) : stage_(stage)
{
    setObjectName(QStringLiteral("rehearsalRows"));
    setAccessibleName(tr("Rehearsal: the parts of the start, and the takes, over the run"));
}

void RehearsalRows::show(std::vector<Line> lines, const QString& empty)
{
    lines_ = std::move(lines);
    empty_ = empty;
    refresh();
}

QString RehearsalRows::rowText(std::uint64_t index) const { return lines_[index].words + QLatin1Char('\t') + lines_[index].right; }

QRectF RehearsalRows::axis(int y) const
{
    const Theme& theme = Theme::get();
    const double left = theme.px(150), right = rowWidth() - theme.px(190);
    return {left, static_cast<double>(y) + 2, std::max(20.0, right - left), pitch() - 4.0};
}

void RehearsalRows::paintRow(QPainter& painter, int y, std::uint64_t index)
{
    const Theme& theme = Theme::get();
    const Line& line = lines_[index];
    const QRectF box = axis(y);
    const Time from = stage_.wholeFrom(), to = std::max(stage_.newest(), from + Time(1));
    paintText(
        painter, QRectF(theme.px(12), y, theme.px(132), pitch()), line.words, line.strong ? theme.bodyStrong() : theme.body(), theme.ink);
    if (line.ofTakes)
        for (const TakeShape& take : line.takes)
            paintTakeShape(painter, box, take, from, to, theme.accent);
    else
        paintLevel(painter, box, line.spans, from, to);
    paintText(painter, QRectF(box.right() + theme.px(12), y, rowWidth() - box.right() - theme.px(20), pitch()), line.right, theme.body(),
        theme.ink2);
    const double cursor = box.left()
                          + box.width() * static_cast<double>((stage_.cursor() - from).count()) / static_cast<double>((to - from).count());
    if (!stage_.following() && cursor >= box.left() && cursor <= box.right()) {
        painter.setPen(QPen(theme.accent, 1));
        painter.drawLine(QPointF(cursor, y), QPointF(cursor, y + pitch()));
    }
}

void RehearsalRows::mousePressEvent(QMouseEvent* event)
{
    const QRectF box = axis(0);
    if (rowAt(event->position()) >= 0 && event->position().x() >= box.left() && event->position().x() <= box.right()) {
        const Time from = stage_.wholeFrom(), to = std::max(stage_.newest(), from + Time(1));
        stage_.setCursor(from
                         + Time(static_cast<std::int64_t>(
                             (event->position().x() - box.left()) / box.width() * static_cast<double>((to - from).count()))));
    }
    RowList::mousePressEvent(event);
}

}  // namespace wavetrope::app
