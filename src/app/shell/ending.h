// SPDX-License-Identifier: GPL-3.0-or-later
// The end of the program that comes from outside: of the desktop's session, or by a signal.
#pragma once

#include <QObject>
#include <QSocketNotifier>

namespace wavetrope::app {

/// While one is there, the session's end asks about what would be lost as closing each window does. Signals that end a program
/// (SIGTERM, SIGINT, SIGHUP) keep runs and recordings without a word and ask about edits alone; a second one while it asks ends
/// the program at once.
class Ending : public QObject {
    Q_OBJECT
public:
    explicit Ending(QObject* parent = nullptr);
    ~Ending() override;

    /// Closes all windows, which ask about what would be lost. Where nothing may be asked, runs and recordings are kept and
    /// edits go. False where a window stays.
    static bool endSession(bool mayAsk);

private:
    void onSignal();
    void endQuietly();

    QSocketNotifier* notifier_ = nullptr;
};

}  // namespace wavetrope::app
