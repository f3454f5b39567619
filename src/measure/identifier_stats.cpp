// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/identifier_stats.h"

#include <algorithm>
#include <cstring>

namespace wavetrope::measure {

void BitMask::addDifference(const std::uint8_t* a, unsigned lengthA, const std::uint8_t* b, unsigned lengthB)
{
    const unsigned both = std::min(lengthA, lengthB);
    for (unsigned i = 0; i < both; ++i)
        bytes[i] |= static_cast<std::uint8_t>(a[i] ^ b[i]);
    for (unsigned i = both; i < std::max(lengthA, lengthB); ++i)
        bytes[i] = 0xFF;
}

void IdentifierStats::add(trace::Row row, const can::FrameView& frame)
{
    if (count > 0) {
        period = frame.time - last;
        shortest = std::min(shortest, period);
        longest = std::max(longest, period);
        if (lastLength != frame.length || (frame.length > 0 && std::memcmp(lastPayload.data(), frame.data, frame.length) != 0))
            changed.addDifference(lastPayload.data(), lastLength, frame.data, frame.length);
    } else {
        first = frame.time;
    }
    ++count;
    last = frame.time;
    lastRow = row;
    lastLength = frame.length;
    if (frame.length > 0)
        std::memcpy(lastPayload.data(), frame.data, frame.length);
}

IdentifierMoment momentOf(const trace::Snapshot& snapshot, trace::IdentifierIndex identifier, trace::Row limit, unsigned beats)
{
    return momentOf(snapshot, std::vector<trace::IdentifierIndex>{identifier}, limit, beats);
}

IdentifierMoment momentOf(
    const trace::Snapshot& snapshot, const std::vector<trace::IdentifierIndex>& identifiers, trace::Row limit, unsigned beats)
{
    IdentifierMoment moment;
    can::FrameView newer;
    const auto take = [&](trace::Row row, const can::FrameView& frame) {
        if (moment.beats.empty())
            moment.row = row;
        else
            moment.changedLately.addDifference(frame.data, frame.length, newer.data, newer.length);
        moment.beats.push_back(frame.time);
        newer = frame;
        return moment.beats.size() < beats;
    };
    for (const trace::IdentifierIndex identifier : identifiers)
        moment.count += snapshot.countOf(identifier, limit);
    if (identifiers.size() == 1) {
        snapshot.eachBack(identifiers.front(), limit, take);
    } else {
        std::vector<trace::Row> rows;   // the newest of each
        for (const trace::IdentifierIndex identifier : identifiers) {
            std::size_t found = 0;
            snapshot.eachBack(identifier, limit, [&](trace::Row row, const can::FrameView&) {
                rows.push_back(row);
                return ++found < beats;
            });
        }
        std::sort(rows.rbegin(), rows.rend());
        for (const trace::Row row : rows)
            if (!take(row, snapshot.frame(row)))
                break;
    }
    std::reverse(moment.beats.begin(), moment.beats.end());
    if (moment.beats.size() >= 2)
        moment.period = moment.beats.back() - moment.beats[moment.beats.size() - 2];
    return moment;
}

Time IdentifierMoment::spread() const
{
    if (beats.size() < 3)
        return Time{0};
    Time low = Time::max();
    Time high = Time::min();
    for (std::size_t i = 1; i < beats.size(); ++i) {
        low = std::min(low, beats[i] - beats[i - 1]);
        high = std::max(high, beats[i] - beats[i - 1]);
    }
    return high - low;
}

}  // namespace wavetrope::measure
