// SPDX-License-Identifier: GPL-3.0-or-later
// The rules of a rig over a whole trace, as if it came now.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "rules/rules.h"
#include "trace/trace.h"

namespace wavetrope::rules {

/// A stretch over which a condition is true.
struct TrueStretch {
    std::size_t condition = 0;
    Time from{};
    std::optional<Time> to;         ///< Nothing: it still is at the end.
    std::uint8_t bus = 0;           ///< Of the frame that made it true, where its kind is `frames`.
};

/// A take that would come.
struct Take {
    std::size_t recording = 0;
    std::uint64_t number = 1;       ///< Of the recording, from 1.
    Time begins{};
    std::string why;                ///< It begins.
    Time ends{};
    std::string whyEnds;
    std::uint64_t frames = 0;
};

/// What came of it. Both are in the order of their beginnings; those of one instant in the order of the rig.
struct Rehearsed {
    std::vector<TrueStretch> stretches;
    std::vector<Take> takes;
    std::string problem;            ///< Why it ended early, or empty.
};

/// Is given what the takes of a rehearsal keep, in order; several go on side by side.
class TakeKeeper {
public:
    virtual ~TakeKeeper() = default;
    TakeKeeper() = default;
    TakeKeeper(const TakeKeeper&) = delete;
    TakeKeeper& operator=(const TakeKeeper&) = delete;
    virtual void begins(const Take& take) = 0;
    virtual void keeps(std::size_t recording, const can::FrameView& frame) = 0;
    virtual void ends(const Take& take) = 0;
};

/// What a rehearsal is asked for.
struct RehearsalOptions {
    bool stretches = true;          ///< Those of the conditions are wanted.
    TakeKeeper* keeper = nullptr;   ///< Is given the frames; without, they are counted.
    std::function<bool(std::uint64_t rows)> goesOn = {};    ///< Asked now and then; false ends it early.
    std::uint64_t mostInstants = 200'000'000;   ///< At which something comes by itself, a silence or an `every`.
    std::size_t mostStretches = 50'000'000;     ///< Of conditions, in memory.
};

/// Goes through a trace in the order of its rows. `rates` are those of its buses, by index.
[[nodiscard]] Rehearsed rehearse(
    const trace::Snapshot& snapshot, RuleSet rules, std::vector<can::BitRate> rates, const RehearsalOptions& options = {});

}  // namespace wavetrope::rules
