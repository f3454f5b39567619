// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lanes/phase_bands.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/parts/text.h"
#include "app/stage/dialogue_desk.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr int bandTall = 18;

}  // namespace

PhaseBands::PhaseBands(Stage& stage, const TimePlot& axis, QWidget* parent) : QWidget(parent), stage_(stage), axis_(axis)
{
    setObjectName(QStringLiteral("phaseBands"));
    setAccessibleName(tr("Phases of dialogues"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    hide();
}

QSize PhaseBands::sizeHint() const { return {100, Theme::get().px(bandTall) * static_cast<int>(heads_.size()) + Theme::get().px(4)}; }

// From the events of each dialogue; those of a run are the newest ones.
void PhaseBands::refresh()
{
    const std::size_t before = heads_.size();
    heads_.clear();
    bands_.clear();
    broken_.clear();
    for (const drive::DialogueFacts& facts : stage_.dialogues().all()) {
        if (facts.events.empty())
            continue;
        const std::size_t first = heads_.size();
        const QString dialogue = text(facts.spec->name);
        std::array<std::optional<Band>, 2> open;
        const auto close = [&](std::size_t partner, Time at, bool goesOn) {
            if (!open[partner])
                return;
            open[partner]->to = at;
            open[partner]->goesOn = goesOn;
            bands_.push_back(*std::exchange(open[partner], std::nullopt));
        };
        for (std::size_t partner = 0; partner < 2; ++partner)
            heads_.push_back({text(facts.spec->partners[partner]), stage_.catalog().findBus(facts.spec->bus)});
        for (const drive::DialogueEvent& event : facts.events) {
            if (event.what == drive::DialogueEvent::What::breaks) {
                broken_.emplace_back(first + event.partner, event.time);
                continue;
            }
            close(event.partner, event.time, false);
            if (event.what == drive::DialogueEvent::What::enters && event.phase < facts.spec->phases.size())
                open[event.partner] = Band{first + event.partner, dialogue, event.partner, event.phase,
                    text(facts.spec->phases[event.phase].name), event.time, {}, false};
        }
        for (std::size_t partner = 0; partner < 2; ++partner)
            close(partner, facts.told, true);
    }
    setVisible(!heads_.empty());
    if (before != heads_.size())
        updateGeometry();
    update();
}

double PhaseBands::xOf(Time time) const
{
    const QRect area = axis_.axisRect()->rect();
    return std::clamp(axis_.xAxis->coordToPixel(stage_.seconds(time)), static_cast<double>(area.left()), static_cast<double>(area.right()))
           + axis_.mapTo(parentWidget(), QPoint(0, 0)).x() - x();
}

QRectF PhaseBands::boxOf(const Band& band) const
{
    const double left = xOf(band.from), right = xOf(band.to);
    if (right - left <= 0)
        return {};
    const double tall = Theme::get().px(bandTall);
    return {left, Theme::get().px(2) + tall * static_cast<double>(band.row) + 1, right - left, tall - 3};
}

void PhaseBands::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    painter.fillRect(rect(), theme.surface);
    painter.setPen(theme.hairline);
    painter.drawLine(0, 0, width(), 0);
    const double tall = theme.px(bandTall), lead = axis_.mapTo(parentWidget(), axis_.axisRect()->rect().topLeft()).x() - x();
    for (std::size_t row = 0; row < heads_.size(); ++row) {
        const double top = theme.px(2) + tall * static_cast<double>(row);
        if (heads_[row].bus >= 0)
            paintBusBadge(painter, QRectF(theme.px(10), top + theme.px(2), theme.px(14), theme.px(14)),
                stage_.mark(static_cast<unsigned>(heads_[row].bus)));
        paintText(painter, QRectF(theme.px(30), top, lead - theme.px(36), tall), heads_[row].name, theme.body(), theme.ink2,
            Qt::AlignLeft | Qt::AlignVCenter);
    }
    for (const Band& band : bands_) {
        const QRectF box = boxOf(band);
        if (box.isEmpty())
            continue;
        const int bus = heads_[band.row].bus;
        QColor hue = bus >= 0 ? theme.bus(stage_.mark(static_cast<unsigned>(bus))) : theme.ink3;
        painter.fillRect(QRectF(box.left(), box.bottom() - 1, box.width(), 1), hue);
        hue.setAlphaF(band.phase % 2 == 0 ? 0.34F : 0.2F);
        painter.fillRect(box, hue);
        paintText(
            painter, box.adjusted(theme.px(4), 0, -theme.px(2), 0), band.name, theme.small(), theme.ink, Qt::AlignLeft | Qt::AlignVCenter);
    }
    for (const auto& [row, time] : broken_) {
        const double x = xOf(time);
        if (const QRect area = axis_.axisRect()->rect(); x <= lead || x >= lead + area.width())
            continue;
        painter.fillRect(QRectF(x - 1, theme.px(2) + tall * static_cast<double>(row), 2, tall - 1), theme.error);
    }
    const double cursor = xOf(stage_.cursor());
    painter.fillRect(QRectF(cursor - 0.5, 0, 1.5, height()), theme.accent);
}

const PhaseBands::Band* PhaseBands::bandAt(const QPointF& point) const
{
    const auto found = std::find_if(bands_.rbegin(), bands_.rend(), [&](const Band& band) { return boxOf(band).contains(point); });
    return found == bands_.rend() ? nullptr : &*found;
}

void PhaseBands::mousePressEvent(QMouseEvent* event)
{
    const Band* band = bandAt(event->position());
    if (band == nullptr)
        return;
    const Band chosen = *band;      // looking again makes them anew
    Selection selection;
    selection.kind = Selection::Kind::phase;
    selection.bus = static_cast<std::uint8_t>(chosen.partner);
    selection.signal = static_cast<int>(chosen.phase);
    selection.node = chosen.dialogue;
    stage_.select(selection);
    stage_.setCursor(chosen.from);
}

bool PhaseBands::event(QEvent* event)
{
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        if (const Band* band = bandAt(help->pos()); band != nullptr)
            QToolTip::showText(help->globalPos(),
                tr("%1: %2, %3 in %4 for %5 s%6")
                    .arg(band->dialogue, timeWordsOf(band->from), heads_[band->row].name, band->name)
                    .arg(static_cast<double>((band->to - band->from).count()) * 1e-9, 0, 'f', 3)
                    .arg(band->goesOn ? tr(" so far") : QString()),
                this);
        return true;
    }
    return QWidget::event(event);
}

QString PhaseBands::timeWordsOf(Time time) const { return tr("at %1 s").arg(stage_.seconds(time), 0, 'f', 3); }

}  // namespace wavetrope::app
