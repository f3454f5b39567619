#include "app/stream/background_scan.h"

namespace wavetrope::app {

namespace {

constexpr std::uint64_t rowsAtOnce = 1U << 16;

}  // namespace

BackgroundScan::BackgroundScan(filter::Filter filter) : scan_(std::move(filter)), thread_([this] { run(); }) {}

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
        if (!wanted_.valid() || scan_.seen() >= wanted_.rows()) {
            wake_.wait(lock);
            continue;
        }
        const trace::Snapshot snapshot = wanted_;
        lock.unlock();
        scan_.advance(snapshot, rowsAtOnce);
        lock.lock();
    }
}

std::size_t BackgroundScan::lowerBound(trace::Row row) const
{
    std::size_t low = 0;
    std::size_t high = size();
    while (low < high) {
        const std::size_t middle = (low + high) / 2;
        if (this->row(middle) < row)
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}

}  // namespace wavetrope::app
