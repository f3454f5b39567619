// Signals over time, one lane above the other.
#pragma once

#include <QLabel>
#include <QUndoStack>

#include <memory>
#include <vector>

#include "app/paint/plot.h"
#include "app/shell/view.h"
#include "measure/signal_series.h"

class QScrollArea;
class QVBoxLayout;

namespace wavetrope::app {

class LanesView;

/// One curve of a lane.
struct Curve {
    database::SignalRef ref;
    QString path;
    std::unique_ptr<measure::SignalSeries> series;
    QCPGraph* graph = nullptr;
};

/// Head and plot of one lane.
class Lane : public QWidget {
    Q_OBJECT
public:
    Lane(LanesView& view, const std::vector<QString>& paths, bool last);
    void refresh();
    [[nodiscard]] const std::vector<Curve>& curves() const { return curves_; }
    [[nodiscard]] TimePlot* plot() { return plot_; }

protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

private:
    void restyle();
    [[nodiscard]] int curveAt(double y) const;
    void scaleToDatabase();

    LanesView& view_;
    TimePlot* plot_;
    std::vector<Curve> curves_;
    bool fitted_ = false;       ///< Scale follows the data instead of the database's range.
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

    /// Adds a signal: to a lane, or with -1 as a new lane.
    void add(const QString& path, int lane = -1);
    void remove(const QString& path);
    [[nodiscard]] const Arrangement& arrangement() const { return arrangement_; }
    [[nodiscard]] const std::vector<Lane*>& lanes() const { return lanes_; }
    [[nodiscard]] QUndoStack& undoStack() { return undo_; }
    void arrange(const Arrangement& arrangement);

protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    friend class Lane;
    void change(const Arrangement& next, const QString& what);
    void rebuild();
    void refresh();

    Arrangement arrangement_;
    std::vector<Lane*> lanes_;
    QVBoxLayout* column_;
    QUndoStack undo_;
    QWidget* tools_ = nullptr;
    QLabel* window_ = nullptr;
};

}  // namespace wavetrope::app
