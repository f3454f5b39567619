// SPDX-License-Identifier: GPL-3.0-or-later
// Smallest and largest values of the signals of a message, up to any row of a trace.
#pragma once

#include <vector>

#include "database/catalog.h"
#include "measure/range_levels.h"
#include "trace/trace.h"

namespace wavetrope::measure {

/// Follows the frames of one identifier. Keeps a summary for each segment that holds some, so that the state at any row
/// costs a search and the frames of one segment.
class SignalExtremes {
public:
    SignalExtremes(trace::IdentifierIndex identifier, const database::CatalogMessage& message)
        : identifier_(identifier), message_(message), far_(message.plan.signalCount())
    {}

    /// Goes through further whole segments, of at most about so many frames. True when those of the snapshot are done.
    bool advance(const trace::Snapshot& snapshot, std::uint64_t budget = ~std::uint64_t{0});
    /// Of each signal, the values in frames before a row; count 0 where there are none. Of rows behind what `advance` has
    /// seen, those of the segment of the row are looked at.
    [[nodiscard]] std::vector<RangeSummary> before(const trace::Snapshot& snapshot, trace::Row limit) const;
    /// Whether all segments before a row are known.
    [[nodiscard]] bool reaches(trace::Row limit) const { return limit / trace::segmentRows <= nextSegment_; }

private:
    void add(const can::FrameView& frame, std::vector<RangeSummary>& to) const;

    struct Known {
        std::size_t segment;
        std::vector<RangeSummary> upTo;     // its end
    };
    trace::IdentifierIndex identifier_;
    const database::CatalogMessage& message_;
    std::vector<Known> known_;
    std::vector<RangeSummary> far_;         // behind the last known segment
    std::size_t nextSegment_ = 0;
    mutable std::vector<database::Decoded> decoded_;
};

}  // namespace wavetrope::measure
