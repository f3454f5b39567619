// SPDX-License-Identifier: GPL-3.0-or-later
#include "trace/time_index.h"

#include <algorithm>
#include <iterator>

namespace wavetrope::trace {

namespace {

// Rows whose stamps lie ahead of one behind them, as a clock's leap makes them: as many are taken for the strays; else the
// one behind is.
constexpr std::size_t mostAhead = 4096;
constexpr std::size_t manyStrays = 65'536;
constexpr std::uint64_t strayShare = 8;     // of all rows
constexpr std::uint64_t growShare = 8;      // of the rows that are sorted

}  // namespace

void TimeIndex::update(const Snapshot& snapshot)
{
    snapshot_ = snapshot;
    if (!lists_->sorted.empty())
        return sortAll();
    if (!snapshot.trace().monotone())
        look(looked_, snapshot.rows());
    looked_ = snapshot.rows();
    if (lists_->strays.size() > manyStrays && lists_->strays.size() > snapshot.rows() / strayShare)
        sortAll();
}

void TimeIndex::grow(const Snapshot& snapshot)
{
    if (snapshot.rows() < lists_->sorted.size() + lists_->sorted.size() / growShare)
        return follow(snapshot);
    update(snapshot);
}

void TimeIndex::follow(const Snapshot& snapshot)
{
    if (!snapshot_.valid() || snapshot.rows() > snapshot_.rows())
        snapshot_ = snapshot;
}

void TimeIndex::look(Row from, Row to)
{
    std::vector<Stray> fresh;
    std::vector<Row> freshRows;
    // The newest rows in order, so that those that turn out to be ahead of the rest can be taken out again.
    std::vector<Stray> tail;
    const auto known = [&](Row row) { return std::binary_search(lists_->strayRows.begin(), lists_->strayRows.end(), row); };
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
            const Time time = segment->time(static_cast<std::uint32_t>(row % segmentRows));
            if (!any || time >= top_) {
                any = true;
                top_ = time;
                if (tail.size() == 2 * mostAhead)
                    tail.erase(tail.begin(), tail.begin() + static_cast<std::ptrdiff_t>(mostAhead));
                tail.push_back({time, row});
                continue;
            }
            const auto later = std::upper_bound(tail.begin(), tail.end(), time, [](Time t, const Stray& stray) { return t < stray.time; });
            auto ahead = static_cast<std::size_t>(tail.end() - later);
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
    auto next = std::make_shared<Lists>(*lists_);
    const auto middle = static_cast<std::ptrdiff_t>(next->strays.size());
    next->strays.insert(next->strays.end(), fresh.begin(), fresh.end());
    std::inplace_merge(next->strays.begin(), next->strays.begin() + middle, next->strays.end());
    next->strayRows.insert(next->strayRows.end(), freshRows.begin(), freshRows.end());
    std::inplace_merge(next->strayRows.begin(), next->strayRows.begin() + middle, next->strayRows.end());
    lists_ = std::move(next);
}

void TimeIndex::sortAll()
{
    const auto earlier = [&](Row a, Row b) {
        const Time ta = snapshot_.time(a);
        const Time tb = snapshot_.time(b);
        return ta != tb ? ta < tb : a < b;
    };
    const std::vector<Row>& before = lists_->sorted;
    if (before.size() == snapshot_.rows())
        return;
    std::vector<Row> fresh;
    {
        std::vector<Stray> stamped;     // sorting asks for each stamp many times
        stamped.reserve(snapshot_.rows() - before.size());
        for (Row row = before.size(); row < snapshot_.rows();) {
            const auto index = static_cast<std::size_t>(row / segmentRows);
            const SegmentPin segment = snapshot_.segment(index);
            for (const Row end = std::min<Row>(snapshot_.rows(), (Row{index} + 1) * segmentRows); row < end; ++row)
                stamped.push_back({segment->time(static_cast<std::uint32_t>(row % segmentRows)), row});
        }
        if (!std::is_sorted(stamped.begin(), stamped.end()))
            std::sort(stamped.begin(), stamped.end());
        fresh.reserve(stamped.size());
        for (const Stray& one : stamped)
            fresh.push_back(one.row);
    }
    auto next = std::make_shared<Lists>();
    // What is there stays in its place up to where the earliest of the new rows goes.
    const auto place = std::upper_bound(before.begin(), before.end(), fresh.front(), earlier);
    next->sorted.reserve(snapshot_.rows());
    next->sorted.assign(before.begin(), place);
    std::merge(place, before.end(), fresh.begin(), fresh.end(), std::back_inserter(next->sorted), earlier);
    looked_ = snapshot_.rows();
    lists_ = std::move(next);
}

std::uint64_t TimeIndex::straightBefore(Row row) const
{
    return row
           - static_cast<std::uint64_t>(
               std::lower_bound(lists_->strayRows.begin(), lists_->strayRows.end(), row) - lists_->strayRows.begin());
}

Row TimeIndex::straightAt(std::uint64_t place) const
{
    // Between two strays the place grows with the row.
    std::size_t low = 0;
    std::size_t high = lists_->strayRows.size();
    while (low < high) {
        const std::size_t middle = low + (high - low) / 2;
        if (lists_->strayRows[middle] - middle <= place)
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
    if (lists_->strays.empty() && high > 0 && snapshot_.trace().monotone()) {
        // Which segment is known without looking into one, which may be on the disk.
        std::size_t first = 0;
        std::size_t last = snapshot_.segmentCount() - 1;
        while (first < last) {
            const std::size_t middle = first + (last - first) / 2;
            if (snapshot_.latestThrough(middle) < stray.time)
                first = middle + 1;
            else
                last = middle;
        }
        low = Row{first} * segmentRows;
        high = std::min<Row>(high, low + segmentRows);
    }
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
    const std::vector<Stray>& strays = lists_->strays;
    if (position < lists_->sorted.size())
        return lists_->sorted[position];
    if (strays.empty())
        return position;
    // The strays before the position: the n-th stands behind n others and those in order that are earlier.
    std::size_t low = 0;
    std::size_t high = strays.size();
    while (low < high) {
        const std::size_t middle = low + (high - low) / 2;
        const std::uint64_t stands = middle + straightBefore(strays[middle]);
        if (stands == position)
            return strays[middle].row;
        if (stands < position)
            low = middle + 1;
        else
            high = middle;
    }
    return straightAt(position - low);
}

std::uint64_t TimeIndex::lowerBound(Time time) const
{
    const std::vector<Row>& sorted = lists_->sorted;
    if (!sorted.empty()) {
        const auto found = std::partition_point(sorted.begin(), sorted.end(), [&](Row row) { return snapshot_.time(row) < time; });
        std::uint64_t low = static_cast<std::uint64_t>(found - sorted.begin());
        for (std::uint64_t high = low == sorted.size() ? rows() : low; low < high;) {
            const std::uint64_t middle = low + (high - low) / 2;
            if (snapshot_.time(middle) < time)
                low = middle + 1;
            else
                high = middle;
        }
        return low;
    }
    const Stray first{time, 0};
    const auto strays = static_cast<std::uint64_t>(
        std::lower_bound(lists_->strays.begin(), lists_->strays.end(), first) - lists_->strays.begin());
    return strays + straightBefore(first);
}

Row TimeIndex::newestAt(Time time) const
{
    const std::uint64_t position = time == Time::max() ? rows() : lowerBound(time + Time(1));
    return position == 0 ? noRow : rowAt(position - 1);
}

}  // namespace wavetrope::trace
