// SPDX-License-Identifier: GPL-3.0-or-later
// The buses of the rig: what each is made of, and what explains it; changed in place.
#pragma once

#include <QLabel>
#include <QPushButton>

#include <vector>

#include "app/paint/row_list.h"
#include "app/parts/in_place.h"
#include "app/stage/bus_desk.h"
#include "app/stage/view.h"

namespace wavetrope::app {

/// A row for each bus. The run goes on with those that it has, until it is started anew with these.
class BusesView : public View {
    Q_OBJECT
public:
    explicit BusesView(Stage& stage);
    QWidget* tools() override { return tools_; }
    [[nodiscard]] QUndoStack* undoStack() override { return &stage().buses().undoStack(); }

    class Rows;
    [[nodiscard]] RowList& rows();
    [[nodiscard]] InPlaceField& field();
    /// Opens a field over a part of a row.
    void edit(std::size_t index, rig::BusField field);
    [[nodiscard]] QString rowText(std::size_t index) const;

protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

private:
    void refresh();
    void attach(std::size_t index, const QStringList& files);

    QWidget* tools_;
    QLabel* facts_;
    QPushButton* takeBack_;
    QPushButton* restart_;
    Rows* rows_;
};

}  // namespace wavetrope::app
