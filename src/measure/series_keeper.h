// SPDX-License-Identifier: GPL-3.0-or-later
// Brings up the curves that somebody looks at, on threads of its own.
#pragma once

#include <condition_variable>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <thread>
#include <vector>

#include "measure/signal_series.h"

namespace wavetrope::measure {

/// Series that are looked at are brought up to the newest snapshot in turn, the one that is furthest behind first; details that are not
/// there yet go before. What nobody looks at rests. Any thread may ask.
class SeriesKeeper {
public:
    /// `news` is called by a thread of the keeper, when a series has grown or a detail has come.
    SeriesKeeper(unsigned threads, std::function<void()> news);
    ~SeriesKeeper();
    SeriesKeeper(const SeriesKeeper&) = delete;
    SeriesKeeper& operator=(const SeriesKeeper&) = delete;

    /// What somebody sees of a curve.
    struct Look {
        std::shared_ptr<SignalSeries> series;
        Time from{}, to{};
        unsigned columns = 0;       ///< 0: nothing is drawn of it.
    };
    /// Takes the place of what the same one looked at before.
    void look(const void* who, const trace::Snapshot& snapshot, std::vector<Look> looks);
    void forget(const void* who) { look(who, {}, {}); }
    /// Whoever waits for what others put together looks again.
    void lookAgain() { wake_.notify_all(); }

    /// Samples of a stretch of time as they are: those that were read last, where they cover it and are of the newest rows; null else.
    [[nodiscard]] std::shared_ptr<const SignalSeries::Detail> detail(const SignalSeries& series, Time from, Time to) const;
    /// Waits until a series that is looked at has come up to a row, as long as `goesOn` says.
    void waitFor(const SignalSeries& series, trace::Row rows, const GoesOn& goesOn) const;

    /// Whether all that is looked at is there, as fine as it is drawn.
    [[nodiscard]] bool idle() const;

    /// So many bytes all curves together may keep; beyond it those that keep most are made coarser.
    void setBound(std::size_t bytes);
    [[nodiscard]] std::size_t bytes() const;

    /// A window of so many samples needs no reading ahead: whoever draws reads them.
    static constexpr std::uint64_t fewSamples = 2048;

private:
    struct Kept {
        std::shared_ptr<SignalSeries> series;
        std::shared_ptr<const SignalSeries::Detail> detail;
        bool busy = false;
    };
    struct Looker {
        trace::Snapshot snapshot;
        std::vector<Look> looks;
    };
    void run();
    bool workSome(std::unique_lock<std::mutex>& lock);
    [[nodiscard]] static bool needsDetail(const Kept& kept, const Look& look);
    void readDetail(std::unique_lock<std::mutex>& lock, Kept& kept, const trace::Snapshot& snapshot, const Look& look);
    void keepBound();
    [[nodiscard]] bool wanted(const SignalSeries* series) const;

    const std::function<void()> news_;
    mutable std::mutex mutex_;
    mutable std::condition_variable wake_, grown_;
    std::map<const void*, Looker> lookers_;
    std::map<const SignalSeries*, Kept> kept_;      // that are looked at
    std::size_t bound_ = std::size_t{1} << 30U;
    bool stopping_ = false;
    std::vector<std::thread> threads_;
};

}  // namespace wavetrope::measure
