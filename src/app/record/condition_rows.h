// SPDX-License-Identifier: GPL-3.0-or-later
// The conditions of the rig, a row for each, changed in place.
#pragma once

#include <vector>

#include "app/paint/row_list.h"
#include "app/parts/in_place.h"
#include "app/record/rule_rows.h"
#include "app/stage/rule_desk.h"
#include "app/stage/stage.h"

namespace wavetrope::app {

class ConditionRows : public RowList {
    Q_OBJECT
public:
    enum class Part : std::uint8_t { name, words };
    explicit ConditionRows(Stage& stage);

    void show(std::vector<ConditionRow> rows);
    [[nodiscard]] const std::vector<ConditionRow>& rows() const { return rows_; }
    /// Opens a field over a part of a row.
    void edit(std::size_t index, Part part);
    /// Begins a new one, with words to change.
    void add(const QString& words);
    /// Takes the row in force out of the rig.
    void removeCurrent();
    [[nodiscard]] InPlaceField& field() { return *field_; }

    std::uint64_t count() const override { return rows_.size() + (adding_ ? 1 : 0); }
    std::int64_t current() const override { return chosen_; }
    void choose(std::uint64_t index) override;
    QString rowText(std::uint64_t index) const override;

    int pitch() const override;
    /// Height in which all of them stand.
    [[nodiscard]] int wanted() const { return headHeight() + static_cast<int>(count()) * pitch() + 2; }

Q_SIGNALS:
    void chosen();

protected:
    QString emptyText() const override;
    void paintRow(QPainter& painter, int y, std::uint64_t index) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    bool viewportEvent(QEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    void layColumns();
    [[nodiscard]] double nowAt() const;
    [[nodiscard]] double metAt() const;
    [[nodiscard]] double lastAt() const;
    [[nodiscard]] double stripAt() const;

    Stage& stage_;
    double more_ = 0;               // for what a condition hangs on
    std::vector<ConditionRow> rows_;
    InPlaceField* field_;
    int chosen_ = -1;
    std::size_t edited_ = 0;
    Part part_ = Part::name;
    bool adding_ = false;
    QString newName_, newWords_;
};

}  // namespace wavetrope::app
