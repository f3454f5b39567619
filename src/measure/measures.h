// SPDX-License-Identifier: GPL-3.0-or-later
// Everything measured of one trace, kept up by one thread and read by others.
#pragma once

#include <atomic>
#include <memory>
#include <mutex>
#include <vector>

#include "base/workers.h"
#include "measure/events.h"
#include "measure/identifier_stats.h"
#include "measure/load_bins.h"
#include "trace/time_index.h"

namespace wavetrope::measure {

/// What has been measured so far.
struct MeasureState {
    std::uint64_t rows = 0;                     ///< Rows that went in.
    std::vector<LoadBins> loads;                ///< By bus, bins of 1 ms.
    std::vector<IdentifierStats> identifiers;   ///< By identifier index of the trace.
    EventFinder events;
};

/// One thread calls `advance`; any thread reads under `read`. Rows go in in batches, so that readers wait little. Where
/// there is much to catch up with, a second thread takes half of the work.
class Measures {
public:
    /// What grows with time goes to a file without a name in `folder`, or is kept in memory where that is empty.
    Measures(std::shared_ptr<const database::Catalog> catalog, const std::vector<can::BitRate>& rates,
        std::vector<filter::ConditionSpec> conditions, const std::string& folder = {});

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

    static constexpr Time binSpan = std::chrono::milliseconds(1);

private:
    // Rows from one to another; the two touch nothing in common.
    void takeLoads(const trace::Snapshot& snapshot, trace::Row from, trace::Row to);
    void takeFrames(const trace::Snapshot& snapshot, trace::Row from, trace::Row to);
    void shareBusyTimes();

    mutable std::mutex mutex_;
    mutable std::atomic<int> waiting_{0};       // readers whose turn comes before the next batch
    MeasureState state_;
    std::unique_ptr<Workers> second_;           // a second thread, where there is much to catch up with
    Time newest_{0};                            // stamp of the last row that went in
    trace::TimeIndex ordering_;                 // the advancing thread's own
    mutable std::mutex orderMutex_;             // never held for longer than a copy takes
    trace::TimeIndex order_;
    std::vector<Time> busy_;                    // by identifier, of the rows that takeLoads went through
    std::vector<trace::IdentifierIndex> busied_;    // those of them that are not zero
};

}  // namespace wavetrope::measure
