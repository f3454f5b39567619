// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/message_index.h"

#include <algorithm>

#include "trace/trace_key.h"

namespace wavetrope::measure {

namespace {

constexpr trace::Row rowsBetweenLooks = 4'096;

}  // namespace

can::FrameView viewOf(const protocol::MessageRow& row)
{
    can::FrameView view;
    view.time = row.time;
    view.bus = row.bus;
    view.id = row.id;
    view.kind = row.frame;
    view.direction = row.direction;
    view.brs = row.brs;
    view.esi = row.esi;
    view.length = static_cast<std::uint8_t>(std::min<std::size_t>(row.data.size(), can::maxLength));
    view.dlc = row.frame == can::FrameKind::remote ? static_cast<std::uint8_t>(row.length) : can::dlcOfLength(view.length);
    view.data = row.data.data();
    return view;
}

protocol::MessageRow Message::row() const
{
    protocol::MessageRow row;
    row.time = frame.time;
    row.bus = frame.bus;
    row.head = head;
    row.frame = frame.kind;
    row.id = frame.id;
    row.data = data;
    row.length = frame.kind == can::FrameKind::remote ? frame.length : static_cast<unsigned>(data.size());
    row.direction = frame.direction;
    row.brs = frame.brs;
    row.esi = frame.esi;
    row.lasted = lasted;
    row.what = what;
    row.pieces = pieces;
    row.stray = stray;
    return row;
}

MessageIndex::MessageIndex(std::vector<std::vector<protocol::Spoken>> spoken, filter::Filter filter, Time origin)
    : spoken_(std::move(spoken))
{
    if (!filter.passesEverything())
        filter_.emplace(std::move(filter), origin);
    for (std::size_t bus = 0; bus < spoken_.size(); ++bus)
        stream_.speak(static_cast<std::uint8_t>(bus), spoken_[bus]);
}

void MessageIndex::put(std::uint64_t value)
{
    for (; value >= 0x80; value >>= 7)
        deltas_.append(static_cast<std::uint8_t>(value | 0x80));
    deltas_.append(static_cast<std::uint8_t>(value));
}

// Rows come in the order of the trace; segments without any are published, too.
void MessageIndex::take(const protocol::MessageRow& row)
{
    while (row.number / trace::segmentRows > segment_) {
        publish(*current_);
        bits_ = {};
        ++segment_;
    }
    if (!row.pieces.empty()) {
        Whole whole;
        whole.row = row.number;
        whole.piecesAt = deltas_.size();
        whole.frames = static_cast<std::uint32_t>(row.pieces.size());
        // The last is the row itself: back from there.
        for (std::size_t i = row.pieces.size(); i-- > 1;)
            put(row.pieces[i] - row.pieces[i - 1]);
        {
            const std::scoped_lock lock(newestMutex_);
            Newest& newest = newest_[trace::TraceKey{row.bus, false, row.id}.packed()];
            const std::uint64_t number = wholes_.size();
            if (newest.count++ > 0)
                whole.previous = static_cast<std::uint32_t>(std::min<std::uint64_t>(number - newest.whole, UINT32_MAX));
            newest.bus = row.bus;
            newest.id = row.id;
            newest.whole = number;
        }
        wholes_.append(whole);
    }
    const bool long_ = row.data.size() > can::maxLength;
    const bool passes = !filter_ || filter_->passes(viewOf(row), long_ ? &row.data : nullptr);
    if (passes && (!keeps || keeps(row)))
        bits_.set(static_cast<std::uint32_t>(row.number % trace::segmentRows));
}

void MessageIndex::publish(const trace::Snapshot& snapshot)
{
    filter::RowBits bits = bits_;
    rows_.set(snapshot, segment_, filter::RowPart::ofBits(bits));
}

bool MessageIndex::advance(const trace::Snapshot& snapshot, const filter::ScanLimits& limits)
{
    current_ = &snapshot;
    const trace::Row begun = next_;
    for (; next_ < snapshot.rows(); ++next_) {
        if (next_ % rowsBetweenLooks == 0
            && (next_ - begun >= limits.rows || (limits.cancel != nullptr && limits.cancel->load(std::memory_order_relaxed))))
            break;
        if (snapshot.trace().isGone(next_))
            stream_.skip(1);
        else
            stream_.onFrame(snapshot.frame(next_));
    }
    if (next_ != begun) {
        publish(snapshot);
        decided_.store(stream_.decided(), std::memory_order_release);
    }
    current_ = nullptr;
    return next_ >= snapshot.rows();
}

void MessageIndex::finish(const trace::Snapshot& snapshot)
{
    current_ = &snapshot;
    stream_.finish();
    if (next_ > 0)
        publish(snapshot);
    decided_.store(stream_.decided(), std::memory_order_release);
    current_ = nullptr;
}

std::uint64_t MessageIndex::wholesBefore(trace::Row row) const
{
    std::uint64_t from = 0, to = wholes_.size();
    while (from < to) {
        const std::uint64_t middle = from + (to - from) / 2;
        (wholes_[middle].row < row ? from : to) = wholes_[middle].row < row ? middle + 1 : middle;
    }
    return from;
}

std::optional<std::uint64_t> MessageIndex::wholeAt(trace::Row row) const
{
    const std::uint64_t n = wholesBefore(row);
    return n < wholes_.size() && wholes_[n].row == row ? std::optional(n) : std::nullopt;
}

std::optional<std::uint64_t> MessageIndex::previous(std::uint64_t n) const
{
    const std::uint32_t back = wholes_[n].previous;
    return back == 0 ? std::nullopt : std::optional(n - back);
}

std::vector<MessageIndex::Newest> MessageIndex::newest() const
{
    std::vector<Newest> all;
    const std::scoped_lock lock(newestMutex_);
    for (const auto& [key, newest] : newest_)
        if (newest.whole < wholes_.size())
            all.push_back(newest);
    std::sort(all.begin(), all.end(),
        [](const Newest& a, const Newest& b) { return std::pair(a.bus, a.id.key()) < std::pair(b.bus, b.id.key()); });
    return all;
}

std::vector<trace::Row> MessageIndex::pieces(std::uint64_t n) const
{
    const Whole& whole = wholes_[n];
    std::vector<trace::Row> rows(whole.frames);
    trace::Row row = whole.row;
    std::uint64_t at = whole.piecesAt;
    for (std::size_t i = rows.size(); i-- > 0;) {
        rows[i] = row;
        if (i == 0)
            break;
        std::uint64_t delta = 0;
        for (unsigned shift = 0;; shift += 7) {
            const std::uint8_t byte = deltas_[at++];
            delta |= std::uint64_t{byte & 0x7FU} << shift;
            if (byte < 0x80)
                break;
        }
        row -= delta;
    }
    return rows;
}

Message MessageIndex::at(const trace::Snapshot& snapshot, trace::Row row) const
{
    Message out;
    const auto whole = wholeAt(row);
    if (whole)
        out.pieces = pieces(*whole);
    const can::FrameView last = snapshot.frame(row);
    out.frame = last;
    protocol::MessageStream again(
        [&](const protocol::MessageRow& found) {
            if (whole && found.pieces.empty())
                return;
            out.head = found.head;
            out.frame.id = found.id;
            out.data.assign(found.data.begin(), found.data.end());
            out.lasted = found.lasted;
            out.what = found.what;
            out.stray = found.stray;
        },
        [](const protocol::Transfer&) {});
    if (last.bus < spoken_.size())
        again.speak(last.bus, spoken_[last.bus]);
    if (!whole)
        again.onFrame(last);
    for (const trace::Row piece : out.pieces)
        if (!snapshot.trace().isGone(piece))
            again.onFrame(snapshot.frame(piece));
    again.finish();
    return out;
}

std::size_t MessageIndex::memory() const { return rows_.memory() + wholes_.size() * sizeof(Whole) + deltas_.size(); }

}  // namespace wavetrope::measure
