// SPDX-License-Identifier: GPL-3.0-or-later
// A node, as the inspector tells it.
#include <QPainter>

#include <algorithm>

#include "app/inspector/inspector_view.h"
#include "app/paint/paint.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

double inset() { return Theme::get().px(14); }

}  // namespace

// As its buses count them now, of 256; the tick stands where it is error-passive.
void Inspector::paintCounters(QPainter& painter, double& y, const rig::NodeReport& node)
{
    if (node.counters.empty())
        return;
    const Theme& theme = Theme::get();
    section(painter, y, tr("Error counters"), tr("sending, receiving"));
    for (const auto& [bus, counters] : node.counters) {
        const bool wrong = !can::flagsActively(counters.state());
        const QString state = counters.state() == can::ErrorState::active ? QString()
                              : counters.state() == can::ErrorState::busOff
                                  ? tr("bus off  ")
                                  : tr("error-%1  ").arg(QLatin1String(can::toText(counters.state())));
        fact(painter, y, app::text(stage_.catalog().busName(bus)), state + tr("%1, %2").arg(counters.transmit()).arg(counters.receive()),
            wrong);
        if (counters.transmit() == 0 && counters.receive() == 0)
            continue;
        const QRectF bar(inset(), y, width() - 2 * inset(), theme.px(5));
        painter.fillRect(bar, theme.hairline);
        const double most = std::min(256U, std::max(counters.transmit(), counters.receive()));
        painter.fillRect(QRectF(bar.left(), bar.top(), bar.width() * most / 256, bar.height()), wrong ? theme.error : theme.ink2);
        painter.fillRect(QRectF(bar.left() + bar.width() / 2 - 1, bar.top() - theme.px(3), 2, bar.height() + theme.px(6)), theme.ink);
        y += theme.px(12);
    }
}

void Inspector::paintNode(QPainter& painter)
{
    const Theme& theme = Theme::get();
    double y = theme.px(10);
    rig::Session* session = stage_.document().session();
    const std::string name = stage_.selection().node.toStdString();
    std::vector<rig::NodeReport> reports;
    if (session != nullptr)
        reports = session->nodeReports();
    const auto found = std::find_if(reports.begin(), reports.end(), [&](const rig::NodeReport& r) { return r.name == name; });
    const bool simulated = found != reports.end();
    heading(painter, y, stage_.selection().node,
        !simulated  ? tr("not simulated here")
        : found->on ? tr("simulated")
                    : tr("taken out of the simulation"),
        simulated && !found->buses.empty() ? found->buses.front() : -1);
    const drive::StateChange* current = nullptr;
    if (simulated)
        for (const drive::StateChange& change : found->states)
            if (change.time <= stage_.cursor())
                current = &change;
    if (current != nullptr) {
        fact(painter, y, tr("State"), QString::fromStdString(current->state), current->wrong, false);
        fact(painter, y, tr("Since"), timeWords(stage_.seconds(current->time), 3));
    }
    const trace::Row limit = stage_.cursorRow() == trace::noRow ? 0 : stage_.cursorRow() + 1;
    if (simulated) {
        section(painter, y, tr("Why"));
        int shown = 0;
        for (std::size_t i = found->states.size(); i-- > 0 && shown < 5;) {
            const drive::StateChange& change = found->states[i];
            if (change.time > stage_.cursor() || change.why.empty())
                continue;
            ++shown;
            const QString line = tr("%1  %2").arg(timeWords(stage_.seconds(change.time), 2), QString::fromStdString(change.state));
            paintText(painter, QRectF(inset(), y, width() - 2 * inset(), theme.px(17)), line, theme.body(),
                change.wrong ? theme.error : theme.ink);
            y += theme.px(16);
            painter.setFont(theme.small());
            painter.setPen(theme.ink3);
            QRectF used;
            painter.drawText(QRectF(inset() + theme.px(8), y, width() - 2 * inset() - theme.px(8), theme.px(60)), Qt::TextWordWrap,
                QString::fromStdString(change.why), &used);
            y += used.height() + theme.px(4);
            lines_ << line << QString::fromStdString(change.why);
        }
        if (shown == 0) {
            paintText(painter, QRectF(inset(), y, width() - 2 * inset(), theme.px(17)), tr("It has been so since the start."), theme.body(),
                theme.ink3);
            y += theme.px(18);
        }
    }
    if (simulated)
        paintCounters(painter, y, *found);
    section(painter, y, tr("Sends"));
    int rest = 0;
    int listed = 0;
    const auto line = [&](const database::CatalogMessage& message, bool values) {
        paintBusBadge(painter, QRectF(inset(), y + theme.px(2), theme.px(14), theme.px(14)), stage_.mark(message.bus));
        const QString text = QString::fromStdString(message.message->name);
        paintText(painter, QRectF(inset() + theme.px(20), y, width() * 0.5, theme.px(18)), text, theme.body(), theme.ink);
        const QString cycle = message.message->cycleTime.count() > 0
                                  ? tr("%1 ms").arg(static_cast<double>(message.message->cycleTime.count()) * 1e-6, 0, 'g', 4)
                                  : tr("on change");
        paintText(painter, QRectF(inset(), y, width() - 2 * inset(), theme.px(18)), cycle, theme.mono(), theme.ink2,
            Qt::AlignRight | Qt::AlignVCenter);
        lines_ << text + QStringLiteral(": ") + cycle;
        y += theme.px(18);
        if (!values || !stage_.snapshot().valid())
            return;
        const auto identifier = stage_.snapshot().trace().find({message.bus, false, message.message->id});
        const trace::Row row = identifier ? stage_.snapshot().previousOf(*identifier, limit) : trace::noRow;
        if (row == trace::noRow)
            return;
        std::vector<database::Decoded> decoded;
        message.plan.decode(stage_.snapshot().frame(row), decoded);
        for (std::size_t i = 0; i < decoded.size() && i < 3; ++i) {
            const database::Signal& signal = message.message->signals[decoded[i].signal];
            const QString value = readingText(signal, decoded[i]);
            paintText(painter, QRectF(inset() + theme.px(20), y, width() * 0.5, theme.px(16)), QString::fromStdString(signal.name),
                theme.body(), theme.ink2);
            paintText(painter, QRectF(inset(), y, width() - 2 * inset(), theme.px(16)), value, theme.mono(), theme.ink,
                Qt::AlignRight | Qt::AlignVCenter);
            lines_ << QString::fromStdString(signal.name) + QStringLiteral(": ") + value;
            y += theme.px(16);
        }
    };
    for (const auto& message : stage_.catalog().messages())
        if (message.message->sender == name) {
            if (++listed <= 6)
                line(message, true);
            else
                ++rest;
        }
    if (rest > 0) {
        paintText(painter, QRectF(inset(), y, width(), theme.px(18)), tr("and %1 more").arg(rest), theme.body(), theme.ink3);
        y += theme.px(18);
    }
    section(painter, y, tr("Listens to"));
    listed = 0;
    rest = 0;
    for (const auto& message : stage_.catalog().messages()) {
        const auto& all = message.message->signals;
        const bool hears = std::any_of(all.begin(), all.end(),
            [&](const database::Signal& s) { return std::find(s.receivers.begin(), s.receivers.end(), name) != s.receivers.end(); });
        if (hears && ++listed <= 8)
            line(message, false);
        else if (hears)
            ++rest;
    }
    if (rest > 0)
        paintText(painter, QRectF(inset(), y, width(), theme.px(18)), tr("and %1 more").arg(rest), theme.body(), theme.ink3);
    contentHeight_ = y + theme.px(20);
}

}  // namespace wavetrope::app
