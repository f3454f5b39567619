// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/load_series.h"

#include <algorithm>

namespace wavetrope::measure {

LoadSeries::LoadSeries(const LoadBins& bins, Time span)
{
    perBin_ = std::max<std::int64_t>(1, (span.count() + bins.span().count() - 1) / bins.span().count());
    span_ = bins.span() * perBin_;
    update(bins);
}

void LoadSeries::update(const LoadBins& bins)
{
    if (bins.empty())
        return;
    const std::int64_t first = floorDivide(bins.first(), perBin_);
    const std::int64_t last = floorDivide(bins.last(), perBin_);
    if (values_.empty() || first < firstBin_) {
        values_.clear();
        levels_.clear();
        firstBin_ = first;
    }
    const auto count = static_cast<std::size_t>(std::min<std::int64_t>(last - firstBin_ + 1, mostBins));
    // Late frames may still fall into the bins just passed: the last 2 s are taken anew.
    const auto back = static_cast<std::size_t>(2'000'000'000 / span_.count() + 2);
    const std::size_t from = values_.size() > back ? values_.size() - back : 0;
    values_.resize(std::max(count, values_.size()));
    for (std::size_t i = from; i < values_.size(); ++i) {
        const std::int64_t base = (firstBin_ + static_cast<std::int64_t>(i)) * perBin_;
        values_[i] = 100.0 * static_cast<double>(bins.busy(base, base + perBin_ - 1)) / static_cast<double>(span_.count());
    }
    levels_.update(values_, from);
}

std::int64_t LoadSeries::indexOf(Time time) const { return floorDivide(time.count(), span_.count()) - firstBin_; }

double LoadSeries::at(Time time) const
{
    const std::int64_t index = indexOf(time);
    return index < 0 || index >= static_cast<std::int64_t>(values_.size()) ? 0 : values_[static_cast<std::size_t>(index)];
}

RangeSummary LoadSeries::over(Time from, Time to) const
{
    const auto size = static_cast<std::int64_t>(values_.size());
    const std::int64_t first = indexOf(from);
    const std::int64_t last = std::max(first + 1, indexOf(to - Time(1)) + 1);
    if (last <= 0 || first >= size) {
        RangeSummary silent;
        silent.add(0);
        return silent;
    }
    return levels_.over(
        values_, static_cast<std::size_t>(std::max<std::int64_t>(0, first)), static_cast<std::size_t>(std::min(last, size)));
}

Time LoadSeries::peakIn(Time from, Time to) const
{
    std::int64_t best = indexOf(from);
    double highest = -1;
    for (std::int64_t i = std::max<std::int64_t>(0, indexOf(from));
        i <= indexOf(to - Time(1)) && i < static_cast<std::int64_t>(values_.size()); ++i)
        if (values_[static_cast<std::size_t>(i)] > highest) {
            highest = values_[static_cast<std::size_t>(i)];
            best = i;
        }
    return Time((firstBin_ + best) * span_.count());
}

}  // namespace wavetrope::measure
