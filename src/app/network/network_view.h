// SPDX-License-Identifier: GPL-3.0-or-later
// Who is on the buses, where higher protocols are spoken.
#pragma once

#include "app/stage/protocol_desk.h"
#include "app/stage/view.h"

class QLabel;
class QToolButton;

namespace wavetrope::app {

/// Three lists about the state at the cursor: who is there, transfers, trouble codes. A group for each bus tells what it speaks, and why; a click there says
/// something else. A click on trouble leads to its moment.
class NetworkView : public View {
    Q_OBJECT
public:
    enum class Shows : std::uint8_t { nodes, transfers, troubles };

    explicit NetworkView(Stage& stage);
    QWidget* tools() override { return tools_; }
    nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;
    [[nodiscard]] bool settled() const override { return !isVisible() || stage().protocols().settled(); }
    [[nodiscard]] QString csv() const override;
    QUndoStack* sharedUndoStack() override { return &stage().protocols().undoStack(); }

    void show(Shows what);
    [[nodiscard]] Shows shows() const { return shows_; }
    [[nodiscard]] std::size_t count() const { return lines_.size(); }
    [[nodiscard]] QString rowText(std::size_t index) const;
    void choose(std::size_t index);
    [[nodiscard]] int chosen() const { return chosen_; }
    /// Keeps all lists, and the messages, to who is chosen; nobody: lifts it.
    void keepTo(bool chosenOnes);
    /// Learns how process data of a node are mapped, keeps it as a file and takes that as the node's dictionary.
    void learn(std::uint8_t bus, std::uint8_t node, const QString& path);
    /// What can be asked of who is chosen, as a menu.
    void showMenu(const QPoint& at);
    /// Asks what a bus speaks: a menu with ticks.
    void askSpoken(std::uint8_t bus, const QPoint& at);

protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

private:
    class Rows;
    friend class Rows;
    struct Line {
        std::uint8_t bus = 0;
        int node = -1, transfer = -1, trouble = -1;  // none of them: the head of a bus
    };
    void refresh();
    void attach(std::uint8_t bus, std::uint8_t node, const QString& path);
    [[nodiscard]] QString pairWords(const protocol::NetworkNode& node) const;

    Shows shows_ = Shows::nodes;
    std::vector<Line> lines_;
    int chosen_ = -1;
    QWidget* tools_;
    std::array<QToolButton*, 3> buttons_{};
    QLabel* state_;
    NewestWork* learning_;
    Rows* rows_;
};

}  // namespace wavetrope::app
