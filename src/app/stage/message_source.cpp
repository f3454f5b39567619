// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/message_source.h"

#include <algorithm>

namespace wavetrope::app {

namespace {

constexpr std::size_t mostKept = 600;   // more than two screens

}  // namespace

void MessageSource::renew(const trace::Snapshot& snapshot)
{
    rows_ = snapshot.rows();
    decided_ = std::min<trace::Row>(index_.seen(), rows_);
    messages_ = index_.rows().rank(decided_);
    // What was a frame that waited may be part of a message now.
    for (auto kept = kept_.begin(); kept != kept_.end();) {
        if (kept->first + 1 < decided_) {
            ++kept;
            continue;
        }
        places_.erase(kept->first);
        kept = kept_.erase(kept);
    }
}

std::uint64_t MessageSource::count(const trace::Snapshot&) const { return messages_ + (filtered_ ? 0 : rows_ - decided_); }

trace::Row MessageSource::row(std::uint64_t index) const
{
    return index < messages_ ? index_.rows()[index] : filtered_ ? trace::noRow : decided_ + (index - messages_);
}

std::uint64_t MessageSource::nearest(trace::Row row) const
{
    if (row >= decided_ && !filtered_)
        return messages_ + std::min<trace::Row>(row, std::max<trace::Row>(rows_, 1) - 1) - std::min(decided_, row);
    // Of a frame that is part of a message: the message.
    const std::uint64_t at = std::min(index_.rows().rank(row), messages_);
    return at < messages_ ? at : at > 0 ? at - 1 : 0;
}

std::shared_ptr<const measure::Message> MessageSource::message(const trace::Snapshot& snapshot, trace::Row row) const
{
    if (const auto found = places_.find(row); found != places_.end()) {
        kept_.splice(kept_.begin(), kept_, found->second);
        return kept_.front().second;
    }
    auto made = std::make_shared<const measure::Message>(index_.at(snapshot, row));
    kept_.emplace_front(row, made);
    places_[row] = kept_.begin();
    if (kept_.size() > mostKept) {
        places_.erase(kept_.back().first);
        kept_.pop_back();
    }
    return made;
}

trace::RowEntry MessageSource::of(const trace::Snapshot& snapshot, trace::Row row) const
{
    if (row == trace::noRow || row >= snapshot.rows())
        return {};
    const auto found = message(snapshot, row);
    return {row, static_cast<std::uint32_t>(std::max<std::size_t>(1, found->pieces.size())), found->frame, found->data};
}

trace::RowEntry MessageSource::entry(const trace::Snapshot& snapshot, std::uint64_t index) const { return of(snapshot, row(index)); }

trace::RowEntry MessageSource::previous(const trace::Snapshot& snapshot, std::uint64_t index) const
{
    const trace::Row at = row(index);
    if (at == trace::noRow || at >= snapshot.rows())
        return {};
    if (const auto whole = index_.wholeAt(at)) {
        const auto before = index_.previous(*whole);
        return before ? of(snapshot, index_.wholeRow(*before)) : trace::RowEntry{};
    }
    const trace::Row before = snapshot.previousOf(snapshot.identifier(at), at);
    return before == trace::noRow ? trace::RowEntry{} : of(snapshot, before);
}

}  // namespace wavetrope::app
