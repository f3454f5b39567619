// SPDX-License-Identifier: GPL-3.0-or-later
// Names and values beside a lane's plot.
#pragma once

#include <QWidget>

#include <vector>

#include "app/stage/stage.h"

class QScrollBar;

namespace wavetrope::app {

struct Curve;

/// One name and value for each curve of a lane: in two lines each where there is room, else in one, else in two columns, and
/// scrolled where even these are too high. Values are never cut; names are, in their middle.
class LaneHead : public QWidget {
    Q_OBJECT
public:
    LaneHead(Stage& stage, const std::vector<Curve>& curves, QWidget* parent);

    /// What a curve is called where a lane has several.
    [[nodiscard]] static QString letterOf(std::size_t index);
    /// The value of a curve at the cursor in words. `holds` says whether it still did there: it came, and no more than three
    /// periods ago.
    [[nodiscard]] QString reading(const Curve& curve, bool* holds = nullptr) const;
    /// Takes up what the curves read at the cursor now, and paints it where it is another.
    void refresh();
    /// Width that it would take to show names and values in full.
    [[nodiscard]] int wantedWidth() const;
    /// Lines that stand in it at once, and columns of them; 0 where each curve has two lines.
    [[nodiscard]] int columns() const;
    [[nodiscard]] QScrollBar* scrollBar() { return bar_; }
    /// The curve at a place, or -1.
    [[nodiscard]] int curveAt(const QPoint& at) const;
    /// Where a curve stands; empty where it is scrolled out of sight.
    [[nodiscard]] QRect rectOf(std::size_t index) const;

Q_SIGNALS:
    /// A curve is dragged away by its name.
    void dragged(int curve);
    /// The lane shall fold to its head, or unfold.
    void foldWanted();

protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    bool event(QEvent* event) override;

private:
    /// What a curve reads at the cursor.
    struct Shown {
        QString value;
        bool any = false;
        bool holds = false;         ///< It came no more than three periods ago.
        friend bool operator==(const Shown&, const Shown&) = default;
    };
    [[nodiscard]] Shown now(const Curve& curve) const;
    [[nodiscard]] std::vector<Shown> now() const;
    [[nodiscard]] bool large() const;
    [[nodiscard]] double valueRoom(std::size_t curve) const;
    [[nodiscard]] double widestValue() const;
    void arrange();

    Stage& stage_;
    const std::vector<Curve>& curves_;
    QScrollBar* bar_;
    std::vector<Shown> shown_;
    int pressed_ = -1;
    QPointF pressedAt_;
};

}  // namespace wavetrope::app
