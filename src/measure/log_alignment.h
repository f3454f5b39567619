// SPDX-License-Identifier: GPL-3.0-or-later
// How much later one log's clock is than another's, told by frames that both hold.
#pragma once

#include <vector>

#include "trace/trace.h"

namespace wavetrope::measure {

/// Frames of two logs that are the same one.
struct MatchedFrames {
    trace::Row first = 0;
    trace::Row second = 0;
};

struct LogAlignment {
    Time offset{0};                    ///< To be added to the second log's stamps.
    std::vector<MatchedFrames> matched;     ///< By it, within the tolerance; in the order of the first log.
    std::uint64_t comparable = 0;           ///< Frames that could have matched.
};

/// Frames of two logs that could be the same one: same identifier and payload, of a content that occurs once or twice in
/// either. Going through the logs is done once; what matches at an offset is then a search.
class LogPairs {
public:
    LogPairs() = default;
    LogPairs(const trace::Snapshot& first, const trace::Snapshot& second);

    /// The offset at which most of them are at one distance in time. No match where there are none.
    [[nodiscard]] LogAlignment best(Time tolerance = std::chrono::milliseconds(1)) const;
    /// Those that match at an offset.
    [[nodiscard]] LogAlignment at(Time offset, Time tolerance = std::chrono::milliseconds(1)) const;

private:
    struct Pair {
        Time distance;
        MatchedFrames rows;
    };
    std::vector<Pair> pairs_;       // by distance
    std::uint64_t comparable_ = 0;
};

}  // namespace wavetrope::measure
