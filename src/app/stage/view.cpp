// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/view.h"

#include <QEvent>

#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

// Views look at the stage only while they are seen, and a log brings no beats of its own: a view that comes into sight
// asks for one.
class ComesIntoSight : public QObject {
public:
    ComesIntoSight(Stage& stage, QObject* parent) : QObject(parent), stage_(stage) {}

protected:
    bool eventFilter(QObject* watched, QEvent* event) override
    {
        if (event->type() == QEvent::Show)
            QMetaObject::invokeMethod(&stage_, &Stage::beat, Qt::QueuedConnection);
        return QObject::eventFilter(watched, event);
    }

private:
    Stage& stage_;
};

}  // namespace

View::View(Stage& stage, QWidget* parent) : QWidget(parent), stage_(stage)
{
    installEventFilter(new ComesIntoSight(stage, this));
    connect(&Theme::get(), &Theme::changed, this, [this] { update(); });
}

}  // namespace wavetrope::app
