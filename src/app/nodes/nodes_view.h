// SPDX-License-Identifier: GPL-3.0-or-later
// Simulated nodes, what they do, and which are taken out.
#pragma once

#include <QLabel>
#include <QUndoStack>

#include "app/stage/view.h"
#include "measure/senders.h"

class QPushButton;
class QScrollBar;

namespace wavetrope::app {

/// A row for each node: bus, name, whether it is simulated, played back, outside or off, its state, and its states of the last 20 s.
/// The pill takes a node out of the simulation and puts it back; its menu puts it anywhere; all can be undone. In a log, where nothing is
/// simulated, the rows tell which nodes were heard up to the cursor.
class NodesView : public View {
    Q_OBJECT
public:
    explicit NodesView(Stage& stage);
    QWidget* tools() override { return tools_; }

    /// Puts a node somewhere else; what it was doing is told.
    void put(const QString& node, rig::NodePlace place);
    void putAll(rig::NodePlace place);
    /// Takes a node out of the simulation or puts it back.
    void setSimulated(const QString& node, bool on);
    /// Simulates all others, and takes this one out: it is on the bench. Of no name: all.
    void simulateAllBut(const QString& node);
    [[nodiscard]] QUndoStack* undoStack() override { return &undo_; }
    /// Where the pill of a node is, in the view's own pixels.
    [[nodiscard]] QRectF pillOf(const QString& node) const;
    /// What the rows of a log say.
    [[nodiscard]] const std::vector<measure::SenderMoment>& senders() const { return senders_; }

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

private:
    /// Whether a node has refused to send a value shortly before a moment.
    [[nodiscard]] static bool refusesNow(const rig::NodeReport& report, Time at);
    [[nodiscard]] static QString refusedText(const rig::NodeReport& report);
    void refresh();
    void refreshLog();
    void layBar();
    void paintLog(QPainter& painter);
    void choose(int index);
    /// The row that is selected, or -1.
    [[nodiscard]] int chosen() const;
    [[nodiscard]] int indexAt(const QPointF& at) const;
    [[nodiscard]] std::size_t rowCount() const;
    [[nodiscard]] QString nodeOf(std::size_t index) const;
    [[nodiscard]] double rowTop(std::size_t index) const;

    [[nodiscard]] static QString placeWords(rig::NodePlace place);

    QWidget* tools_;
    QLabel* facts_;
    QPushButton* all_;
    std::vector<rig::NodeReport> reports_;
    std::vector<measure::SenderMoment> senders_;    // of a log
    QUndoStack undo_;
    QScrollBar* bar_;
};

}  // namespace wavetrope::app
