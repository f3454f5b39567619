// SPDX-License-Identifier: GPL-3.0-or-later
#include "filter/match_times.h"

#include <algorithm>
#include <bit>

namespace wavetrope::filter {

namespace {

// Calls visit(row within the segment) for the rows of a segment that are in the set.
template <class Visit>
void eachIn(const RowSet& rows, const trace::Segment& segment, std::size_t index, std::uint32_t limit, Visit visit)
{
    const trace::Row first = segment.firstRow();
    if (rows.thinned()) {
        rows.each(rows.rank(first),
            [&](trace::Row row) { return row < first + limit ? (visit(static_cast<std::uint32_t>(row - first)), true) : false; });
        return;
    }
    const auto bits = std::make_unique<RowBits>();
    rows.fill(index, *bits, segment);
    for (std::uint32_t word = 0; word * 64 < limit; ++word)
        for (std::uint64_t left = bits->words[word]; left != 0; left &= left - 1) {
            const std::uint32_t row = word * 64 + static_cast<std::uint32_t>(std::countr_zero(left));
            if (row < limit)
                visit(row);
        }
}

}  // namespace

bool MatchTimes::advance(const trace::Snapshot& snapshot, const RowSet& rows, std::uint64_t seen, std::size_t most)
{
    for (std::size_t done = 0; seen_ < seen; ++done) {
        if (done == most)
            return false;
        const auto index = static_cast<std::size_t>(seen_ / trace::segmentRows);
        const auto limit = static_cast<std::uint32_t>(
            std::min<std::uint64_t>(trace::segmentRows, seen - trace::Row{index} * trace::segmentRows));
        Part part;
        bool any = false;
        if (rows.rank(trace::Row{index} * trace::segmentRows + limit) > rows.rank(trace::Row{index} * trace::segmentRows)) {
            const trace::SegmentPin segment = snapshot.segment(index);
            part.first = part.last = segment->time(0);
            for (std::uint32_t row = 1; row < limit; ++row) {
                part.first = std::min(part.first, segment->time(row));
                part.last = std::max(part.last, segment->time(row));
            }
            const double scale = static_cast<double>(parts) / (static_cast<double>((part.last - part.first).count()) + 1);
            eachIn(rows, *segment, index, limit, [&](std::uint32_t row) {
                const auto place = static_cast<std::size_t>(static_cast<double>((segment->time(row) - part.first).count()) * scale);
                const std::size_t bit = std::min(place, parts - 1);
                part.bits[bit / 64] |= std::uint64_t{1} << (bit % 64);
                any = true;
            });
        }
        const std::scoped_lock lock(mutex_);
        // The segment that was not whole the last time is told anew.
        if (!segments_.empty() && segments_.back() == index) {
            segments_.pop_back();
            parts_.pop_back();
        }
        if (any) {
            segments_.push_back(static_cast<std::uint32_t>(index));
            parts_.push_back(part);
        }
        seen_ = trace::Row{index} * trace::segmentRows + limit;
    }
    return true;
}

std::uint64_t MatchTimes::seen() const
{
    const std::scoped_lock lock(mutex_);
    return seen_;
}

std::vector<bool> MatchTimes::marks(Time from, Time to, std::size_t places) const
{
    std::vector<bool> marks(places, false);
    if (places == 0 || to <= from)
        return marks;
    const double perPlace = static_cast<double>((to - from).count()) / static_cast<double>(places);
    const auto mark = [&](Time time) {
        const double place = static_cast<double>((time - from).count()) / perPlace;
        if (place >= 0 && place < static_cast<double>(places))
            marks[static_cast<std::size_t>(place)] = true;
    };
    const std::scoped_lock lock(mutex_);
    for (const Part& part : parts_) {
        if (part.last < from || part.first > to)
            continue;
        const double each = (static_cast<double>((part.last - part.first).count()) + 1) / static_cast<double>(parts);
        for (std::size_t word = 0; word < part.bits.size(); ++word)
            for (std::uint64_t left = part.bits[word]; left != 0; left &= left - 1)
                mark(part.first
                     + Time(static_cast<std::int64_t>(
                         each * (static_cast<double>(word * 64 + static_cast<std::size_t>(std::countr_zero(left))) + 0.5))));
    }
    return marks;
}

}  // namespace wavetrope::filter
