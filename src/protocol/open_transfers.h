// SPDX-License-Identifier: GPL-3.0-or-later
// The messages in pieces that are open on a bus, with their limits.
#pragma once

#include <algorithm>
#include <map>
#include <queue>
#include <vector>

#include "protocol/layer.h"

namespace wavetrope::protocol {

/// By a key, at most one each. `Open` is a struct with a `Transfer transfer` and what its protocol remembers.
template <class Open>
class OpenTransfers {
public:
    explicit OpenTransfers(TransferListener& listener) : listener_(listener) {}

    [[nodiscard]] Open* find(std::uint64_t key)
    {
        const auto found = open_.find(key);
        return found == open_.end() ? nullptr : &found->second.open;
    }
    /// Null where too many are open.
    [[nodiscard]] Open* begin(std::uint64_t key)
    {
        if (open_.size() >= mostOpen)
            return nullptr;
        return &open_[key].open;
    }
    /// Takes a frame into one that is open, which goes on until `limit`.
    void add(std::uint64_t key, const can::FrameView& frame, std::uint64_t number, Time limit)
    {
        Slot& slot = open_.at(key);
        Transfer& transfer = slot.open.transfer;
        if (transfer.frames++ == 0) {
            transfer.from = frame.time;
            transfer.bus = frame.bus;
        }
        transfer.to = frame.time;
        transfer.numbers.push_back(number);
        held_ += sizeof number;
        slot.limit = shifted(frame.time, limit);
        limits_.emplace(slot.limit, key);
    }
    /// Bytes that came in order.
    void append(Open& open, const std::uint8_t* data, std::size_t count)
    {
        open.transfer.data.insert(open.transfer.data.end(), data, data + count);
        open.transfer.bytes = std::max<std::uint64_t>(open.transfer.bytes, open.transfer.data.size());
        held_ += count;
    }
    /// Whether what is held has outgrown its bounds with this one.
    [[nodiscard]] bool tooMuch(const Open& open) const { return open.transfer.bytes > mostBytes || held_ > mostBytesOpen; }

    void end(std::uint64_t key, Ended how)
    {
        auto node = open_.extract(key);
        if (node.empty())
            return;
        Transfer transfer = std::move(node.mapped().open.transfer);
        held_ -= std::min<std::uint64_t>(held_, transfer.bytes + transfer.numbers.size() * sizeof(std::uint64_t));
        transfer.ended = how;
        listener_.onTransfer(std::move(transfer));
    }

    [[nodiscard]] Time nextLimit() const { return limits_.empty() ? Time::max() : limits_.top().first; }
    /// Ends those whose limit is over, each as `ending` says.
    template <class Ending>
    void passed(Time now, Ending&& ending)
    {
        while (!limits_.empty() && limits_.top().first < now) {
            const auto [limit, key] = limits_.top();
            limits_.pop();
            if (const auto found = open_.find(key); found != open_.end() && found->second.limit == limit)
                end(key, ending(found->second.open));
        }
    }
    template <class Ending>
    void finish(Ending&& ending)
    {
        while (!open_.empty())
            end(open_.begin()->first, ending(open_.begin()->second.open));
    }

private:
    [[nodiscard]] static Time shifted(Time time, Time by) { return time > Time::max() - by ? Time::max() : time + by; }

    struct Slot {
        Open open;
        Time limit{};
    };
    TransferListener& listener_;
    std::map<std::uint64_t, Slot> open_;
    using Limit = std::pair<Time, std::uint64_t>;
    std::priority_queue<Limit, std::vector<Limit>, std::greater<>> limits_;  // some of them over
    std::uint64_t held_ = 0;
};

}  // namespace wavetrope::protocol
