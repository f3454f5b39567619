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

// Shows rows from one to another to some of the observers.
void show(const trace::Snapshot& snapshot, trace::Row from, trace::Row to, const std::vector<Observer*>& observers)
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
            for (Observer* const observer : observers)
                observer->take(row, identifier, key, frame);
        }
    }
}

}  // namespace

Measures::Measures(std::shared_ptr<const database::Catalog> catalog, const std::vector<can::BitRate>& rates,
    std::vector<filter::ConditionSpec> conditions, const std::string& folder, std::vector<std::shared_ptr<Observer>> more,
    std::vector<rules::ConditionRule> rules)
    : state_{0, BusLoads(rates, folder), {},
          EventFinder(std::move(conditions), std::move(catalog), rates.size(), {}, std::move(rules), rates)},
      more_(std::move(more))
{
    // Working out the load takes as long as all the rest.
    beside_ = {&state_.loads};
    first_ = {&state_.identifiers, &state_.events};
    for (const auto& observer : more_)
        first_.push_back(observer.get());
}

void Measures::note(Event event)
{
    const std::scoped_lock lock(mutex_);
    state_.events.note(std::move(event));
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
            auto beside = second_->submit([&] { show(snapshot, from, stop, beside_); });
            show(snapshot, from, stop, first_);
            second_->wait(beside);
        } else {
            show(snapshot, from, stop, beside_);
            show(snapshot, from, stop, first_);
        }
        state_.rows = stop;
        const Time newest = snapshot.time(stop - 1);
        for (const auto* observers : {&beside_, &first_})
            for (Observer* const observer : *observers)
                observer->settle(state_, newest);
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

}  // namespace wavetrope::measure
