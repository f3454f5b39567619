// SPDX-License-Identifier: GPL-3.0-or-later
// The frames that a conversion takes.
#pragma once

#include <algorithm>
#include <unordered_map>
#include <vector>

#include "convert/conversion.h"
#include "measure/message_index.h"
#include "trace/time_index.h"

namespace wavetrope::convert {

/// Rows that a conversion takes at one go.
inline constexpr std::size_t rowsAtOnce = 8192;

/// Rows of a snapshot that a filter passes, within a stretch of time.
class Frames {
public:
    /// `rows` is null where the filter passes everything. With `messages` rows are theirs.
    Frames(const trace::Snapshot& snapshot, const filter::RowSet* rows, Time from, Time to, const measure::MessageIndex* messages = nullptr)
        : snapshot_(snapshot), rows_(rows), messages_(messages), from_(from), to_(to), end_(snapshot.rows())
    {
        for (trace::IdentifierIndex i = 0; i < snapshot.trace().identifierCount(); ++i)
            keys_.push_back(snapshot.trace().key(i));
        if (messages != nullptr)
            for (const measure::MessageIndex::Newest& one : messages->newest())
                if (const trace::TraceKey key{one.bus, false, one.id}; !snapshot.trace().find(key)) {
                    extra_[key.packed()] = static_cast<trace::IdentifierIndex>(keys_.size());
                    keys_.push_back(key);
                }
        if (!snapshot.trace().monotone())
            return;
        // Where stamps never run backwards, the stretch of time is one of rows.
        const trace::TimeIndex order(snapshot);
        begin_ = order.lowerBound(from);
        if (to < Time::max())
            end_ = order.lowerBound(to + Time(1));
    }

    [[nodiscard]] const trace::Snapshot& snapshot() const { return snapshot_; }
    /// What the identifiers of `At` are: those of the trace, and behind them those of messages that no frame has.
    [[nodiscard]] const std::vector<trace::TraceKey>& keys() const { return keys_; }
    [[nodiscard]] bool ofMessages() const { return messages_ != nullptr; }
    /// A frame, or the message that stands in its place.
    struct At {
        can::FrameHead head{};
        can::Payload payload{};     ///< Valid until the next one is asked for.
        trace::IdentifierIndex identifier = 0;
        bool decodes = true;        ///< Its bytes are those of frames: an object's are not.
    };
    [[nodiscard]] At at(trace::Row row) const
    {
        if (messages_ == nullptr) {
            const can::FrameView frame = snapshot_.frame(row);
            return {frame, frame.payload(), snapshot_.identifier(row), true};
        }
        message_ = messages_->at(snapshot_, row);
        At out{message_.frame, message_.data, snapshot_.identifier(row), true};
        if (!message_.pieces.empty()) {
            const trace::TraceKey key{message_.frame.bus, false, message_.frame.id};
            const auto extra = extra_.find(key.packed());
            out.identifier = extra != extra_.end() ? extra->second : snapshot_.trace().find(key).value_or(out.identifier);
        }
        out.decodes = !message_.head
                      || (message_.head->kind != protocol::Kind::serviceRead && message_.head->kind != protocol::Kind::serviceWrite);
        return out;
    }
    [[nodiscard]] trace::Row begin() const { return begin_; }
    [[nodiscard]] trace::Row end() const { return end_; }
    /// Whether a row is one of them.
    [[nodiscard]] bool has(trace::Row row) const
    {
        return row >= begin_ && row < end_ && inTime(snapshot_.time(row)) && (rows_ == nullptr || rows_->contains(row));
    }

    /// Replaces `rows` by up to `most` further ones from row `from` on. Gives the row to go on with, or end().
    trace::Row next(trace::Row from, std::size_t most, std::vector<trace::Row>& rows) const
    {
        rows.clear();
        from = std::max(from, begin_);
        if (rows_ == nullptr) {
            for (; from < end_ && rows.size() < most; ++from)
                if (inTime(snapshot_.time(from)))
                    rows.push_back(from);
            return from;
        }
        trace::Row last = end_;
        rows_->each(rows_->rank(from), [&](trace::Row row) {
            last = row;
            if (row >= end_ || rows.size() == most)
                return false;
            if (inTime(snapshot_.time(row)))
                rows.push_back(row);
            last = end_;
            return true;
        });
        return std::min(last, end_);
    }

private:
    [[nodiscard]] bool inTime(Time time) const { return time >= from_ && time <= to_; }

    trace::Snapshot snapshot_;
    const filter::RowSet* rows_;
    const measure::MessageIndex* messages_;
    std::vector<trace::TraceKey> keys_;
    std::unordered_map<std::uint64_t, trace::IdentifierIndex> extra_;
    mutable measure::Message message_;
    Time from_;
    Time to_;
    trace::Row begin_ = 0;
    trace::Row end_;
};

}  // namespace wavetrope::convert
