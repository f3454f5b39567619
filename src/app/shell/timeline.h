// SPDX-License-Identifier: GPL-3.0-or-later
// The strip across the full width: load of every bus over the whole run, event flags, window and cursor.
#pragma once

#include <QPixmap>
#include <QWidget>

#include <memory>
#include <vector>

#include "app/paint/take_shape.h"
#include "app/stage/stage.h"
#include "measure/load_series.h"

namespace wavetrope::app {

class Timeline : public QWidget {
    Q_OBJECT
public:
    explicit Timeline(Stage& stage, QWidget* parent = nullptr);
    [[nodiscard]] double xOf(Time time) const;
    [[nodiscard]] Time timeAt(double x) const;
    /// Where the ridge of a bus is drawn.
    [[nodiscard]] QRectF ridge(unsigned bus) const;
    /// Where the takes of a recording are drawn, and how many tiers of them there are.
    [[nodiscard]] QRectF tier(std::size_t index) const;
    [[nodiscard]] std::size_t tiers() const { return tiers_.size(); }
    [[nodiscard]] QSize sizeHint() const override;

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

private:
    void update();
    /// Paints again what does not move with the cursor.
    void forgetStill();
    /// Ridges, flags, matches and axis: painted once and kept until one of them changes.
    void paintStill(QPainter& painter);
    void paintRidges(QPainter& painter);
    void paintAxis(QPainter& painter);
    void paintFlags(QPainter& painter);
    void paintMatches(QPainter& painter);
    void paintTakes(QPainter& painter);
    void gatherTakes();
    [[nodiscard]] double tiersHeight() const;
    /// The take under a point, or null.
    [[nodiscard]] const TakeShape* takeAt(const QPointF& point) const;
    [[nodiscard]] double left() const;
    [[nodiscard]] double right() const;

    Stage& stage_;
    std::vector<std::unique_ptr<measure::LoadSeries>> loads_;
    QStringList pressedTake_;       // files of the take that may be dragged
    QPointF pressedAt_;
    std::vector<TakeTier> tiers_;       // the first few; what is beyond is folded into the last
    struct Still {
        QSize size;
        double ratio = 0;
        Time from{}, to{}, newest{};
        std::uint64_t measured = 0;     // rows
        bool operator==(const Still&) const = default;
    };
    QPixmap still_;
    Still stillOf_;
    std::uint64_t measured_ = 0;
    enum class Drag { none, cursor, window, leftEdge, rightEdge } drag_ = Drag::none;
    double dragOffset_ = 0;
};

}  // namespace wavetrope::app
