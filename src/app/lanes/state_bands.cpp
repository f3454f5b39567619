// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lanes/state_bands.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>
#include <map>

#include "app/paint/paint.h"
#include "app/parts/text.h"
#include "app/stage/dialogue_desk.h"
#include "app/theme/theme.h"
#include "rig/run_document.h"
#include "rig/session.h"

namespace wavetrope::app {

namespace {

constexpr int bandTall = 18;
constexpr std::size_t mostStates = 6;  // rows of nodes; more take the lanes their room

}  // namespace

StateBands::StateBands(Stage& stage, const TimePlot& axis, QWidget* parent) : QWidget(parent), stage_(stage), axis_(axis)
{
    setObjectName(QStringLiteral("stateBands"));
    setAccessibleName(tr("Phases of dialogues, and error states"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    hide();
}

QSize StateBands::sizeHint() const { return {100, Theme::get().px(bandTall) * static_cast<int>(heads_.size()) + Theme::get().px(4)}; }

void StateBands::refresh()
{
    const std::size_t before = heads_.size();
    heads_.clear();
    bands_.clear();
    broken_.clear();
    for (const drive::DialogueFacts& facts : stage_.dialogues().all())
        if (!facts.events.empty())
            addDialogue(facts);
    addErrorStates();
    setVisible(!heads_.empty());
    if (before != heads_.size())
        updateGeometry();
    update();
}

// From its events; those of a run are the newest ones.
void StateBands::addDialogue(const drive::DialogueFacts& facts)
{
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
        if (event.what != drive::DialogueEvent::What::enters || event.phase >= facts.spec->phases.size())
            continue;
        Band& band = open[event.partner].emplace();
        band.row = first + event.partner;
        band.dialogue = dialogue;
        band.partner = event.partner;
        band.phase = event.phase;
        band.name = text(facts.spec->phases[event.phase].name);
        band.from = event.time;
    }
    for (std::size_t partner = 0; partner < 2; ++partner)
        close(partner, facts.told, true);
}

// Of those nodes of the run whose state changed; each as long as it is not active.
void StateBands::addErrorStates()
{
    const rig::Session* session = stage_.document().session();
    if (session == nullptr)
        return;
    const auto health = session->health();
    std::size_t rows = 0;
    for (std::size_t bus = 0; bus < health.size(); ++bus) {
        if (!health[bus].changes)
            continue;
        std::map<std::string, std::pair<std::size_t, std::optional<Band>>> nodes;
        const auto close = [&](std::optional<Band>& open, Time at, bool goesOn) {
            if (!open)
                return;
            open->to = at;
            open->goesOn = goesOn;
            bands_.push_back(*std::exchange(open, std::nullopt));
        };
        for (const bus::StateChange& change : *health[bus].changes) {
            auto found = nodes.find(change.who);
            if (found == nodes.end()) {
                if (++rows > mostStates)
                    continue;
                found = nodes.emplace(change.who, std::pair(heads_.size(), std::nullopt)).first;
                heads_.push_back({text(change.who), static_cast<int>(bus), true});
            }
            auto& [row, open] = found->second;
            close(open, change.time, false);
            if (change.state == can::ErrorState::active)
                continue;
            Band& band = open.emplace();
            band.row = row;
            band.state = change.state;
            band.name = change.state == can::ErrorState::busOff    ? tr("bus off")
                        : change.state == can::ErrorState::passive ? tr("error-passive")
                                                                   : tr("error warning");
            band.from = change.time;
            band.counters = tr("%1 sending, %2 receiving").arg(change.transmit).arg(change.receive);
        }
        for (auto& [name, node] : nodes)
            close(node.second, std::max(session->now(), node.second ? node.second->from : Time{}), true);
    }
}

double StateBands::xOf(Time time) const
{
    const QRect area = axis_.axisRect()->rect();
    return std::clamp(axis_.xAxis->coordToPixel(stage_.seconds(time)), static_cast<double>(area.left()), static_cast<double>(area.right()))
           + axis_.mapTo(parentWidget(), QPoint(0, 0)).x() - x();
}

QRectF StateBands::boxOf(const Band& band) const
{
    const double left = xOf(band.from), right = xOf(band.to);
    if (right - left <= 0)
        return {};
    const double tall = Theme::get().px(bandTall);
    return {left, Theme::get().px(2) + tall * static_cast<double>(band.row) + 1, right - left, tall - 3};
}

void StateBands::paintBand(QPainter& painter, const Band& band) const
{
    const Theme& theme = Theme::get();
    const QRectF box = boxOf(band);
    const int bus = heads_[band.row].bus;
    QColor hue = !band.dialogue.isEmpty()                 ? bus >= 0 ? theme.bus(stage_.mark(static_cast<unsigned>(bus))) : theme.ink3
                 : band.state == can::ErrorState::warning ? theme.ink3
                                                          : theme.error;
    painter.fillRect(QRectF(box.left(), box.bottom() - 1, box.width(), 1), hue);
    const bool strong = band.dialogue.isEmpty() ? band.state == can::ErrorState::busOff : band.phase % 2 == 0;
    hue.setAlphaF(strong ? 0.34F : 0.2F);
    painter.fillRect(box, hue);
    paintText(
        painter, box.adjusted(theme.px(4), 0, -theme.px(2), 0), band.name, theme.small(), theme.ink, Qt::AlignLeft | Qt::AlignVCenter);
}

void StateBands::paintEvent(QPaintEvent*)
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
    std::vector<bool> inSight(heads_.size(), false);
    for (const Band& band : bands_)
        if (!boxOf(band).isEmpty()) {
            inSight[band.row] = true;
            paintBand(painter, band);
        }
    const QRect area = axis_.axisRect()->rect();
    for (std::size_t row = 0; row < heads_.size(); ++row)
        if (!inSight[row])
            paintText(painter, QRectF(lead + theme.px(4), theme.px(2) + tall * static_cast<double>(row), area.width() - theme.px(8), tall),
                heads_[row].ofErrors ? tr("error-active") : tr("at rest"), theme.small(), theme.faint, Qt::AlignLeft | Qt::AlignVCenter);
    for (const auto& [row, time] : broken_) {
        const double x = xOf(time);
        if (x <= lead || x >= lead + area.width())
            continue;
        painter.fillRect(QRectF(x - 1, theme.px(2) + tall * static_cast<double>(row), 2, tall - 1), theme.error);
    }
    const double cursor = xOf(stage_.cursor());
    painter.fillRect(QRectF(cursor - 0.5, 0, 1.5, height()), theme.accent);
}

const StateBands::Band* StateBands::bandAt(const QPointF& point) const
{
    const auto found = std::find_if(bands_.rbegin(), bands_.rend(), [&](const Band& band) { return boxOf(band).contains(point); });
    return found == bands_.rend() ? nullptr : &*found;
}

void StateBands::mousePressEvent(QMouseEvent* event)
{
    const Band* band = bandAt(event->position());
    if (band == nullptr)
        return;
    const Band chosen = *band;      // looking again makes them anew
    Selection selection;
    if (chosen.dialogue.isEmpty()) {
        selection.kind = Selection::Kind::node;
        selection.node = heads_[chosen.row].name;
    } else {
        selection.kind = Selection::Kind::phase;
        selection.bus = static_cast<std::uint8_t>(chosen.partner);
        selection.signal = static_cast<int>(chosen.phase);
        selection.node = chosen.dialogue;
    }
    stage_.select(selection);
    stage_.setCursor(chosen.from);
}

bool StateBands::event(QEvent* event)
{
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        if (const Band* band = bandAt(help->pos()); band != nullptr)
            QToolTip::showText(help->globalPos(), wordsOf(*band), this);
        return true;
    }
    return QWidget::event(event);
}

QString StateBands::wordsOf(const Band& band) const
{
    const QString span = tr("for %1 s%2")
                             .arg(static_cast<double>((band.to - band.from).count()) * 1e-9, 0, 'f', 3)
                             .arg(band.goesOn ? tr(" so far") : QString());
    if (band.dialogue.isEmpty())
        return tr("%1: %2 %3 %4; its error counters: %5")
            .arg(timeWordsOf(band.from), heads_[band.row].name, band.name, span, band.counters);
    return tr("%1: %2, %3 in %4 %5").arg(band.dialogue, timeWordsOf(band.from), heads_[band.row].name, band.name, span);
}

QString StateBands::timeWordsOf(Time time) const { return tr("at %1 s").arg(stage_.seconds(time), 0, 'f', 3); }

}  // namespace wavetrope::app
