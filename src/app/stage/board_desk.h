// SPDX-License-Identifier: GPL-3.0-or-later
// The boards of a window's rig.
#pragma once

#include <QObject>
#include <QStringList>
#include <QUndoStack>

#include <optional>
#include <utility>
#include <vector>

#include "board/arrange.h"
#include "board/board_spec.h"

namespace wavetrope::app {

class Stage;

/// What stands on boards: edits are in the rig's document and can be undone. What controls drive goes to the run, or is an edit of the outbox.
class BoardDesk : public QObject {
    Q_OBJECT
public:
    explicit BoardDesk(Stage& stage);

    [[nodiscard]] const std::vector<board::Board>& all() const;
    [[nodiscard]] const board::Board* find(const QString& name) const;
    [[nodiscard]] QUndoStack& undoStack() { return undo_; }

    /// Puts items in place of those of a board, as one step; makes the board where there is none.
    void put(const QString& name, std::vector<board::Item> items, const QString& what);
    /// Adds an item in the free place nearest to where it is wanted; gives its number, or nothing where there is no room.
    std::optional<std::size_t> add(const QString& name, board::Item item);
    void rename(const QString& name, const QString& next);
    void remove(const QString& name);
    [[nodiscard]] QString freeName(const QString& wanted) const;
    /// Makes a board of what was made by itself, and asks for it to be shown.
    void show(const board::Made& made);

    /// The item of a signal as it fits it, of a path "Bus:Message.Signal" or ":Derived"; nothing where there is no such signal.
    [[nodiscard]] std::optional<board::Item> itemFor(const QString& path) const;
    /// Names of the patterns that are found in the folders of the settings, with their files; and the board that one makes of a node.
    [[nodiscard]] static std::vector<std::pair<QString, QString>> patterns();
    void showPattern(const QString& file, const QString& node);
    /// Drives a variable of a node ("Node.variable") in the run that goes on.
    void setVariable(const QString& name, double value);
    /// A key of the window; false where no item has it.
    bool key(const QString& key, bool down);
    /// Presses or releases what a button or key item drives.
    void press(const board::Item& item, bool down);

Q_SIGNALS:
    void changed();
    void showWanted(const QString& name);
    /// A board went into editing, or out of it.
    void editingChanged();

private:
    class Change;
    void replace(const std::vector<board::Board>& boards);

    Stage& stage_;
    QUndoStack undo_;
};

}  // namespace wavetrope::app
