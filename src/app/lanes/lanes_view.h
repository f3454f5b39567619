// SPDX-License-Identifier: GPL-3.0-or-later
// Signals over time, one lane above the other.
#pragma once

#include <QLabel>
#include <QTimer>
#include <QUndoStack>

#include <memory>
#include <vector>

#include "app/lanes/lane_head.h"
#include "app/stage/curve_desk.h"
#include "app/stage/plot.h"
#include "app/stage/view.h"

class QScrollArea;
class QSpacerItem;
class QVBoxLayout;

namespace wavetrope::app {

class LanesView;

/// One curve of a lane.
struct Curve {
    CurveSource source;
    std::shared_ptr<measure::SignalSeries> series;
    QCPGraph* graph = nullptr;
    QCPItemText* letter = nullptr;      ///< At its end, where a lane has several.
    double valueRoom = 0;               ///< Width of the widest value it may have, in the font of the heads.
};

/// Head and plot of one lane.
class Lane : public QWidget {
    Q_OBJECT
public:
    Lane(LanesView& view, const std::vector<QString>& paths, bool last);
    void refresh();
    [[nodiscard]] LaneHead* head() { return head_; }
    /// Pixels that the labels of its scale take.
    [[nodiscard]] int wantedScaleRoom() const;
    /// Whether all rows of the snapshot went into its curves.
    [[nodiscard]] bool complete() const;
    /// What of its curves is seen.
    void look(std::vector<measure::SeriesKeeper::Look>& looks) const;
    [[nodiscard]] const std::vector<Curve>& curves() const { return curves_; }
    [[nodiscard]] TimePlot* plot() { return plot_; }

protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dragMoveEvent(QDragMoveEvent* event) override;
    void dragLeaveEvent(QDragLeaveEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

private:
    void restyle();
    void scaleToDatabase();

    LanesView& view_;
    std::vector<Curve> curves_;
    LaneHead* head_;
    TimePlot* plot_;
    std::vector<std::pair<double, QString>> names_;         ///< Of the values of an enumeration, ascending.
    QSharedPointer<QCPAxisTickerText> nameTicks_;
    bool fitted_ = false;       ///< Scale follows the data instead of the database's range.
    enum class Place { none, above, here, below };
    class Mark;                 ///< Where what is dragged would go, over head and plot.
    Mark* mark_;
    [[nodiscard]] Place placeAt(double y) const;
    void nameValues();
    void layNames();
};

/// The lanes. What they show is a list of lists of signal paths; every change of it can be undone.
class LanesView : public View {
    Q_OBJECT
public:
    using Arrangement = std::vector<std::vector<QString>>;

    explicit LanesView(Stage& stage);

    QWidget* tools() override;
    nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;

    /// Adds a signal: to a lane, or with -1 as a new lane in front of lane `before`, or behind all. One that is drawn already
    /// is shown where it is.
    void add(const QString& path, int lane = -1, int before = -1);
    void remove(const QString& path);
    [[nodiscard]] const Arrangement& arrangement() const { return arrangement_; }
    [[nodiscard]] const std::vector<Lane*>& lanes() const { return lanes_; }
    [[nodiscard]] QUndoStack* undoStack() override { return &undo_; }
    [[nodiscard]] bool takes(Wish::For what) const override { return what == Wish::For::plot; }
    void arrange(const Arrangement& arrangement);

protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    friend class Lane;
    void tellCurves();
    [[nodiscard]] const Curve* chosenCurve() const;
    void goTo(measure::SignalSeries::Place what, bool back);
    void change(const Arrangement& next, const QString& what);
    void rebuild();
    void refresh();
    void layHeads();
    /// With the next turn of events, however often it is asked for.
    void refreshSoon();
    [[nodiscard]] bool inSight(const Lane& lane) const;

    Arrangement arrangement_;
    std::vector<Lane*> lanes_;
    void showLane(std::size_t index);

    QScrollArea* scroll_;
    QWidget* inside_;
    QVBoxLayout* column_;
    QSpacerItem* axisLead_;     ///< As wide as the heads.
    TimePlot* axis_;            ///< The times under all lanes, which stay where lanes scroll.
    QTimer soon_;
    QUndoStack undo_;
    QWidget* tools_ = nullptr;
    QLabel* window_ = nullptr;
};

}  // namespace wavetrope::app
