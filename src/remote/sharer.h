// SPDX-License-Identifier: GPL-3.0-or-later
// The side that has a bus and puts it on a broker.
#pragma once

#include <chrono>
#include <cstdint>
#include <deque>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "remote/line.h"

namespace wavetrope::remote {

/// Frames are added and taken on the thread that drives the bus; the rest goes on beside it.
class Sharer {
public:
    struct Options {
        Place place;
        Credentials credentials;
        std::string name;               ///< Of the bus.
        can::BitRate rate;
        std::vector<IdRange> writable;  ///< What others may send; empty: nothing.
        std::size_t held = 64U << 20;   ///< Bytes that wait for a broken line; beyond, the oldest are lost.
    };
    struct State {
        Line::State line;
        std::string foreign;            ///< Somebody else shares there, in words; empty when nobody does.
        bool refusedByOther = false;    ///< They were there first, so that nothing is shared here.
        std::uint64_t frames = 0;       ///< Shared so far.
        std::uint64_t lost = 0;         ///< Of them, thrown away behind a broken line.
        std::uint64_t written = 0;      ///< That others had sent.
        std::uint64_t refused = 0;      ///< That others wanted to send and may not, or the bus did not take.
        std::uint64_t strange = 0;      ///< Messages that are not understood.
    };

    explicit Sharer(Options options);
    ~Sharer();
    Sharer(const Sharer&) = delete;
    Sharer& operator=(const Sharer&) = delete;

    /// A frame of the bus.
    void add(const can::FrameView& frame);
    /// Sends what was added since.
    void flush();
    /// What is wrong with the bus, in words; empty when it is alive.
    void setTrouble(const std::string& words);
    /// Offers to the bus what others want to send and may: `offer` says whether it took it.
    void carryOut(const std::function<bool(const can::Frame&)>& offer);
    /// Says that it ends, so that the others know.
    void close();
    [[nodiscard]] State state() const;

private:
    struct Asked {
        can::Frame frame;
        std::uint64_t by = 0;
    };
    struct Client {
        std::uint64_t refused = 0;
        std::string why;
        std::uint64_t heardAt = 0;      // counts what was heard, so that the one that is longest silent is forgotten
    };
    void hear(const std::string& topic, BytesView bytes);
    void opened();
    void pump();
    void describe();
    void refuse(std::uint64_t by, const std::string& why);

    Options options_;
    std::uint64_t session_;
    std::unique_ptr<Line> line_;

    // The driving thread's:
    Packing packing_;
    std::deque<Asked> offered_;         // and not heard on the bus yet
    std::uint64_t added_ = 0;

    mutable std::mutex mutex_;
    struct Waiting {
        Bytes bytes;
        std::uint64_t frames = 0;
    };
    std::deque<Waiting> outbox_;
    std::size_t outboxBytes_ = 0;
    std::deque<Asked> wishes_;
    std::map<std::uint64_t, Client> clients_;
    std::uint64_t hearings_ = 0;
    std::string trouble_;
    bool closed_ = false;
    bool settled_ = false;              // whoever was there before would have been heard
    std::optional<std::chrono::steady_clock::time_point> openedAt_;
    State state_;
};

}  // namespace wavetrope::remote
