// SPDX-License-Identifier: GPL-3.0-or-later
#include "filter/row_set.h"

#include <algorithm>
#include <bit>

namespace wavetrope::filter {

namespace {

// A list of rows takes less than bits up to here.
constexpr std::uint32_t sparseUpTo = trace::segmentRows / 16;

// Set bits of a word; the compiler's own calls a function where the machine may lack the instruction.
std::uint32_t ones(std::uint64_t word)
{
    word -= word >> 1 & 0x5555555555555555U;
    word = (word & 0x3333333333333333U) + (word >> 2 & 0x3333333333333333U);
    word = (word + (word >> 4)) & 0x0F0F0F0F0F0F0F0FU;
    return static_cast<std::uint32_t>(word * 0x0101010101010101U >> 56);
}

}  // namespace

std::uint32_t RowBits::index()
{
    std::uint32_t sum = 0;
    for (std::size_t w = 0; w < words.size(); ++w) {
        if (w % wordsOfBlock == 0)
            before[w / wordsOfBlock] = static_cast<std::uint16_t>(sum);
        sum += ones(words[w]);
    }
    return sum;
}

std::uint32_t RowBits::select(std::uint32_t n) const
{
    const auto block = static_cast<std::size_t>(std::upper_bound(before.begin(), before.end(), n) - before.begin()) - 1;
    std::uint32_t left = n - before[block];
    for (std::size_t w = block * wordsOfBlock; w < words.size(); ++w) {
        const std::uint32_t count = ones(words[w]);
        if (left >= count) {
            left -= count;
            continue;
        }
        std::uint64_t word = words[w];
        for (; left > 0; --left)
            word &= word - 1;
        return static_cast<std::uint32_t>(w * 64 + static_cast<unsigned>(std::countr_zero(word)));
    }
    return trace::segmentRows;
}

std::uint32_t RowBits::rank(std::uint32_t row) const
{
    const std::size_t word = row / 64;
    std::uint32_t count = before[word / wordsOfBlock];
    for (std::size_t w = word / wordsOfBlock * wordsOfBlock; w < word; ++w)
        count += ones(words[w]);
    return row % 64 == 0 ? count : count + ones(words[word] & ((std::uint64_t{1} << (row % 64)) - 1));
}

RowPart RowPart::ofBits(RowBits& bits)
{
    RowPart part;
    part.count_ = bits.index();
    if (part.count_ == 0)
        return part;
    if (part.count_ > sparseUpTo) {
        part.kind_ = Kind::dense;
        part.bits_ = std::make_unique<RowBits>(bits);
        return part;
    }
    part.kind_ = Kind::sparse;
    part.list_.reserve(part.count_);
    for (std::size_t w = 0; w < bits.words.size(); ++w)
        for (std::uint64_t word = bits.words[w]; word != 0; word &= word - 1)
            part.list_.push_back(static_cast<std::uint16_t>(w * 64 + static_cast<unsigned>(std::countr_zero(word))));
    return part;
}

RowPart RowPart::ofGroups(std::vector<std::uint16_t> groups, std::uint32_t count, std::uint32_t limit)
{
    RowPart part;
    part.kind_ = count == 0 ? Kind::none : Kind::groups;
    part.count_ = count;
    part.limit_ = limit;
    part.list_ = std::move(groups);
    return part;
}

RowPart RowPart::ofAll(std::uint32_t rows)
{
    RowPart part;
    part.kind_ = rows == 0 ? Kind::none : Kind::all;
    part.count_ = rows;
    return part;
}

void RowPart::fill(RowBits& bits, const trace::Segment& segment) const
{
    if (kind_ == Kind::dense) {
        bits = *bits_;
        return;
    }
    bits.words.fill(0);
    const auto set = [&](std::uint32_t row) { bits.set(row); };
    if (kind_ == Kind::all)
        for (std::uint32_t w = 0; w * 64 < count_; ++w)
            bits.words[w] = count_ - w * 64 >= 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << (count_ - w * 64)) - 1;
    else if (kind_ == Kind::sparse)
        std::for_each(list_.begin(), list_.end(), set);
    else if (kind_ == Kind::groups)
        for (const std::uint16_t index : list_) {
            const trace::Group& group = segment.group(index);
            group.chunks(0, group.countBefore(limit_), [&](const std::uint8_t* rows, const std::uint8_t*, std::uint32_t count) {
                for (std::uint32_t i = 0; i < count; ++i)
                    set(trace::Group::rowAt(rows, i));
            });
        }
}

