// SPDX-License-Identifier: GPL-3.0-or-later
// Who takes how much of a bus.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "can/bit_rate.h"
#include "database/catalog.h"
#include "trace/trace.h"

namespace wavetrope::measure {

/// By what a bus's traffic is told apart.
enum class ShareBy : std::uint8_t {
    message,        ///< Its name; the identifier where no database explains it.
    sender,         ///< The node that the database names; `unknown` where there is none, and of remote and error frames.
    kind,           ///< data, fd, remote, error.
    protocolClass,  ///< As the higher protocols of the bus tell; `plain` without.
};
[[nodiscard]] std::optional<ShareBy> shareByFromText(std::string_view word);

/// What one of them took.
struct LoadShare {
    unsigned bus = 0;
    std::string what;
    std::uint64_t frames = 0;
    std::uint64_t bits = 0;     ///< On the wire, with the 3 of intermission of each frame.
    Time busy{};                ///< Time for which they occupied the bus, within the range.
    std::optional<trace::IdentifierIndex> identifier;   ///< Where all of them have the same.
};

struct LoadShares {
    Time from{}, to{};
    std::vector<LoadShare> shares;      ///< By bus; the largest busy time first, equal ones by `what`.
};

/// Stretch of time; an end that is not given is that of the frames: from the first bit of the frame with the earliest stamp, to the
/// latest stamp.
struct ShareRange {
    std::optional<Time> from, to;
};

/// The class of a kind of frames of an identifier, where buses speak higher protocols.
using ClassOf = std::function<std::string(const trace::TraceKey&, can::FrameKind)>;

/// The frames of a snapshot whose stamps lie in the range, both ends included. Each occupies its bus from its first bit to the end of
/// its intermission; what lies outside of the range is cut off. `rates` by bus; one that is not known, or of a bus behind the last,
/// has no busy time.
/// `goesOn` is asked now and then; nothing is given where it ended the work.
[[nodiscard]] std::optional<LoadShares> loadShares(const trace::Snapshot& snapshot, const database::Catalog& catalog,
    const std::vector<can::BitRate>& rates, ShareBy by, const ShareRange& range, const std::function<bool(trace::Row)>& goesOn = {},
    const ClassOf& classOf = {});

}  // namespace wavetrope::measure
