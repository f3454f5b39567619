// SPDX-License-Identifier: GPL-3.0-or-later
#include "rules/kept_rows.h"

namespace wavetrope::rules {

void KeptRows::prune(Time now)
{
    while (!blocks_.empty()
           && (margin_.byFrames ? count_ - blocks_.front().count >= margin_.frames : blocks_.front().latest < now - margin_.span)) {
        count_ -= blocks_.front().count;
        blocks_.pop_front();
    }
}

void KeptRows::add(trace::Row row, Time stamp, Time now)
{
    now_ = now;
    if (margin_.byFrames && margin_.frames == 0)
        return;
    const trace::Row base = row - row % blockRows;
    if (blocks_.empty() || blocks_.back().base != base) {
        prune(now);
        blocks_.push_back({base, 0, stamp, stamp, {}});
    }
    Block& block = blocks_.back();
    block.earliest = std::min(block.earliest, stamp);
    block.latest = std::max(block.latest, stamp);
    block.bits[(row - base) / 64] |= std::uint64_t{1} << (row - base) % 64;
    ++block.count;
    ++count_;
}

}  // namespace wavetrope::rules
