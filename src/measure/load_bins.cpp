// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/load_bins.h"

#include <algorithm>
#include <new>

namespace wavetrope::measure {

std::int64_t LoadBins::indexOf(Time time) const { return floorDivide(time.count(), span_.count()); }

LoadBin& LoadBins::at(std::int64_t index)
{
    const std::int64_t number = floorDivide(index, pageSize);
    if (cached_ == nullptr || cachedNumber_ != number) {
        Page*& page = pages_[number];
        if (page == nullptr)
            page = new (memory_->allocate(sizeof(Page))) Page{};
        cached_ = page;
        cachedNumber_ = number;
    }
    return (*cached_)[static_cast<std::size_t>(index - number * pageSize)];
}

Time LoadBins::add(const can::FrameView& frame, can::WireLength bits)
{
    if (!rate_.known())
        return Time{0};
    const Time before = times_.duration(bits);
    const Time total = times_.occupancy(bits);
    if (frame.time < Time::min() + before + 2 * span_ || frame.time > Time::max() - total - span_)
        return total;
    const std::int64_t span = span_.count();
    const std::int64_t time = frame.time.count();
    if (time < homeStart_ || time - homeStart_ >= span) {
        home_ = indexOf(frame.time);
        homeStart_ = home_ * span;
    }
    const bool fresh = pages_.empty();
    ++at(home_).frames;
    // From the bin of its first bit on.
    std::int64_t start = time - before.count();
    const std::int64_t end = start + total.count();
    std::int64_t index = home_;
    std::int64_t binStart = homeStart_;
    for (; start < binStart; binStart -= span)
        --index;
    first_ = fresh ? index : std::min(first_, index);
    for (; start < end; ++index) {
        binStart += span;
        const std::int64_t next = std::min(end, binStart);
        at(index).busy += static_cast<std::uint64_t>(next - start);
        start = next;
    }
    last_ = fresh ? std::max(home_, index - 1) : std::max({last_, home_, index - 1});
    return total;
}

LoadBin LoadBins::bin(std::int64_t index) const
{
    const std::int64_t number = floorDivide(index, pageSize);
    const auto found = pages_.find(number);
    return found == pages_.end() ? LoadBin{} : (*found->second)[static_cast<std::size_t>(index - number * pageSize)];
}

std::optional<std::int64_t> LoadBins::nextTouched(std::int64_t index) const
{
    const auto page = pages_.lower_bound(floorDivide(index, pageSize));
    return page == pages_.end() ? std::nullopt : std::optional(std::max(index, page->first * pageSize));
}

std::int64_t LoadBins::busy(std::int64_t first, std::int64_t last) const
{
    std::int64_t sum = 0;
    auto page = pages_.lower_bound(floorDivide(first, pageSize));
    for (; page != pages_.end() && page->first * pageSize <= last; ++page) {
        const std::int64_t base = page->first * pageSize;
        const std::int64_t from = std::max(first, base);
        const std::int64_t to = std::min(last, base + pageSize - 1);
        for (std::int64_t i = from; i <= to; ++i)
            sum += static_cast<std::int64_t>((*page->second)[static_cast<std::size_t>(i - base)].busy);
    }
    return sum;
}

}  // namespace wavetrope::measure
