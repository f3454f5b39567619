// SPDX-License-Identifier: GPL-3.0-or-later
// What the controls of a board do while it is in use.
#include <QApplication>

#include <algorithm>
#include <cmath>

#include "app/board/board_view.h"
#include "app/board/gauges.h"
#include "app/parts/text.h"

namespace wavetrope::app {

using board::Shown;

void BoardView::pressControl(std::size_t item, const QPointF& point)
{
    focused_ = item;
    update();
    const BoardReading& reading = reader_.of(item);
    if (reading.inert || !reading.problem.isEmpty()) {
        Q_EMIT stage().told(reading.problem.isEmpty() ? reading.controlWords : reading.problem);
        return;
    }
    const board::Item& what = items()[item];
    const QRectF box = boxOf(what.at);
    switch (what.shown) {
    case Shown::slider:
    case Shown::turn: held_ = item; return dragControl(item, point, false);
    case Shown::button:
    case Shown::key:
        held_ = item;
        heldByKey_ = false;
        reader_.pressed[item] = true;
        stage().boards().press(what, true);
        return refresh();
    case Shown::toggle:
    case Shown::choice: {
        const auto parts = GaugePainter::partsOf(box, cell(), reading.choices.size());
        for (std::size_t i = 0; i < parts.size(); ++i)
            if (parts[i].contains(point))
                return drive(item, reading.choices[i].second);
        return;
    }
    case Shown::entry: return actuate(item);
    default: return;
    }
}

void BoardView::dragControl(std::size_t item, const QPointF& point, bool end)
{
    const board::Item& what = items()[item];
    if (what.shown != Shown::slider && what.shown != Shown::turn)
        return;
    const BoardReading& reading = reader_.of(item);
    double part = 0;
    if (what.shown == Shown::slider) {
        const QRectF track = GaugePainter::trackOf(boxOf(what.at), cell());
        part = (point.x() - track.left()) / std::max(1.0, track.width());
    } else {
        const GaugePainter::Dial dial = GaugePainter::dialOf(boxOf(what.at), cell());
        const QPointF from = point - dial.centre;
        part = (std::atan2(from.x(), -from.y()) * 180 / M_PI + 60) / 120;
    }
    double value = reading.from + std::clamp(part, 0.0, 1.0) * (reading.to - reading.from);
    const double fine = what.of.kind == board::Binding::Kind::variable ? (reading.to - reading.from) / 200 : 0;
    if (fine > 0)
        value = std::round(value / fine) * fine;
    reader_.dragged[item] = value;
    if (end) {
        reader_.dragged.erase(item);
        drive(item, value);
    } else if (what.of.kind == board::Binding::Kind::variable) {
        stage().boards().setVariable(text(what.of.name), value);
    } else if (const auto place = stage().outbox().placeNamed(text(what.of.name))) {
        const auto* message = rig::messageOfRow(stage().catalog(), stage().outbox().row(*place).bus, stage().outbox().row(*place).message);
        const database::Signal* signal = message == nullptr ? nullptr : message->message->find(what.of.value);
        if (signal != nullptr) {
            const auto at = static_cast<std::uint32_t>(signal - message->message->signals.data());
            bool fits = true;
            stage().outbox().tryBits(
                stage().outbox().numberOf(*place), at, database::MessagePlan::bitsOf(message->plan.plan(at), value, fits));
        }
    }
    refresh();
}

void BoardView::drive(std::size_t item, double value)
{
    const board::Item what = items()[item];
    if (what.of.kind == board::Binding::Kind::variable) {
        stage().boards().setVariable(text(what.of.name), value);
    } else {
        board::Item sets = what;
        sets.sets = value;
        stage().boards().press(sets, true);
    }
    refresh();
}

void BoardView::stepControl(std::size_t item, double steps)
{
    const BoardReading& reading = reader_.of(item);
    const board::Item& what = items()[item];
    if (reading.inert || !reading.problem.isEmpty())
        return;
    if (what.shown == Shown::toggle || what.shown == Shown::choice) {
        for (std::size_t i = 0; i < reading.choices.size(); ++i)
            if (reading.asked && reading.choices[i].second == *reading.asked) {
                const auto next = static_cast<std::size_t>(
                    std::clamp<long>(static_cast<long>(i) + (steps > 0 ? 1 : -1), 0, static_cast<long>(reading.choices.size()) - 1));
                return drive(item, reading.choices[next].second);
            }
        return;
    }
    if (what.shown == Shown::slider || what.shown == Shown::turn || what.shown == Shown::entry)
        drive(item, std::clamp(reading.asked.value_or(reading.from) + steps * reading.step, reading.from, reading.to));
}

// Whatever is held down is let go.
void BoardView::release()
{
    if (!held_)
        return;
    const std::size_t item = *std::exchange(held_, std::nullopt);
    if (item < items().size() && reader_.pressed.contains(item))
        stage().boards().press(items()[item], false);
    reader_.pressed.erase(item);
    reader_.dragged.erase(item);
    refresh();
}

// Enter on a control.
void BoardView::actuate(std::size_t item)
{
    const BoardReading& reading = reader_.of(item);
    const board::Item what = items()[item];
    if (reading.inert || !reading.problem.isEmpty()) {
        Q_EMIT stage().told(reading.problem.isEmpty() ? reading.controlWords : reading.problem);
        return;
    }
    if (what.shown == Shown::toggle) {
        if (reading.choices.size() == 2)
            drive(item, reading.asked == reading.choices[1].second ? reading.choices[0].second : reading.choices[1].second);
        return;
    }
    if (what.shown != Shown::entry && what.shown != Shown::slider && what.shown != Shown::turn)
        return;
    const QRectF box = GaugePainter::buttonOf(boxOf(what.at), cell());
    field_->open(box.toRect(), 80, reading.askedText, {}, [this, item, what](const QString& words) -> Expected<void> {
        if (what.of.kind == board::Binding::Kind::row) {
            const auto place = stage().outbox().placeNamed(text(what.of.name));
            return place ? stage().outbox().setValue(*place, text(what.of.value), words) : Expected<void>(fail("the row is gone"));
        }
        bool good = false;
        const double value = words.trimmed().toDouble(&good);
        const BoardReading& now = reader_.of(item);
        if (!good || !std::isfinite(value))
            return fail("'" + words.toStdString() + "' is no number");
        if (value < now.from || value > now.to)
            return fail("it goes from " + database::numberText(now.from, 6) + " to " + database::numberText(now.to, 6));
        drive(item, value);
        return {};
    });
}

void BoardView::focusNext(bool back)
{
    std::vector<std::size_t> order;
    for (std::size_t i = 0; i < items().size(); ++i)
        if (board::isControl(items()[i].shown))
            order.push_back(i);
    std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        return std::pair(items()[a].at.row, items()[a].at.column) < std::pair(items()[b].at.row, items()[b].at.column);
    });
    if (order.empty())
        return;
    const auto now = focused_ ? std::find(order.begin(), order.end(), *focused_) : order.end();
    const auto at = now == order.end() ? (back ? order.size() - 1 : 0)
                                       : (static_cast<std::size_t>(now - order.begin()) + (back ? order.size() - 1 : 1)) % order.size();
    release();
    focused_ = order[at];
    setAccessibleDescription(reader_.of(*focused_).label + QLatin1Char(' ') + reader_.of(*focused_).askedText + QLatin1Char(' ')
                             + reader_.of(*focused_).controlWords);
    update();
}

}  // namespace wavetrope::app
