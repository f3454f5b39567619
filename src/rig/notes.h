// SPDX-License-Identifier: GPL-3.0-or-later
// Notes on frames and moments of a run, kept beside its log.
#pragma once

#include <string>
#include <vector>

#include "base/error.h"
#include "can/frame.h"
#include "trace/trace.h"

namespace wavetrope::rig {

/// A note on a frame, or on a moment.
struct Note {
    std::uint64_t uid = 0;              ///< Identity while the run is open.
    Time time{};
    trace::Row row = trace::noRow;      ///< Of the frame; noRow for a moment.
    std::string text;

    friend bool operator==(const Note&, const Note&) = default;
};

/// The notes of one run, in the order of time.
class Notes {
public:
    /// Reads those of a log; none where there is no file of them.
    [[nodiscard]] static Expected<Notes> load(const std::string& log);
    /// Writes them beside a log; without notes, there is no file.
    [[nodiscard]] Expected<void> save(const std::string& log) const;
    /// The file beside a log.
    [[nodiscard]] static std::string fileOf(const std::string& log) { return log + ".notes.json"; }

    [[nodiscard]] const std::vector<Note>& all() const { return notes_; }
    /// Adds a note, or changes the one of its uid; gives the uid.
    std::uint64_t put(Note note);
    void remove(std::uint64_t uid);
    [[nodiscard]] const Note* find(std::uint64_t uid) const;
    /// The first note on a frame, or null.
    [[nodiscard]] const Note* at(trace::Row row) const;
    /// Notes whose text has these words in it, whatever the case of letters; all for none.
    [[nodiscard]] std::vector<const Note*> search(const std::string& words) const;
    /// Turns notes on frames that the trace has otherwise, since the log was changed, into notes on their moments.
    void settle(const trace::Snapshot& snapshot);

private:
    std::vector<Note> notes_;
    std::uint64_t next_ = 1;
};

}  // namespace wavetrope::rig
