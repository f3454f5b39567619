// SPDX-License-Identifier: GPL-3.0-or-later
// What the curves of the lanes do from mark A to mark B.
#pragma once

#include <memory>

#include "app/stage/curve_desk.h"
#include "app/stage/newest_work.h"
#include "app/stage/view.h"
#include "measure/interval_measures.h"

class QLabel;
class QToolButton;

namespace wavetrope::app {

/// A row for each curve of the lanes in sight: at A, at B, difference, slope, samples, smallest, largest, mean over time, RMS, deviation,
/// integral; exact over the samples, worked out on a thread of its own. Signals with texts tell their values in words.
class BetweenView : public View {
    Q_OBJECT
public:
    explicit BetweenView(Stage& stage);
    QWidget* tools() override { return tools_; }

    [[nodiscard]] std::size_t count() const;
    /// What a row says, tab-separated.
    [[nodiscard]] QString rowText(std::size_t index) const;
    /// All rows with their heads.
    [[nodiscard]] QString allText() const;
    [[nodiscard]] QString csv() const override { return csvFromTabs(allText()); }
    /// Whether what is shown is of the marks and curves as they are.
    [[nodiscard]] bool settled() const override { return settled_; }

protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

private:
    class Rows;
    struct Row {
        CurveSource source;
        std::shared_ptr<measure::SignalSeries> series;
        measure::IntervalMeasures measures;
    };
    void ask();
    void take(std::vector<Row> rows);

    QWidget* tools_;
    QLabel* facts_;
    QToolButton* copy_;
    Rows* rows_;
    std::vector<Row> shown_;
    bool settled_ = false;
    NewestWork* work_;
};

}  // namespace wavetrope::app
