// SPDX-License-Identifier: GPL-3.0-or-later
#include "trace/segment_fill.h"

#include <algorithm>
#include <array>
#include <limits>
#include <unordered_map>

namespace wavetrope::trace {

namespace {

// Identifier, bus, attributes and length of a frame as one number.
std::uint64_t groupKey(const can::FrameView& frame, std::uint16_t attributes)
{
    return std::uint64_t{frame.length} << 48 | std::uint64_t{attributes} << 37 | std::uint64_t{frame.bus} << 29 | frame.id.value;
}

}  // namespace

class SegmentFill {
    // Finds the group of a key: open addressing, at most half full.
    class GroupTable {
    public:
        // The group of a key: noGroup where it is new, and the caller puts it there.
        [[nodiscard]] std::uint32_t& of(std::uint64_t key)
        {
            Entry* entry = &place(key);
            if (entry->group == noGroup) {
                if (2 * ++count_ > entries_.size()) {
                    grow();
                    entry = &place(key);
                }
                entry->key = key;
            }
            return entry->group;
        }

    private:
        struct Entry {
            std::uint64_t key = 0;
            std::uint32_t group = noGroup;
        };

        Entry& place(std::uint64_t key)
        {
            const std::size_t mask = entries_.size() - 1;
            std::size_t at = static_cast<std::size_t>((key * 0x9E3779B97F4A7C15U) >> 32U) & mask;
            while (entries_[at].group != noGroup && entries_[at].key != key)
                at = (at + 1) & mask;
            return entries_[at];
        }
        void grow()
        {
            std::vector<Entry> before(2 * entries_.size());
            before.swap(entries_);
            for (const Entry& entry : before)
                if (entry.group != noGroup)
                    place(entry.key) = entry;
        }

        std::vector<Entry> entries_ = std::vector<Entry>(2048);
        std::size_t count_ = 0;
    };

public:
    FilledSegment run(std::span<const std::span<const can::FrameView>> stretches)
    {
        filled_.segment = std::make_unique<Segment>(0);
        sort(stretches);
        layOut();
        copy(stretches);
        return std::move(filled_);
    }

    std::unique_ptr<Segment> run(
        Row first, std::span<const KeptGroup> groups, std::span<const std::uint16_t> groupOf, std::span<const std::int64_t> times)
    {
        filled_.segment = std::make_unique<Segment>(first);
        Segment& segment = *filled_.segment;
        std::unordered_map<IdentifierIndex, std::uint32_t> newest;
        for (const KeptGroup& group : groups) {
            const auto [before, isFirst] = newest.try_emplace(group.identifier, noGroup);
            before->second = segment.addGroup(group.identifier, group.length, group.attributes, before->second);
            parts_.push_back({0, group.length, nullptr, nullptr});
        }
        for (std::size_t row = 0; row < groupOf.size(); ++row) {
            segment.groups_[row] = groupOf[row];
            segment.ordinals_[row] = static_cast<std::uint16_t>(parts_[groupOf[row]].count++);
        }
        const std::size_t whole = times.size() - times.size() % Segment::timeBlockRows;
        for (std::size_t row = 0; row < whole; row += Segment::timeBlockRows)
            stamp(static_cast<std::uint32_t>(row), times.subspan(row, Segment::timeBlockRows));
        for (std::size_t row = whole; row < times.size(); ++row) {
            segment.stamp(static_cast<std::uint32_t>(row), times[row]);
            earliest_ = std::min(earliest_, times[row]);
            latest_ = std::max(latest_, times[row]);
        }
        segment.earliest_.store(earliest_, std::memory_order_relaxed);
        segment.latest_.store(latest_, std::memory_order_relaxed);
        layOut();
        for (std::size_t row = 0; row < groupOf.size(); ++row) {
            const auto row16 = static_cast<std::uint16_t>(row);
            std::memcpy(parts_[groupOf[row]].rows + 2UL * segment.ordinals_[row], &row16, sizeof row16);
        }
        for (std::size_t g = 0; g < groups.size(); ++g)
            if (const std::size_t bytes = std::size_t{parts_[g].count} * parts_[g].length; bytes > 0)
                std::memcpy(parts_[g].payloads, groups[g].payloads, bytes);
        return std::move(filled_.segment);
    }

private:
    // What is known of a group while it is filled, and of an identifier.
    struct Part {
        std::uint32_t count = 0;
        std::uint8_t length = 0;
        std::uint8_t* rows = nullptr;
        std::uint8_t* payloads = nullptr;
    };
    struct Known {
        IdentifierIndex index = 0;
        std::uint32_t newest = noGroup;
    };

