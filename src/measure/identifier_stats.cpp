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

void IdentifierStats::add(trace::Row row, const can::FrameView& frame, Time occupied)
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
    busy += occupied;
    lastLength = frame.length;
    if (frame.length > 0)
        std::memcpy(lastPayload.data(), frame.data, frame.length);
}

IdentifierMoment momentOf(const trace::Snapshot& snapshot, trace::IdentifierIndex identifier, trace::Row limit, unsigned beats)
{
    IdentifierMoment moment;
    trace::Row row = snapshot.previousOf(identifier, limit);
    moment.row = row;
    can::FrameView newer;
    while (row != trace::noRow && moment.beats.size() < beats) {
        const can::FrameView frame = snapshot.frame(row);
        if (!moment.beats.empty())
            moment.changedLately.addDifference(frame.data, frame.length, newer.data, newer.length);
        moment.beats.push_back(frame.time);
        newer = frame;
        row = snapshot.previousOf(identifier, row);
    }
    std::reverse(moment.beats.begin(), moment.beats.end());
    if (moment.beats.size() >= 2)
        moment.period = moment.beats.back() - moment.beats[moment.beats.size() - 2];
    return moment;
}

}  // namespace wavetrope::measure
