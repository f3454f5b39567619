// SPDX-License-Identifier: GPL-3.0-or-later
// The buses of a window's rig as they shall be, beside those that the run has.
#pragma once

#include <QObject>
#include <QString>
#include <QUndoStack>

#include "rig/bus_plan.h"

namespace wavetrope::app {

class Stage;

/// Every change goes through here and can be undone. The run, and all that looks at it, goes on with the buses that it has,
/// until it is started anew with these.
class BusDesk : public QObject {
    Q_OBJECT
public:
    explicit BusDesk(Stage& stage);

    [[nodiscard]] QUndoStack& undoStack() { return undo_; }
    [[nodiscard]] const rig::BusPlan& plan() const { return plan_; }
    /// Whether the run has other buses than the rig shall have.
    [[nodiscard]] bool differs() const { return changed_; }
    /// The rig's document as it is to be saved.
    [[nodiscard]] nlohmann::json document() const;
    /// The rig as it would run.
    [[nodiscard]] Expected<rig::Rig> planned() const;

    /// Sets one field of a bus; an index behind the last adds one. Errors say what is wrong, and nothing is changed.
    [[nodiscard]] Expected<void> set(std::size_t index, rig::BusField field, const QString& text);
    /// Adds one with a name of its own; gives its index.
    std::size_t add();
    [[nodiscard]] Expected<void> remove(std::size_t index);
    /// Puts a bus one place up or down: its letter and hue are those of its place.
    void move(std::size_t index, int by);

Q_SIGNALS:
    void changed();

private:
    class Change;
    [[nodiscard]] Expected<void> put(rig::BusPlan next, const QString& what);
    void replace(const rig::BusPlan& plan);

    Stage& stage_;
    QUndoStack undo_;
    rig::BusPlan plan_;
    bool changed_ = false;
};

}  // namespace wavetrope::app
