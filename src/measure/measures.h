// SPDX-License-Identifier: GPL-3.0-or-later
// Everything measured of one trace, kept up by one thread and read by others.
#pragma once

#include <atomic>
#include <memory>
#include <mutex>
#include <vector>

#include "base/workers.h"
#include "measure/bus_loads.h"
#include "measure/events.h"
#include "measure/identifier_stats.h"
#include "trace/time_index.h"

namespace wavetrope::measure {

/// What has been measured so far, by what follows every trace.
struct MeasureState {
    std::uint64_t rows = 0;                     ///< Rows that went in.
    BusLoads loads;                             ///< By bus, bins of 1 ms.
    alignas(64) IdentifierTable identifiers;    ///< By identifier index of the trace.
    alignas(64) EventFinder events;             ///< Apart from what another thread writes meanwhile, like those above.
};

/// One thread calls `advance`; any thread reads under `read`. Rows go in in batches, so that readers wait little. Where
/// there is much to catch up with, a second thread takes half of the work.
class Measures {
public:
    /// What grows with time goes to a file without a name in `folder`, or is kept in memory where that is empty. `more` follow
    /// the frames like what is measured always.
    Measures(std::shared_ptr<const database::Catalog> catalog, const std::vector<can::BitRate>& rates,
        std::vector<filter::ConditionSpec> conditions, const std::string& folder = {}, std::vector<std::shared_ptr<Observer>> more = {},
        std::vector<rules::ConditionRule> rules = {});
    /// Keeps an event of which frames say nothing.
    void note(Event event);

    /// Takes in up to `most` of the rows that a snapshot has more. True when it has all.
    bool advance(const trace::Snapshot& snapshot, std::uint64_t most = ~std::uint64_t{0});

    /// Calls `look(state)` while nothing changes, and gives its result.
    template <class Look>
    auto read(Look look) const
    {
        waiting_.fetch_add(1, std::memory_order_relaxed);
        const std::scoped_lock lock(mutex_);
        waiting_.fetch_sub(1, std::memory_order_relaxed);
        return look(static_cast<const MeasureState&>(state_));
    }

    /// The order of time of the rows that went in, and of those behind them as they came.
    [[nodiscard]] trace::TimeIndex order() const;
    /// Takes the rows that went in into the order of time, all of them: `advance` may have put that off (advancing thread).
    void completeOrder(const trace::Snapshot& snapshot);

private:
    mutable std::mutex mutex_;
    mutable std::atomic<int> waiting_{0};       // readers whose turn comes before the next batch
    MeasureState state_;
    std::vector<std::shared_ptr<Observer>> more_;
    std::vector<Observer*> first_, beside_;     // those that go beside the first, on a second thread
    std::unique_ptr<Workers> second_;           // where there is much to catch up with
    trace::TimeIndex ordering_;                 // the advancing thread's own
    mutable std::mutex orderMutex_;             // never held for longer than a copy takes
    trace::TimeIndex order_;
};

}  // namespace wavetrope::measure
