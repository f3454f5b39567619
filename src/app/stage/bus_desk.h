// SPDX-License-Identifier: GPL-3.0-or-later
// The buses of a window's rig as they shall be, beside those that the run has.
#pragma once

#include <QObject>
#include <QString>
#include <QUndoStack>

#include <map>
#include <string>
#include <vector>

#include "app/theme/theme.h"
#include "rig/bus_marks.h"
#include "rig/bus_plan.h"

namespace wavetrope::app {

class Stage;

/// A mark of a rig, as it is painted.
[[nodiscard]] BusMark shown(const rig::BusMark& mark);

/// Every change goes through here and can be undone. The run, and all that looks at it, goes on with the buses that it has,
/// until it is started anew with these.
class BusDesk : public QObject {
    Q_OBJECT
public:
    explicit BusDesk(Stage& stage);

    [[nodiscard]] QUndoStack& undoStack() { return undo_; }
    [[nodiscard]] const rig::BusPlan& plan() const { return plan_; }
    /// Whether the run has other buses than the rig shall have.
    [[nodiscard]] bool differs() const;
    /// By which letter and hue a bus of the run or log is known: that of the rig's bus of its name, else that of its place.
    [[nodiscard]] BusMark mark(unsigned bus) const;
    /// The same, of a bus of the plan.
    [[nodiscard]] BusMark markOfPlan(std::size_t index) const;
    /// The rig's document as it is to be saved.
    [[nodiscard]] nlohmann::json document() const;
    /// The rig as it would run.
    [[nodiscard]] Expected<rig::Rig> planned() const;

    /// Sets one field of a bus; an index behind the last adds one. Errors say what is wrong, and nothing is changed.
    [[nodiscard]] Expected<void> set(std::size_t index, rig::BusField field, const QString& text);
    /// Adds one with a name of its own; gives its index.
    std::size_t add();
    [[nodiscard]] Expected<void> remove(std::size_t index);
    /// Puts a bus one place up or down: a letter and hue that it has not chosen are those of its place.
    void move(std::size_t index, int by);

Q_SIGNALS:
    void changed();

private:
    class Change;
    [[nodiscard]] Expected<void> put(rig::BusPlan next, const QString& what);
    void replace(const rig::BusPlan& plan);
    void mark(const rig::Rig& rig);
    [[nodiscard]] rig::BusPlan present() const;

    Stage& stage_;
    QUndoStack undo_;
    rig::BusPlan plan_;
    std::vector<rig::BusMark> planMarks_;                       // of the plan's buses
    std::map<std::string, rig::BusMark, std::less<>> marks_;    // by the name of a bus
    bool changed_ = false;      // the document
};

}  // namespace wavetrope::app
