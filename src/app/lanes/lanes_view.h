// SPDX-License-Identifier: GPL-3.0-or-later
// Signals over time, one lane above the other.
#pragma once

#include <QLabel>
#include <QTimer>
#include <QUndoStack>

#include <memory>
#include <vector>

#include "app/lanes/lane.h"
#include "app/lanes/state_bands.h"
#include "app/lanes/window_field.h"
#include "app/stage/drawn_curves.h"
#include "app/stage/view.h"

class QLineEdit;
class QMenu;
class QScrollArea;
class QSpacerItem;
class QVBoxLayout;

namespace wavetrope::app {

/// The lanes. What they show, and how, is kept with the page; every change of it can be undone.
class LanesView : public View, private DrawnCurves {
    Q_OBJECT
public:
    using Arrangement = app::Arrangement;

    explicit LanesView(Stage& stage);
    ~LanesView() override;

    QWidget* tools() override;
    nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;

    /// Adds signals: to a lane, or with -1 as new lanes in front of lane `before`, or behind all. One that is drawn already is shown where
    /// it is.
    void add(const QStringList& paths, int lane = -1, int before = -1);
    void add(const QString& path, int lane = -1, int before = -1) { add(QStringList{path}, lane, before); }
    /// Adds all signals whose names fit, into one lane or lanes of their own; says how many, or what is wrong with the pattern.
    void addFitting(const QString& pattern, bool together);
    /// Takes a curve from its lane to another one, or as a lane of its own in front of lane `before`. A lane that has it alone goes whole.
    void move(const QString& path, int from, int lane, int before);
    /// Draws a lane another way; what is told so in a row, soon after each other, is one step back.
    void changeLane(std::size_t lane, const LaneSetUp& next, const QString& what);
    void fold(std::size_t lane);
    /// The scale of what is seen, or of the database again.
    void toggleFit(std::size_t lane);
    void fillLaneMenu(QMenu& menu, std::size_t lane);
    void dragCurve(Lane& lane, std::size_t curve);
    /// The lane that a key goes to: the one with the chosen curve, else the first; -1 where there is none.
    [[nodiscard]] int chosenLane() const;
    /// With the next turn of events, however often it is asked for.
    void refreshSoon();
    void remove(const QString& path);
    /// Draws another signal in the place of one, in whatever lane.
    void replace(const QString& path, const QString& by);
    [[nodiscard]] const Arrangement& arrangement() const { return arrangement_; }
    [[nodiscard]] const std::vector<Lane*>& lanes() const { return lanes_; }
    [[nodiscard]] bool settled() const override;
    /// All samples in the window of all that is drawn.
    [[nodiscard]] QString csv() const override;
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
    [[nodiscard]] std::optional<Drawn> drawn(const QString& path) const override;
    void draw(const QString& path, const LaneSetUp& next, const QString& what) override;
    [[nodiscard]] std::optional<Time> place(const QString& path, measure::SignalSeries::Place what, bool back) const override;
    [[nodiscard]] const Curve* curveOfPath(const QString& path, std::size_t* lane) const;
    void rename(const QString& from, const QString& to);
    void tellCurves();
    [[nodiscard]] const Curve* chosenCurve() const;
    bool laneKey(const QKeyEvent& event);
    void goTo(measure::SignalSeries::Place what, bool back);
    void change(const Arrangement& next, const QString& what);
    void rebuild();
    void refresh();
    void layHeads();
    [[nodiscard]] bool inSight(const Lane& lane) const;

    Arrangement arrangement_;
    std::vector<Lane*> lanes_;
    void showLane(std::size_t index);

    QScrollArea* scroll_;
    QWidget* inside_;
    QVBoxLayout* column_;
    QSpacerItem* axisLead_;  ///< As wide as the heads.
    TimePlot* axis_;  ///< The times under all lanes, which stay where lanes scroll.
    StateBands* bands_;  ///< Under the lanes, which are not scrolled with them.
    QTimer soon_;
    QUndoStack undo_;
    QWidget* tools_ = nullptr;
    WindowField* window_ = nullptr;
    QLineEdit* pattern_ = nullptr;
};

}  // namespace wavetrope::app
