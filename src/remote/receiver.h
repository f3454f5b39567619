// SPDX-License-Identifier: GPL-3.0-or-later
// The side that has no bus, and takes what another shares.
#pragma once

#include <atomic>
#include <cstdint>
#include <deque>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "remote/line.h"

namespace wavetrope::remote {

/// Frames are taken and offered on one thread; they come on another.
class Receiver {
public:
    struct Options {
        Place place;
        Credentials credentials;
        std::size_t held = 1U << 17;    ///< Frames that wait to be taken; beyond, they are lost.
    };
    /// How it stands.
    struct State {
        enum class Phase : std::uint8_t { trying, refused, silent, gone, trouble, alive };
        Phase phase = Phase::trying;    ///< Of the line; nobody has shared there; they have ended; their bus is not alive.
        std::string words;              ///< "alive", or what is in the way.
        std::string name;               ///< Of the bus there.
        can::BitRate rate;              ///< There.
        std::uint64_t frames = 0;       ///< That came.
        std::uint64_t lost = 0;         ///< On the way: the other side had them, we have not.
        std::uint64_t strange = 0;      ///< Messages that are none of ours.
        std::uint64_t others = 0;       ///< Messages of a second one who shares there; they are left out.
        std::uint64_t misdated = 0;     ///< Frames whose stamps cannot be; they have the time of their arrival.
        std::uint64_t errors = 0;       ///< Error frames.
        std::uint64_t refused = 0;      ///< Frames that we wanted to send and that did not reach the bus.
        std::string why;                ///< The last of them, in words.
        std::optional<Time> offset;     ///< Their clock less ours, where it could be asked.
        Time trip{};                    ///< Of the question that the offset is from, there and back.
        std::optional<Time> latency;    ///< From the bus there until here, lately; the offset is taken out of it.
        Time worst{};                   ///< The longest of the last ten seconds.
    };

    explicit Receiver(Options options);
    ~Receiver();
    Receiver(const Receiver&) = delete;
    Receiver& operator=(const Receiver&) = delete;

    /// The stamp of the frame that came first and was not taken yet.
    [[nodiscard]] std::optional<Time> next();
    /// Takes it.
    [[nodiscard]] std::optional<can::Frame> take();
    /// Asks the other side to send a frame. False where it may not be, or the line is not open.
    bool offer(const can::Frame& frame);
    /// Whether an offer would be taken now, whatever its identifier.
    [[nodiscard]] bool accepts() const;
    [[nodiscard]] State state() const;

private:
    struct Queue;
    void hear(const std::string& topic, BytesView bytes);
    void describe(BytesView bytes);
    void accept(BytesView bytes);
    void answer(BytesView bytes);
    void askAgain(Time now);
    void refuse(std::string why);

    Options options_;
    std::uint64_t own_;
    std::unique_ptr<Queue> queue_;
    std::atomic<bool> mayWrite_{false};

    mutable std::mutex mutex_;
    State state_;
    std::optional<Description> description_;
    std::optional<std::uint64_t> expected_;     // number of the next frame
    struct Trip {
        Time offset, length;
    };
    std::deque<Trip> trips_;
    std::deque<std::pair<Time, Time>> slow_;    // when and how long, descending
    Time askedAt_{};
    std::uint64_t refusedThere_ = 0, refusedHere_ = 0;
    std::unique_ptr<Line> line_;
};

}  // namespace wavetrope::remote
