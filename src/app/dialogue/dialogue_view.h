// SPDX-License-Identifier: GPL-3.0-or-later
// Two partners side by side: their phases, the limits, and what went to and fro.
#pragma once

#include <QLabel>
#include <QPointF>
#include <QPushButton>

#include <array>
#include <map>
#include <optional>
#include <vector>

#include "app/stage/view.h"
#include "drive/dialogue.h"

class QComboBox;
class QScrollBar;

namespace wavetrope::app {

/// The dialogues of a rig that runs, one at a time. Partners mirror each other; phases stand in the order of the rig, at one height for
/// both; the outer edge of a phase fills over its limit, and a line outside is the way taken. Between them stand the messages of each phase, with the
/// wait against its limit at whoever waits. Resting, all of it is as it was at the cursor.
class DialogueView : public View {
    Q_OBJECT
public:
    explicit DialogueView(Stage& stage);
    QWidget* tools() override { return tools_; }
    [[nodiscard]] QUndoStack* undoStack() override;
    [[nodiscard]] nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;

    /// A stay of a partner in a phase.
    struct Visit {
        std::size_t phase = 0;
        Time from{};
        std::optional<Time> to;  ///< None: it is there.
        unsigned entered = 1;  ///< So often in a row.
        std::vector<drive::DialogueEvent> broken;
    };
    /// The newest round of a partner up to the cursor, oldest first.
    [[nodiscard]] const std::vector<Visit>& visits(std::size_t partner) const { return visits_[partner]; }
    /// Where a phase of a partner stands, in the view's own pixels.
    [[nodiscard]] QRectF phaseBox(std::size_t partner, std::size_t phase) const;
    /// What it says in a line, "docking, since 106.200 s, 1 rule broken".
    [[nodiscard]] QString summary() const { return facts_->text(); }

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

private:
    // A message in the middle of a phase.
    struct Line {
        std::size_t message = 0;
        std::optional<drive::HeardMessage> last;
        std::size_t before = 0;  // so often before, in the phase
        std::vector<drive::HeardMessage> past;
    };
    // Where somebody has moved phases: further down, together with all below it; and each partner's towards the middle. Pixels at normal size.
    struct Moved {
        std::vector<double> down;
        std::array<std::vector<double>, 2> in;
        friend bool operator==(const Moved&, const Moved&) = default;
    };
    class Move;
    struct Drag {
        QPointF from;
        std::size_t partner = 0, phase = 0;
        Moved before;
        bool moves = false;
    };
    [[nodiscard]] Moved& moved();
    [[nodiscard]] std::optional<std::pair<std::size_t, std::size_t>> phaseAt(const QPointF& point) const;
    void move(std::size_t partner, std::size_t phase, double down, double in);
    void keepMove(const Moved& before);
    void paintLoop(QPainter& painter, double x, double from, double to, bool right) const;
    void refresh();
    void follow();
    void lay();
    void begin();
    void breakOff();
    void paintPhase(QPainter& painter, std::size_t partner, std::size_t phase) const;
    void paintWay(QPainter& painter, std::size_t partner) const;
    void paintLine(QPainter& painter, const QRectF& box, const Line& line, bool ahead) const;
    void paintWait(QPainter& painter, const QRectF& box, const drive::HeardMessage::Wait& wait, bool left) const;
    [[nodiscard]] const Visit* visitOf(std::size_t partner, std::size_t phase) const;
    [[nodiscard]] std::size_t phaseNow(std::size_t partner) const;
    [[nodiscard]] QString at(Time time) const;

    QWidget* tools_;
    QComboBox* choice_;
    QLabel* facts_;
    QPushButton* breakOff_;
    QPushButton* begin_;
    QScrollBar* bar_;
    QString wanted_;  // name of the dialogue that is shown
    std::optional<drive::DialogueFacts> now_;
    std::array<std::vector<Visit>, 2> visits_;
    std::vector<std::vector<Line>> lines_;  // by phase
    std::vector<double> tops_, talls_;  // of phases, unscrolled; tops are one more than there are
    std::map<QString, Moved> moved_;  // by dialogue
    std::optional<Drag> drag_;
    std::vector<std::pair<QRectF, Time>> marks_;  // what was broken, where it was painted
};

}  // namespace wavetrope::app
