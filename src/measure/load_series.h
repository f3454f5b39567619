// SPDX-License-Identifier: GPL-3.0-or-later
// The load of a bus as a curve over time that keeps its peaks at every zoom.
#pragma once

#include <vector>

#include "measure/load_bins.h"
#include "measure/range_levels.h"

namespace wavetrope::measure {

/// Load in per cent, averaged over bins of a span, with levels of detail. Follows a LoadBins that grows.
class LoadSeries {
public:
    /// `span` is rounded up to a multiple of the bins' own.
    LoadSeries(const LoadBins& bins, Time span);

    /// Brings in what the bins gained.
    void update(const LoadBins& bins);

    [[nodiscard]] Time span() const { return span_; }
    [[nodiscard]] bool empty() const { return values_.empty(); }
    [[nodiscard]] Time start() const { return Time(firstBin_ * span_.count()); }
    [[nodiscard]] Time end() const { return Time((firstBin_ + static_cast<std::int64_t>(values_.size())) * span_.count()); }
    /// Load of the bin that holds a moment; 0 outside.
    [[nodiscard]] double at(Time time) const;
    /// Lowest, highest and mean load of the bins that begin in [from, to), at least the one that holds `from`.
    [[nodiscard]] RangeSummary over(Time from, Time to) const;
    /// Start of the bin with the highest load that begins in [from, to).
    [[nodiscard]] Time peakIn(Time from, Time to) const;

private:
    static constexpr std::size_t mostBins = 40'000'000;
    [[nodiscard]] std::int64_t indexOf(Time time) const;

    Time span_;
    std::int64_t perBin_ = 1;
    std::int64_t firstBin_ = 0;
    std::vector<double> values_;
    RangeLevels levels_;
};

}  // namespace wavetrope::measure
