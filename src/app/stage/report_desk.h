// SPDX-License-Identifier: GPL-3.0-or-later
// The reports of a window's rig.
#pragma once

#include <QObject>
#include <QUndoStack>

#include "rig/report_json.h"

namespace wavetrope::app {

class Stage;

/// What reports are made of: every change can be undone, and stands in the rig's document.
class ReportDesk : public QObject {
    Q_OBJECT
public:
    explicit ReportDesk(Stage& stage);

    [[nodiscard]] const std::vector<rig::ReportSpec>& all() const;
    [[nodiscard]] QUndoStack& undoStack() { return undo_; }
    /// Puts reports in place of those that there are, as one step.
    void put(std::vector<rig::ReportSpec> next, const QString& what);
    /// Adds a part to a report behind all others; makes one where there is none.
    void add(std::size_t report, rig::ReportPart part);

Q_SIGNALS:
    void changed();

private:
    class Change;
    void replace(const std::vector<rig::ReportSpec>& reports);

    Stage& stage_;
    QUndoStack undo_;
};

}  // namespace wavetrope::app
