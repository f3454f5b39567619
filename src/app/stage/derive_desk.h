// SPDX-License-Identifier: GPL-3.0-or-later
// The derived signals of a window's rig.
#pragma once

#include <QObject>
#include <QString>
#include <QUndoStack>

#include <vector>

#include "base/error.h"
#include "database/catalog.h"

namespace wavetrope::app {

class Stage;

/// Every change goes through here, can be undone, and reaches all views at once.
class DeriveDesk : public QObject {
    Q_OBJECT
public:
    explicit DeriveDesk(Stage& stage);

    [[nodiscard]] const std::vector<database::DerivedSpec>& all() const;
    [[nodiscard]] const database::DerivedSpec* find(const QString& name) const;
    [[nodiscard]] QUndoStack& undoStack() { return undo_; }

    /// Puts a derived signal in place of the one of a name. Steps that follow each other with the same `sitting`, but -1, are one.
    /// The error says what cannot be, and nothing is changed.
    [[nodiscard]] Expected<void> put(const QString& name, database::DerivedSpec next, const QString& what, int sitting = -1);
    /// Adds one that is what a curve is, and chooses it; of no curve, one that is to be written.
    void add(const QString& curve);
    /// Takes it away. Those that look at it say what they lack.
    void remove(const QString& name);
    /// A number for a sitting of edits.
    [[nodiscard]] int newSitting() { return ++sitting_; }

Q_SIGNALS:
    /// One has another name now; before anything is looked up in the new catalog.
    void renamed(const QString& from, const QString& to);
    /// Somebody wants to write the formula of the one that is chosen.
    void writingWanted();

private:
    class Change;
    void replace(const std::vector<database::DerivedSpec>& next);
    [[nodiscard]] std::size_t indexOf(const QString& name) const;

    Stage& stage_;
    QUndoStack undo_;
    int sitting_ = 0;
};

}  // namespace wavetrope::app
