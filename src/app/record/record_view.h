// SPDX-License-Identifier: GPL-3.0-or-later
// The conditions and recordings of the rig: what is so, what is kept, and why.
#pragma once

#include <QLabel>

#include <atomic>
#include <memory>
#include <optional>
#include <thread>

#include "app/stage/view.h"
#include "rules/rehearsal.h"

namespace wavetrope::app {

/// In a run: how each condition is and was, what each recording does, with start and stop by hand. In a log: the rehearsal,
/// as if it came now.
class RecordView : public View {
    Q_OBJECT
public:
    explicit RecordView(Stage& stage);
    ~RecordView() override;
    QWidget* tools() override { return facts_; }

    /// Starts a recording by hand, or stops it.
    void startOrStop(std::size_t recording);
    /// Whether all of a log has been rehearsed.
    [[nodiscard]] bool rehearsed() const { return rehearsed_ != nullptr; }
    /// What the rows say, for assistive technology and tests.
    [[nodiscard]] QString conditionText(std::size_t index) const;
    [[nodiscard]] QString recordingText(std::size_t index) const;
    [[nodiscard]] std::size_t conditionCount() const { return conditions_.size(); }
    [[nodiscard]] std::size_t recordingCount() const { return recordings_.size(); }

private:
    class Conditions;
    class Recordings;
    struct Row {
        QString name, words;
        bool now = false, known = true;
        std::uint64_t met = 0;
        std::optional<Time> last;
    };
    struct Recording {
        QString name, sentence, state, below, never;
        rules::Rules::Phase phase = rules::Rules::Phase::armed;
        bool armed = false;
        std::size_t session = 0;        // its number among those that are armed
        double buffer = -1;             // how full of what it may have from before, 0 to 1; below 0: it has none
    };
    void refresh();
    void rehearse();
    /// Sorts stretches out by condition.
    void takeStretches(const std::vector<rules::TrueStretch>& stretches, std::size_t conditions);

    QLabel* facts_;
    QLabel* recordingsHead_;
    QLabel* folder_;
    Conditions* conditionRows_;
    Recordings* recordingRows_;
    std::vector<Row> conditions_;
    std::vector<Recording> recordings_;
    std::shared_ptr<const rig::Session::RulesHistory> history_;
    std::shared_ptr<const rules::Rehearsed> rehearsed_;
    std::thread rehearsing_;
    std::atomic<bool> leaving_{false};
    struct Span {
        Time from, to;                  // to: beyond all time where it still is true
    };
    std::vector<std::vector<Span>> spans_;      // of each condition, in order
    unsigned beats_ = 0;
    int chosenCondition_ = -1, chosenRecording_ = -1;
};

}  // namespace wavetrope::app
