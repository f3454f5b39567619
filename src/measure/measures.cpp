// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/measures.h"

#include <algorithm>
#include <thread>
#include <utility>

namespace wavetrope::measure {

namespace {

constexpr std::uint64_t batchRows = 4096;
constexpr std::uint64_t rowsInTwo = 16'384;      // of a batch that two threads share
constexpr std::uint64_t muchToCatchUp = 65'536;

// Calls visit(row, identifier, key, frame) for rows from one to another.
template <class Visit>
void eachRow(const trace::Snapshot& snapshot, trace::Row from, trace::Row to, Visit visit)
{
    can::FrameView frame;
    for (trace::Row row = from; row < to;) {
        const auto index = static_cast<std::size_t>(row / trace::segmentRows);
        const trace::SegmentPin segment = snapshot.segment(index);
        const trace::Row until = std::min<trace::Row>(to, (trace::Row{index} + 1) * trace::segmentRows);
        for (; row < until; ++row) {
            const trace::IdentifierIndex identifier = segment->read(static_cast<std::uint32_t>(row % trace::segmentRows), frame);
            const trace::TraceKey& key = snapshot.trace().key(identifier);
            frame.bus = key.bus;
            frame.id = key.id;
            visit(row, identifier, key, static_cast<const can::FrameView&>(frame));
        }
    }
}

}  // namespace

Measures::Measures(std::shared_ptr<const database::Catalog> catalog, const std::vector<can::BitRate>& rates,
    std::vector<filter::ConditionSpec> conditions, const std::string& folder)
    : state_{0, {}, {}, EventFinder(std::move(conditions), std::move(catalog), rates.size())}
{
    const auto memory = std::make_shared<FileMemory>(folder);
    for (const can::BitRate& rate : rates)
        state_.loads.emplace_back(rate, binSpan, memory);
}

bool Measures::advance(const trace::Snapshot& snapshot, std::uint64_t most)
{
    const std::uint64_t end = snapshot.rows() - state_.rows > most ? state_.rows + most : snapshot.rows();
    const bool much = snapshot.rows() - state_.rows >= muchToCatchUp;
    if (much && second_ == nullptr)
        second_ = std::make_unique<Workers>(std::min(2U, threadsFor(0)));
    const bool inTwo = much && second_->count() > 1;
    while (state_.rows < end) {
        // A mutex favours the thread that had it last, and that would be this one.
        while (waiting_.load(std::memory_order_relaxed) > 0)
            std::this_thread::yield();
        const std::scoped_lock lock(mutex_);
        const trace::Row from = state_.rows;
        const trace::Row stop = std::min(end, from + (inTwo ? rowsInTwo : batchRows));
        if (inTwo) {
            auto loads = second_->submit([&] { takeLoads(snapshot, from, stop); });
            takeFrames(snapshot, from, stop);
            second_->wait(loads);
        } else {
            takeLoads(snapshot, from, stop);
            takeFrames(snapshot, from, stop);
        }
        shareBusyTimes();
        state_.rows = stop;
        for (std::size_t bus = 0; bus < state_.loads.size(); ++bus)
            state_.events.findBursts(static_cast<std::uint8_t>(bus), state_.loads[bus], newest_);
    }
    ordering_.grow(trace::Snapshot(snapshot.trace(), state_.rows));
    const std::scoped_lock lock(orderMutex_);
    order_ = ordering_;
    return state_.rows == snapshot.rows();
}

void Measures::completeOrder(const trace::Snapshot& snapshot)
{
    ordering_.update(snapshot);
    const std::scoped_lock lock(orderMutex_);
    order_ = ordering_;
}

trace::TimeIndex Measures::order() const
{
    const std::scoped_lock lock(orderMutex_);
    return order_;
}

void Measures::takeLoads(const trace::Snapshot& snapshot, trace::Row from, trace::Row to)
{
    eachRow(snapshot, from, to, [&](trace::Row, trace::IdentifierIndex identifier, const trace::TraceKey&, const can::FrameView& frame) {
        if (frame.bus >= state_.loads.size() || !state_.loads[frame.bus].rate().known())
            return;
        const Time occupied = state_.loads[frame.bus].add(frame);
        if (occupied == Time{0})
            return;
        if (identifier >= busy_.size())
            busy_.resize(identifier + 1);
        if (busy_[identifier] == Time{0})
            busied_.push_back(identifier);
        busy_[identifier] += occupied;
    });
}

void Measures::takeFrames(const trace::Snapshot& snapshot, trace::Row from, trace::Row to)
{
    Time newest = newest_;  // what the other thread looks at lies beside it
    eachRow(snapshot, from, to,
        [&](trace::Row row, trace::IdentifierIndex identifier, const trace::TraceKey& key, const can::FrameView& frame) {
            if (identifier >= state_.identifiers.size())
                state_.identifiers.resize(identifier + 1);
            state_.identifiers[identifier].add(row, frame);
            state_.events.add(row, identifier, key, frame);
            newest = frame.time;
        });
    newest_ = newest;
}

void Measures::shareBusyTimes()
{
    for (const trace::IdentifierIndex identifier : busied_)
        state_.identifiers[identifier].busy += std::exchange(busy_[identifier], Time{0});
    busied_.clear();
}

}  // namespace wavetrope::measure
