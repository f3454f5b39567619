// SPDX-License-Identifier: GPL-3.0-or-later
// Answers to dialogs, whenever they come.
#pragma once

#include <QApplication>
#include <QTimer>

#include <functional>

namespace wavetrope::test {

/// Calls `how` once with the widget that `look` gives, as soon as it is of the type and stands there.
template <class Widget>
void whenThere(QObject* context, QWidget* (*look)(), std::function<void(Widget*)> how)
{
    auto* timer = new QTimer(context);
    timer->setInterval(5);
    QObject::connect(timer, &QTimer::timeout, context, [timer, look, how = std::move(how)] {
        auto* widget = qobject_cast<Widget*>(look());
        if (widget == nullptr || !widget->isVisible())
            return;
        timer->stop();
        timer->deleteLater();
        how(widget);
    });
    timer->start();
}

/// Calls `how` once with the next modal dialog of a type, as soon as it stands there: the code that opened it may take its
/// time. Nothing happens where none comes before the context goes.
template <class Dialog>
void whenModal(QObject* context, std::function<void(Dialog*)> how)
{
    whenThere<Dialog>(context, &QApplication::activeModalWidget, std::move(how));
}

/// The same for a menu that pops up.
template <class Popup>
void whenPopup(QObject* context, std::function<void(Popup*)> how)
{
    whenThere<Popup>(context, &QApplication::activePopupWidget, std::move(how));
}

}  // namespace wavetrope::test
