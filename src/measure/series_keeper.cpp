// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/series_keeper.h"

#include <algorithm>

#include "base/background_thread.h"

namespace wavetrope::measure {

namespace {

constexpr trace::Row rowsInTurn = 1U << 18U;
constexpr std::uint64_t mostOfDetail = 1U << 20U;      // samples, with what is read ahead at both sides
constexpr std::size_t boundLooksFrom = 1U << 20U;      // what is smaller is not made coarser
using namespace std::chrono_literals;

}  // namespace

SeriesKeeper::SeriesKeeper(unsigned threads, std::function<void()> news) : news_(std::move(news))
{
    for (unsigned i = 0; i < std::max(1U, threads); ++i)
        threads_.emplace_back([this] { run(); });
}

SeriesKeeper::~SeriesKeeper()
{
    {
        const std::scoped_lock lock(mutex_);
        stopping_ = true;
        lookers_.clear();
    }
    wake_.notify_all();
    grown_.notify_all();
    for (std::thread& thread : threads_)
        thread.join();
}

void SeriesKeeper::look(const void* who, const trace::Snapshot& snapshot, std::vector<Look> looks)
{
    {
        const std::scoped_lock lock(mutex_);
        if (looks.empty()) {
            lookers_.erase(who);
        } else {
            Looker& looker = lookers_[who];
            // Who follows a run looks at the same again and again.
            const bool same = std::equal(looks.begin(), looks.end(), looker.looks.begin(), looker.looks.end(),
                [](const Look& one, const Look& other) { return one.series == other.series; });
            if (!same)
                for (const Look& look : looks)
                    kept_.try_emplace(look.series.get(), Kept{look.series, nullptr, false});
            looker = {snapshot, std::move(looks)};
            if (same) {
                wake_.notify_all();
                return;
            }
        }
        std::erase_if(kept_, [this](const auto& entry) { return !entry.second.busy && !wanted(entry.first); });
    }
    wake_.notify_all();
}

bool SeriesKeeper::wanted(const SignalSeries* series) const
{
    for (const auto& [who, looker] : lookers_)
        for (const Look& look : looker.looks)
            if (look.series.get() == series)
                return true;
    return false;
}

std::shared_ptr<const SignalSeries::Detail> SeriesKeeper::detail(const SignalSeries& series, Time from, Time to) const
{
    const std::scoped_lock lock(mutex_);
    const auto found = kept_.find(&series);
    if (found == kept_.end() || !found->second.detail || found->second.detail->from > from || found->second.detail->to < to)
        return nullptr;
    return found->second.detail;
}

void SeriesKeeper::waitFor(const SignalSeries& series, trace::Row rows, const GoesOn& goesOn) const
{
    std::unique_lock lock(mutex_);
    while (!stopping_ && goesOn() && series.rows() < rows && wanted(&series))
        grown_.wait_for(lock, 20ms);
}

void SeriesKeeper::setBound(std::size_t bytes)
{
    const std::scoped_lock lock(mutex_);
    bound_ = bytes;
    keepBound();
}

std::size_t SeriesKeeper::bytes() const
{
    const std::scoped_lock lock(mutex_);
    std::size_t bytes = 0;
    for (const auto& [series, kept] : kept_)
        bytes += series->bytes();
    return bytes;
}

// The one that keeps most becomes half as fine, until all are within the bound, or small.
void SeriesKeeper::keepBound()
{
    for (;;) {
        std::size_t all = 0;
        std::size_t most = 0;
        SignalSeries* largest = nullptr;
        for (const auto& [series, kept] : kept_) {
            const std::size_t bytes = series->bytes();
            all += bytes;
            if (bytes > most && !kept.busy) {
                most = bytes;
                largest = kept.series.get();
            }
        }
        if (all <= bound_ || most < boundLooksFrom)
            return;
        largest->coarsen();
        if (largest->bytes() > most / 10 * 9)
            return;     // it cannot become smaller
    }
}

void SeriesKeeper::run()
{
    stepBack();
    std::unique_lock lock(mutex_);
    while (!stopping_)
        if (!workSome(lock))
            wake_.wait(lock);
}

void SeriesKeeper::readDetail(std::unique_lock<std::mutex>& lock, Kept& kept, const trace::Snapshot& snapshot, const Look& look)
{
    const auto series = kept.series;
    kept.busy = true;
    lock.unlock();
    // As much again at both sides, so that moving on finds it there.
    const Time width = look.to - look.from;
    const Time from = look.from.count() < Time::min().count() / 2 ? look.from : look.from - width;
    const Time to = look.to.count() > Time::max().count() / 2 ? look.to : look.to + width;
    const bool ahead = series->about(from, to) <= mostOfDetail;
    auto detail = series->detail(snapshot, ahead ? from : look.from, ahead ? to : look.to, [&] {
        const std::scoped_lock asking(mutex_);
        return !stopping_ && wanted(series.get());
    });
    lock.lock();
    const auto found = kept_.find(series.get());
    found->second.busy = false;
    if (detail)
        found->second.detail = std::move(detail);
    if (!wanted(series.get()))
        kept_.erase(found);
}

bool SeriesKeeper::needsDetail(const Kept& kept, const Look& look)
{
    if (look.columns == 0 || look.series->rows() == 0)
        return false;
    const SignalSeries::Detail* detail = kept.detail.get();
    if (detail != nullptr && detail->from <= look.from && detail->to >= look.to
        && look.series->fresh(*detail, (look.to - look.from) / look.columns))
        return false;
    return !look.series->fineEnough(look.from, look.to, look.columns)
           && (look.series->derived() || look.series->about(look.from, look.to) > fewSamples);
}

bool SeriesKeeper::idle() const
{
    const std::scoped_lock lock(mutex_);
    for (const auto& [who, one] : lookers_)
        for (const Look& look : one.looks) {
            const Kept& kept = kept_.at(look.series.get());
            if (kept.busy || needsDetail(kept, look) || !look.series->complete(one.snapshot))
                return false;
        }
    return true;
}

// Whether there was anything to do.
bool SeriesKeeper::workSome(std::unique_lock<std::mutex>& lock)
{
    Kept* next = nullptr;
    const Looker* looker = nullptr;
    trace::Row least = 0;
    for (const auto& [who, one] : lookers_)
        for (const Look& look : one.looks) {
            Kept& kept = kept_.at(look.series.get());
            if (kept.busy || !one.snapshot.valid())
                continue;
            const trace::Row rows = look.series->rows();
            if (needsDetail(kept, look)) {
                readDetail(lock, kept, trace::Snapshot(one.snapshot), Look(look));
                lock.unlock();
                news_();
                lock.lock();
                return true;
            }
            if (!look.series->complete(one.snapshot) && (next == nullptr || rows < least)) {
                next = &kept;
                looker = &one;
                least = rows;
            }
        }
    if (next == nullptr)
        return false;
    const std::shared_ptr<SignalSeries> series = next->series;
    const trace::Snapshot snapshot = looker->snapshot;
    next->busy = true;
    lock.unlock();
    series->update(snapshot, rowsInTurn);
    news_();
    lock.lock();
    const auto found = kept_.find(series.get());
    found->second.busy = false;
    keepBound();
    if (!wanted(series.get()))
        kept_.erase(found);
    grown_.notify_all();
    return true;
}

}  // namespace wavetrope::measure
