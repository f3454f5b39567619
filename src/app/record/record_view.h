// SPDX-License-Identifier: GPL-3.0-or-later
// The conditions and recordings of the rig: what is so, what is kept, and why; written, rehearsed and armed in place.
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QSplitter>

#include <vector>

#include "app/record/condition_rows.h"
#include "app/record/recording_rows.h"
#include "app/record/rehearsal_rows.h"
#include "app/record/rehearsing.h"
#include "app/stage/view.h"

namespace wavetrope::app {

/// In a run: how each condition is and was, what each recording does, with start and stop by hand; what was changed stands
/// beside what is armed, and is rehearsed over the run so far. In a log: the rehearsal, as if it came now.
class RecordView : public View {
    Q_OBJECT
public:
    explicit RecordView(Stage& stage);
    QWidget* tools() override { return tools_; }
    [[nodiscard]] QUndoStack* undoStack() override { return &stage().rules().undoStack(); }

    /// Starts a recording by hand, or stops it.
    void startOrStop(std::size_t recording);
    /// Has the run follow what the rig says now.
    void arm();
    /// Whether the rules as they stand have been rehearsed over all that there is.
    [[nodiscard]] bool rehearsed() const { return rehearsing_->done(); }
    [[nodiscard]] ConditionRows& conditions() { return *conditionRows_; }
    [[nodiscard]] RecordingRows& recordings() { return *recordingRows_; }
    [[nodiscard]] RehearsalRows& rehearsal() { return *rehearsalRows_; }
    /// What the rows say, for assistive technology and tests.
    [[nodiscard]] QString conditionText(std::size_t index) const { return conditionRows_->rowText(index); }
    [[nodiscard]] QString recordingText(std::size_t index) const { return recordingRows_->rowText(index); }
    [[nodiscard]] std::size_t conditionCount() const { return conditionRows_->rows().size(); }
    [[nodiscard]] std::size_t recordingCount() const { return recordingRows_->rows().size(); }

private:
    void refresh();
    void showRehearsal();
    void tellTried(bool differs);
    void choose(Selection::Kind kind, const std::string& name);
    void share();
    void resizeEvent(QResizeEvent* event) override;
    void showEvent(QShowEvent* event) override;
    [[nodiscard]] std::vector<ConditionRow> conditionRowsNow(const rig::CompiledRules& compiled);
    [[nodiscard]] std::vector<RecordingRow> recordingRowsNow(const rig::CompiledRules& compiled, unsigned& armed, unsigned& keep);

    QWidget* tools_;
    QLabel* facts_;
    QLabel* recordingsHead_;
    QLabel* folder_;
    QLabel* rehearsalHead_;
    QPushButton* takeBack_;
    QPushButton* armAsChanged_;
    QSplitter* split_ = nullptr;
    bool dragged_ = false;
    QList<int> shared_;                 // heights that were given last
    ConditionRows* conditionRows_;
    RecordingRows* recordingRows_;
    RehearsalRows* rehearsalRows_;

    Rehearsing* rehearsing_;
    unsigned beats_ = 0;
};

}  // namespace wavetrope::app
