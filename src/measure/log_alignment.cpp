// SPDX-License-Identifier: GPL-3.0-or-later
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

}  // namespace

LogPairs::LogPairs(const trace::Snapshot& first, const trace::Snapshot& second)
{
    const Contents a = contentsOf(first);
    const Contents b = contentsOf(second);
    for (const auto& [content, rows] : b) {
        const auto found = a.find(content);
        if (rows.size() > mostAlike || found == a.end() || found->second.size() > mostAlike)
            continue;
        comparable_ += rows.size();
        for (const trace::Row ofSecond : rows)
            for (const trace::Row ofFirst : found->second)
                pairs_.push_back({first.time(ofFirst) - second.time(ofSecond), {ofFirst, ofSecond}});
    }
    std::sort(pairs_.begin(), pairs_.end(), [](const Pair& x, const Pair& y) { return x.distance < y.distance; });
}

LogAlignment LogPairs::best(Time tolerance) const
{
    // The stretch of distances, as wide as the tolerance, that holds most pairs; its middle pair tells the offset.
    std::size_t from = 0;
    std::size_t bestFrom = 0;
    std::size_t bestCount = 0;
    for (std::size_t to = 0; to < pairs_.size(); ++to) {
        while (pairs_[to].distance - pairs_[from].distance > tolerance)
            ++from;
        if (to - from + 1 > bestCount) {
            bestCount = to - from + 1;
            bestFrom = from;
        }
    }
    return at(pairs_.empty() ? Time{0} : pairs_[bestFrom + bestCount / 2].distance, tolerance);
}

LogAlignment LogPairs::at(Time offset, Time tolerance) const
{
    LogAlignment alignment;
    alignment.offset = offset;
    alignment.comparable = comparable_;
    auto pair = std::lower_bound(
        pairs_.begin(), pairs_.end(), offset - tolerance, [](const Pair& p, Time time) { return p.distance < time; });
    for (; pair != pairs_.end() && pair->distance <= offset + tolerance; ++pair)
        alignment.matched.push_back(pair->rows);
    std::sort(alignment.matched.begin(), alignment.matched.end(),
        [](const MatchedFrames& x, const MatchedFrames& y) { return std::pair(x.first, x.second) < std::pair(y.first, y.second); });
    return alignment;
}

}  // namespace wavetrope::measure
