// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/note_desk.h"

#include <QInputDialog>

#include "app/paint/paint.h"
#include "app/parts/edit_times.h"
#include "app/parts/notation.h"
#include "app/stage/stage.h"

namespace wavetrope::app {

class NoteDesk::Change : public QUndoCommand {
public:
    Change(NoteDesk& desk, rig::Notes next, const QString& words)
        : QUndoCommand(words), desk_(desk), before_(desk.notes_), next_(std::move(next))
    {}
    void undo() override { desk_.replace(before_); }
    void redo() override { desk_.replace(next_); }

private:
    NoteDesk& desk_;
    rig::Notes before_;
    rig::Notes next_;
};

NoteDesk::NoteDesk(Stage& stage) : stage_(stage) {}

void NoteDesk::replace(rig::Notes notes)
{
    EditTimes::follow(undo_);
    notes_ = std::move(notes);
    if (!stage_.document().isLive())
        saveTo(stage_.document().path());
    Q_EMIT changed();
}

void NoteDesk::saveTo(const std::string& log)
{
    if (!readable_ && log == stage_.document().path())
        return;
    if (const auto saved = notes_.save(log); !saved)
        Q_EMIT problem(QString::fromStdString(saved.error().text()));
}

void NoteDesk::load()
{
    auto read = rig::Notes::load(stage_.document().path());
    readable_ = read.has_value();
    if (!read) {
        Q_EMIT problem(QString::fromStdString(read.error().text()));
        return;
    }
    notes_ = std::move(*read);
    notes_.settle(stage_.snapshot());
    undo_.clear();
    Q_EMIT changed();
}

void NoteDesk::put(const rig::Note& note)
{
    rig::Notes next = notes_;
    next.put(note);
    undo_.push(new Change(*this, std::move(next), tr("note")));
}

void NoteDesk::remove(std::uint64_t uid)
{
    rig::Notes next = notes_;
    next.remove(uid);
    undo_.push(new Change(*this, std::move(next), tr("take a note away")));
}

void NoteDesk::ask(Time time, trace::Row row, QWidget* parent)
{
    const rig::Note* there = notes_.at(row);
    if (row == trace::noRow)
        for (const rig::Note& note : notes_.all())
            if (note.row == trace::noRow && note.time == time)
                there = &note;
    const QString about = row == trace::noRow ? tr("Note on the moment %1").arg(timeWords(stage_.seconds(time), 6))
                                              : tr("Note on row %1, at %2").arg(countText(row + 1), timeWords(stage_.seconds(time), 6));
    rig::Note note = there != nullptr ? *there : rig::Note{0, time, row, {}};
    bool good = false;
    const QString text =
        QInputDialog::getText(parent, tr("Note"), about, QLineEdit::Normal, QString::fromStdString(note.text), &good).trimmed();
    if (!good)
        return;
    if (text.isEmpty()) {
        if (note.uid != 0)
            remove(note.uid);
        return;
    }
    note.text = text.toStdString();
    put(note);
}

}  // namespace wavetrope::app
