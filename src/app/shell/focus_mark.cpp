// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/focus_mark.h"

#include <QAbstractScrollArea>
#include <QApplication>
#include <QEvent>
#include <QPainter>
#include <QTextEdit>

#include "app/stage/plot.h"
#include "app/stage/view.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr int lineWidth = 1;

bool drawsNone(QWidget* widget)
{
    if (widget->property("headless").toBool())
        return false;
    return (qobject_cast<QAbstractScrollArea*>(widget) != nullptr && qobject_cast<QTextEdit*>(widget) == nullptr)
           || qobject_cast<TimePlot*>(widget) != nullptr || qobject_cast<View*>(widget) != nullptr;
}

}  // namespace

class FocusMark::Line : public QWidget {
public:
    explicit Line(QWidget* parent) : QWidget(parent)
    {
        setObjectName(QStringLiteral("focusLine"));
        setAttribute(Qt::WA_TransparentForMouseEvents);
    }

protected:
    void paintEvent(QPaintEvent*) override
    {
        QPainter painter(this);
        painter.fillRect(rect(), Theme::get().accent);     // as much of it as the mask leaves
    }
};

FocusMark::FocusMark(QWidget* window) : QObject(window), window_(window)
{
    connect(qApp, &QApplication::focusChanged, this, [this](QWidget*, QWidget* now) { follow(now); });
}

void FocusMark::follow(QWidget* focus)
{
    // A dialog or another program takes the focus for a while: where it was stays marked until it is somewhere else in here.
    if (focus == nullptr || (focus != window_ && !window_->isAncestorOf(focus)))
        return;
    if (!target_.isNull())
        target_->removeEventFilter(this);
    delete line_;
    target_ = drawsNone(focus) ? focus : nullptr;
    if (target_.isNull())
        return;
    line_ = new Line(target_);
    target_->installEventFilter(this);
    lay();
    line_->show();
}

void FocusMark::lay()
{
    line_->setGeometry(target_->rect());
    line_->setMask(QRegion(target_->rect()) - QRegion(target_->rect().adjusted(lineWidth, lineWidth, -lineWidth, -lineWidth)));
    line_->raise();
}

bool FocusMark::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == target_ && event->type() == QEvent::Resize && !line_.isNull())
        lay();
    return QObject::eventFilter(watched, event);
}

}  // namespace wavetrope::app
