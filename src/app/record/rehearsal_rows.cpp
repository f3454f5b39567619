// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/record/rehearsal_rows.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

void paintTakeShape(QPainter& painter, const QRectF& box, const TakeShape& take, Time from, Time to, const QColor& colour)
{
    const double width = static_cast<double>(std::max(to - from, Time{1}).count());
    const auto x = [&](Time time) {
        return std::clamp(box.left() + box.width() * static_cast<double>((time - from).count()) / width, box.left(), box.right());
    };
    const double unit = Theme::get().px(1), middle = box.center().y();
    const double thick = std::min(box.height(), 7.0 * unit);
    double left = x(take.begins), right = std::max(x(take.stops), left + 3 * unit);
    QRectF body(left, middle - thick / 2, right - left, thick);
    if (take.form == TakeShape::Form::missed) {
        painter.setPen(QPen(Theme::get().ink2, 1, Qt::DashLine));
        painter.setBrush(Qt::NoBrush);
        painter.drawLine(QPointF(x(take.before), middle), QPointF(left, middle));
        painter.drawLine(QPointF(right, middle), QPointF(std::max(right, x(take.ends)), middle));
        painter.drawRect(body.adjusted(0, 0.5, 0, -0.5));
        return;
    }
    painter.fillRect(QRectF(x(take.before), middle - unit, left - x(take.before), 2 * unit), colour);
    painter.fillRect(QRectF(right, middle - unit, std::max(0.0, x(take.ends) - right), 2 * unit), colour);
    if (take.form == TakeShape::Form::kept) {
        painter.fillRect(body, colour);
        return;
    }
    painter.save();
    painter.setPen(QPen(colour, unit));
    painter.setBrush(QBrush(colour, Qt::BDiagPattern));
    painter.drawRect(body);
    painter.restore();
}

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
