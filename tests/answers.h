// Answers to dialogs, whenever they come.
#pragma once

#include <QApplication>
#include <QTimer>

#include <functional>

namespace wavetrope::test {

/// Calls `how` once with the next modal dialog of a type, as soon as it stands there: the code that opened it may take its
/// time. Nothing happens where none comes before the context goes.
template <class Dialog>
void whenModal(QObject* context, std::function<void(Dialog*)> how)
{
    auto* timer = new QTimer(context);
    timer->setInterval(5);
    QObject::connect(timer, &QTimer::timeout, context, [timer, how = std::move(how)] {
        auto* dialog = qobject_cast<Dialog*>(QApplication::activeModalWidget());
        if (dialog == nullptr || !dialog->isVisible())
            return;
        timer->stop();
        timer->deleteLater();
        how(dialog);
    });
    timer->start();
}

/// The same for a menu that pops up.
template <class Popup>
void whenPopup(QObject* context, std::function<void(Popup*)> how)
{
    auto* timer = new QTimer(context);
    timer->setInterval(5);
    QObject::connect(timer, &QTimer::timeout, context, [timer, how = std::move(how)] {
        auto* popup = qobject_cast<Popup*>(QApplication::activePopupWidget());
        if (popup == nullptr || !popup->isVisible())
            return;
        timer->stop();
        timer->deleteLater();
        how(popup);
    });
    timer->start();
}

}  // namespace wavetrope::test
