// SPDX-License-Identifier: GPL-3.0-or-later
// Who takes how much of a bus.
#pragma once

#include "app/stage/newest_work.h"
#include "app/stage/view.h"
#include "measure/load_shares.h"

class QButtonGroup;
class QLabel;

namespace wavetrope::app {

class BusChoice;

/// Bars of bus time by message, sender, kind of frame or class of protocol message, the largest first, with percent, frames and bits per
/// second: of a burst that is chosen, else from A to B where both marks are set, else of the window. Worked out on a thread of its own.
class SharesView : public View {
    Q_OBJECT
public:
    explicit SharesView(Stage& stage);
    QWidget* tools() override { return tools_; }
    nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;

    [[nodiscard]] std::size_t count() const;
    /// What a row says, tab-separated.
    [[nodiscard]] QString rowText(std::size_t index) const;
    /// Of which stretch of time the rows are.
    [[nodiscard]] const measure::LoadShares& shares() const { return shares_; }
    /// Whether they are of the bus, kind and stretch that are chosen now.
    [[nodiscard]] bool settled() const override { return settled_; }

protected:
    void showEvent(QShowEvent* event) override;

private:
    class Rows;
    void rebuild();
    void ask();
    void take(measure::LoadShares shares);

    // In front of the rows, which look at them from the beginning.
    unsigned bus_ = 0;
    measure::ShareBy by_ = measure::ShareBy::message;
    measure::LoadShares shares_;
    bool settled_ = false;
    QWidget* tools_;
    BusChoice* busBox_;
    QButtonGroup* modes_;
    QLabel* facts_;
    Rows* rows_;
    NewestWork* work_;
    bool ofBurst_ = false;
    unsigned beats_ = 0;
};

}  // namespace wavetrope::app
