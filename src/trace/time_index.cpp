#include "trace/time_index.h"

#include <numeric>

namespace wavetrope::trace {

void TimeIndex::update(const Snapshot& snapshot)
{
    const std::uint64_t before = rows();
    snapshot_ = snapshot;
    if (snapshot.trace().monotone()) {
        sorted_.clear();
        return;
    }
    if (sorted_.empty()) {
        sorted_.resize(before);
        std::iota(sorted_.begin(), sorted_.end(), Row{0});
    }
    const auto earlier = [&](Row a, Row b) {
        const can::Time ta = snapshot.time(a);
        const can::Time tb = snapshot.time(b);
        return ta != tb ? ta < tb : a < b;
    };
    const auto middle = static_cast<std::ptrdiff_t>(sorted_.size());
    for (Row row = sorted_.size(); row < snapshot.rows(); ++row)
        sorted_.push_back(row);
    // What was there may never have been sorted: the first disorder lies behind the rows of an earlier update.
    if (!std::is_sorted(sorted_.begin() + middle, sorted_.end(), earlier))
        std::sort(sorted_.begin() + middle, sorted_.end(), earlier);
    if (static_cast<std::size_t>(middle) == sorted_.size())
        return;
    // What is there stays in its place up to where the earliest of the new rows goes.
    const auto place = std::upper_bound(sorted_.begin(), sorted_.begin() + middle, sorted_[static_cast<std::size_t>(middle)], earlier);
    std::inplace_merge(place, sorted_.begin() + middle, sorted_.end(), earlier);
}

std::uint64_t TimeIndex::lowerBound(can::Time time) const
{
    std::uint64_t low = 0;
    std::uint64_t high = rows();
    while (low < high) {
        const std::uint64_t middle = low + (high - low) / 2;
        if (snapshot_.time(rowAt(middle)) < time)
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}

Row TimeIndex::newestAt(can::Time time) const
{
    const std::uint64_t position = time == can::Time::max() ? rows() : lowerBound(time + can::Time(1));
    return position == 0 ? noRow : rowAt(position - 1);
}

}  // namespace wavetrope::trace
