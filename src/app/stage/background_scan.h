// SPDX-License-Identifier: GPL-3.0-or-later
// A filter's matches, found on a thread of their own.
#pragma once

#include <condition_variable>
#include <memory>
#include <mutex>
#include <thread>

#include "filter/filter_scan.h"
#include "filter/match_times.h"
#include "trace/row_source.h"

namespace wavetrope::app {

/// Scans whenever a newer snapshot is given; what it has found can be read at any time.
class BackgroundScan {
public:
    /// Times in the filter count from `origin`.
    BackgroundScan(filter::Filter filter, Time origin);
    ~BackgroundScan();
    BackgroundScan(const BackgroundScan&) = delete;
    BackgroundScan& operator=(const BackgroundScan&) = delete;

    void update(const trace::Snapshot& snapshot);
    [[nodiscard]] std::uint64_t size() const { return scan_.rows().size(); }
    [[nodiscard]] trace::Row row(std::uint64_t index) const { return scan_.rows()[index]; }
    [[nodiscard]] std::uint64_t seen() const { return scan_.seen(); }
    /// Where in time the matches lie; comes behind what was seen.
    [[nodiscard]] const filter::MatchTimes& times() const { return times_; }
    /// First index whose row is `row` or later.
    [[nodiscard]] std::uint64_t lowerBound(trace::Row row) const { return scan_.rows().rank(row); }

private:
    void run();

    filter::FilterScan scan_;
    filter::MatchTimes times_;
    std::mutex mutex_;
    std::condition_variable wake_;
    trace::Snapshot wanted_;
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
