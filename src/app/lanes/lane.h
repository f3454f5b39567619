// SPDX-License-Identifier: GPL-3.0-or-later
// Head and plot of one lane.
#pragma once

#include <QLabel>
#include <QWidget>

#include <vector>

#include "app/lanes/lane_ground.h"
#include "app/lanes/lane_head.h"
#include "app/stage/lane_set_up.h"
#include "app/stage/curve_desk.h"
#include "app/stage/lost_curve.h"
#include "app/stage/plot.h"

class QVBoxLayout;

namespace wavetrope::app {

class InPlaceField;
class LanesView;

/// One curve of a lane.
struct Curve {
    CurveSource source;
    std::shared_ptr<measure::SignalSeries> series;
    QCPGraph* graph = nullptr;
    QCPItemText* letter = nullptr;      ///< At its end, where a lane has several.
    double valueRoom = 0;               ///< Width of the widest value it may have, in the font of the heads.
    std::optional<std::pair<double, double>> seen;      ///< Smallest and largest of what is drawn.
    std::optional<double> leastPositive;                ///< Of what is drawn.
};

/// Drag on an axis moves its scale, the wheel over it zooms it, a double click at its end types it. A double click on the plot fits the
/// scale to what is seen, one on the head folds the lane. Heads drag to other places, the lower edge resizes.
class Lane : public QWidget {
    Q_OBJECT
public:
    Lane(LanesView& view, const LaneSetUp& setUp, std::size_t index);
    void refresh();
    /// Draws the same curves another way.
    void apply(const LaneSetUp& setUp);
    [[nodiscard]] const LaneSetUp& setUp() const { return setUp_; }
    [[nodiscard]] std::size_t index() const { return index_; }
    [[nodiscard]] LaneHead* head() { return head_; }
    /// Pixels that the labels of its scale take, and how many axes stand at the right.
    [[nodiscard]] int wantedScaleRoom() const;
    [[nodiscard]] int axesAtRight() const;
    /// Whether all rows of the snapshot went into its curves.
    [[nodiscard]] bool complete() const;
    /// What of its curves is seen.
    void look(std::vector<measure::SeriesKeeper::Look>& looks) const;
    [[nodiscard]] const std::vector<Curve>& curves() const { return curves_; }
    /// Draws the chosen one of its curves over the others.
    void raiseChosen();
    [[nodiscard]] TimePlot* plot() { return plot_; }
    [[nodiscard]] const LaneGround* ground() const { return ground_; }
    /// The band that stands for its curve; null where there is none.
    [[nodiscard]] const LaneBand* band() const { return band_; }
    /// The line of a spectrum that is drawn over one of its curves, or null.
    [[nodiscard]] const QCPGraph* tone() const { return tone_; }
    /// What is said of curves whose signals are no longer there, or null.
    [[nodiscard]] QLabel* lostWords() const { return lostWords_; }
    [[nodiscard]] InPlaceField* field() { return field_; }
    /// The axis of a curve.
    [[nodiscard]] QCPAxis* axisOf(std::size_t curve) const { return curves_[curve].graph->valueAxis(); }
    /// What stays of a lane that is folded, and of one that is not.
    [[nodiscard]] int leastHeight() const;

protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dragMoveEvent(QDragMoveEvent* event) override;
    void dragLeaveEvent(QDragLeaveEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    enum class Place { none, above, here, below };
    class Mark;                 // where what is dragged would go, over head and plot
    class Edge;                 // its lower edge
    struct Ends {
        double low = 0, high = 1;
    };
    void bringCurves();
    void tellLost();
    void restyle();
    [[nodiscard]] QSharedPointer<QCPAxisTicker> evenTicks(const QCPAxis* axis) const;
    void nameValues();
    void layNames();
    void layAxes();
    void layHeight();
    void scale();
    void drawCurve(Curve& curve);
    void drawTone();
    void drawBand(const measure::SignalSeries::Points& points);
    void drawGround(const measure::SignalSeries::Points& points);
    void placeLetter(const Curve& curve, std::size_t index, const measure::SignalSeries::Points& points);
    [[nodiscard]] Ends endsOf(QCPAxis* axis) const;
    [[nodiscard]] bool asBand() const;
    [[nodiscard]] QString axisName(const QCPAxis* axis) const;
    /// The axis beside the plot at a place, or null.
    [[nodiscard]] QCPAxis* axisAt(const QPointF& at) const;
    bool axisEvent(QEvent* event);
    /// With words it is a step; without, what is seen while one drags.
    void setByHand(QCPAxis* axis, double low, double high, const QString& step);
    void typeEnd(QCPAxis* axis, bool high);
    [[nodiscard]] Place placeAt(double y) const;

    LanesView& view_;
    LaneSetUp setUp_;
    const std::size_t index_;
    std::vector<Curve> curves_;
    LaneHead* head_;
    TimePlot* plot_;
    LaneGround* ground_;
    LaneBand* band_ = nullptr;
    QCPGraph* tone_ = nullptr;          // a line of a spectrum, while one is drawn here
    std::vector<LostCurve> lost_;       // of its paths, those that are no curves any more
    QVBoxLayout* beside_ = nullptr;     // the head
    QLabel* lostWords_ = nullptr;       // what is said of them, over the plot
    std::vector<std::pair<double, QString>> names_;         // of the values of an enumeration, ascending
    QSharedPointer<QCPAxisTickerText> nameTicks_;
    Mark* mark_;
    Edge* edge_;
    InPlaceField* field_;
    QCPAxis* dragged_ = nullptr;        // by its scale
    double draggedFrom_ = 0;
    Ends draggedEnds_;
};

}  // namespace wavetrope::app
