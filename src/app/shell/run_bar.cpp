// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/run_bar.h"

#include <QHBoxLayout>
#include <QHelpEvent>
#include <QMenu>
#include <QContextMenuEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/parts/notation.h"
#include "app/shell/pace_button.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr Time loadSpan = std::chrono::seconds(1);
constexpr std::size_t mostFullChips = 5;

}  // namespace

BusChips::BusChips(Stage& stage) : stage_(stage)
{
    setObjectName(QStringLiteral("busChips"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Preferred);
    connect(&stage, &Stage::beat, this, [this] { update(); });
}

QSize BusChips::minimumSizeHint() const { return {Theme::get().px(80), Theme::get().px(34)}; }

double BusChips::chipWidth() const
{
    const auto count = std::max<std::size_t>(1, stage_.document().buses().size());
    const double fits = static_cast<double>(width()) / static_cast<double>(count);
    return std::min(count > mostFullChips ? Theme::get().px(76) : Theme::get().px(176), static_cast<int>(fits));
}

bus::Health::State BusChips::stateOf(unsigned bus) const
{
    rig::Session* session = stage_.document().session();
    const auto health = session != nullptr ? session->health() : std::vector<bus::Health>{};
    return bus < health.size() ? health[bus].state : bus::Health::State::alive;
}

QString BusChips::words(unsigned bus) const
{
    const auto& buses = stage_.document().buses();
    const QString rate = QString::fromStdString(can::toText(buses[bus].rate));
    if (rig::Session* session = stage_.document().session()) {
        const auto health = session->health();
        QString words = bus < health.size() ? QString::fromStdString(health[bus].words) : QString();
        if (!session->running())
            words = QObject::tr("stopped");
        return (rate.isEmpty() ? QString() : rate + QStringLiteral(", ")) + words;
    }
    return rate.isEmpty() ? tr("rate not known") : rate;
}

void BusChips::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    const auto& buses = stage_.document().buses();
    if (stage_.emptyDesk()) {
        paintText(painter, rect(), RunBar::tr("No bus yet: choose one below, or open something."), theme.body(), theme.ink2);
        return;
    }
    const double each = chipWidth();
    const bool full = each > theme.px(110);
    for (unsigned bus = 0; bus < buses.size(); ++bus) {
        const double x = bus * each;
        const double badge = theme.px(16);
        paintBusBadge(painter, QRectF(x, height() / 2.0 - badge / 2, badge, badge), stage_.mark(bus));
        const double percent = stage_.document().measures().read([&](const measure::MeasureState& state) {
            if (bus >= state.loads.size() || state.loads[bus].empty())
                return 0.0;
            // The second that has just passed at the cursor, in milliseconds that are complete.
            const std::int64_t last = state.loads[bus].indexOf(stage_.cursor()) - 1;
            return 100.0 * static_cast<double>(state.loads[bus].busy(last - 999, last)) / static_cast<double>(loadSpan.count());
        });
        const double textAt = x + badge + theme.px(7);
        const double textRoom = theme.px(92);   // "500k/2M, stopped"
        if (full) {
            paintText(painter, QRectF(textAt, height() / 2.0 - theme.px(16), textRoom, theme.px(16)),
                QString::fromStdString(buses[bus].name), theme.bodyStrong(), theme.ink);
            const bool wrong = stateOf(bus) >= bus::Health::State::refusing;
            const bool measured = textAt + textRoom + theme.px(4) + 8 < x + each - theme.px(10);
            // Where the load has no place of its own, it stands in front of the rate.
            const QString text =
                measured || wrong
                    ? words(bus)
                    : QStringLiteral("%1 %  %2").arg(percent, 0, 'f', 0).arg(QString::fromStdString(can::toText(buses[bus].rate)));
            paintText(
                painter, QRectF(textAt, height() / 2.0, textRoom, theme.px(15)), text, theme.small(), wrong ? theme.error : theme.ink2);
        }
        const double meterAt = full ? textAt + textRoom + theme.px(4) : textAt;
        const double meter = std::min(static_cast<double>(theme.px(48)), x + each - meterAt - theme.px(10));
        if (meter > 8) {
            painter.fillRect(QRectF(meterAt, height() / 2.0 - theme.px(6), meter, theme.px(4)), theme.grid);
            // Of a rig that is stopped, the load of the moment in which it stopped, in grey.
            const bool stopped = stage_.document().isLive() && !stage_.document().session()->running();
            painter.fillRect(QRectF(meterAt, height() / 2.0 - theme.px(6), meter * std::min(1.0, percent / 100), theme.px(4)),
                stopped ? theme.faint : theme.bus(stage_.mark(bus)));
            paintText(painter, QRectF(meterAt, height() / 2.0, theme.px(48), theme.px(15)), QStringLiteral("%1 %").arg(percent, 0, 'f', 0),
                theme.mono(), stopped ? theme.ink3 : theme.ink);
        }
    }
}

