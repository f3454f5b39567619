// SPDX-License-Identifier: GPL-3.0-or-later
// One row for each identifier of each bus.
#pragma once

#include "app/roster/roster_rows.h"
#include "app/stage/filter_line.h"
#include "app/stage/view.h"

namespace wavetrope::app {

/// The roster: filter line and rows.
class RosterView : public View {
    Q_OBJECT
public:
    explicit RosterView(Stage& stage);
    QWidget* tools() override { return filterLine_; }
    nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;
    [[nodiscard]] FilterLine* filterLine() override { return filterLine_; }
    [[nodiscard]] RosterRows* rows() { return rows_; }

private:
    FilterLine* filterLine_;
    RosterRows* rows_;
};

}  // namespace wavetrope::app
