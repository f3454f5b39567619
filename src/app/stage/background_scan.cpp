// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/background_scan.h"

namespace wavetrope::app {

namespace {

constexpr std::uint64_t rowsAtOnce = 64 * trace::segmentRows;
constexpr std::size_t timesAtOnce = 16;     // segments

}  // namespace

BackgroundScan::BackgroundScan(filter::Filter filter, Time origin) : scan_(std::move(filter), origin), thread_([this] { run(); }) {}

BackgroundScan::~BackgroundScan()
{
    {
        const std::scoped_lock lock(mutex_);
        stopping_ = true;
    }
    wake_.notify_one();
    thread_.join();
}

void BackgroundScan::update(const trace::Snapshot& snapshot)
{
    {
        const std::scoped_lock lock(mutex_);
        wanted_ = snapshot;
    }
    wake_.notify_one();
}

void BackgroundScan::run()
{
    std::unique_lock lock(mutex_);
    while (!stopping_) {
        const bool scanned = !wanted_.valid() || scan_.seen() >= wanted_.rows();
        if (scanned && times_.seen() >= scan_.seen()) {
            wake_.wait(lock);
            continue;
        }
        const trace::Snapshot snapshot = wanted_;
        lock.unlock();
        if (!scanned)
            scan_.advance(snapshot, {rowsAtOnce, 0, &stopping_});
        else
            times_.advance(snapshot, scan_.rows(), scan_.seen(), timesAtOnce);
        lock.lock();
    }
}

}  // namespace wavetrope::app
