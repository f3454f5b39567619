// SPDX-License-Identifier: GPL-3.0-or-later
// How the controls of a board are drawn, and where they are taken hold of.
#include <algorithm>
#include <cmath>

#include "app/board/gauges.h"
#include "app/parts/text.h"

namespace wavetrope::app {

QRectF GaugePainter::trackOf(const QRectF& box, double cell)
{
    const QRectF in = inner(box, cell);
    const double label = std::clamp(cell * 0.72, 9.0, 34.0);
    const double top = in.top() + std::max(label * 1.5, in.height() * 0.42), height = cell * 0.8;
    return {in.left() + cell * 0.5, top, in.width() - cell, height};
}

std::vector<QRectF> GaugePainter::partsOf(const QRectF& box, double cell, std::size_t count)
{
    const QRectF whole = buttonOf(box, cell);
    std::vector<QRectF> out;
    for (std::size_t i = 0; i < count; ++i)
        out.emplace_back(whole.left() + whole.width() * static_cast<double>(i) / static_cast<double>(count), whole.top(),
            whole.width() / static_cast<double>(count), whole.height());
    return out;
}

QRectF GaugePainter::buttonOf(const QRectF& box, double cell)
{
    const QRectF in = inner(box, cell);
    const double label = std::clamp(cell * 0.72, 9.0, 34.0);
    const double top = in.top() + label * 1.6;
    return {in.left(), top, in.width(), std::max(cell * 0.8, std::min(in.bottom() - label * 1.3 - top, cell * 2.6))};
}

GaugePainter::Dial GaugePainter::dialOf(const QRectF& box, double cell)
{
    const QRectF in = inner(box, cell);
    const double label = std::clamp(cell * 0.72, 9.0, 34.0);
    const double room = in.height() - label * 1.4;
    const double radius = std::max(cell, std::min(in.width() * 0.42, room * 0.62));
    return {QPointF(in.center().x(), in.top() + label * 1.9 + radius), radius};
}

void GaugePainter::controlWords(const QRectF& box, const BoardReading& reading)
{
    const double size = labelSize() * 0.86;
    const bool waits = reading.waits && !reading.inert;
    QRectF at(box);
    if (waits) {
        const double half = size * 0.42;
        const QPointF centre(box.left() + half + 1, box.center().y());
        painter_.setPen(QPen(theme_.accent, 1.6));
        painter_.setBrush(Qt::NoBrush);
        painter_.drawPolygon(
            QPolygonF({centre + QPointF(0, -half), centre + QPointF(half, 0), centre + QPointF(0, half), centre + QPointF(-half, 0)}));
        at.setLeft(at.left() + size * 1.3);
    }
    const QFont::Weight weight = waits ? QFont::DemiBold : QFont::Normal;
    const double fits = std::max(size * 0.74, GaugeInk::sizeFor(reading.controlWords, size, at.width(), false, weight));
    ink_.words(at, reading.controlWords, GaugeInk::font(fits, false, weight), waits ? theme_.ink : theme_.ink2);
}

void GaugePainter::slider(const QRectF& outer, const BoardReading& reading, bool focused)
{
    const QRectF box = inner(outer, cell_);
    const QRectF track = trackOf(outer, cell_);
    const double most = std::min(cell_ * 2, track.top() - box.top() + cell_ * 0.2);
    BoardReading asked = reading;
    asked.number = reading.askedText;
    asked.side = measure::Side::inside;
    const double asks = std::min(
        box.width() * 0.5, GaugeInk::wideOf(reading.askedText, most, true) + GaugeInk::wideOf(reading.unit, most * 0.4, false) + cell_);
    head(box, reading, asks);
    if (!reading.problem.isEmpty())
        return ink_.words(track, reading.problem, GaugeInk::font(labelSize() * 0.8, false), theme_.ink2);
    value(QRectF(box.right() - asks, box.top(), asks, most), asked, Qt::AlignRight, most);
    const double y = track.center().y();
    painter_.setPen(QPen(theme_.ink3, std::max(1.5, cell_ * 0.06)));
    painter_.drawLine(QPointF(track.left(), y), QPointF(track.right(), y));
    for (int i = 0; i <= 6; ++i) {
        const double x = track.left() + track.width() * i / 6, half = cell_ * (i % 6 == 0 ? 0.3 : 0.22);
        painter_.setPen(QPen(theme_.ink3, 1.3));
        painter_.drawLine(QPointF(x, y - half), QPointF(x, y + half));
    }
    if (reading.actual) {
        const double x = track.left() + track.width() * partOf(reading, *reading.actual);
        if (reading.waits && reading.asked) {
            painter_.setPen(QPen(theme_.accent, 1.6, Qt::DashLine));
            painter_.drawLine(QPointF(x, y), QPointF(track.left() + track.width() * partOf(reading, *reading.asked), y));
        }
        painter_.fillRect(QRectF(x - cell_ * 0.08, y - cell_ * 0.5, cell_ * 0.16, cell_), theme_.ink);
    }
    if (reading.asked) {
        const double x = track.left() + track.width() * partOf(reading, *reading.asked), wide = cell_ * 0.5, tall = cell_ * 0.62;
        painter_.setPen(
            QPen(reading.inert ? theme_.ink3 : theme_.accent, focused ? 3.4 : 2.2, reading.inert ? Qt::DashLine : Qt::SolidLine));
        painter_.setBrush(theme_.surface);
        painter_.drawPolygon(QPolygonF({QPointF(x, y - tall), QPointF(x + wide, y), QPointF(x, y + tall), QPointF(x - wide, y)}));
    }
    const double size = labelSize() * 0.86;
    const QRectF ends(box.left(), track.bottom(), box.width(), size * 1.2);
    ink_.words(QRectF(track.left() - cell_ * 0.4, ends.top(), cell_ * 3, ends.height()), text(database::numberText(reading.from, 6)),
        GaugeInk::font(size * 0.9, true), theme_.ink2);
    ink_.words(QRectF(track.right() - cell_ * 3 + cell_ * 0.4, ends.top(), cell_ * 3, ends.height()),
        text(database::numberText(reading.to, 6)), GaugeInk::font(size * 0.9, true), theme_.ink2, Qt::AlignRight | Qt::AlignVCenter);
    if (box.bottom() - ends.bottom() >= size)
        controlWords(QRectF(box.left(), box.bottom() - size * 1.3, box.width(), size * 1.3), reading);
    else
        controlWords(QRectF(track.left() + cell_ * 1.6, ends.top(), track.width() - cell_ * 3.2, ends.height()), reading);
}

void GaugePainter::parts(const QRectF& outer, const BoardReading& reading, bool focused)
{
    const QRectF box = inner(outer, cell_);
    head(box, reading);
    const QRectF whole = buttonOf(outer, cell_);
    if (!reading.problem.isEmpty() || reading.choices.empty())
        return ink_.words(whole, reading.problem.isEmpty() ? QObject::tr("nothing to choose from") : reading.problem,
            GaugeInk::font(labelSize() * 0.8, false), theme_.ink2);
    painter_.setPen(QPen(focused ? theme_.accent : theme_.ink2, focused ? 2.6 : 1.3, reading.inert ? Qt::DashLine : Qt::SolidLine));
    painter_.setBrush(theme_.raised);
    painter_.drawRoundedRect(whole, 5, 5);
    const std::vector<QRectF> boxes = partsOf(outer, cell_, reading.choices.size());
    double size = std::min(labelSize() * 1.15, whole.height() * 0.5);
    for (std::size_t i = 0; i < boxes.size(); ++i)
        size = std::min(size, std::max(labelSize() * 0.8, GaugeInk::sizeFor(reading.choices[i].first, size, boxes[i].width() - cell_ * 0.4,
                                                              false, QFont::DemiBold)));
    for (std::size_t i = 0; i < boxes.size(); ++i) {
        const bool asked = reading.asked && *reading.asked == reading.choices[i].second;
        const bool actual = reading.actual && *reading.actual == reading.choices[i].second;
        const QRectF at = boxes[i].adjusted(3, 3, -3, -3);
        if (asked) {
            painter_.setPen(Qt::NoPen);
            painter_.setBrush(reading.inert ? theme_.ink3 : theme_.accent);
            painter_.drawRoundedRect(at, 3, 3);
        } else if (i > 0 && !(reading.asked && *reading.asked == reading.choices[i - 1].second)) {
            painter_.setPen(QPen(theme_.hairline, 1.3));
            painter_.drawLine(QPointF(boxes[i].left(), at.top() + 3), QPointF(boxes[i].left(), at.bottom() - 3));
        }
        if (actual)  // what is, beside what was asked
            painter_.fillRect(
                QRectF(at.left() + at.width() * 0.3, at.bottom() - 3, at.width() * 0.4, 3), asked ? theme_.surface : theme_.ink);
        ink_.words(at, reading.choices[i].first, GaugeInk::font(size, false, asked ? QFont::DemiBold : QFont::Normal),
            asked ? theme_.surface : theme_.ink, Qt::AlignCenter);
    }
    controlWords(QRectF(box.left(), whole.bottom() + 1, box.width(), box.bottom() - whole.bottom()), reading);
}

void GaugePainter::button(const QRectF& outer, const board::Item& item, const BoardReading& reading, bool focused)
{
    const QRectF box = inner(outer, cell_);
    head(box, reading);
    const QRectF whole = buttonOf(outer, cell_);
    painter_.setPen(QPen(focused || reading.pressed ? theme_.accent : theme_.ink2, focused ? 2.6 : 1.4,
        reading.inert || !reading.problem.isEmpty() ? Qt::DashLine : Qt::SolidLine));
    painter_.setBrush(reading.pressed ? theme_.accent : theme_.raised);
    painter_.drawRoundedRect(whole, 5, 5);
    const QString key = text(item.press);
    const QString name = !reading.problem.isEmpty() ? reading.problem
                         : item.text.empty()        ? (item.shown == board::Shown::key && !key.isEmpty() ? key : QObject::tr("Send"))
                                                    : text(item.text);
    const double size = std::min(labelSize() * 1.2, whole.height() * 0.5);
    const QFont strong = GaugeInk::font(
        GaugeInk::sizeFor(name, size, whole.width() - cell_ * 1.2, false, QFont::DemiBold), false, QFont::DemiBold);
    const QColor ink = reading.pressed ? theme_.surface : reading.inert ? theme_.ink2 : theme_.ink;
    ink_.words(whole.adjusted(cell_ * 0.5, 0, -cell_ * 0.5, 0), name, strong, ink,
        !key.isEmpty() && item.shown == board::Shown::button ? Qt::AlignLeft | Qt::AlignVCenter : Qt::AlignCenter);
    if (!key.isEmpty() && item.shown == board::Shown::button)
        ink_.words(whole.adjusted(0, 0, -cell_ * 0.4, 0), key, GaugeInk::font(labelSize() * 0.85, false),
            reading.pressed ? theme_.surface : theme_.ink2, Qt::AlignRight | Qt::AlignVCenter);
    controlWords(QRectF(box.left(), whole.bottom() + 1, box.width(), box.bottom() - whole.bottom()), reading);
}

void GaugePainter::entry(const QRectF& outer, const BoardReading& reading, bool focused)
{
    const QRectF box = inner(outer, cell_);
    head(box, reading);
    const QRectF whole = buttonOf(outer, cell_);
    painter_.setPen(QPen(
        reading.waits || focused ? theme_.accent : theme_.hairline, focused ? 2.6 : 1.3, reading.waits ? Qt::DashLine : Qt::SolidLine));
    painter_.setBrush(theme_.raised);
    painter_.drawRoundedRect(whole, 4, 4);
    BoardReading asked = reading;
    asked.number = reading.askedText;
    value(whole.adjusted(cell_ * 0.4, 0, -cell_ * 0.4, 0), asked, Qt::AlignRight, whole.height() * 0.75);
    controlWords(QRectF(box.left(), whole.bottom() + 1, box.width(), box.bottom() - whole.bottom()), reading);
}

}  // namespace wavetrope::app
