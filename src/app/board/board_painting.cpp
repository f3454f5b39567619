// SPDX-License-Identifier: GPL-3.0-or-later
// How a board is painted, in use and while it is edited.
#include <QApplication>
#include <QPaintEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

#include "app/board/board_tray.h"
#include "app/board/board_view.h"
#include "app/board/gauges.h"
#include "app/paint/paint.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

using board::Shown;

// Where an item is painted: hairlines lie around it.
QRect BoardView::insideOf(const QRectF& box) { return box.toAlignedRect().adjusted(2, 2, -2, -2); }

// From which row on a board drives: that of its uppermost control, where no gauge reaches below it; else behind the last.
int BoardView::drivenFrom() const
{
    int driven = board::gridSize;
    for (const board::Item& item : items())
        if (board::isControl(item.shown))
            driven = std::min(driven, item.at.row);
    for (const board::Item& item : items())
        if (!board::isControl(item.shown) && item.at.row + item.at.high > driven)
            return board::gridSize;
    return driven;
}

// What changed inside of items, and nothing around them: each by itself on a canvas, where what is painted is bounded by one rectangle. To paint them
// all within the many pieces of a region costs several times as much.
bool BoardView::paintParts(const QRegion& region)
{
    std::vector<QRectF> boxes;
    for (const board::Item& item : items())
        boxes.push_back(boxOf(item.at));
    std::vector<std::vector<QRect>> pieces(boxes.size());
    for (const QRect& piece : region) {
        const auto in = std::find_if(boxes.begin(), boxes.end(), [&](const QRectF& box) { return insideOf(box).contains(piece); });
        if (in == boxes.end())
            return false;
        pieces[static_cast<std::size_t>(in - boxes.begin())].push_back(piece);
    }
    const Theme& theme = Theme::get();
    const int driven = drivenFrom();
    QPainter canvas(this);
    GaugePainter gauge(canvas, stage(), cell());
    for (std::size_t i = 0; i < boxes.size(); ++i) {
        if (pieces[i].empty())
            continue;
        const board::Item& item = items()[i];
        std::vector<QRectF> parts;
        for (const QRectF& part : GaugePainter::movingOf(boxes[i], item.shown, cell()))
            parts.emplace_back(part.toAlignedRect() & insideOf(boxes[i]));
        const bool moving = std::all_of(pieces[i].begin(), pieces[i].end(), [&](const QRect& piece) {
            return std::any_of(parts.begin(), parts.end(), [&](const QRectF& part) { return part.contains(piece); });
        });
        if (!moving)
            parts = {insideOf(boxes[i])};
        for (const QRectF& part : parts) {
            canvas.setClipRect(part);
            canvas.fillRect(part, item.at.row >= driven ? theme.surface : theme.ground);
            gauge.paintPart(boxes[i], item, reader_.of(i), focused_ == i && hasFocus(), part);
        }
    }
    return true;
}

