// SPDX-License-Identifier: GPL-3.0-or-later
// Which nodes were heard, by the messages that the databases say are theirs.
#pragma once

#include <string>
#include <vector>

#include "database/catalog.h"
#include "trace/time_index.h"
#include "trace/trace.h"

namespace wavetrope::measure {

/// One sender of a bus as it stood at a row of the trace.
struct SenderMoment {
    std::string node;
    std::uint8_t bus = 0;
    unsigned messages = 0;          ///< That the databases name it the sender of.
    unsigned seen = 0;              ///< Of those, seen before the row.
    std::uint64_t frames = 0;
    trace::Row newest = trace::noRow;
    std::vector<bool> heard;        ///< For each stretch of the span, whether a frame of it lies there.
};

/// All senders that the databases name, in the order of the buses. `heard` divides `from`..`to` into `stretches`;
/// rows at or behind `limit` do not count. Costs lookups, not a scan.
[[nodiscard]] std::vector<SenderMoment> sendersAt(const trace::Snapshot& snapshot, const trace::TimeIndex& order,
    const database::Catalog& catalog, trace::Row limit, Time from, Time to, unsigned stretches);

}  // namespace wavetrope::measure