bool BusChips::event(QEvent* event)
{
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const auto bus = static_cast<std::size_t>(help->pos().x() / chipWidth());
        const auto& buses = stage_.document().buses();
        if (bus < buses.size()) {
            const auto& specs = stage_.document().rig().buses;
            rig::Session* session = stage_.document().session();
            const bool known = session != nullptr && bus < specs.size();
            const QString source = !known                         ? tr("from the log")
                                   : specs[bus].address == "none" ? tr("no source yet")
                                   : !specs[bus].kind->ofTheWorld ? tr("simulated bus")
                                                                  : QString::fromStdString(specs[bus].address);
            QString text = tr("%1: %2, %3. Load of the last second at the cursor")
                               .arg(QString::fromStdString(buses[bus].name), source, words(static_cast<unsigned>(bus)));
            if (const auto health = session != nullptr ? session->health() : std::vector<bus::Health>{}; bus < health.size())
                for (const std::string& more : {health[bus].facts, health[bus].advice})
                    if (!more.empty())
                        text += QLatin1Char('\n') + QString::fromStdString(more);
            QToolTip::showText(help->globalPos(), text, this);
        }
        return true;
    }
    return QWidget::event(event);
}

RunBar::RunBar(Stage& stage, QMenu* menu)
    : nameButton(new QToolButton),
      startStop(new QToolButton),
      record(new QToolButton),
      now(new QToolButton),
      pace(new PaceButton(stage)),
      stage_(stage),
      chips_(new BusChips(stage)),
      clock_(new QLabel)
{
    setObjectName(QStringLiteral("runBar"));
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(10, 3, 14, 3);
    layout->setSpacing(6);
    nameButton->setText(QString::fromStdString(stage.document().title()));
    nameButton->setMenu(menu);
    nameButton->setFocusPolicy(Qt::TabFocus);
    nameButton->setPopupMode(QToolButton::InstantPopup);
    nameButton->setToolTip(tr("Open, save, view  (Alt+M)"));
    nameButton->setShortcut(QKeySequence(Qt::ALT | Qt::Key_M));
    layout->addWidget(nameButton);
    layout->addSpacing(6);
    for (QToolButton* button : {startStop, record, now}) {
        button->setObjectName(QStringLiteral("bar"));
        button->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
        button->setFocusPolicy(Qt::TabFocus);
        layout->addWidget(button);
    }
    const bool live = stage.document().isLive();
    startStop->setVisible(live);
    record->setVisible(live);
    startStop->setToolTip(tr("Start or stop the rig  (F5)"));
    record->setToolTip(tr("Record to a log, or end the recording  (F8)"));
    record->setText(tr("Record"));
    now->setText(live ? tr("Now") : tr("End"));
    now->setCheckable(true);
    now->setToolTip(live ? tr("Follow the newest frame again  (Space)") : tr("To the last frame  (Space)"));
    layout->addSpacing(10);
    layout->addWidget(chips_, 1);
    layout->addWidget(pace);
    layout->addWidget(clock_);
    connect(startStop, &QToolButton::clicked, this, &RunBar::startStopWanted);
    connect(record, &QToolButton::clicked, this, &RunBar::recordWanted);
    connect(now, &QToolButton::clicked, this, [this] {
        if (stage_.following())
            stage_.rest();
        else
            stage_.now();
        refresh();
    });
    connect(&stage, &Stage::beat, this, &RunBar::refresh);
    connect(&stage, &Stage::axisChanged, this, &RunBar::refresh);
    connect(&Theme::get(), &Theme::changed, this, &RunBar::restyle);
    restyle();
}

void RunBar::restyle()
{
    const Theme& theme = Theme::get();
    nameButton->setFont(theme.title());
    clock_->setFont(theme.mono(15));
    clock_->setToolTip(tr("Time at the cursor since the start"));
    clock_->setMinimumWidth(QFontMetrics(theme.mono(15)).horizontalAdvance(QStringLiteral("0000.00 s")) + 4);
    clock_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    for (QToolButton* button : {startStop, record, now})
        button->setFont(theme.body());
    setFixedHeight(theme.px(40));
    stale_ = true;
    refresh();
}

void RunBar::refresh()
{
    const Theme& theme = Theme::get();
    rig::Session* session = stage_.document().session();
    const bool empty = stage_.emptyDesk();
    const bool running = session != nullptr && session->running() && !empty;
    const bool recording = session != nullptr && session->recording().on;
    if (running != wasRunning_ || stale_) {
        wasRunning_ = running;
        startStop->setText(running ? tr("Stop") : tr("Start"));
        startStop->setIcon(theme.icon(running ? "stop" : "start", theme.ink));
    }
    if (recording != wasRecording_ || stale_) {
        wasRecording_ = recording;
        record->setText(recording ? tr("Recording") : tr("Record"));
        record->setIcon(theme.icon(recording ? "recording" : "record", recording ? theme.error : theme.ink));
    }
    if (stage_.following() != wasFollowing_ || stale_) {
        wasFollowing_ = stage_.following();
        now->setIcon(theme.icon("now", wasFollowing_ ? theme.accent : theme.ink));
    }
    stale_ = false;
    for (QToolButton* button : {startStop, record, now})
        button->setEnabled(!empty);
    now->setChecked(stage_.following() && !empty);
    clock_->setText(timeWords(empty ? 0 : stage_.seconds(stage_.cursor()), 2));
}

void RunBar::contextMenuEvent(QContextMenuEvent* event) { nameButton->menu()->popup(event->globalPos()); }

void RunBar::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.fillRect(rect(), Theme::get().ground);
    painter.setPen(Theme::get().hairline);
    painter.drawLine(0, height() - 1, width(), height() - 1);
}

}  // namespace wavetrope::app
