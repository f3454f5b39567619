// SPDX-License-Identifier: GPL-3.0-or-later
// How much of the traffic the databases explain.
#pragma once

#include <string>
#include <vector>

#include "can/bit_rate.h"
#include "database/catalog.h"
#include "database/review.h"
#include "trace/trace.h"

namespace wavetrope::measure {

enum class CoverageClass : std::uint8_t { explained, transport, unexplained };
[[nodiscard]] const char* toText(CoverageClass kind);

/// One identifier of one bus as it was seen.
struct CoveredIdentifier {
    std::uint8_t bus = 0;
    can::Identifier id{};
    CoverageClass kind = CoverageClass::unexplained;
    const database::CatalogMessage* message = nullptr;  ///< Where explained.
    trace::IdentifierIndex identifier = 0;
    std::uint64_t frames = 0;
    Time busy{};                    ///< On the wire, intermissions included; 0 where the bit rate is not known.
    std::uint64_t shorter = 0;      ///< Frames with fewer bytes than defined.
    std::uint64_t longer = 0;       ///< With more bytes than defined.
    Time meanPeriod{};              ///< 0 for fewer than two frames.
    trace::Row first = trace::noRow;
};

/// What is explained of a trace. Error frames carry no identifier and do not count.
struct Coverage {
    std::vector<CoveredIdentifier> identifiers;     ///< Unexplained first, then by frames.
    std::vector<const database::CatalogMessage*> neverSeen;
    std::vector<database::Conflict> conflicts;      ///< Of two databases, where they define differently.

    [[nodiscard]] std::uint64_t count(CoverageClass kind) const;
    [[nodiscard]] std::uint64_t frames(CoverageClass kind) const;
    [[nodiscard]] Time busy(CoverageClass kind) const;
    [[nodiscard]] std::uint64_t allFrames() const;
    [[nodiscard]] Time allBusy() const;
};

/// Counts by identifier and length, without reading payloads; time on the wire is taken from the measures' totals, which
/// the caller gives by identifier index, or empty.
[[nodiscard]] Coverage coverageOf(const trace::Snapshot& snapshot, const database::Catalog& catalog, const std::vector<Time>& busyOf = {});

/// What the recorded traffic says against a database that is attached to a bus of the catalog: cycle times that are not
/// kept, payloads of another length.
[[nodiscard]] std::vector<database::Finding> reviewTraffic(const Coverage& coverage, const database::Database& database);

/// All identifiers of a trace that a message explains, in the order of their first appearance.
[[nodiscard]] std::vector<trace::IdentifierIndex> identifiersOf(const trace::Trace& trace, const database::CatalogMessage& message);
/// Newest row before `limit` that a message explains, or noRow.
[[nodiscard]] trace::Row newestOf(const trace::Snapshot& snapshot, const database::CatalogMessage& message, trace::Row limit);

}  // namespace wavetrope::measure
