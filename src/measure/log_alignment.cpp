#include "measure/log_alignment.h"

#include <algorithm>
#include <string>
#include <string_view>
#include <unordered_map>

namespace wavetrope::measure {

namespace {

constexpr std::size_t mostAlike = 2;        // more of one content tell nothing

std::string contentOf(const can::FrameView& frame)
{
    std::string content(5, '\0');
    const std::uint32_t id = frame.id.key();
    std::memcpy(content.data(), &id, 4);
    content[4] = static_cast<char>(static_cast<unsigned>(frame.kind) << 4U | frame.dlc);
    content.append(reinterpret_cast<const char*>(frame.data), frame.length);
    return content;
}

using Contents = std::unordered_map<std::string, std::vector<trace::Row>>;

Contents contentsOf(const trace::Snapshot& snapshot)
{
    Contents contents;
    for (trace::Row row = 0; row < snapshot.rows(); ++row)
        if (const can::FrameView frame = snapshot.frame(row); frame.kind != can::FrameKind::error)
            if (auto& rows = contents[contentOf(frame)]; rows.size() <= mostAlike)
                rows.push_back(row);
    return contents;
}

// Pairs of frames of one content, with their distance in time.
struct Pair {
    can::Time distance;
    MatchedFrames rows;
};

std::vector<Pair> pairsOf(const trace::Snapshot& first, const trace::Snapshot& second, std::uint64_t& comparable)
{
    const Contents a = contentsOf(first);
    const Contents b = contentsOf(second);
    std::vector<Pair> pairs;
    comparable = 0;
    for (const auto& [content, rows] : b) {
        const auto found = a.find(content);
        if (rows.size() > mostAlike || found == a.end() || found->second.size() > mostAlike)
            continue;
        comparable += rows.size();
        for (const trace::Row second_ : rows)
            for (const trace::Row first_ : found->second)
                pairs.push_back({first.time(first_) - second.time(second_), {first_, second_}});
    }
    return pairs;
}

void keepNear(LogAlignment& alignment, const std::vector<Pair>& pairs, can::Time tolerance)
{
    for (const Pair& pair : pairs)
        if (pair.distance - alignment.offset <= tolerance && alignment.offset - pair.distance <= tolerance)
            alignment.matched.push_back(pair.rows);
    std::sort(alignment.matched.begin(), alignment.matched.end(), [](const MatchedFrames& x, const MatchedFrames& y) { return std::pair(x.first, x.second) < std::pair(y.first, y.second); });
}

}  // namespace

LogAlignment alignLogs(const trace::Snapshot& first, const trace::Snapshot& second, can::Time tolerance)
{
    LogAlignment alignment;
    std::vector<Pair> pairs = pairsOf(first, second, alignment.comparable);
    if (pairs.empty())
        return alignment;
    std::sort(pairs.begin(), pairs.end(), [](const Pair& a, const Pair& b) { return a.distance < b.distance; });
    // The stretch of distances, as wide as the tolerance, that holds most pairs; its middle pair tells the offset.
    std::size_t from = 0;
    std::size_t bestFrom = 0;
    std::size_t bestCount = 0;
    for (std::size_t to = 0; to < pairs.size(); ++to) {
        while (pairs[to].distance - pairs[from].distance > tolerance)
            ++from;
        if (to - from + 1 > bestCount) {
            bestCount = to - from + 1;
            bestFrom = from;
        }
    }
    alignment.offset = pairs[bestFrom + bestCount / 2].distance;
    keepNear(alignment, pairs, tolerance);
    return alignment;
}

LogAlignment matchesAt(const trace::Snapshot& first, const trace::Snapshot& second, can::Time offset, can::Time tolerance)
{
    LogAlignment alignment;
    alignment.offset = offset;
    keepNear(alignment, pairsOf(first, second, alignment.comparable), tolerance);
    return alignment;
}

}  // namespace wavetrope::measure
