// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/ending.h"

#include <QApplication>
#include <QSessionManager>
#include <QTimer>

#include <csignal>
#include <fcntl.h>
#include <unistd.h>

#include "app/shell/main_window.h"

namespace wavetrope::app {

namespace {

constexpr int endingSignals[] = {SIGTERM, SIGINT, SIGHUP};
constexpr int againAfterModal = 20;     // ms

int signalPipe[2] = {-1, -1};

// In a signal's handler no more is allowed than this; the second one ends the program.
void onEndingSignal(int number)
{
    std::signal(number, SIG_DFL);
    const char byte = 0;
    [[maybe_unused]] const auto written = ::write(signalPipe[1], &byte, 1);
}

void listen(bool on)
{
    for (const int number : endingSignals)
        std::signal(number, on ? onEndingSignal : SIG_DFL);
}

}  // namespace

Ending::Ending(QObject* parent) : QObject(parent)
{
    connect(qApp, &QGuiApplication::commitDataRequest, this, [](QSessionManager& manager) {
        const bool mayAsk = manager.allowsInteraction();
        const bool ended = endSession(mayAsk);
        if (mayAsk)
            manager.release();
        if (!ended)
            manager.cancel();
    });
    if (signalPipe[0] < 0 && ::pipe2(signalPipe, O_CLOEXEC | O_NONBLOCK) != 0)
        return;
    notifier_ = new QSocketNotifier(signalPipe[0], QSocketNotifier::Read, this);
    connect(notifier_, &QSocketNotifier::activated, this, &Ending::onSignal);
    listen(true);
}

Ending::~Ending() { listen(false); }

bool Ending::endSession(bool mayAsk)
{
    // A question stands there already: what it is about is not decided over its head.
    if (mayAsk && QApplication::activeModalWidget() != nullptr)
        return false;
    const auto windows = MainWindow::all();
    for (MainWindow* window : windows) {
        if (mayAsk ? !window->close() : !window->closeKeeping())
            return false;
    }
    return true;
}

void Ending::onSignal()
{
    char bytes[16];
    while (::read(signalPipe[0], bytes, sizeof bytes) > 0) {}
    endQuietly();
}

void Ending::endQuietly()
{
    // Questions that stand there are answered with no, one inside the other.
    if (QWidget* modal = QApplication::activeModalWidget()) {
        modal->close();
        QTimer::singleShot(againAfterModal, this, &Ending::endQuietly);
        return;
    }
    const auto windows = MainWindow::all();
    for (MainWindow* window : windows)
        if (window->hasEdits() ? !window->close() : !window->closeKeeping()) {
            listen(true);       // back to work
            return;
        }
    QApplication::quit();
}

}  // namespace wavetrope::app
