// SPDX-License-Identifier: GPL-3.0-or-later
// The worst case of a message, frame by frame.
#include <QPainter>

#include <algorithm>

#include "app/inspector/inspector_view.h"
#include "app/paint/paint.h"
#include "app/stage/timing_desk.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr std::size_t worstFramesShown = 16;

double sideRoom() { return Theme::get().px(14); }
QString inMilliseconds(double value) { return QString::number(value, 'f', 2) + QStringLiteral(" ms"); }

}  // namespace

void Inspector::paintResponse(QPainter& painter)
{
    const Theme& theme = Theme::get();
    const Selection& selection = stage_.selection();
    TimingDesk& desk = stage_.timing();
    const std::vector<TimingDesk::Row>& rows = desk.rows(selection.bus);
    const auto found = std::find_if(
        rows.begin(), rows.end(), [&](const TimingDesk::Row& row) { return row.message.head.id == selection.id; });
    double y = theme.px(10);
    if (found == rows.end()) {
        heading(painter, y, tr("no longer there"), tr(", without a cycle time"), selection.bus,
            QString::fromStdString(can::toText(selection.id)));
        return;
    }
    const TimingDesk::Row& row = *found;
    const auto* message = stage_.catalog().find(selection.bus, selection.id);
    QString subtitle = tr(", %1 bytes").arg(row.message.bytes);
    if (message != nullptr && !message->message->sender.empty())
        subtitle += tr(", from %1").arg(QString::fromStdString(message->message->sender));
    heading(
        painter, y, QString::fromStdString(row.message.name), subtitle, selection.bus, QString::fromStdString(can::toText(selection.id)));
    section(painter, y, row.answer.meets ? tr("Meets its deadline") : tr("May miss its deadline"));
    if (!row.answer.meets)
        paintWarning(painter, QPointF(width() - sideRoom() - theme.px(6), y - theme.px(12)), theme.px(11));
    const QString wanted = row.ownDeadline ? tr("wanted after %1, as set by hand.").arg(inMilliseconds(row.deadline()))
                                           : tr("wanted after %1, its period.").arg(inMilliseconds(row.deadline()));
    passage(painter, y, QString(),
        row.answer.milliseconds ? tr("In the worst case it has passed after %1; %2").arg(inMilliseconds(*row.answer.milliseconds), wanted)
        : row.answer.unfinished ? tr("With it the bus is so nearly full that the worst case lies too far ahead to be found; %1").arg(wanted)
                                : tr("It and what goes before it ask for more than the whole bus: there is no bound; %1").arg(wanted),
        false);
    if (row.measured)
        passage(painter, y, QString(),
            tr("The worst of %1 measured took %2.")
                .arg(countText(row.measured->count), inMilliseconds(static_cast<double>(row.measured->longest.count()) / 1e6)),
            false);
    else
        passage(
            painter, y, QString(), tr("Nothing is measured: what was offered when is known on simulated buses alone."), false, theme.ink2);
    const std::vector<timing::WorstFrame> frames = timing::worstCase(desk.messages(selection.bus), desk.rate(selection.bus), row.answer);
    if (frames.empty())
        return;
    section(painter, y, tr("The worst case, frame by frame"));
    // From the beat that is answered for: its jitter goes before all began together.
    const auto own = static_cast<double>(row.message.period.count()) / 1e6 * static_cast<double>(row.answer.instance);
    const double jitter = static_cast<double>(row.message.jitter.count()) / 1e6;
    const double begin = std::min(-jitter, 0.0);
    const double whole = std::max(frames.back().to, row.deadline() + own - jitter) - begin;
    const double left = sideRoom() + theme.px(104);
    const double room = width() - left - theme.px(38) - sideRoom();
    const auto at = [&](double time) { return left + (time - begin) / whole * room; };
    const double deadline = at(row.deadline() + own - jitter);
    const double top = y;
    const double line = theme.px(17);
    const QColor hue = theme.bus(stage_.mark(selection.bus));
    QColor pale = hue;
    pale.setAlphaF(0.5F);
    const auto entry = [&](const QString& name, double from, double to, const QColor& colour, bool strong) {
        paintText(painter, QRectF(sideRoom(), y, left - sideRoom() - theme.px(6), line), name, strong ? theme.bodyStrong() : theme.body(),
            theme.ink);
        painter.fillRect(
            QRectF(QPointF(at(from), y + theme.px(4)), QPointF(std::max(at(to), at(from) + 1.5), y + line - theme.px(4))), colour);
        if (strong && to > row.deadline() + own - jitter) {
            const QRectF late(QPointF(std::max(at(from), deadline), y + theme.px(4)), QPointF(at(to), y + line - theme.px(4)));
            painter.fillRect(late, theme.surface);
            painter.fillRect(late, QBrush(theme.error, Qt::BDiagPattern));
            painter.setPen(theme.error);
            painter.drawRect(late);
        }
        paintText(painter, QRectF(width() - sideRoom() - theme.px(36), y, theme.px(36), line), QString::number(to - from, 'f', 2),
            theme.mono(9.8), theme.ink2, Qt::AlignRight | Qt::AlignVCenter);
        lines_ << name + QStringLiteral(": ") + inMilliseconds(to - from);
        y += line;
    };
    if (jitter > 0)
        entry(tr("jitter"), -jitter, 0, theme.faint, false);
    const std::size_t hidden = frames.size() > worstFramesShown ? frames.size() - worstFramesShown : 0;
    for (std::size_t i = 0; i < frames.size(); ++i) {
        if (hidden > 0 && i == worstFramesShown - 1) {
            const timing::WorstFrame& last = frames[i + hidden - 1];
            entry(tr("%1 more").arg(hidden), frames[i].from, last.to, pale, false);
            i += hidden;
        }
        const timing::WorstFrame& frame = frames[i];
        using Role = timing::WorstFrame::Role;
        const bool answered = i + 1 == frames.size();
        entry(QString::fromStdString(desk.messages(selection.bus)[frame.message].name), frame.from, frame.to,
            frame.role == Role::lower ? theme.ink3
            : answered                ? hue
                                      : pale,
            answered);
    }
    painter.setPen(QPen(theme.ink, 1));
    painter.drawLine(QPointF(deadline, top), QPointF(deadline, y));
    y += theme.px(4);
    passage(painter, y, QString(),
        tr("Grey: one lower frame that has just begun; pale: those that go before. All at their longest, in milliseconds; the line is the "
           "deadline."),
        false, theme.ink2);
    contentHeight_ = y;
}

}  // namespace wavetrope::app
