// SPDX-License-Identifier: GPL-3.0-or-later
#include "trace/trace.h"

#include <array>
#include <cstring>
#include <limits>

namespace wavetrope::trace {

namespace {

constexpr IdentifierIndex none = ~IdentifierIndex{0};
constexpr std::size_t standardIdentifiers = 2048;

}  // namespace

Trace::Trace() : lastTime_(Time::min()) {}

Trace::~Trace()
{
    for (std::size_t i = 0; i < slots_.size(); ++i) {
        delete slots_[i]->segment.load(std::memory_order_relaxed);
        delete slots_[i];
    }
    for (std::size_t i = 0; i < presences_.size(); ++i)
        delete presences_[i];
}

std::uint8_t Trace::addBus(TraceBus bus)
{
    const std::scoped_lock lock(tableMutex_);
    buses_.push_back(std::move(bus));
    return static_cast<std::uint8_t>(buses_.size() - 1);
}

void Trace::describeBus(std::uint8_t index, TraceBus bus)
{
    const std::scoped_lock lock(tableMutex_);
    if (index < buses_.size())
        buses_[index] = std::move(bus);
}

std::vector<TraceBus> Trace::buses() const
{
    const std::scoped_lock lock(tableMutex_);
    return buses_;
}

IdentifierIndex Trace::identifierOf(const TraceKey& key)
{
    const std::uint64_t packed = key.packed();
    if (packed == lastPacked_)
        return lastIdentifier_;
    IdentifierIndex* fast = nullptr;
    if (!key.id.extended && !key.error) {
        const std::size_t at = key.bus * standardIdentifiers + key.id.value;
        if (at >= standard_.size())
            standard_.resize((key.bus + 1U) * standardIdentifiers, none);
        fast = &standard_[at];
    }
    IdentifierIndex index = fast != nullptr ? *fast : none;
    if (index == none) {
        const auto found = table_.find(packed);  // the writer alone changes the table: reading needs no lock
        if (found != table_.end()) {
            index = found->second;
        } else {
            index = static_cast<IdentifierIndex>(keys_.size());
            presences_.append(new Presences);
            keys_.append(key);
            const std::scoped_lock lock(tableMutex_);
            table_.emplace(packed, index);
        }
        if (fast != nullptr)
            *fast = index;
    }
    lastPacked_ = packed;
    lastIdentifier_ = index;
    return index;
}

GroupEnd Trace::newGroup(IdentifierIndex identifier, std::uint8_t length, std::uint16_t attributes)
{
    Slot& slot = newest_[identifier];
    const bool first = slot.epoch != epoch_;
    const std::uint32_t group = open_->addGroup(identifier, length, attributes, first ? noGroup : slot.last);
    slot.last = static_cast<std::uint16_t>(group);
    if (first && presenceKept_)  // its first frame in this segment
        presences_[identifier]->append(
            {static_cast<std::uint32_t>(slots_.size() - 1), group, identifier < counts_.size() ? counts_[identifier] : 0});
    return open_->endOf(group);
}

GroupEnd& Trace::groupFor(IdentifierIndex identifier, std::uint8_t length, std::uint16_t attributes)
{
    if (identifier >= newest_.size())
        newest_.resize(std::max<std::size_t>(identifier + 1, newest_.size() * 2));
    Slot& slot = newest_[identifier];
    const std::uint32_t shape = std::uint32_t{attributes} << 8 | length;
    if (slot.epoch == epoch_ && slot.shape == shape)
        return slot.end;
    if (slot.epoch != epoch_) {
        slot.end = newGroup(identifier, length, attributes);
        slot.epoch = epoch_;
        slot.shape = shape;
        return slot.end;
    }
    const std::uint64_t key = static_cast<std::uint64_t>(identifier) << 32 | shape;
    const auto [entry, isNew] = otherShapes_.try_emplace(key);
    if (isNew)
        entry->second = newGroup(identifier, length, attributes);
    return entry->second;
}

void Trace::boundTo(std::size_t bytes, SegmentStore& store) { residence_ = std::make_unique<Residence>(slots_, bytes, store); }

void Trace::open(Row row, std::unique_ptr<Segment> segment)
{
    auto slot = std::make_unique<SegmentSlot>(row);
    if (open_ != nullptr) {
        // The one before is complete: what is asked of it most stays at hand.
        SegmentSlot& before = *slots_[slots_.size() - 1];
        const bool first = slots_.size() == 1;
        const SegmentSlot& earlier = first ? before : *slots_[slots_.size() - 2];
        before.earliest.store(
            first ? open_->earliest().count() : std::min(open_->earliest().count(), earlier.earliest.load()), std::memory_order_relaxed);
        before.latest.store(
            first ? open_->latest().count() : std::max(open_->latest().count(), earlier.latest.load()), std::memory_order_relaxed);
        before.groups.store(open_->groupCount(), std::memory_order_relaxed);
        counts_.resize(keys_.size());
        for (std::uint32_t g = 0; g < open_->groupCount(); ++g)
            counts_[open_->group(g).identifier()] += open_->group(g).size();
    }
    segment->first_ = row;
    open_ = segment.release();
    slot->segment.store(open_, std::memory_order_relaxed);
    slots_.append(slot.release());
    ++epoch_;
    otherShapes_.clear();
}

void Trace::append(const can::FrameView& frame)
{
    const std::uint64_t row = rows_.load(std::memory_order_relaxed);
    const auto inSegment = static_cast<std::uint32_t>(row % segmentRows);
    if (inSegment == 0) {
        if (row == 0)
            origin_.store(frame.time.count(), std::memory_order_relaxed);
        open(row, std::make_unique<Segment>(row));
    }
    const IdentifierIndex identifier = identifierOf(TraceKey::of(frame));
    open_->append(inSegment, frame, groupFor(identifier, frame.length, Segment::pack(frame)));
    if (frame.time < lastTime_)
        disorders_.fetch_add(1, std::memory_order_release);
    lastTime_ = frame.time;
    rows_.store(row + 1, std::memory_order_release);
}

void Trace::append(FilledSegment filled)
{
    const std::uint64_t row = rows_.load(std::memory_order_relaxed);
    if (row == 0)
        origin_.store(filled.first.count(), std::memory_order_relaxed);
    std::vector<IdentifierIndex> identifiers;
    for (const TraceKey& key : filled.keys)
        identifiers.push_back(identifierOf(key));
    open(row, std::move(filled.segment));
    counts_.resize(keys_.size());
    std::vector<bool> seen(filled.keys.size());
    for (std::uint32_t g = 0; g < open_->groupCount(); ++g) {
        Group& group = open_->ownGroup(g);
        const IdentifierIndex own = group.identifier_;
        group.identifier_ = identifiers[own];
        if (!seen[own] && presenceKept_)
            presences_[group.identifier_]->append({static_cast<std::uint32_t>(slots_.size() - 1), g, counts_[group.identifier_]});
        seen[own] = true;
    }
    const std::uint32_t disorders = filled.disorders + (filled.first < lastTime_ ? 1 : 0);
    if (disorders > 0)
        disorders_.fetch_add(disorders, std::memory_order_release);
    lastTime_ = filled.last;
    rows_.store(row + segmentRows, std::memory_order_release);
}

Snapshot Trace::snapshot() const { return {*this, rows()}; }

std::optional<IdentifierIndex> Trace::find(const TraceKey& key) const
{
    const std::scoped_lock lock(tableMutex_);
    const auto found = table_.find(key.packed());
    return found == table_.end() ? std::nullopt : std::optional(found->second);
}

std::size_t Trace::memory() const
{
    std::size_t sum = sizeof *this + keys_.size() * (sizeof(TraceKey) + 48) + slots_.size() * sizeof(SegmentSlot);
    if (residence_) {
        sum += residence_->bytes();
        if (const std::size_t count = slots_.size(); count > 0)
            sum += residence_->pin(count - 1)->memory();
    } else {
        for (std::size_t i = 0; i < slots_.size(); ++i)
            sum += slots_[i]->segment.load(std::memory_order_acquire)->memory();
    }
    for (std::size_t i = 0; i < presences_.size(); ++i)
        sum += sizeof(Presences) + presences_[i]->size() * sizeof(Presence);
    return sum;
}

const std::uint8_t* Snapshot::atHand(const std::uint8_t* payload, std::uint8_t length)
{
    thread_local std::array<std::array<std::uint8_t, can::maxLength + readableBehind>, framesAtHand> kept{};
    thread_local unsigned next = 0;
    std::uint8_t* to = kept[next++ % kept.size()].data();
    if (length > 0)
        std::memcpy(to, payload, length);
    return to;
}

std::uint32_t Snapshot::rowsIn(std::size_t index) const
{
    return static_cast<std::uint32_t>(std::min<std::uint64_t>(segmentRows, rows_ - static_cast<std::uint64_t>(index) * segmentRows));
}

can::FrameView Snapshot::frame(Row row) const
{
    const SegmentPin pin = segmentOf(row);
    const Segment& seg = *pin;
    const auto at = static_cast<std::uint32_t>(row % segmentRows);
    can::FrameView frame;
    seg.readHead(at, frame);
    const TraceKey& key = trace_->key(seg.identifier(at));
    frame.bus = key.bus;
    frame.id = key.id;
    frame.data = trace_->residence() == nullptr ? seg.payload(at) : atHand(seg.payload(at), frame.length);
    return frame;
}

std::size_t Snapshot::presencesBefore(const Presences& presences, Row limit) const
{
    std::size_t low = 0;
    std::size_t high = presences.size();
    while (low < high) {
        const std::size_t middle = (low + high) / 2;
        if (Row{presences[middle].segment} * segmentRows < limit)
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}

std::uint32_t Snapshot::countIn(const Presence& presence, std::uint32_t limit) const
{
    const SegmentPin pin = segment(presence.segment);
    const Segment& seg = *pin;
    std::uint32_t sum = 0;
    for (std::uint32_t g = presence.group; g != noGroup; g = seg.group(g).next())
        sum += seg.group(g).countBefore(limit);
    return sum;
}

Row Snapshot::previousOf(IdentifierIndex identifier, Row limit) const
{
    limit = std::min(limit, rows_);
    const Presences& presences = trace_->presences(identifier);
    for (std::size_t r = presencesBefore(presences, limit); r-- > 0;) {
        const SegmentPin pin = segment(presences[r].segment);
        const Segment& seg = *pin;
        const auto end = static_cast<std::uint32_t>(std::min<Row>(segmentRows, limit - seg.firstRow()));
        Row best = noRow;
        for (std::uint32_t g = presences[r].group; g != noGroup; g = seg.group(g).next()) {
            const Group& group = seg.group(g);
            const std::uint32_t count = group.countBefore(end);
            if (count > 0 && (best == noRow || seg.firstRow() + group.row(count - 1) > best))
                best = seg.firstRow() + group.row(count - 1);
        }
        if (best != noRow)
            return best;
    }
    return noRow;
}

Row Snapshot::nextOf(IdentifierIndex identifier, Row from) const { return nthOf(identifier, countOf(identifier, from)); }

std::uint64_t Snapshot::countOf(IdentifierIndex identifier, Row limit) const
{
    limit = std::min(limit, rows_);
    const Presences& presences = trace_->presences(identifier);
    const std::size_t count = presencesBefore(presences, limit);
    if (count == 0)
        return 0;
    const Presence& last = presences[count - 1];
    return last.before + countIn(last, static_cast<std::uint32_t>(std::min<Row>(segmentRows, limit - Row{last.segment} * segmentRows)));
}

Row Snapshot::nthOf(IdentifierIndex identifier, std::uint64_t n) const
{
    const Presences& presences = trace_->presences(identifier);
    std::size_t low = 0;
    std::size_t high = presencesBefore(presences, rows_);
    while (low < high) {
        const std::size_t middle = (low + high) / 2;
        if (presences[middle].before <= n)
            low = middle + 1;
        else
            high = middle;
    }
    if (low == 0)
        return noRow;
    const Presence& presence = presences[low - 1];
    const SegmentPin pin = segment(presence.segment);
    const Segment& seg = *pin;
    const std::uint32_t limit = rowsIn(presence.segment);
    const std::uint64_t within = n - presence.before;
    const Group& only = seg.group(presence.group);
    if (only.next() == noGroup) {
        if (within >= only.size() || only.row(static_cast<std::uint32_t>(within)) >= limit)
            return noRow;
        return seg.firstRow() + only.row(static_cast<std::uint32_t>(within));
    }
    // Several groups: the first row behind which more than `within` of them lie.
    if (countIn(presence, limit) <= within)
        return noRow;
    std::uint32_t from = 0;
    std::uint32_t to = limit;
    while (from < to) {
        const std::uint32_t middle = (from + to) / 2;
        if (countIn(presence, middle + 1) > within)
            to = middle;
        else
            from = middle + 1;
    }
    return seg.firstRow() + from;
}

Time Snapshot::earliest() const
{
    if (rows_ == 0)
        return Time{0};
    const std::size_t last = segmentCount() - 1;
    const Time own = rangeIn(last).first;
    return last == 0 ? own : std::min(own, Time(trace_->slots_[last - 1]->earliest.load(std::memory_order_relaxed)));
}

Time Snapshot::latest() const
{
    if (rows_ == 0)
        return Time{0};
    const std::size_t last = segmentCount() - 1;
    const Time own = rangeIn(last).second;
    return last == 0 ? own : std::max(own, latestThrough(last - 1));
}

Time Snapshot::latestThrough(std::size_t index) const { return Time(trace_->slots_[index]->latest.load(std::memory_order_relaxed)); }

std::pair<Time, Time> Snapshot::rangeIn(std::size_t index) const
{
    const SegmentPin pin = segment(index);
    const std::uint32_t rows = rowsIn(index);
    if (rows == segmentRows)
        return {pin->earliest(), pin->latest()};
    // What the segment says of itself goes on with its rows.
    std::pair<Time, Time> range{pin->time(0), pin->time(rows - 1)};
    if (!trace_->monotone())
        for (std::uint32_t row = 0; row < rows; ++row) {
            range.first = std::min(range.first, pin->time(row));
            range.second = std::max(range.second, pin->time(row));
        }
    return range;
}

}  // namespace wavetrope::trace