void BoardView::paintEvent(QPaintEvent* event)
{
    QElapsedTimer took;
    took.start();
    if (reader_.size() != items().size())
        reader_.refresh(items());
    if (!editing_ && paintParts(event->region())) {
        paintedIn_ = took.nsecsElapsed();
        return;
    }
    QPainter painter(this);
    const Theme& theme = Theme::get();
    painter.fillRect(event->rect(), theme.ground);
    if (items().empty() && !editing_) {
        painter.setFont(theme.body());
        painter.setPen(theme.ink2);
        painter.drawText(rect().adjusted(40, 40, -40, -40), Qt::AlignCenter | Qt::TextWordWrap,
            stage().boards().find(name_) == nullptr && !name_.isEmpty()
                ? tr("There is no board \"%1\". Press \"edited\" to make it, or make one of a node from its menu in the tree.").arg(name_)
                : tr("Nothing is on this board yet. Press \"edited\", then drag signals of the tree here."));
        paintedIn_ = took.nsecsElapsed();
        return;
    }
    const int driven = drivenFrom();
    const bool band = driven < board::gridSize;
    if (band && !editing_) {
        const double y = boxOf({0, driven, 1, 1}).top();
        painter.fillRect(QRectF(0, y, width(), height() - y), theme.surface);
        painter.setPen(QPen(theme.hairline, 1.5));
        painter.drawLine(QPointF(0, y), QPointF(width(), y));
    }
    if (editing_)
        paintEditing(painter);
    const double size = cell();
    GaugePainter gauge(painter, stage(), size);
    for (std::size_t i = 0; i < items().size(); ++i) {
        const board::Item& item = items()[i];
        const bool moved = editing_ && chosen_ == i && dropping_;
        const QRectF box = boxOf(moved ? *dropping_ : item.at);
        if (!event->region().intersects(box.adjusted(-1, -1, 1, 1).toAlignedRect()))
            continue;
        gauge.paint(box, item, reader_.of(i), !editing_ && focused_ == i && hasFocus());
        // Hairlines hold it together: between neighbours, no frames.
        if (!editing_) {
            painter.setPen(theme.hairline);
            if (item.at.column + item.at.wide < board::gridSize
                && !(band && board::isControl(item.shown) && item.at.column + item.at.wide >= board::gridSize))
                painter.drawLine(QPointF(box.right(), box.top() + size * 0.3), QPointF(box.right(), box.bottom() - size * 0.3));
            if (item.at.row + item.at.high < board::gridSize && item.at.row + item.at.high != driven)
                painter.drawLine(QPointF(box.left() + size * 0.3, box.bottom()), QPointF(box.right() - size * 0.3, box.bottom()));
        }
    }
    if (editing_ && chosen_ && *chosen_ < items().size()) {
        const board::Cells at = dropping_ ? *dropping_ : items()[*chosen_].at;
        const QRectF box = boxOf(at);
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(theme.accent, 1.6));
        painter.drawRect(box);
        if (wanted_ && dropping_ && *wanted_ != *dropping_) {  // where the pointer is, which is not free
            painter.setPen(QPen(theme.error, 1.2, Qt::DashLine));
            painter.drawRect(boxOf(*wanted_));
        }
        for (std::size_t k = 0; k < 8; ++k) {
            const QPointF point = handleOf(k);
            painter.fillRect(QRectF(point.x() - 3, point.y() - 3, 7, 7), theme.surface);
            painter.setPen(QPen(theme.accent, 1.2));
            painter.drawRect(QRectF(point.x() - 3, point.y() - 3, 7, 7));
        }
        const QString words = tr("%1 x %2 cells").arg(at.wide).arg(at.high);
        const double wide = QFontMetricsF(theme.bodyStrong()).horizontalAdvance(words) + 12;
        const double x = box.left() - wide - 8 > 4 ? box.left() - wide - 8 : std::min(box.right() + 8, width() - wide - 4);
        const QRectF chip(x, std::min(box.bottom() + 2, grid().bottom() - theme.px(20)), wide, theme.px(18));
        painter.fillRect(chip, theme.accent);
        paintText(painter, chip, words, theme.bodyStrong(), theme.surface, Qt::AlignCenter);
        // Edges that align.
        painter.setPen(QPen(theme.accent, 1, Qt::DotLine));
        for (std::size_t i = 0; i < items().size() && dropping_; ++i) {
            if (i == *chosen_)
                continue;
            const board::Cells& other = items()[i].at;
            for (const int edge : {at.column, at.column + at.wide})
                if (edge == other.column || edge == other.column + other.wide) {
                    const double guide = boxOf({edge, 0, 1, 1}).left();
                    painter.drawLine(QPointF(guide, grid().top()), QPointF(guide, grid().bottom()));
                }
        }
    }
    paintedIn_ = took.nsecsElapsed();
}

void BoardView::paintEditing(QPainter& painter)
{
    const Theme& theme = Theme::get();
    const QRectF all = grid();
    painter.fillRect(all, theme.surface);
    painter.setPen(theme.ink3);
    for (int row = 0; row <= board::gridSize; ++row)
        for (int column = 0; column <= board::gridSize; ++column)
            painter.drawPoint(
                QPointF(all.left() + all.width() * column / board::gridSize, all.top() + all.height() * row / board::gridSize));
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(theme.accent, 1.4, Qt::DashLine));
    painter.drawRect(all);
    for (std::size_t i = 0; i < items().size(); ++i) {
        painter.setPen(QPen(theme.hairline, 1));
        painter.drawRect(boxOf(chosen_ == i && dropping_ ? *dropping_ : items()[i].at).adjusted(2, 2, -2, -2));
    }
    // The head line is tinted: it cannot be taken for the board in use.
    painter.fillRect(QRectF(0, 0, width(), theme.px(4)), theme.accent);
    paintTray(painter);
}

void BoardView::paintTray(QPainter& painter)
{
    const Theme& theme = Theme::get();
    const double top = grid().bottom() + theme.px(6);
    painter.fillRect(QRectF(0, top, width(), height() - top), theme.ground);
    const double wide = QFontMetricsF(theme.bodyStrong()).horizontalAdvance(tr("Put onto the grid")) + theme.px(10);
    paintText(painter, QRectF(theme.px(12), top, wide, theme.px(18)), tr("Put onto the grid"), theme.bodyStrong(), theme.ink);
    paintText(painter, QRectF(theme.px(12) + wide, top, width() - wide - theme.px(20), theme.px(18)),
        tr("click one of these, or drop a signal: it comes as what fits it"), theme.body(), theme.ink2);
    for (const TrayLine& line : boardTray()) {
        const QRectF first = trayOf(line.kinds.front());
        paintText(painter, QRectF(theme.px(12), first.top(), theme.px(74), theme.px(20)), tr(line.name), theme.bodyStrong(), theme.ink);
        painter.setPen(theme.grid);
        painter.drawLine(QPointF(theme.px(12), first.top() - 2), QPointF(width() - theme.px(12), first.top() - 2));
        for (const Shown shown : line.kinds) {
            const QRectF box = trayOf(shown);
            paintKind(painter, shown,
                QRectF(
                    box.left(), box.top() + 1, theme.px(64), std::max(12.0, std::min<double>(theme.px(18), box.height() - theme.px(15)))));
            paintText(painter, QRectF(box.left(), box.bottom() - theme.px(14), box.width(), theme.px(14)), kindName(shown), theme.small(),
                theme.ink2);
        }
    }
}

}  // namespace wavetrope::app
