// SPDX-License-Identifier: GPL-3.0-or-later
// What is done on purpose to what nodes send.
#pragma once

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>

#include "app/stage/manipulation_desk.h"
#include "app/stage/stage.h"
#include "app/stage/view.h"

class QScrollBar;

namespace wavetrope::app {

class InPlaceField;

/// A row for each: what it does, since when, and how many frames it has changed; one control lifts it, and keeps it for another time. A line at the
/// bottom takes another one as it is typed. All of it stands in the rig, and can be undone.
class ManipulationView : public View {
    Q_OBJECT
public:
    explicit ManipulationView(Stage& stage);
    QWidget* tools() override { return tools_; }
    [[nodiscard]] QUndoStack* undoStack() override { return &stage().manipulations().undoStack(); }

    [[nodiscard]] bool takes(Wish::For what) const override { return what == Wish::For::manipulation; }
    void present(const Wish& wish) override;

    using Row = ManipulationDesk::Row;
    [[nodiscard]] const std::vector<Row>& rows() const { return rows_; }
    [[nodiscard]] QLineEdit* line() { return line_; }
    /// What is wrong with the line; empty where nothing is.
    [[nodiscard]] QString problem() const { return problem_; }
    [[nodiscard]] QString summary() const { return facts_->text(); }
    /// The control of a row, in the view's own pixels.
    [[nodiscard]] QRectF controlOf(std::size_t row) const;
    /// Where a name is typed.
    [[nodiscard]] InPlaceField* name() { return name_; }

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

private:
    void refresh();
    void add();
    void lay();
    void pressControl(std::size_t row);
    void rename(std::size_t row);
    void remove(std::size_t row);
    [[nodiscard]] static QString controlText(const Row& row);
    [[nodiscard]] QStringList offers() const;
    [[nodiscard]] int busOf(const QString& node) const;
    [[nodiscard]] double rowTop(std::size_t row) const;
    [[nodiscard]] int indexAt(const QPointF& at) const;

    QWidget* tools_;
    QLabel* facts_;
    QPushButton* liftAll_;
    QLineEdit* line_;
    InPlaceField* name_;
    QScrollBar* bar_;
    std::vector<Row> rows_;
    int chosen_ = -1;
    QString problem_;
};

}  // namespace wavetrope::app
