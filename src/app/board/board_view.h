// SPDX-License-Identifier: GPL-3.0-or-later
// A board: gauges that are watched, controls that drive.
#pragma once

#include <QElapsedTimer>
#include <QLabel>

#include <algorithm>
#include <optional>
#include <utility>

#include "app/board/board_reader.h"
#include "app/parts/in_place.h"
#include "app/stage/board_desk.h"
#include "app/stage/view.h"

class QButtonGroup;
class QMenu;

namespace wavetrope::app {

/// Two modes, plainly different. In use, gauges show the state at the cursor and controls drive; edited, items are moved, sized, put on and
/// taken off in whole cells, and nothing is driven.
class BoardView : public View {
    Q_OBJECT
public:
    explicit BoardView(Stage& stage);
    QWidget* tools() override { return tools_; }
    [[nodiscard]] QUndoStack* sharedUndoStack() override { return &stage().boards().undoStack(); }
    [[nodiscard]] nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;
    [[nodiscard]] bool settled() const override { return reader_.settled(); }

    [[nodiscard]] const QString& name() const { return name_; }
    [[nodiscard]] const std::vector<board::Item>& items() const;
    [[nodiscard]] const BoardReading& reading(std::size_t item) const { return reader_.of(item); }
    [[nodiscard]] bool editing() const { return editing_; }
    void setEditing(bool editing);
    [[nodiscard]] std::optional<std::size_t> chosen() const { return chosen_; }
    void choose(std::optional<std::size_t> item);
    /// Where the grid, an item, and a kind of the tray are drawn.
    [[nodiscard]] QRectF grid() const;
    [[nodiscard]] QRectF boxOf(const board::Cells& cells) const;
    [[nodiscard]] QRectF trayOf(board::Shown shown) const;
    /// Corners and edges of the chosen item: 0 to 7, clockwise from the left upper corner.
    [[nodiscard]] QPointF handleOf(std::size_t handle) const;
    [[nodiscard]] InPlaceField* field() const { return field_; }
    /// What a drop of a dragged item would come to, while one drags.
    [[nodiscard]] const std::optional<board::Cells>& dropping() const { return dropping_; }
    /// How long the last painting took.
    [[nodiscard]] qint64 paintedIn() const { return paintedIn_; }
    /// And the looking at what it shows.
    [[nodiscard]] qint64 lookedIn() const { return lookedIn_; }
    void shown(board::Shown as);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override { mousePressEvent(event); }
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dragMoveEvent(QDragMoveEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    bool event(QEvent* event) override;

private:
    /// By which things are drawn: no taller than its width allows.
    [[nodiscard]] double cell() const { return std::min(grid().height(), grid().width() * 0.62) / board::gridSize; }
    [[nodiscard]] std::optional<std::size_t> itemAt(const QPointF& point) const;
    [[nodiscard]] QPoint cellAt(const QPointF& point) const;
    void refresh();
    /// What has changed of the values is painted again, and nothing else.
    void follow();
    [[nodiscard]] static QRect insideOf(const QRectF& box);
    [[nodiscard]] int drivenFrom() const;
    bool paintParts(const QRegion& region);
    void paintEditing(QPainter& painter);
    void paintTray(QPainter& painter);
    void pressControl(std::size_t item, const QPointF& point);
    void dragControl(std::size_t item, const QPointF& point, bool end);
    void drive(std::size_t item, double value);
    void stepControl(std::size_t item, double steps);
    void release();
    void addSwitches(QMenu& menu);
    void actuate(std::size_t item);
    void focusNext(bool back);
    void edit(std::vector<board::Item> items, const QString& what);
    void moveChosen(int columns, int rows, bool size);
    [[nodiscard]] board::Cells dragged(const QPointF& point) const;
    void duplicate();
    void removeChosen();
    void putOn(board::Item item, const std::optional<QPointF>& at);
    void nameMode();

    QString name_;
    BoardReader reader_;
    QWidget* tools_;
    QLabel* told_;
    QLabel* what_;
    QButtonGroup* mode_;
    InPlaceField* field_;
    bool editing_ = false;
    std::optional<std::size_t> chosen_;  // edited
    std::optional<std::size_t> focused_;  // in use: the control that keys step
    std::optional<std::size_t> held_;  // the control that is dragged or pressed
    bool heldByKey_ = false;
    QPointF pressedAt_;
    int handle_ = -1;  // of the chosen item, while it is sized
    std::optional<board::Cells> wanted_, dropping_;
    qint64 paintedIn_ = 0, lookedIn_ = 0;
};

}  // namespace wavetrope::app
