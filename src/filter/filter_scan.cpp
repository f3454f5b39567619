#include "filter/filter_scan.h"

#include <algorithm>

namespace wavetrope::filter {

Verdict FilterScan::verdictOf(const trace::Snapshot& snapshot, trace::IdentifierIndex identifier)
{
    while (verdicts_.size() <= identifier)
        verdicts_.push_back(filter_.verdict(snapshot.trace().key(static_cast<trace::IdentifierIndex>(verdicts_.size()))));
    return verdicts_[identifier];
}

bool FilterScan::advance(const trace::Snapshot& snapshot, std::uint64_t budget)
{
    std::uint64_t at = seen_.load(std::memory_order_relaxed);
    const std::uint64_t end = snapshot.rows() - at > budget ? at + budget : snapshot.rows();
    std::vector<Verdict> groupVerdicts;
    while (at < end) {
        const auto index = static_cast<std::size_t>(at / trace::segmentRows);
        const trace::Segment& segment = snapshot.segment(index);
        const auto from = static_cast<std::uint32_t>(at - segment.firstRow());
        const auto to = static_cast<std::uint32_t>(std::min<std::uint64_t>(trace::segmentRows, end - segment.firstRow()));
        groupVerdicts.clear();
        bool possible = false;
        for (std::uint32_t g = 0; g < segment.groupCount(); ++g) {
            groupVerdicts.push_back(verdictOf(snapshot, segment.group(g).identifier()));
            possible = possible || groupVerdicts.back() != Verdict::never;
        }
        for (std::uint32_t row = from; possible && row < to; ++row) {
            const auto group = segment.groupIndex(row);
            const Verdict verdict = groupVerdicts[group];
            if (verdict == Verdict::always || (verdict == Verdict::depends && filter_.matches(snapshot.frame(segment.firstRow() + row))))
                rows_.append(segment.firstRow() + row);
        }
        at = segment.firstRow() + to;
        seen_.store(at, std::memory_order_release);
    }
    return at == snapshot.rows();
}

}  // namespace wavetrope::filter
