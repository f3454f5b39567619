// SPDX-License-Identifier: GPL-3.0-or-later
// The dialogues of a window's rig, in its run or over its log.
#pragma once

#include <QObject>

#include <vector>

#include "drive/dialogue.h"

namespace wavetrope::app {

class NewestWork;
class Stage;

/// Those of a run tell of themselves; over a log they are followed on a thread of their own, once it has been read.
class DialogueDesk : public QObject {
    Q_OBJECT
public:
    explicit DialogueDesk(Stage& stage);

    /// In the order of the rig; none while a log is followed.
    [[nodiscard]] const std::vector<drive::DialogueFacts>& all() const { return all_; }
    /// Whether a log is being followed.
    [[nodiscard]] bool following() const { return following_; }
    /// Why a dialogue is not followed over the log, or empty.
    [[nodiscard]] const QString& problem() const { return problem_; }

Q_SIGNALS:
    /// A rule was broken, or another log was followed.
    void changed();

private:
    void refresh();
    void followLog();

    Stage& stage_;
    NewestWork* work_;
    std::vector<drive::DialogueFacts> all_;
    bool following_ = false;
    std::uint64_t broken_ = 0;
    QString problem_;
};

}  // namespace wavetrope::app
