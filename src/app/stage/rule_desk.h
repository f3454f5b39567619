// SPDX-License-Identifier: GPL-3.0-or-later
// The conditions and recordings of a window's rig as they are edited, beside those that the run follows.
#pragma once

#include <QObject>
#include <QString>
#include <QStringList>
#include <QUndoStack>

#include <map>
#include <vector>

#include "app/paint/take_shape.h"
#include "rig/rule_text.h"
#include "rules/near_miss.h"
#include "rules/rehearsal.h"

namespace wavetrope::app {

class Stage;

/// A take as it is drawn; one that goes on reaches to the newest moment.
[[nodiscard]] TakeShape shapeOf(const rules::Take& take, const rig::RecordingSpec& spec, bool goesOn, Time newest, TakeShape::Form form);

/// Those files that are there.
[[nodiscard]] QStringList filesThere(const std::vector<std::string>& files);

/// Drags files from a widget until they are dropped: onto playback, onto a window to open them, into other programs.
void dragFiles(QWidget* from, const QStringList& files);

/// Every change goes through here, into the rig's document, and can be undone. A run goes on following what is armed until
/// `arm`.
class RuleDesk : public QObject {
    Q_OBJECT
public:
    explicit RuleDesk(Stage& stage);

    [[nodiscard]] QUndoStack& undoStack() { return undo_; }
    [[nodiscard]] const rig::Rig& rig() const;
    /// What the run follows; of a log nothing.
    [[nodiscard]] const rig::Rig& armed() const { return armed_; }
    /// Whether the run follows something else than the rig says.
    [[nodiscard]] bool differs() const;
    /// The armed one of that name, or null.
    [[nodiscard]] const rig::EventSpec* armedCondition(const std::string& name) const;
    [[nodiscard]] const rig::RecordingSpec* armedRecording(const std::string& name) const;

    /// Gives a condition a name and what it hangs on, as people write it; an index behind the last adds one. Where the name
    /// is another, the recordings name it so from now on. Errors say what is wrong, and nothing is changed.
    [[nodiscard]] Expected<void> setCondition(std::size_t index, const QString& name, const QString& words);
    /// An error where recordings hang on it.
    [[nodiscard]] Expected<void> removeCondition(std::size_t index);
    [[nodiscard]] Expected<void> setField(std::size_t recording, rig::RecordingField field, const QString& text);
    /// Adds one that starts with a condition; without, at the run's begin. Gives its index.
    std::size_t addRecording(const std::string& start);
    void removeRecording(std::size_t index);
    /// When playback plays and rests, over conditions; empty: by hand.
    [[nodiscard]] Expected<void> setPlayback(const rig::PlaybackSpec& spec);
    /// A name that none of them has: "condition 3".
    [[nodiscard]] QString freeName(bool condition) const;
    /// What a rehearsal found, for whoever draws takes over the run.
    void setTried(std::vector<TakeTier> tiers);
    [[nodiscard]] const std::vector<TakeTier>& tried() const { return tried_; }
    /// Why conditions were never true, by name, as far as that was looked for.
    void setMisses(std::map<std::string, rules::NearMiss> misses) { misses_ = std::move(misses); }
    [[nodiscard]] const rules::NearMiss* missOf(const std::string& name) const
    {
        const auto found = misses_.find(name);
        return found == misses_.end() ? nullptr : &found->second;
    }
    /// The takes of the run so far, a tier for each recording that has some.
    [[nodiscard]] std::vector<TakeTier> kept() const;
    /// The files of the newest take of a recording that are still there.
    [[nodiscard]] QStringList newestTake(const std::string& recording) const;
    /// Has the run follow what the rig says now; takes that go on end. An error leaves it as it is.
    [[nodiscard]] Expected<void> arm();

Q_SIGNALS:
    /// The rig's rules, or what is armed, are others.
    void changed();
    /// What was tried is something else.
    void triedChanged();

private:
    class Change;
    [[nodiscard]] Expected<void> put(rig::RuleDocument next, const QString& what, const std::string& place);
    void replace(const rig::RuleDocument& rules);

    Stage& stage_;
    QUndoStack undo_;
    rig::Rig armed_;                    // its rules alone
    rig::RuleDocument armedDocument_;
    std::vector<TakeTier> tried_;
    std::map<std::string, rules::NearMiss> misses_;
};

}  // namespace wavetrope::app
