// SPDX-License-Identifier: GPL-3.0-or-later
// All that happened, as a list.
#pragma once

#include "app/stage/event_desk.h"
#include "app/stage/view.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QToolButton;

namespace wavetrope::app {

/// The events of the run, by kind, bus and name, sorted by any head. A click puts the cursor there, Enter shows all of it.
class EventsView : public View {
    Q_OBJECT
public:
    explicit EventsView(Stage& stage);
    QWidget* tools() override { return tools_; }
    nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;
    [[nodiscard]] bool settled() const override { return !isVisible() || stage().events().settled(); }
    [[nodiscard]] QString csv() const override;

    [[nodiscard]] std::size_t count() const { return order_.size(); }
    [[nodiscard]] const measure::Event& eventAt(std::size_t index) const { return stage().events().all()[order_[index]]; }
    [[nodiscard]] QString rowText(std::size_t index) const;
    void choose(int index);
    /// Shows the whole of an event in the window, with a little around it.
    void showWhole(std::size_t index);
    /// The event that is selected, here or elsewhere; -1 for none.
    [[nodiscard]] int chosen() const;
    /// What the rows are sorted by: 0 time, 1 bus, 2 kind, 3 name, 4 why, 5 how long.
    void sortBy(int column, bool descending);

protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

private:
    class Rows;
    friend class Rows;
    void refresh();
    void arrange();
    void mark();

    std::vector<std::uint32_t> order_;          // of what is shown, places in the desk's list
    std::uint64_t known_ = 0;
    int sorted_ = 0;
    bool descending_ = false;
    QWidget* tools_;
    QToolButton* kinds_;
    QComboBox* bus_;
    QLineEdit* name_;
    Rows* rows_;
    QLabel* notKept_;
};

}  // namespace wavetrope::app
