// SPDX-License-Identifier: GPL-3.0-or-later
// The dialogues of a window's rig, in its run or over its log.
#pragma once

#include <QObject>
#include <QUndoStack>

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
    /// Null where the rig has none of that name.
    [[nodiscard]] const drive::DialogueFacts* find(const QString& name) const;

    /// A time limit, at its place in the rig's document: the side's pointer and "/within". It stands in the rig, and reaches the run when the dialogue
    /// rests or begins anew; a log is followed anew by it. An error leaves all as it is.
    [[nodiscard]] Expected<void> setLimit(const QString& name, const std::string& place, Time limit);
    /// The first partner begins, from whatever phase.
    [[nodiscard]] Expected<void> begin(const QString& name);
    [[nodiscard]] QUndoStack& undoStack() { return undo_; }

Q_SIGNALS:
    /// A rule was broken, another log was followed, or a limit is another one.
    void changed();

private:
    class Change;
    void refresh();
    void followLog();
    [[nodiscard]] Expected<void> replace(std::size_t dialogue, const nlohmann::json& next);

    Stage& stage_;
    NewestWork* work_;
    std::vector<drive::DialogueFacts> all_;
    bool following_ = false;
    std::uint64_t broken_ = 0;
    QString problem_;
    QUndoStack undo_;
};

}  // namespace wavetrope::app
