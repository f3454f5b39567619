// SPDX-License-Identifier: GPL-3.0-or-later
// The outbox of a window's rig.
#pragma once

#include <QObject>
#include <QUndoStack>

#include <nlohmann/json.hpp>

#include "base/error.h"
#include "drive/outbox.h"
#include "rig/actors.h"

namespace wavetrope::app {

class Stage;

/// What is sent by hand: edits of the rows stand in the rig's document, reach the run that goes on, and can be undone; what is pressed goes to
/// the run alone.
class OutboxDesk : public QObject {
    Q_OBJECT
public:
    explicit OutboxDesk(Stage& stage);

    [[nodiscard]] const std::vector<drive::OutboxGroup>& groups() const;
    [[nodiscard]] QUndoStack& undoStack() { return undo_; }
    /// How the rows do, in the order of the groups; none where nothing runs.
    [[nodiscard]] std::vector<drive::OutboxRowFacts> facts() const;

    /// Gives a signal of a row, or bytes of a frame, another value, as it is typed.
    [[nodiscard]] Expected<void> setValue(std::size_t group, std::size_t row, const QString& signal, const QString& text);
    /// All bytes of a frame by itself, as they are typed.
    [[nodiscard]] Expected<void> setBytes(std::size_t group, std::size_t row, const QString& text);
    /// Adds a row to a group behind all others, from a message as it is typed; makes a group where there is none. `bus` is that of a frame, and
    /// the first that is looked at for a message.
    [[nodiscard]] Expected<void> add(std::size_t group, const QString& text, unsigned bus);
    void remove(std::size_t group, std::size_t row);
    /// That a row is sent though something else sends its identifier.
    void sendAnyway(std::size_t group, std::size_t row);

    /// Who else sends what a row sends; empty where nobody does, or it is sent all the same.
    [[nodiscard]] std::vector<rig::Collision> collisions(std::size_t row) const;
    void go(std::size_t row);
    void hold(std::size_t row);
    void send(std::size_t row);
    void startTogether(std::size_t group);
    void holdAll();

Q_SIGNALS:
    /// Rows are others.
    void changed();

private:
    class Change;
    Expected<void> put(nlohmann::json next, const QString& what);
    void replace(const nlohmann::json& outbox);
    [[nodiscard]] nlohmann::json written() const;

    Stage& stage_;
    QUndoStack undo_;
};

}  // namespace wavetrope::app
