// SPDX-License-Identifier: GPL-3.0-or-later
// All that happened in a run or log, as one list.
#pragma once

#include <array>
#include <memory>
#include <string>
#include <vector>

#include "measure/events.h"
#include "measure/samples.h"
#include "protocol/spoken.h"

namespace wavetrope::measure {

/// The order of lists: by their beginnings; those of one instant by kind, bus and name.
[[nodiscard]] bool inOrder(const Event& a, const Event& b);

/// Conditions, signals out of their range, beats, bursts, error frames by class, states of controllers, and what goes wrong in higher protocols,
/// found row by row as a trace
/// grows. The window and the command line list what this finds.
class Happenings {
public:
    struct Options {
        std::vector<rules::ConditionRule> conditions{};  ///< Of the rig, those that are known.
        std::vector<std::string> buses{};  ///< Names of the trace's buses, and their rates.
        std::vector<can::BitRate> rates{};
        std::vector<std::vector<protocol::Spoken>> spoken{};  ///< By bus, what it speaks.
        std::array<bool, eventKindCount> kinds{true, true, true, true, true, true, true, true, true, true};
        std::size_t most = 100'000;  ///< Kept of each condition's, message's or signal's kind.
    };
    Happenings(std::shared_ptr<const database::Catalog> catalog, Options options);
    ~Happenings();

    /// Takes in the rows that a snapshot has more, on several threads (0: as many as there are cores). False where it was told to end;
    /// it then goes on from there.
    bool advance(const trace::Snapshot& snapshot, const GoesOn& goesOn, unsigned threads = 0);
    /// No more rows come: what ends with the log ends, and beats that did not come back are told. Once, behind `advance`.
    void finish(const trace::Snapshot& snapshot);

    /// All of them, in order. `newest` is where open ones reach to.
    [[nodiscard]] std::vector<Event> all(Time newest) const;
    /// How many were not kept because there are too many.
    [[nodiscard]] std::uint64_t notKept() const;
    /// Why a part of it ended early, or empty.
    [[nodiscard]] std::string problem() const;
    /// Turns with anything new.
    [[nodiscard]] std::uint64_t changes() const;

    class Follower;

private:
    std::vector<std::unique_ptr<Follower>> followers_;
};

}  // namespace wavetrope::measure
