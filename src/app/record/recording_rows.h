// SPDX-License-Identifier: GPL-3.0-or-later
// The recordings of the rig, each a sentence whose words are changed in place.
#pragma once

#include <vector>

#include "app/paint/row_list.h"
#include "app/parts/in_place.h"
#include "app/record/rule_rows.h"
#include "app/record/sentence.h"
#include "app/stage/rule_desk.h"
#include "app/stage/stage.h"

namespace wavetrope::app {

class RecordingRows : public RowList {
    Q_OBJECT
public:
    explicit RecordingRows(Stage& stage);

    void show(std::vector<RecordingRow> rows);
    [[nodiscard]] const std::vector<RecordingRow>& rows() const { return rows_; }
    /// Opens a field over a word of the sentence.
    void edit(std::size_t index, rig::RecordingField field);
    void removeCurrent();
    [[nodiscard]] InPlaceField& field() { return *field_; }
    /// Middle of the button that starts and stops by hand, and of a word of the sentence.
    [[nodiscard]] QPoint buttonAt(std::size_t index) const;
    [[nodiscard]] QPoint wordAt(std::size_t index, rig::RecordingField field) const;

    std::uint64_t count() const override { return rows_.size(); }
    std::int64_t current() const override { return chosen_; }
    void choose(std::uint64_t index) override;
    QString rowText(std::uint64_t index) const override;
    int pitch() const override;
    /// Height in which all of them stand.
    [[nodiscard]] int wanted() const { return headHeight() + static_cast<int>(count()) * pitch() + 2; }

Q_SIGNALS:
    void startOrStopWanted(std::size_t index);
    void chosen();

protected:
    QString emptyText() const override;
    void paintRow(QPainter& painter, int y, std::uint64_t index) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    bool viewportEvent(QEvent* event) override;

private:
    [[nodiscard]] double room() const { return rowWidth() * 0.63; }
    [[nodiscard]] QRectF buttonBox(int y) const;
    [[nodiscard]] int yOf(std::size_t index) const { return headHeight() + (static_cast<int>(index) - static_cast<int>(top())) * pitch(); }
    [[nodiscard]] SentenceLayout layoutOf(const RecordingRow& row) const;
    [[nodiscard]] QPointF sentenceAt(int y) const;
    [[nodiscard]] std::optional<rig::RecordingField> fieldAt(const QPointF& point, std::size_t& index) const;
    void measure();
    void editNext(int step);

    Stage& stage_;
    std::vector<RecordingRow> rows_;
    InPlaceField* field_;
    int chosen_ = -1;
    int lines_ = 3;                 // of the longest sentence
    std::size_t edited_ = 0;
    rig::RecordingField editedField_ = rig::RecordingField::name;
};

}  // namespace wavetrope::app