std::uint64_t RowSet::size() const
{
    const std::scoped_lock lock(mutex_);
    const std::uint64_t all = whole();
    if (thinning_.perIdentifier || thinning_.kind == Thinning::Kind::all)
        return all;
    return thinning_.kind == Thinning::Kind::first ? std::min<std::uint64_t>(all, 1) : (all + thinning_.every - 1) / thinning_.every;
}

trace::Row RowSet::at(std::uint64_t n) const
{
    const std::scoped_lock lock(mutex_);
    if (!thinning_.perIdentifier && thinning_.kind == Thinning::Kind::first && n > 0)
        return trace::noRow;
    if (!thinning_.perIdentifier && thinning_.kind == Thinning::Kind::every) {
        if (n > ~std::uint64_t{0} / thinning_.every)
            return trace::noRow;
        n *= thinning_.every;
    }
    return atWhole(n);
}

std::uint64_t RowSet::rank(trace::Row row) const
{
    const std::scoped_lock lock(mutex_);
    const std::uint64_t all = rankWhole(row);
    if (thinning_.perIdentifier || thinning_.kind == Thinning::Kind::all)
        return all;
    return thinning_.kind == Thinning::Kind::first ? std::min<std::uint64_t>(all, 1) : (all + thinning_.every - 1) / thinning_.every;
}

trace::Row RowSet::previous(trace::Row limit) const
{
    const std::uint64_t before = rank(limit);
    return before == 0 ? trace::noRow : at(before - 1);
}

std::size_t RowSet::memory() const
{
    const std::scoped_lock lock(mutex_);
    std::size_t sum = sizeof *this + entries_.capacity() * sizeof(Entry);
    for (const Entry& entry : entries_)
        sum += entry.part->memory();
    return sum;
}

const RowBits& RowSet::bitsOf(const Entry& entry) const
{
    if (entry.part->kind_ == RowPart::Kind::dense)
        return *entry.part->bits_;
    if (cached_ != entry.part.get()) {
        if (!cache_)
            cache_ = std::make_unique<RowBits>();
        entry.part->fill(*cache_, *snapshot_.segment(static_cast<std::size_t>(entry.first / trace::segmentRows)));
        cache_->index();
        cached_ = entry.part.get();
    }
    return *cache_;
}

trace::Row RowSet::atWhole(std::uint64_t n) const
{
    if (n >= whole())
        return trace::noRow;
    // The last entry that begins at or before n, of those the one with rows.
    const auto entry = std::prev(
        std::upper_bound(entries_.begin(), entries_.end(), n, [](std::uint64_t value, const Entry& e) { return value < e.before; }));
    const auto within = static_cast<std::uint32_t>(n - entry->before);
    const RowPart& part = *entry->part;
    if (part.kind_ == RowPart::Kind::all)
        return entry->first + within;
    if (part.kind_ == RowPart::Kind::sparse)
        return entry->first + part.list_[within];
    return entry->first + bitsOf(*entry).select(within);
}

std::uint64_t RowSet::rankWhole(trace::Row row) const
{
    const auto behind = std::upper_bound(
        entries_.begin(), entries_.end(), row, [](trace::Row value, const Entry& e) { return value < e.first; });
    if (behind == entries_.begin())
        return 0;
    const Entry& entry = *std::prev(behind);
    const std::uint64_t within = row - entry.first;
    if (within >= trace::segmentRows)
        return entry.before + entry.part->count();
    const auto limit = static_cast<std::uint32_t>(within);
    const RowPart& part = *entry.part;
    if (part.kind_ == RowPart::Kind::none)
        return entry.before;
    if (part.kind_ == RowPart::Kind::all)
        return entry.before + std::min(limit, part.count_);
    if (part.kind_ == RowPart::Kind::sparse)
        return entry.before
               + static_cast<std::uint64_t>(std::lower_bound(part.list_.begin(), part.list_.end(), limit) - part.list_.begin());
    return entry.before + bitsOf(entry).rank(limit);
}

void RowSet::fill(std::size_t index, RowBits& bits, const trace::Segment& segment) const
{
    std::shared_ptr<const RowPart> part;
    {
        const std::scoped_lock lock(mutex_);
        if (index < entries_.size())
            part = entries_[index].part;
    }
    if (part)
        part->fill(bits, segment);
}

void RowSet::set(const trace::Snapshot& snapshot, std::size_t index, RowPart part)
{
    auto made = std::make_shared<const RowPart>(std::move(part));
    const std::scoped_lock lock(mutex_);
    if (index < entries_.size())
        entries_.resize(index);
    cached_ = nullptr;
    snapshot_ = snapshot;
    entries_.push_back({trace::Row{index} * trace::segmentRows, std::move(made), whole()});
}

}  // namespace wavetrope::filter
