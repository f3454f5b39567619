// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/background_scan.h"

#include "filter/filter_scan.h"

namespace wavetrope::app {

namespace {

constexpr std::uint64_t rowsAtOnce = 64 * trace::segmentRows;
constexpr std::size_t timesAtOnce = 16;     // segments

}  // namespace

BackgroundScan::BackgroundScan(filter::Filter filter, Time origin)
    : BackgroundScan(std::make_shared<filter::FilterScan>(std::move(filter), origin))
{}

BackgroundScan::BackgroundScan(std::shared_ptr<filter::RowFinder> finder) : finder_(std::move(finder)), thread_([this] { run(); }) {}

BackgroundScan::~BackgroundScan()
{
    {
        const std::scoped_lock lock(mutex_);
        stopping_ = true;
    }
    wake_.notify_one();
    thread_.join();
}

void BackgroundScan::update(const trace::Snapshot& snapshot, bool over)
{
    {
        const std::scoped_lock lock(mutex_);
        wanted_ = snapshot;
        over_ = over;
    }
    wake_.notify_one();
}

void BackgroundScan::run()
{
    std::uint64_t scannedTo = 0;
    std::unique_lock lock(mutex_);
    while (!stopping_) {
        const bool scanned = !wanted_.valid() || scannedTo >= wanted_.rows();
        const bool finishes = scanned && wanted_.valid() && over_ && !finished_;
        const bool timed = times_.seen() >= finder_->seen();
        if (scanned && !finishes && timed) {
            looked_.store(scannedTo, std::memory_order_release);
            wake_.wait(lock);
            continue;
        }
        finished_ = finished_ || finishes;
        const trace::Snapshot snapshot = wanted_;
        lock.unlock();
        if (!scanned) {
            if (finder_->advance(snapshot, {rowsAtOnce, 0, &stopping_}))
                scannedTo = snapshot.rows();
        } else if (finishes) {
            finder_->finish(snapshot);
        } else {
            times_.advance(snapshot, finder_->rows(), finder_->seen(), timesAtOnce);
        }
        lock.lock();
    }
}

}  // namespace wavetrope::app
