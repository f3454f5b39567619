// SPDX-License-Identifier: GPL-3.0-or-later
// All that happened in a window's run or log, as one list.
#pragma once

#include <QElapsedTimer>
#include <QObject>

#include <array>
#include <memory>
#include <set>
#include <vector>

#include "app/stage/stage.h"
#include "drive/dialogue_spec.h"
#include "measure/happenings.h"

namespace wavetrope::app {

class NewestWork;

/// Conditions, signals out of their range, beats, bursts, error frames, states, notes and marks, in order. They are looked for on a thread
/// of its own as long as somebody looks at the list; until then there is what is measured anyway. Timeline and list show the same.
class EventDesk : public QObject {
    Q_OBJECT
public:
    explicit EventDesk(Stage& stage);
    ~EventDesk() override;

    [[nodiscard]] const std::vector<measure::Event>& all() const { return all_; }
    [[nodiscard]] std::uint64_t notKept() const { return notKept_; }
    [[nodiscard]] const QString& problem() const { return problem_; }
    /// How many there are of each kind.
    [[nodiscard]] const std::array<std::size_t, measure::eventKindCount>& counts() const { return counts_; }
    /// Kinds that are shown.
    [[nodiscard]] bool shows(measure::EventKind kind) const { return shown_[static_cast<std::size_t>(kind)]; }
    void show(measure::EventKind kind, bool on);
    /// Turns with every change of the list, and of what is shown.
    [[nodiscard]] std::uint64_t version() const { return version_; }

    void look(const QObject* who, bool looks);
    /// Whether what was looked for is all that is there.
    [[nodiscard]] bool settled() const;
    /// Puts the cursor on an event and selects it.
    void choose(const measure::Event& event);
    /// The next event that is shown behind the cursor, or the one before it; false where there is none.
    bool goNext(bool back);

Q_SIGNALS:
    void changed();

private:
    struct Search;
    void begin();
    void ask();
    void take(std::vector<measure::Event> found, const Search& search, std::uint64_t rows, bool over);
    void gather();
    [[nodiscard]] std::uint8_t busOf(const drive::DialogueSpec& spec) const;
    void count();
    [[nodiscard]] bool over() const;

    Stage& stage_;
    std::shared_ptr<Search> search_;            // null as long as nobody looked
    std::vector<measure::Event> found_;
    std::vector<measure::Event> all_;
    std::array<std::size_t, measure::eventKindCount> counts_{};
    std::array<bool, measure::eventKindCount> shown_;
    std::uint64_t notKept_ = 0, version_ = 0;
    QString problem_;
    std::set<const QObject*> lookers_;
    std::uint64_t foundRows_ = 0;
    bool foundOver_ = false, searching_ = false;
    std::size_t measuredKnown_ = 0;
    Time measuredUntil_{};
    QElapsedTimer since_;
    NewestWork* work_;
};

}  // namespace wavetrope::app
