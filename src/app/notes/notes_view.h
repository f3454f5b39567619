// SPDX-License-Identifier: GPL-3.0-or-later
// The notes of the run, as a list.
#pragma once

#include <QLineEdit>

#include "app/stage/note_desk.h"
#include "app/stage/view.h"

namespace wavetrope::app {

/// Notes in the order of time; a click puts the cursor there. The line above searches them.
class NotesView : public View {
    Q_OBJECT
public:
    explicit NotesView(Stage& stage);

    QWidget* tools() override { return search_; }
    [[nodiscard]] QUndoStack* undoStack() override { return &stage().notes().undoStack(); }
    [[nodiscard]] QLineEdit* search() { return search_; }
    [[nodiscard]] std::size_t count() const { return shown_.size(); }
    void choose(int index);

private:
    class Rows;
    friend class Rows;
    void refresh();

    QLineEdit* search_;
    std::vector<rig::Note> shown_;
    std::uint64_t chosen_ = 0;
    Rows* rows_;
};

}  // namespace wavetrope::app
