// SPDX-License-Identifier: GPL-3.0-or-later
// What is changed on purpose of what the nodes of a window's rig send.
#pragma once

#include <QObject>
#include <QUndoStack>

#include <vector>

#include "base/error.h"
#include "drive/node.h"
#include "rig/rig.h"

namespace wavetrope::app {

class Stage;

/// What is changed stands in the rig's document, reaches the run that goes on, and can be undone.
class ManipulationDesk : public QObject {
    Q_OBJECT
public:
    explicit ManipulationDesk(Stage& stage);

    /// One that the rig keeps, or that somebody else has asked this run for.
    struct Row {
        QString name;               ///< That it is kept under; may be empty.
        QString node;               ///< Or the bus whose wire it is.
        QString text;               ///< All that it says.
        bool kept = true;           ///< In the rig.
        bool acts = false;          ///< It is asked for; otherwise it is lifted.
        bool running = false;       ///< The run knows it, and the facts are of it.
        bool wire = false;          ///< Something goes wrong on a wire.
        drive::ManipulationFacts facts;
    };
    /// Those of the rig in its order, then the others.
    [[nodiscard]] std::vector<Row> rows() const;
    /// Those of a node that act now.
    [[nodiscard]] std::vector<Row> actingOf(const QString& node) const;

    /// Node and message in front of what is changed of it, "WaterUnit WaterState"; empty where no node that is simulated sends it.
    [[nodiscard]] QString beginningFor(std::uint8_t bus, can::Identifier id) const;
    /// Adds one as it is typed, with a name and a colon in front if it shall have one, and has it act. An error leaves all as it is.
    [[nodiscard]] Expected<void> add(const QString& typed);
    /// Has it act, or lifts it and keeps it.
    void setActs(const Row& row, bool acts);
    /// Lifts all.
    void liftAll();
    /// Done as often as it should be, it is done as often again. Nothing to take back.
    void again(const Row& row);
    /// Takes it out of the rig; of somebody else: out of the run.
    void remove(const Row& row);
    /// Another name; of somebody else: keeps it in the rig.
    void rename(const Row& row, const QString& name);
    [[nodiscard]] QUndoStack& undoStack() { return undo_; }

Q_SIGNALS:
    void changed();

private:
    class Change;
    using Kept = std::vector<rig::KeptManipulation>;
    [[nodiscard]] const Kept& kept() const;
    void put(Kept next, const QString& what);
    void replace(const Kept& next);
    void liftForeign(const Row& row);

    Stage& stage_;
    QUndoStack undo_;
};

}  // namespace wavetrope::app
