// SPDX-License-Identifier: GPL-3.0-or-later
// How long messages may take in the worst case, against their deadlines.
#pragma once

#include <QLineEdit>

#include "app/parts/in_place.h"
#include "app/stage/view.h"

class QLabel;

namespace wavetrope::app {

class BusChoice;

/// A row for each message of a bus with a cycle time, the one nearest to its deadline first. One scale on which every deadline
/// stands at the same place: bar and tick are the computed worst case, the dot is the worst that was measured. Jitter and deadlines
/// are edited in their cells.
class ResponseView : public View {
    Q_OBJECT
public:
    explicit ResponseView(Stage& stage);
    QWidget* tools() override { return tools_; }
    nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;
    [[nodiscard]] QUndoStack* undoStack() override;

    [[nodiscard]] std::size_t count() const;
    /// What the head says of the bus.
    [[nodiscard]] QString verdict() const;
    /// What a row says, tab-separated.
    [[nodiscard]] QString rowText(std::size_t index) const;
    void choose(std::size_t index);
    /// Opens the field of a cell; the deadline, or the jitter.
    void edit(std::size_t index, bool deadline);
    [[nodiscard]] InPlaceField& field() { return *field_; }
    [[nodiscard]] QLineEdit& jitterField() { return *jitter_; }
    /// The middle of a row's deadline, or of its jitter, in the view's own pixels.
    [[nodiscard]] QPoint cellAt(std::size_t index, bool deadline) const;

private:
    class Rows;
    class Verdict;
    void rebuild();
    void refresh();
    void chooseBus(int index);
    void jitterTyped();
    void goToWorst(std::size_t index);

    QWidget* tools_;
    BusChoice* busBox_;
    QLabel* jitterName_;
    QLineEdit* jitter_;
    Verdict* verdict_;
    Rows* rows_;
    InPlaceField* field_;
    unsigned bus_ = 0;
    unsigned beats_ = 0;
};

}  // namespace wavetrope::app
