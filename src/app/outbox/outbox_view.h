// SPDX-License-Identifier: GPL-3.0-or-later
// What is sent by hand: a row for each message, with the control that sends it.
#pragma once

#include <QLabel>
#include <QLineEdit>

#include "app/outbox/outbox_rows.h"
#include "app/stage/outbox_desk.h"
#include "app/stage/view.h"

class QButtonGroup;

namespace wavetrope::app {

/// The outbox: its rows, a line to add more, and the switch that holds all of them.
class OutboxView : public View {
    Q_OBJECT
public:
    explicit OutboxView(Stage& stage);
    QWidget* tools() override { return tools_; }
    [[nodiscard]] QUndoStack* sharedUndoStack() override { return &stage().outbox().undoStack(); }
    [[nodiscard]] OutboxRows* list() const { return rows_; }
    [[nodiscard]] QLineEdit* line() const { return line_; }

protected:
    void showEvent(QShowEvent* event) override;

private:
    void rebuild();
    void refresh();
    void addTyped();
    void sayWrong(const QString& words);

    QWidget* tools_;
    QLabel* told_;
    QLineEdit* find_;
    QButtonGroup* all_;
    OutboxRows* rows_;
    QLineEdit* line_;
    QLabel* wrong_;
};

}  // namespace wavetrope::app
