// SPDX-License-Identifier: GPL-3.0-or-later
// The line at the foot of a window: how the run does, and how the views stand to it.
#pragma once

#include <QLabel>
#include <QStatusBar>
#include <QTimer>

#include "app/stage/stage.h"
#include "clock/pacer.h"

namespace wavetrope::app {

/// Says it again four times a second, whether frames come or not.
class StatusLine : public QStatusBar {
    Q_OBJECT
public:
    explicit StatusLine(Stage& stage, QWidget* parent = nullptr);

    /// Frames, frames a second, losses, what is kept where, identifiers.
    [[nodiscard]] QString facts() const { return facts_->text(); }
    /// How the views stand to the run, or what was told last.
    [[nodiscard]] QString state() const { return state_->text(); }
    /// Says something for eight seconds in place of the state.
    void tell(const QString& text);
    void refresh();

private:
    [[nodiscard]] QString factsNow();
    [[nodiscard]] QString stateNow() const;
    [[nodiscard]] QStringList runFacts(std::uint64_t rows);
    /// Of how many identifiers the catalog has a definition.
    [[nodiscard]] std::size_t explained();

    Stage& stage_;
    QLabel* facts_;
    QLabel* state_;
    QTimer again_;
    QTimer told_;                   ///< Runs while something is told.
    clock::SteadyClock wall_;
    std::uint64_t lastRows_ = 0;
    Time lastAt_{0};
    Time lastRun_{0};
    Time lastStamp_{0};             ///< Of the last frame that was counted.
    double factor_ = 1;
    double rate_ = 0;
    std::shared_ptr<const database::Catalog> countedOf_;
    std::size_t counted_ = 0;       ///< Identifiers that were looked up in that catalog.
    std::size_t explained_ = 0;
};

}  // namespace wavetrope::app
