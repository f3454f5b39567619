// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/pace_button.h"

#include <QMenu>

#include "app/stage/stage.h"
#include "app/theme/theme.h"
#include "rig/session.h"

namespace wavetrope::app {

namespace {

QString paceText(double factor) { return factor == 0 ? PaceButton::tr("unpaced") : PaceButton::tr("%1 x").arg(factor); }

// What stands in the way, or nothing.
template <class Done>
QString problemOf(const Done& done)
{
    return done ? QString() : QString::fromStdString(done.error().what);
}

}  // namespace

PaceButton::PaceButton(Stage& stage) : stage_(stage), choices_(new QMenu(this))
{
    setObjectName(QStringLiteral("pace"));
    setAccessibleName(tr("How fast time goes"));
    setPopupMode(QToolButton::InstantPopup);
    setFocusPolicy(Qt::TabFocus);
    choices_->setObjectName(QStringLiteral("paceMenu"));
    setMenu(choices_);
    connect(choices_, &QMenu::aboutToShow, this, &PaceButton::fill);
    connect(&stage, &Stage::beat, this, &PaceButton::refresh);
    connect(&Theme::get(), &Theme::changed, this, &PaceButton::refresh);
    refresh();
}

void PaceButton::fill()
{
    choices_->clear();
    qDeleteAll(choices_->findChildren<QMenu*>(QString(), Qt::FindDirectChildrenOnly));
    rig::Session* session = stage_.document().session();
    if (session == nullptr)
        return;
    const rig::RunPace pace = session->pace();
    if (!pace.bound.empty()) {
        choices_->addAction(tr("Time is that of the wall: %1").arg(QString::fromStdString(pace.bound)))->setEnabled(false);
        return;
    }
    const auto add = [&](const QString& text, const char* name, auto act) {
        QAction* action = choices_->addAction(text, this, act);
        action->setObjectName(QLatin1String(name));
        return action;
    };
    // The keys are those of the window's menu.
    add((pace.held ? tr("Let time go on") : tr("Hold time")) + QStringLiteral("\tCtrl+H"), "holdTime", [this] { toggleHeld(); });
    add(tr("Step to the next instant") + QStringLiteral("\tCtrl+J"), "stepTime", [this] { step(); });
    add(tr("Step to the next frame") + QStringLiteral("\tCtrl+Shift+J"), "stepFrame", [this] { stepToFrame(); });
    choices_->addSeparator();
    for (const double factor : {0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 0.0}) {
        QAction* action = choices_->addAction(factor == 0   ? tr("as fast as the machine can")
                                              : factor == 1 ? tr("the pace of the wall")
                                                            : tr("%1 times the pace").arg(factor),
            this, [this, factor] { setPace(factor); });
        action->setCheckable(true);
        action->setChecked(factor == pace.factor);
    }
    choices_->addSeparator();
    QMenu* stops = choices_->addMenu(tr("Stop at a condition"));
    stops->setObjectName(QStringLiteral("stopMenu"));
    const auto& events = stage_.document().rig().events;
    for (const rig::EventSpec& event : events) {
        const QString name = QString::fromStdString(event.name);
        const bool is = event.name == pace.stopsAt;
        QAction* action = stops->addAction(name, this, [this, name, is] { stopAt(is ? QString() : name); });
        action->setCheckable(true);
        action->setChecked(is);
    }
    if (events.empty())
        stops->addAction(tr("The rig has no conditions: they are made on the page Record"))->setEnabled(false);
}

void PaceButton::refresh()
{
    rig::Session* session = stage_.document().session();
    setVisible(session != nullptr);
    if (session == nullptr)
        return;
    const Theme& theme = Theme::get();
    const rig::RunPace pace = session->pace();
    const bool own = pace.held || pace.factor != 1;
    QString text = pace.held ? pace.stoppedBy.empty() ? tr("time held") : tr("held: %1").arg(QString::fromStdString(pace.stoppedBy))
                             : paceText(pace.factor);
    if (!pace.held && !pace.stopsAt.empty())
        text += tr(", to %1").arg(QString::fromStdString(pace.stopsAt));
    setText(text);
    setFont(own ? theme.bodyStrong() : theme.body());
    const QString ink = (own ? theme.accent : theme.ink2).name();
    setStyleSheet(QStringLiteral("QToolButton#pace { color: %1; }").arg(ink));
    setToolTip(!pace.bound.empty() ? tr("Time is that of the wall: %1").arg(QString::fromStdString(pace.bound))
               : own
                   ? tr("The time of the run is not that of the wall. Hold or go on (Ctrl+H), step (Ctrl+J), next frame (Ctrl+Shift+J)")
                   : tr("How fast the time of the run goes: hold (Ctrl+H), step (Ctrl+J), next frame (Ctrl+Shift+J), stop at a condition"));
}

void PaceButton::ask(const std::function<QString(rig::Session&)>& request)
{
    rig::Session* session = stage_.document().session();
    if (session == nullptr)
        return;
    // Done on the thread that drives the run; told here.
    QString words;
    session->call([&](rig::Session& run) { words = request(run); });
    if (!words.isEmpty())
        Q_EMIT stage_.told(words);
    refresh();
}

void PaceButton::setPace(double factor)
{
    ask([&](rig::Session& run) { return problemOf(run.setPace(factor)); });
}

void PaceButton::toggleHeld()
{
    ask([](rig::Session& run) { return problemOf(run.holdTime(!run.pace().held)); });
}

void PaceButton::step()
{
    ask([](rig::Session& run) {
        const auto gone = run.step();
        return gone && *gone == 0 ? tr("Nothing is due any more") : problemOf(gone);
    });
}

void PaceButton::stepToFrame()
{
    ask([](rig::Session& run) {
        const auto frame = run.stepToFrame();
        return frame && !*frame ? tr("No frame comes within a minute of the run") : problemOf(frame);
    });
}

void PaceButton::stopAt(const QString& condition)
{
    ask([&](rig::Session& run) { return problemOf(run.stopAt(condition.toStdString())); });
}

}  // namespace wavetrope::app
