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
    can::Time offset{0};                    ///< To be added to the second log's stamps.
    std::vector<MatchedFrames> matched;     ///< By it, within the tolerance; in the order of the first log.
    std::uint64_t comparable = 0;           ///< Frames that could have matched.
};

/// Looks for the offset at which most frames of the second log are frames of the first: same identifier and payload, of a
/// kind that occurs once or twice in either, at one distance in time. No match where the logs share no such frames.
[[nodiscard]] LogAlignment alignLogs(const trace::Snapshot& first, const trace::Snapshot& second, can::Time tolerance = std::chrono::milliseconds(1));
/// The frames that match at a given offset.
[[nodiscard]] LogAlignment matchesAt(const trace::Snapshot& first, const trace::Snapshot& second, can::Time offset, can::Time tolerance = std::chrono::milliseconds(1));

}  // namespace wavetrope::measure
