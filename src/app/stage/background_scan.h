// SPDX-License-Identifier: GPL-3.0-or-later
// The rows that a filter passes, or that messages stand at, found on a thread of their own.
#pragma once

#include <condition_variable>
#include <memory>
#include <mutex>
#include <thread>

#include "filter/filter.h"
#include "filter/match_times.h"
#include "filter/row_finder.h"
#include "trace/row_source.h"

namespace wavetrope::app {

/// Looks whenever a newer snapshot is given; what it has found can be read at any time.
class BackgroundScan {
public:
    /// Frames that a filter passes. Times in the filter count from `origin`.
    BackgroundScan(filter::Filter filter, Time origin);
    /// What somebody else finds.
    explicit BackgroundScan(std::shared_ptr<filter::RowFinder> finder);
    ~BackgroundScan();
    BackgroundScan(const BackgroundScan&) = delete;
    BackgroundScan& operator=(const BackgroundScan&) = delete;

    /// `over`: no more will come.
    void update(const trace::Snapshot& snapshot, bool over = false);
    [[nodiscard]] std::uint64_t size() const { return finder_->rows().size(); }
    [[nodiscard]] trace::Row row(std::uint64_t index) const { return finder_->rows()[index]; }
    /// Rows below this one are decided.
    [[nodiscard]] std::uint64_t seen() const { return finder_->seen(); }
    /// Whether all of a snapshot was looked at, and where in time the matches lie is known.
    [[nodiscard]] bool done(std::uint64_t rows) const { return looked_.load(std::memory_order_acquire) >= rows; }
    /// Where in time the matches lie; comes behind what was seen.
    [[nodiscard]] const filter::MatchTimes& times() const { return times_; }
    /// First index whose row is `row` or later.
    [[nodiscard]] std::uint64_t lowerBound(trace::Row row) const { return finder_->rows().rank(row); }

private:
    void run();

    std::shared_ptr<filter::RowFinder> finder_;
    filter::MatchTimes times_;
    std::mutex mutex_;
    std::condition_variable wake_;
    trace::Snapshot wanted_;
    bool over_ = false, finished_ = false;
    std::atomic<std::uint64_t> looked_{0};
    std::atomic<bool> stopping_{false};
    std::thread thread_;
};

/// The frames that a scan has found so far.
class FoundRows final : public trace::FrameRows {
public:
    explicit FoundRows(const BackgroundScan& scan) : scan_(scan) {}

    [[nodiscard]] std::uint64_t count(const trace::Snapshot&) const override { return scan_.size(); }
    [[nodiscard]] trace::Row row(std::uint64_t index) const override { return scan_.row(index); }
    [[nodiscard]] std::uint64_t nearest(trace::Row row) const override
    {
        const std::uint64_t at = scan_.lowerBound(row);
        return at < scan_.size() && scan_.row(at) == row ? at : at > 0 ? at - 1 : 0;
    }

private:
    const BackgroundScan& scan_;
};

}  // namespace wavetrope::app