    // Gives each row its group, its place there and its stamp.
    void sort(std::span<const std::span<const can::FrameView>> stretches)
    {
        Segment& segment = *filled_.segment;
        std::array<std::int64_t, Segment::timeBlockRows> times;
        std::uint32_t row = 0;
        for (const auto& frames : stretches)
            for (const can::FrameView& frame : frames) {
                const std::uint16_t attributes = Segment::pack(frame);
                std::uint32_t& group = table_.of(groupKey(frame, attributes));
                if (group == noGroup)
                    group = addGroup(frame, attributes);
                segment.groups_[row] = static_cast<std::uint16_t>(group);
                segment.ordinals_[row] = static_cast<std::uint16_t>(parts_[group].count++);
                times[row % times.size()] = frame.time.count();
                if (++row % times.size() == 0)
                    stamp(row - static_cast<std::uint32_t>(times.size()), times);
            }
        segment.earliest_.store(earliest_, std::memory_order_relaxed);
        segment.latest_.store(latest_, std::memory_order_relaxed);
        filled_.first = segment.time(0);
        filled_.last = Time(before_);
    }

    void stamp(std::uint32_t row, std::span<const std::int64_t> times)
    {
        filled_.segment->stamp(row, times);
        filled_.disorders += times.front() < before_ ? 1 : 0;
        for (std::size_t i = 1; i < times.size(); ++i)
            filled_.disorders += times[i] < times[i - 1] ? 1 : 0;
        before_ = times.back();
        const auto [least, most] = std::minmax_element(times.begin(), times.end());
        earliest_ = std::min(earliest_, *least);
        latest_ = std::max(latest_, *most);
    }

    std::uint32_t addGroup(const can::FrameView& frame, std::uint16_t attributes)
    {
        const TraceKey key = TraceKey::of(frame);
        const auto [known, isNew] = identifiers_.try_emplace(key.packed());
        if (isNew) {
            known->second.index = static_cast<IdentifierIndex>(filled_.keys.size());
            filled_.keys.push_back(key);
        }
        known->second.newest = filled_.segment->addGroup(known->second.index, frame.length, attributes, known->second.newest);
        parts_.push_back({0, frame.length, nullptr, nullptr});
        return known->second.newest;
    }

    // One chunk for each group, all of them in one piece of memory.
    void layOut()
    {
        const auto bytesOf = [](const Part& part) { return (std::size_t{part.count} * (2U + part.length) + 7) & ~std::size_t{7}; };
        std::size_t bytes = 0;
        for (const Part& part : parts_)
            bytes += bytesOf(part);
        Segment& segment = *filled_.segment;
        std::uint8_t* at = segment.allocateAlone(bytes);
        for (std::uint32_t g = 0; g < parts_.size(); ++g) {
            Part& part = parts_[g];
            Group& group = segment.ownGroup(g);
            group.firstCapacity_ = part.count;
            group.chunks_[0].store(at, std::memory_order_relaxed);
            group.size_.store(part.count, std::memory_order_relaxed);
            part.rows = at;
            part.payloads = at + 2UL * part.count;
            at += bytesOf(part);
        }
    }

    void copy(std::span<const std::span<const can::FrameView>> stretches)
    {
        const Segment& segment = *filled_.segment;
        std::uint32_t row = 0;
        for (const auto& frames : stretches)
            for (const can::FrameView& frame : frames) {
                const Part& part = parts_[segment.groups_[row]];
                const std::size_t ordinal = segment.ordinals_[row];
                const auto row16 = static_cast<std::uint16_t>(row++);
                std::memcpy(part.rows + 2 * ordinal, &row16, sizeof row16);
                if (part.length == 8)
                    std::memcpy(part.payloads + 8 * ordinal, frame.data, 8);
                else if (part.length > 0)
                    std::memcpy(part.payloads + part.length * ordinal, frame.data, part.length);
            }
    }

    FilledSegment filled_;
    std::vector<Part> parts_;
    std::unordered_map<std::uint64_t, Known> identifiers_;
    GroupTable table_;
    std::int64_t earliest_ = std::numeric_limits<std::int64_t>::max();
    std::int64_t latest_ = std::numeric_limits<std::int64_t>::min();
    std::int64_t before_ = latest_;     // stamp of the row before
};

std::unique_ptr<Segment> segmentOf(
    Row first, std::span<const KeptGroup> groups, std::span<const std::uint16_t> groupOf, std::span<const std::int64_t> times)
{
    return SegmentFill().run(first, groups, groupOf, times);
}

FilledSegment fillSegment(std::span<const std::span<const can::FrameView>> stretches) { return SegmentFill().run(stretches); }

}  // namespace wavetrope::trace
