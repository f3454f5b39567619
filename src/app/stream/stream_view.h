// SPDX-License-Identifier: GPL-3.0-or-later
// Frames in order.
#pragma once

#include <memory>

#include "app/stage/background_scan.h"
#include "app/stage/filter_line.h"
#include "app/stage/view.h"
#include "app/stream/stream_rows.h"

namespace wavetrope::app {

/// The stream: filter line and rows.
class StreamView : public View {
    Q_OBJECT
public:
    explicit StreamView(Stage& stage);
    ~StreamView() override;

    QWidget* tools() override { return filterLine_; }
    nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;

    [[nodiscard]] FilterLine* filterLine() override { return filterLine_; }
    [[nodiscard]] QUndoStack* undoStack() override;
    [[nodiscard]] bool takes(Wish::For what) const override { return what == Wish::For::filter; }
    /// The filter in force.
    [[nodiscard]] QString filterText() const { return QString::fromStdString(filterLine_->filter().text()); }
    [[nodiscard]] StreamRows* rows() { return rows_; }
    [[nodiscard]] const BackgroundScan* scan() const { return scan_.get(); }
    /// What the rows are: all frames, or those that were found.
    [[nodiscard]] const trace::RowSource& source() const;

private:
    void onFilter();
    void onBeat();

    FilterLine* filterLine_;
    StreamRows* rows_;
    std::unique_ptr<BackgroundScan> scan_;  // none while everything passes
    trace::AllRows all_;
    std::unique_ptr<trace::RowSource> found_;
    bool searching_ = false;
};

}  // namespace wavetrope::app
