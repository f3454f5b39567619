// SPDX-License-Identifier: GPL-3.0-or-later
// Takes packets apart on several threads and hands their frames on in the order of the log.
#pragma once

#include <deque>
#include <future>
#include <optional>

#include "base/workers.h"
#include "formats/log_format.h"
#include "formats/stretch.h"

namespace wavetrope::formats {

/// Packets that gave no frame, or one without a time of its own.
struct PacketCounts {
    std::uint64_t malformed = 0;
    std::uint64_t otherLinks = 0;
    std::uint64_t tooLate = 0;      ///< Stamped outside the years that nanoseconds reach.
    std::uint64_t untimed = 0;
};

/// What a piece of a log came to.
struct DecodedPackets {
    std::shared_ptr<Stretch> stretch = std::make_shared<Stretch>();
    PacketCounts counts;
    std::size_t untimedAtFront = 0;         ///< Frames in front that take the time of the last frame before the piece.
    std::optional<Time> lastTime;      ///< Of the last frame with a time of its own.
};

/// Pieces come in the order of the log, each as a function that takes it apart on any thread.
class PacketQueue {
public:
    /// Frames that are to be seen at once are handed on as they come; else a sink may gather whole stretches.
    PacketQueue(LogSink& sink, Workers& workers, bool atOnce) : sink_(sink), workers_(workers), atOnce_(atOnce) {}

    template <class Decode>
    void add(Decode decode)
    {
        if (atOnce_ || workers_.count() == 1) {
            hand(decode());
            return;
        }
        pending_.push_back(workers_.submit(std::move(decode)));
        deliver(2 * workers_.count());
    }
    /// Waits until no more than `left` pieces are outstanding.
    void deliver(std::size_t left = 0)
    {
        while (pending_.size() > left) {
            DecodedPackets packets = workers_.wait(pending_.front());
            pending_.pop_front();
            hand(std::move(packets));
        }
    }

    [[nodiscard]] std::uint64_t frames() const { return frames_; }
    [[nodiscard]] const PacketCounts& counts() const { return counts_; }

private:
    void hand(DecodedPackets packets)
    {
        counts_.malformed += packets.counts.malformed;
        counts_.otherLinks += packets.counts.otherLinks;
        counts_.tooLate += packets.counts.tooLate;
        counts_.untimed += packets.counts.untimed;
        for (std::size_t i = 0; i < packets.untimedAtFront; ++i)
            packets.stretch->frames[i].time = lastTime_;
        lastTime_ = packets.lastTime.value_or(lastTime_);
        frames_ += packets.stretch->frames.size();
        if (packets.stretch->frames.empty())
            return;
        if (atOnce_)
            sink_.onFrames(packets.stretch->frames);
        else
            sink_.onStretch(std::move(packets.stretch), workers_);
    }

    LogSink& sink_;
    Workers& workers_;
    bool atOnce_;
    std::deque<std::future<DecodedPackets>> pending_;
    PacketCounts counts_;
    Time lastTime_{0};
    std::uint64_t frames_ = 0;
};

}  // namespace wavetrope::formats
