// SPDX-License-Identifier: GPL-3.0-or-later
// What went wrong lately, for a report of a mistake.
#pragma once

#include <QObject>
#include <QStringList>

namespace wavetrope::app {

/// Keeps the last hundred warnings of the program: questions and messages that warned, what the libraries print, and what
/// is noted. Nothing is written anywhere. Any thread may note.
class RecentWarnings : public QObject {
public:
    /// Watches the message boxes of the application and the libraries' messages from now on.
    static void watch();
    static void note(const QString& text);
    /// The oldest first, each with the seconds since the program began and without what is personal.
    [[nodiscard]] static QStringList all();
    /// A text without names of files, folders, users and this machine; of files their kind stays.
    [[nodiscard]] static QString impersonal(QString text);

    static constexpr int most = 100;
    static constexpr int longest = 400;     ///< Characters of one.

protected:
    bool eventFilter(QObject* object, QEvent* event) override;
};

}  // namespace wavetrope::app
