// SPDX-License-Identifier: GPL-3.0-or-later
// Where in time the matches of a filter lie, for a strip that shows a whole log.
#pragma once

#include <array>
#include <mutex>
#include <vector>

#include "filter/row_set.h"

namespace wavetrope::filter {

/// For each segment that holds matches, the stretches of its time that do: 2,048 of equal length, a bit for each. One
/// thread advances, behind the scan and while the segments it looks at are at hand; any thread asks. What is asked costs
/// as much as there are segments, and needs none of them.
class MatchTimes {
public:
    /// Takes in what a scan has found in the rows up to `seen`, at most so many segments of it. True when that was all.
    bool advance(const trace::Snapshot& snapshot, const RowSet& rows, std::uint64_t seen, std::size_t most = ~std::size_t{0});
    /// Rows that went in.
    [[nodiscard]] std::uint64_t seen() const;
    /// Of `places` equal stretches from one time to another, those with matches. A match may be told a stretch of its
    /// segment, one part in 2,048, beside its place.
    [[nodiscard]] std::vector<bool> marks(Time from, Time to, std::size_t places) const;

private:
    static constexpr std::size_t parts = 2048;
    struct Part {
        Time first{}, last{};
        std::array<std::uint64_t, parts / 64> bits{};
    };
    mutable std::mutex mutex_;
    std::vector<Part> parts_;
    std::vector<std::uint32_t> segments_;   // of each part
    std::uint64_t seen_ = 0;
};

}  // namespace wavetrope::filter
