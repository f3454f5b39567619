// SPDX-License-Identifier: GPL-3.0-or-later
// A condition over a stream of frames: when it becomes true, holds, and ends.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "filter/filter_stream.h"
#include "trace/trace.h"

namespace wavetrope::filter {

/// A named condition of the rig.
struct ConditionSpec {
    std::string name;
    Filter filter;
    Time hold{};                    ///< How long it has to hold before it counts.
};

/// What a frame says about a condition.
struct ConditionStep {
    bool says = false;              ///< The frame says something about it.
    bool began = false;             ///< It counts as true from `from` on, and did not before.
    Time from{};                    ///< When it became true; with a hold time: when that had passed.
    bool holds = false;             ///< It counts as true behind this frame.
    bool ended = false;             ///< It counted as true up to this frame, and does not any more.
};

/// Takes frames one after the other. A frame that does not carry what the filter speaks of says nothing: what was true stays
/// true. A hold time is over where a frame that says something comes that late after the condition became true, whatever that
/// frame says: it held up to there.
class Condition {
public:
    explicit Condition(ConditionSpec spec, Time origin = {}) : spec_(std::move(spec)), stream_(spec_.filter, origin) {}

    /// The next frame, with its identifier in the trace.
    [[nodiscard]] ConditionStep next(const can::FrameView& frame, trace::IdentifierIndex identifier, const trace::TraceKey& key);
    /// The start of the run or log, from which times in the filter count.
    void setOrigin(Time origin) { stream_.setOrigin(origin); }
    [[nodiscard]] const ConditionSpec& spec() const { return spec_; }

private:
    ConditionSpec spec_;
    FilterStream stream_;
    std::vector<std::optional<Verdict>> verdicts_;      // by identifier, as far as they were seen
    bool true_ = false;                 // what the last frame said
    bool counts_ = false;               // and for as long as it has to
    Time since_{};
};

}  // namespace wavetrope::filter
