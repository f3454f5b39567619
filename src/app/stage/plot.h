// SPDX-License-Identifier: GPL-3.0-or-later
// Plots in the look of the application.
#pragma once

#include "app/stage/plot_library.h"

#include "app/stage/stage.h"

#include <array>
#include <functional>
#include <optional>

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
    /// Room for the labels of the scale, in pixels, and for so many axes at the right.
    void setScaleRoom(int pixels, int axesAtRight = 0);
    /// Shows the marks' pennants with their times at its top.
    void setPennants(bool on) { pennants_ = on; }
    /// What stands beside the pointer: a line for each curve, name and value with a tab between.
    void setReadout(std::function<QStringList(double seconds)> readout) { readout_ = std::move(readout); }
    /// What the readout says now; empty where the pointer is elsewhere.
    [[nodiscard]] QStringList readout() const;
    /// Draws with the next turn of events, where there is room to draw on.
    void drawSoon();
    /// As long as it is there, plots draw their lines themselves instead of a picture of them, and nothing of the pointer.
    class DrawnOut {
    public:
        DrawnOut();
        ~DrawnOut();
        DrawnOut(const DrawnOut&) = delete;
        DrawnOut& operator=(const DrawnOut&) = delete;
    };
    /// Pixel columns of the plotting area.
    [[nodiscard]] unsigned columns() const;

Q_SIGNALS:
    /// A click at seconds since the start, in front of the cursor being set there.
    void clickedAt(double seconds);
    /// There are more columns, or fewer.
    void columnsChanged();

protected:
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;

private:
    void restyle();
    void moveCursor(const QMouseEvent* event);
    void placeMarks();
    void setMark(bool b, std::optional<Time> time);
    [[nodiscard]] std::optional<double> markX(bool b) const;
    void paintPennants(QPainter& painter);
    void paintReadout(QPainter& painter);

    Stage& stage_;
    bool showTimes_;
    int scaleRoom_ = 0;         // 0: the usual
    int axesAtRight_ = 0;
    QCPItemStraightLine* cursor_;
    std::array<QCPItemStraightLine*, 2> markLines_{};
    QCPItemRect* between_;
    bool pennants_ = false;
    std::function<QStringList(double seconds)> readout_;
    std::optional<double> pointer_;         // where the mouse is, in seconds
    enum class Drag : std::uint8_t { none, cursor, markA, markB, box } drag_ = Drag::none;
    double boxFrom_ = 0;
};

}  // namespace wavetrope::app
