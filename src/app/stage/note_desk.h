// SPDX-License-Identifier: GPL-3.0-or-later
// The notes of a window's run, edited with undo and kept beside the log.
#pragma once

#include <QObject>
#include <QString>
#include <QUndoStack>

#include "rig/notes.h"

namespace wavetrope::app {

class Stage;

/// Every change goes through here. Notes of a log are written to its file at once; those of a live run go with it when it
/// is saved.
class NoteDesk : public QObject {
    Q_OBJECT
public:
    explicit NoteDesk(Stage& stage);

    [[nodiscard]] const rig::Notes& notes() const { return notes_; }
    [[nodiscard]] QUndoStack& undoStack() { return undo_; }
    /// Asks for a note's text and keeps it: on a frame, or on a moment for noRow. An empty text takes the note away.
    void ask(Time time, trace::Row row, QWidget* parent);
    void put(const rig::Note& note);
    void remove(std::uint64_t uid);
    /// Reads the notes of a log that has been read.
    void load();
    /// Writes the notes beside a log.
    void saveTo(const std::string& log);

Q_SIGNALS:
    void changed();
    /// Notes cannot be read or written; they stay as they are in the window.
    void problem(const QString& text);

private:
    class Change;
    void replace(rig::Notes notes);

    Stage& stage_;
    rig::Notes notes_;
    QUndoStack undo_;
    bool readable_ = true;      // else the file is not ours to write over
};

}  // namespace wavetrope::app
