// SPDX-License-Identifier: GPL-3.0-or-later
#include "trace/segment.h"

#include <algorithm>
#include <bit>
#include <cstring>
#include <limits>

namespace wavetrope::trace {

namespace {

constexpr std::size_t arenaBlock = 32 * 1024;

}  // namespace

Group::Place Group::placeBehindFirst(std::uint32_t ordinal)
{
    const std::uint32_t shifted = ordinal + (2U << firstBits);
    const unsigned top = static_cast<unsigned>(std::bit_width(shifted)) - 1;
    // Each octave has two chunks of half its size.
    const std::uint32_t within = shifted - (1U << top);
    const std::uint32_t second = within >> (top - 1);
    return {2 * (top - 1 - firstBits) + second, within & ((1U << (top - 1)) - 1)};
}

std::uint16_t Group::row(std::uint32_t ordinal) const
{
    const Place at = place(ordinal);
    std::uint16_t value;
    std::memcpy(&value, chunks_[at.chunk].load(std::memory_order_acquire) + 2UL * at.offset, sizeof value);
    return value;
}

const std::uint8_t* Group::payload(std::uint32_t ordinal) const
{
    const Place at = place(ordinal);
    return chunks_[at.chunk].load(std::memory_order_acquire) + 2UL * capacity(at.chunk) + static_cast<std::size_t>(length_) * at.offset;
}

std::uint32_t Group::countBefore(std::uint32_t limit) const
{
    std::uint32_t low = 0;
    std::uint32_t high = size();
    if (limit >= segmentRows)
        return high;  // a search would go through memory that lies apart
    while (low < high) {
        const std::uint32_t middle = (low + high) / 2;
        if (row(middle) < limit)
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}

Segment::Segment(Row first)
    : first_(first),
      timeBlocks_(new TimeBlock[segmentRows / timeBlockRows]),
      offsets_(new std::int32_t[segmentRows]),
      groups_(new std::uint16_t[segmentRows]),
      ordinals_(new std::uint16_t[segmentRows]),
      earliest_(std::numeric_limits<std::int64_t>::max()),
      latest_(std::numeric_limits<std::int64_t>::min()),
      memory_(0)
{
    take(segmentRows * (4 + 2 + 2) + segmentRows / timeBlockRows * sizeof(TimeBlock) + sizeof(Segment));
}

namespace {

std::atomic<std::size_t> allSegments{0};

}  // namespace

std::size_t memoryOfSegments() { return allSegments.load(std::memory_order_relaxed); }

void Segment::take(std::size_t bytes)
{
    memory_.fetch_add(bytes, std::memory_order_relaxed);
    allSegments.fetch_add(bytes, std::memory_order_relaxed);
}

std::unique_ptr<Segment> Segment::withoutRows(Row first, std::uint32_t groups, std::int64_t time)
{
    auto made = std::make_unique<Segment>(first);
    made->lost_ = true;
    // The rows belong to a group of their own, which no identifier's presences lead to.
    can::FrameView nothing;
    nothing.kind = can::FrameKind::error;
    nothing.time = Time(time);
    const std::uint32_t own = std::min(groups, segmentRows - 1);
    for (std::uint32_t g = 0; g <= own; ++g)
        made->addGroup(0, 0, pack(nothing), noGroup);
    GroupEnd end = made->endOf(own);
    for (std::uint32_t row = 0; row < segmentRows; ++row)
        made->append(row, nothing, end);
    return made;
}

Segment::~Segment()
{
    allSegments.fetch_sub(memory(), std::memory_order_relaxed);
    for (auto& block : groupBlocks_)
        delete[] block.load(std::memory_order_relaxed);
    for (std::uint32_t block = 0; block < segmentRows / timeBlockRows; ++block)
        delete[] timeBlocks_[block].wide.load(std::memory_order_relaxed);
}

const Group& Segment::group(std::uint32_t index) const
{
    return groupBlocks_[index / groupBlock].load(std::memory_order_acquire)[index % groupBlock];
}

void Segment::unpack(std::uint16_t attributes, can::FrameHead& head)
{
    head.kind = static_cast<can::FrameKind>(attributes & 3U);
    head.direction = static_cast<can::Direction>(attributes >> 2 & 3U);
    head.brs = (attributes >> 4 & 1U) != 0;
    head.esi = (attributes >> 5 & 1U) != 0;
    head.dlc = static_cast<std::uint8_t>(attributes >> 6 & 15U);
}

void Segment::readHead(std::uint32_t row, can::FrameHead& head) const
{
    const Group& group = groupOf(row);
    unpack(group.attributes(), head);
    head.time = time(row);
    head.length = group.length();
}

std::uint8_t* Segment::allocate(std::size_t bytes)
{
    bytes = (bytes + 7) & ~std::size_t{7};
    if (bytes > arenaLeft_) {
        if (bytes >= arenaBlock / 2)  // large chunks stand alone and leave the current block in use
            return allocateAlone(bytes);
        arenaAt_ = allocateAlone(arenaBlock);
        arenaLeft_ = arenaBlock;
    }
    std::uint8_t* at = arenaAt_;
    arenaAt_ += bytes;
    arenaLeft_ -= bytes;
    return at;
}

std::uint8_t* Segment::allocateAlone(std::size_t bytes)
{
    arena_.emplace_back(new std::uint8_t[bytes + readableBehind]);
    take(bytes + readableBehind);
    return arena_.back().get();
}

std::uint32_t Segment::addGroup(IdentifierIndex identifier, std::uint8_t length, std::uint16_t attributes, std::uint32_t before)
{
    const std::uint32_t index = groupCount_.load(std::memory_order_relaxed);
    auto& block = groupBlocks_[index / groupBlock];
    if (block.load(std::memory_order_relaxed) == nullptr) {
        block.store(new Group[groupBlock], std::memory_order_release);
        take(groupBlock * sizeof(Group));
    }
    Group& group = block.load(std::memory_order_relaxed)[index % groupBlock];
    group.identifier_ = identifier;
    group.length_ = length;
    group.attributes_ = attributes;
    groupCount_.store(index + 1, std::memory_order_release);
    if (before != noGroup)
        ownGroup(before).next_.store(index, std::memory_order_release);
    return index;
}

void Segment::stamp(std::uint32_t row, std::int64_t time)
{
    TimeBlock& block = timeBlocks_[row / timeBlockRows];
    const std::uint32_t at = row % timeBlockRows;
    if (at == 0)
        block.base = time;
    std::int64_t* wide = block.wide.load(std::memory_order_relaxed);
    if (wide == nullptr) {
        const std::int64_t offset = static_cast<std::int64_t>(static_cast<std::uint64_t>(time) - static_cast<std::uint64_t>(block.base));
        if (offset == static_cast<std::int32_t>(offset)) {
            offsets_[row] = static_cast<std::int32_t>(offset);
            return;
        }
        wide = new std::int64_t[timeBlockRows];
        for (std::uint32_t i = 0; i < at; ++i)
            wide[i] = block.base + offsets_[row - at + i];
        take(timeBlockRows * sizeof(std::int64_t));
        block.wide.store(wide, std::memory_order_release);
    }
    wide[at] = time;
}

void Segment::stamp(std::uint32_t row, std::span<const std::int64_t> times)
{
    TimeBlock& block = timeBlocks_[row / timeBlockRows];
    block.base = times[0];
    bool near = true;
    for (std::uint32_t i = 0; i < timeBlockRows; ++i) {
        const auto offset = static_cast<std::int64_t>(static_cast<std::uint64_t>(times[i]) - static_cast<std::uint64_t>(block.base));
        offsets_[row + i] = static_cast<std::int32_t>(offset);
        near = near && offset == static_cast<std::int32_t>(offset);
    }
    if (near)
        return;
    auto* wide = new std::int64_t[timeBlockRows];
    std::copy(times.begin(), times.end(), wide);
    take(timeBlockRows * sizeof(std::int64_t));
    block.wide.store(wide, std::memory_order_release);
}

void Segment::enlarge(GroupEnd& end)
{
    Group& group = *end.group;
    const unsigned chunk = group.place(end.ordinal).chunk;
    end.left = group.capacity(chunk);
    end.rows = allocate(std::size_t{end.left} * (2U + group.length_));
    end.payloads = end.rows + 2UL * end.left;
    group.chunks_[chunk].store(end.rows, std::memory_order_release);
}

void Segment::append(std::uint32_t row, const can::FrameView& frame, GroupEnd& end)
{
    if (end.left == 0)
        enlarge(end);
    const auto row16 = static_cast<std::uint16_t>(row);
    std::memcpy(end.rows, &row16, sizeof row16);
    if (frame.length == 8)
        std::memcpy(end.payloads, frame.data, 8);
    else if (frame.length > 0)
        std::memcpy(end.payloads, frame.data, frame.length);
    end.rows += sizeof row16;
    end.payloads += frame.length;
    --end.left;
    const std::int64_t time = frame.time.count();
    stamp(row, time);
    groups_[row] = end.index;
    ordinals_[row] = static_cast<std::uint16_t>(end.ordinal++);
    if (time < earliest_.load(std::memory_order_relaxed))
        earliest_.store(time, std::memory_order_release);
    if (time > latest_.load(std::memory_order_relaxed))
        latest_.store(time, std::memory_order_release);
    end.group->size_.store(end.ordinal, std::memory_order_release);
}

}  // namespace wavetrope::trace
