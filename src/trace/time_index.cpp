#include "trace/time_index.h"

#include <algorithm>
#include <numeric>

namespace wavetrope::trace {

namespace {

// Rows whose stamps lie ahead of one behind them, as a clock's leap makes them: as many are taken for the strays; else the
// one behind is.
constexpr std::size_t mostAhead = 4096;
constexpr std::size_t manyStrays = 65'536;
constexpr std::uint64_t strayShare = 8;     // of all rows

}  // namespace

void TimeIndex::update(const Snapshot& snapshot)
{
    snapshot_ = snapshot;
    if (snapshot.trace().monotone())
        return;
    if (!sorted_.empty())
        return sortAll();
    look(looked_, snapshot.rows());
    looked_ = snapshot.rows();
    if (strays_.size() > manyStrays && strays_.size() > snapshot.rows() / strayShare)
        sortAll();
}

void TimeIndex::look(Row from, Row to)
{
    std::vector<Stray> fresh;
    std::vector<Row> freshRows;
    // The newest rows in order, so that those that turn out to be ahead of the rest can be taken out again.
    std::vector<Stray> tail;
    const auto known = [&](Row row) { return std::binary_search(strayRows_.begin(), strayRows_.end(), row); };
    for (Row row = from; row-- > 0 && tail.size() < mostAhead;)
        if (!known(row))
            tail.push_back({snapshot_.time(row), row});
    std::reverse(tail.begin(), tail.end());
    if (!tail.empty())
        top_ = tail.back().time;
    bool any = from > 0;
    for (Row row = from; row < to;) {
        const auto index = static_cast<std::size_t>(row / segmentRows);
        const SegmentPin segment = snapshot_.segment(index);
        const Row end = std::min<Row>(to, (Row{index} + 1) * segmentRows);
        for (; row < end; ++row) {
            const can::Time time = segment->time(static_cast<std::uint32_t>(row % segmentRows));
            if (!any || time >= top_) {
                any = true;
                top_ = time;
                if (tail.size() == 2 * mostAhead)
                    tail.erase(tail.begin(), tail.begin() + static_cast<std::ptrdiff_t>(mostAhead));
                tail.push_back({time, row});
                continue;
            }
            std::size_t ahead = 0;
            while (ahead < tail.size() && tail[tail.size() - 1 - ahead].time > time)
                ++ahead;
            if (ahead < tail.size() && ahead <= mostAhead / 2) {
                for (; ahead > 0; --ahead) {
                    fresh.push_back(tail.back());
                    tail.pop_back();
                }
                tail.push_back({time, row});
                top_ = time;
            } else {
                fresh.push_back({time, row});
            }
        }
    }
    if (fresh.empty())
        return;
    for (const Stray& stray : fresh)
        freshRows.push_back(stray.row);
    std::sort(fresh.begin(), fresh.end());
    std::sort(freshRows.begin(), freshRows.end());
    const auto middle = static_cast<std::ptrdiff_t>(strays_.size());
    strays_.insert(strays_.end(), fresh.begin(), fresh.end());
    std::inplace_merge(strays_.begin(), strays_.begin() + middle, strays_.end());
    strayRows_.insert(strayRows_.end(), freshRows.begin(), freshRows.end());
    std::inplace_merge(strayRows_.begin(), strayRows_.begin() + middle, strayRows_.end());
}

void TimeIndex::sortAll()
{
    strays_.clear();
    strayRows_.clear();
    const auto earlier = [&](Row a, Row b) {
        const can::Time ta = snapshot_.time(a);
        const can::Time tb = snapshot_.time(b);
        return ta != tb ? ta < tb : a < b;
    };
    const auto middle = static_cast<std::ptrdiff_t>(sorted_.size());
    for (Row row = sorted_.size(); row < snapshot_.rows(); ++row)
        sorted_.push_back(row);
    if (!std::is_sorted(sorted_.begin() + middle, sorted_.end(), earlier))
        std::sort(sorted_.begin() + middle, sorted_.end(), earlier);
    if (static_cast<std::size_t>(middle) == sorted_.size())
        return;
    // What is there stays in its place up to where the earliest of the new rows goes.
    const auto place = std::upper_bound(sorted_.begin(), sorted_.begin() + middle, sorted_[static_cast<std::size_t>(middle)], earlier);
    std::inplace_merge(place, sorted_.begin() + middle, sorted_.end(), earlier);
}

std::uint64_t TimeIndex::straightBefore(Row row) const { return row - static_cast<std::uint64_t>(std::lower_bound(strayRows_.begin(), strayRows_.end(), row) - strayRows_.begin()); }

Row TimeIndex::straightAt(std::uint64_t place) const
{
    // Between two strays the place grows with the row.
    std::size_t low = 0;
    std::size_t high = strayRows_.size();
    while (low < high) {
        const std::size_t middle = low + (high - low) / 2;
        if (strayRows_[middle] - middle <= place)
            low = middle + 1;
        else
            high = middle;
    }
    return place + low;
}

std::uint64_t TimeIndex::straightBefore(const Stray& stray) const
{
    std::uint64_t low = 0;
    std::uint64_t high = straightCount();
    while (low < high) {
        const std::uint64_t middle = low + (high - low) / 2;
        const Row row = straightAt(middle);
        if (Stray{snapshot_.time(row), row} < stray)
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}

Row TimeIndex::rowAt(std::uint64_t position) const
{
    if (!sorted_.empty())
        return sorted_[position];
    if (strays_.empty())
        return position;
    // The strays before the position: the n-th stands behind n others and those in order that are earlier.
    std::size_t low = 0;
    std::size_t high = strays_.size();
    while (low < high) {
        const std::size_t middle = low + (high - low) / 2;
        const std::uint64_t stands = middle + straightBefore(strays_[middle]);
        if (stands == position)
            return strays_[middle].row;
        if (stands < position)
            low = middle + 1;
        else
            high = middle;
    }
    return straightAt(position - low);
}

std::uint64_t TimeIndex::lowerBound(can::Time time) const
{
    if (!sorted_.empty()) {
        const auto found = std::partition_point(sorted_.begin(), sorted_.end(), [&](Row row) { return snapshot_.time(row) < time; });
        return static_cast<std::uint64_t>(found - sorted_.begin());
    }
    const Stray first{time, 0};
    const auto strays = static_cast<std::uint64_t>(std::lower_bound(strays_.begin(), strays_.end(), first) - strays_.begin());
    return strays + straightBefore(first);
}

Row TimeIndex::newestAt(can::Time time) const
{
    const std::uint64_t position = time == can::Time::max() ? rows() : lowerBound(time + can::Time(1));
    return position == 0 ? noRow : rowAt(position - 1);
}

}  // namespace wavetrope::trace
