#include "measure/measures.h"

#include <algorithm>
#include <thread>

namespace wavetrope::measure {

namespace {

constexpr std::uint64_t batchRows = 4096;

}  // namespace

Measures::Measures(std::shared_ptr<const database::Catalog> catalog, const std::vector<can::BitRate>& rates, std::vector<ConditionSpec> conditions, const std::string& folder)
    : state_{0, {}, {}, EventFinder(std::move(conditions), std::move(catalog), rates.size())}
{
    const auto memory = std::make_shared<FileMemory>(folder);
    for (const can::BitRate& rate : rates)
        state_.loads.emplace_back(rate, binSpan, memory);
}

bool Measures::advance(const trace::Snapshot& snapshot, std::uint64_t most)
{
    const std::uint64_t end = snapshot.rows() - state_.rows > most ? state_.rows + most : snapshot.rows();
    while (state_.rows < end) {
        // A mutex favours the thread that had it last, and that would be this one.
        while (waiting_.load(std::memory_order_relaxed) > 0)
            std::this_thread::yield();
        const std::scoped_lock lock(mutex_);
        const std::uint64_t stop = std::min(end, state_.rows + batchRows);
        Time newest{0};
        for (trace::Row row = state_.rows; row < stop;) {
            const auto index = static_cast<std::size_t>(row / trace::segmentRows);
            const trace::SegmentPin segment = snapshot.segment(index);
            const trace::Row until = std::min<trace::Row>(stop, (trace::Row{index} + 1) * trace::segmentRows);
            can::FrameView frame;
            for (; row < until; ++row) {
                const trace::IdentifierIndex identifier = segment->read(static_cast<std::uint32_t>(row % trace::segmentRows), frame);
                const trace::TraceKey& key = snapshot.trace().key(identifier);
                frame.bus = key.bus;
                frame.id = key.id;
                Time occupied{0};
                if (frame.bus < state_.loads.size() && state_.loads[frame.bus].rate().known())
                    occupied = state_.loads[frame.bus].add(frame);
                if (identifier >= state_.identifiers.size())
                    state_.identifiers.resize(identifier + 1);
                state_.identifiers[identifier].add(row, frame, occupied);
                state_.events.add(row, identifier, key, frame);
            }
            newest = frame.time;
        }
        state_.rows = stop;
        for (std::size_t bus = 0; bus < state_.loads.size(); ++bus)
            state_.events.findBursts(static_cast<std::uint8_t>(bus), state_.loads[bus], newest);
    }
    return state_.rows == snapshot.rows();
}

}  // namespace wavetrope::measure
