// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/signal_extremes.h"

#include <algorithm>
#include <cmath>

namespace wavetrope::measure {

void SignalExtremes::add(const can::FrameView& frame, std::vector<RangeSummary>& to) const
{
    decoded_.clear();
    message_.plan.decode(frame, decoded_);
    for (const database::Decoded& value : decoded_)
        if (!std::isnan(value.value))
            to[value.signal].add(value.value);
}

bool SignalExtremes::advance(const trace::Snapshot& snapshot, std::uint64_t budget)
{
    const std::size_t whole = static_cast<std::size_t>(snapshot.rows() / trace::segmentRows);
    std::uint64_t done = 0;
    while (nextSegment_ < whole && done < budget) {
        const trace::Row first = trace::Row{nextSegment_} * trace::segmentRows;
        const trace::Row next = snapshot.nextOf(identifier_, first);
        if (next == trace::noRow) {
            nextSegment_ = whole;
            break;
        }
        nextSegment_ = static_cast<std::size_t>(next / trace::segmentRows);
        if (nextSegment_ >= whole) {
            nextSegment_ = whole;
            break;
        }
        const trace::Row end = trace::Row{nextSegment_ + 1} * trace::segmentRows;
        snapshot.eachOf(identifier_, next, [&](trace::Row row, const can::FrameView& frame) {
            if (row >= end)
                return false;
            add(frame, far_);
            ++done;
            return true;
        });
        known_.push_back({nextSegment_, far_});
        ++nextSegment_;
    }
    return nextSegment_ >= whole;
}

std::vector<RangeSummary> SignalExtremes::before(const trace::Snapshot& snapshot, trace::Row limit) const
{
    limit = std::min<trace::Row>(limit, snapshot.rows());
    const std::size_t segment = std::min(static_cast<std::size_t>(limit / trace::segmentRows), nextSegment_);
    const auto behind = std::lower_bound(
        known_.begin(), known_.end(), segment, [](const Known& k, std::size_t s) { return k.segment < s; });
    std::vector<RangeSummary> found = behind == known_.begin() ? std::vector<RangeSummary>(far_.size()) : std::prev(behind)->upTo;
    snapshot.eachOf(identifier_, trace::Row{segment} * trace::segmentRows, [&](trace::Row row, const can::FrameView& frame) {
        if (row >= limit || row >= trace::Row{segment + 1} * trace::segmentRows)
            return false;
        add(frame, found);
        return true;
    });
    return found;
}

}  // namespace wavetrope::measure
