#include "trace/trace.h"

#include <limits>

namespace wavetrope::trace {

namespace {

constexpr IdentifierIndex none = ~IdentifierIndex{0};
constexpr std::size_t standardIdentifiers = 2048;

}  // namespace

Trace::Trace() : lastTime_(can::Time::min()) {}

Trace::~Trace()
{
    for (std::size_t i = 0; i < segments_.size(); ++i)
        delete segments_[i];
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

std::uint32_t Trace::groupFor(IdentifierIndex identifier, std::uint8_t length)
{
    if (identifier >= slots_.size())
        slots_.resize(std::max<std::size_t>(identifier + 1, slots_.size() * 2));
    Slot& slot = slots_[identifier];
    if (slot.epoch == epoch_ && slot.length == length)
        return slot.group;
    if (slot.epoch != epoch_) {
        slot = {epoch_, static_cast<std::uint16_t>(open_->addGroup(identifier, length)), length};
        return slot.group;
    }
    const std::uint64_t key = static_cast<std::uint64_t>(identifier) << 8 | length;
    const auto [entry, isNew] = otherLengths_.try_emplace(key, std::uint16_t{0});
    if (isNew)
        entry->second = static_cast<std::uint16_t>(open_->addGroup(identifier, length));
    return entry->second;
}

void Trace::append(const can::FrameView& frame)
{
    const std::uint64_t row = rows_.load(std::memory_order_relaxed);
    const auto inSegment = static_cast<std::uint32_t>(row % segmentRows);
    if (inSegment == 0) {
        open_ = new Segment(row);
        segments_.append(open_);
        ++epoch_;
        otherLengths_.clear();
    }
    const IdentifierIndex identifier = identifierOf(TraceKey::of(frame));
    open_->append(inSegment, frame, groupFor(identifier, frame.length));
    if (frame.time < lastTime_)
        disorders_.fetch_add(1, std::memory_order_release);
    lastTime_ = frame.time;
    rows_.store(row + 1, std::memory_order_release);
}

Snapshot Trace::snapshot() const
{
    return {*this, rows()};
}

std::optional<IdentifierIndex> Trace::find(const TraceKey& key) const
{
    const std::scoped_lock lock(tableMutex_);
    const auto found = table_.find(key.packed());
    return found == table_.end() ? std::nullopt : std::optional(found->second);
}

std::size_t Trace::memory() const
{
    std::size_t sum = sizeof *this + keys_.size() * (sizeof(TraceKey) + 48);
    for (std::size_t i = 0; i < segments_.size(); ++i)
        sum += segments_[i]->memory();
    return sum;
}

std::uint32_t Snapshot::rowsIn(std::size_t index) const
{
    return static_cast<std::uint32_t>(std::min<std::uint64_t>(segmentRows, rows_ - static_cast<std::uint64_t>(index) * segmentRows));
}

can::FrameView Snapshot::frame(Row row) const
{
    const Segment& seg = segmentOf(row);
    const auto at = static_cast<std::uint32_t>(row % segmentRows);
    can::FrameView frame;
    seg.readHead(at, frame);
    const TraceKey& key = trace_->key(seg.identifier(at));
    frame.bus = key.bus;
    frame.id = key.id;
    frame.data = seg.payload(at);
    return frame;
}

Row Snapshot::previousOf(IdentifierIndex identifier, Row limit) const
{
    limit = std::min(limit, rows_);
    for (std::size_t s = static_cast<std::size_t>((limit + segmentRows - 1) / segmentRows); s-- > 0;) {
        const Segment& seg = segment(s);
        const auto end = static_cast<std::uint32_t>(std::min<Row>(segmentRows, limit - seg.firstRow()));
        Row best = noRow;
        for (std::uint32_t g = 0; g < seg.groupCount(); ++g) {
            const Group& group = seg.group(g);
            if (group.identifier() != identifier)
                continue;
            const std::uint32_t count = group.countBefore(end);
            if (count > 0 && (best == noRow || seg.firstRow() + group.row(count - 1) > best))
                best = seg.firstRow() + group.row(count - 1);
        }
        if (best != noRow)
            return best;
    }
    return noRow;
}

Row Snapshot::nextOf(IdentifierIndex identifier, Row from) const
{
    Row found = noRow;
    eachOf(identifier, from, [&](Row row, const can::FrameView&) {
        found = row;
        return false;
    });
    return found;
}

std::uint64_t Snapshot::countOf(IdentifierIndex identifier, Row limit) const
{
    std::uint64_t sum = 0;
    limit = std::min(limit, rows_);
    for (std::size_t s = 0; s < segmentCount() && segment(s).firstRow() < limit; ++s) {
        const Segment& seg = segment(s);
        const auto end = static_cast<std::uint32_t>(std::min<Row>(rowsIn(s), limit - seg.firstRow()));
        for (std::uint32_t g = 0; g < seg.groupCount(); ++g)
            if (seg.group(g).identifier() == identifier)
                sum += seg.group(g).countBefore(end);
    }
    return sum;
}

can::Time Snapshot::earliest() const
{
    auto value = can::Time::max();
    for (std::size_t s = 0; s < segmentCount(); ++s)
        value = std::min(value, segment(s).earliest());
    return rows_ == 0 ? can::Time{0} : value;
}

can::Time Snapshot::latest() const
{
    auto value = can::Time::min();
    for (std::size_t s = 0; s < segmentCount(); ++s)
        value = std::max(value, segment(s).latest());
    return rows_ == 0 ? can::Time{0} : value;
}

}  // namespace wavetrope::trace
