// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/board/board_tray.h"

#include <cmath>
#include <numbers>

#include "app/board/board_view.h"
#include "app/paint/paint.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

using board::Shown;

const std::vector<TrayLine>& boardTray()
{
    static const std::vector<TrayLine> lines = {
        {QT_TRANSLATE_NOOP("BoardView", "Gauges"), {Shown::number, Shown::dial, Shown::bar, Shown::lamp, Shown::state, Shown::history}},
        {QT_TRANSLATE_NOOP("BoardView", "Controls"),
            {Shown::slider, Shown::turn, Shown::toggle, Shown::button, Shown::choice, Shown::entry, Shown::key}},
        {QT_TRANSLATE_NOOP("BoardView", "Besides"), {Shown::title, Shown::text, Shown::picture}}};
    return lines;
}

QString kindName(Shown shown)
{
    switch (shown) {
    case Shown::number: return BoardView::tr("number");
    case Shown::dial: return BoardView::tr("dial");
    case Shown::bar: return BoardView::tr("bar");
    case Shown::lamp: return BoardView::tr("lamp");
    case Shown::state: return BoardView::tr("named state");
    case Shown::history: return BoardView::tr("short history");
    case Shown::slider: return BoardView::tr("slider");
    case Shown::turn: return BoardView::tr("dial");
    case Shown::toggle: return BoardView::tr("switch");
    case Shown::button: return BoardView::tr("button");
    case Shown::choice: return BoardView::tr("choice");
    case Shown::entry: return BoardView::tr("number");
    case Shown::key: return BoardView::tr("key");
    case Shown::title: return BoardView::tr("title");
    case Shown::text: return BoardView::tr("text");
    case Shown::picture: return BoardView::tr("picture");
    }
    return {};
}

void paintKind(QPainter& painter, Shown shown, const QRectF& box)
{
    const Theme& theme = Theme::get();
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    const QPointF c = box.center();
    const double w = box.width(), h = box.height();
    painter.setPen(QPen(theme.ink2, 1.3));
    painter.setBrush(Qt::NoBrush);
    switch (shown) {
    case Shown::number: paintText(painter, box, QStringLiteral("8.41"), theme.mono(15), theme.ink); break;
    case Shown::dial:
    case Shown::turn:
        painter.drawArc(QRectF(box.left(), box.top() + 2, h * 1.6, h * 1.6), 30 * 16, 120 * 16);
        painter.setPen(QPen(theme.ink, 2.2));
        painter.drawLine(QPointF(box.left() + h * 0.8, box.bottom()), QPointF(box.left() + h * 0.55, box.top() + 4));
        break;
    case Shown::bar:
        painter.fillRect(QRectF(box.left(), c.y() - 3, w * 0.8, 6), theme.grid);
        painter.fillRect(QRectF(box.left(), c.y() - 3, w * 0.5, 6), theme.bus(BusMark(1)));
        break;
    case Shown::lamp:
        painter.setBrush(theme.ink);
        painter.drawEllipse(QPointF(box.left() + 7, c.y()), 6, 6);
        painter.setBrush(Qt::NoBrush);
        painter.drawEllipse(QPointF(box.left() + 24, c.y()), 6, 6);
        break;
    case Shown::state: paintText(painter, box, BoardView::tr("shaving"), theme.head(), theme.ink); break;
    case Shown::history:
        painter.setPen(QPen(theme.bus(BusMark(1)), 1.6));
        painter.drawPolyline(QPolygonF({{box.left(), c.y() + 4}, {box.left() + w * 0.2, c.y() - 3}, {box.left() + w * 0.4, c.y() + 3},
            {box.left() + w * 0.6, c.y() - 5}, {box.left() + w * 0.8, c.y()}}));
        break;
    case Shown::slider: {
        painter.drawLine(QPointF(box.left(), c.y()), QPointF(box.left() + w * 0.8, c.y()));
        const QPointF d(box.left() + w * 0.4, c.y());
        painter.setPen(QPen(theme.accent, 1.6));
        painter.setBrush(theme.surface);
        painter.drawPolygon(QPolygonF({d + QPointF(0, -6), d + QPointF(6, 0), d + QPointF(0, 6), d + QPointF(-6, 0)}));
        break;
    }
    case Shown::picture: painter.drawRect(QRectF(box.left(), box.top(), w * 0.7, h)); break;
    case Shown::title: paintText(painter, box, BoardView::tr("Driver"), theme.title(), theme.ink); break;
    case Shown::text:
        for (int i = 0; i < 3; ++i)
            painter.drawLine(
                QPointF(box.left(), box.top() + 4 + i * 6), QPointF(box.left() + w * (i == 2 ? 0.5 : 0.7), box.top() + 4 + i * 6));
        break;
    default: {
        painter.setBrush(theme.raised);
        const QRectF at(box.left(), box.top(), w * (shown == Shown::key ? 0.4 : 0.75), h);
        painter.drawRoundedRect(at, 3, 3);
        const QString words = shown == Shown::toggle   ? BoardView::tr("off | on")
                              : shown == Shown::button ? BoardView::tr("go")
                              : shown == Shown::choice ? QStringLiteral("1 | 2 | 3")
                              : shown == Shown::entry  ? QStringLiteral("3.80")
                                                       : QStringLiteral("F9");
        paintText(painter, at, words, theme.small(), theme.ink, Qt::AlignCenter);
    }
    }
    painter.restore();
}

}  // namespace wavetrope::app
