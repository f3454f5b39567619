// Simulated nodes, what they do, and which are taken out.
#pragma once

#include <QLabel>
#include <QUndoStack>

#include "app/shell/view.h"

namespace wavetrope::app {

/// A row for each node: bus, name, whether it is simulated or played back, its state, and its states of the last 20 s.
/// The pill takes a node out of the simulation and puts it back; both can be undone.
class NodesView : public View {
    Q_OBJECT
public:
    explicit NodesView(Stage& stage);
    QWidget* tools() override { return facts_; }

    /// Takes a node out of the simulation or puts it back.
    void setSimulated(const QString& node, bool on);
    [[nodiscard]] QUndoStack& undoStack() { return undo_; }
    /// Where the pill of a node is, in the view's own pixels.
    [[nodiscard]] QRectF pillOf(const QString& node) const;

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

private:
    void refresh();
    void choose(int index);
    [[nodiscard]] double rowTop(std::size_t index) const;

    QLabel* facts_;
    std::vector<rig::NodeReport> reports_;
    rig::PlaybackReport playback_;
    std::vector<bool> playedBack_;
    QUndoStack undo_;
    double scroll_ = 0;
};

}  // namespace wavetrope::app
