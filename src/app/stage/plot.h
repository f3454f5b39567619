// SPDX-License-Identifier: GPL-3.0-or-later
// Plots in the look of the application.
#pragma once

#include "app/stage/plot_library.h"

#include "app/stage/stage.h"

namespace wavetrope::app {

/// A plot over the time axis of a stage, seconds since the start of the run: cursor line, window, wheel to zoom,
/// Shift and wheel to move, click and drag for the cursor.
class TimePlot : public QCustomPlot {
    Q_OBJECT
public:
    TimePlot(Stage& stage, bool showTimes, QWidget* parent = nullptr);

    /// Takes window and cursor from the stage; call before replotting.
    void followStage();
    [[nodiscard]] double cursorX() const;
    /// Room for the labels of the scale, in pixels.
    void setScaleRoom(int pixels);
    /// Draws with the next turn of events, where there is room to draw on.
    void drawSoon();
    /// Pixel columns of the plotting area.
    [[nodiscard]] unsigned columns() const;

Q_SIGNALS:
    /// A click at seconds since the start, in front of the cursor being set there.
    void clickedAt(double seconds);

protected:
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

private:
    void restyle();
    void moveCursor(const QMouseEvent* event);

    Stage& stage_;
    bool showTimes_;
    int scaleRoom_ = 0;         // 0: the usual
    QCPItemStraightLine* cursor_;
};

}  // namespace wavetrope::app
