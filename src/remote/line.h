// SPDX-License-Identifier: GPL-3.0-or-later
// A line to a broker that is taken up again by itself.
#pragma once

#include <atomic>
#include <condition_variable>
#include <cstdint>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <string>
#include <thread>
#include <vector>

#include "remote/messages.h"
#include "remote/place.h"

struct mosquitto;

namespace wavetrope::remote {

/// Speaks MQTT 5 (OASIS, 2019), or 3.1.1 where the broker knows no other, on a thread of its own. Everything is sent once at
/// least ("quality of service 1"); what is on its way when the line breaks is sent again.
class Line {
public:
    struct Options {
        Place place;
        Credentials credentials;
        std::vector<std::string> topics;            ///< What is listened to, below the place's topic.
        std::string willTopic;                      ///< What the broker says, kept, when the line breaks for good.
        Bytes will;
    };
    /// How it stands.
    struct State {
        enum class Phase : std::uint8_t { trying, open, refused };
        Phase phase = Phase::trying;    ///< Refused: the broker is there and does not want us; it is tried again all the same.
        std::string words;              ///< What is in the way; empty while it is open.
        std::string unheard;            ///< What the broker lets nobody listen to, in words; empty when all is heard.
        std::map<std::string, std::uint64_t> denied;    ///< Messages that the broker did not permit, by the first word of their topic.
        unsigned opened = 0;            ///< So often.
    };
    /// What comes, on the line's thread: the topic below the place's, and the bytes.
    using Heard = std::function<void(const std::string& topic, BytesView bytes)>;
    /// Called on the line's thread whenever it was opened, and when something was delivered.
    using Event = std::function<void()>;

    Line(Options options, Heard heard, Event opened, Event delivered);
    ~Line();
    Line(const Line&) = delete;
    Line& operator=(const Line&) = delete;

    /// Begins. What is called back is in place by then.
    void start();
    /// Says goodbye, so that no will is told, and ends. What is on its way is given half a second.
    void close();

    [[nodiscard]] State state() const;
    /// Gives a message to the line. False where it is not open, or has too much on its way.
    bool say(const std::string& topic, BytesView bytes, bool kept = false);
    /// Messages that were given to it and are not delivered yet.
    [[nodiscard]] std::size_t onTheWay() const;

private:
    struct Called;
    void prepare();
    void run();
    void attempt();
    bool reachable();
    void wait(std::chrono::milliseconds span);
    void setWords(State::Phase phase, std::string words);

    Options options_;
    Heard heard_;
    Event openedEvent_, deliveredEvent_;
    mosquitto* mosquitto_ = nullptr;
    // The line's thread's:
    bool older_ = false;                // the broker knows no MQTT 5
    bool preparedOlder_ = false;
    bool again_ = false;                // at once
    bool answered_ = false;             // by a broker, in this attempt
    std::atomic<bool> closing_{false};
    std::atomic<bool> open_{false};
    mutable std::mutex mutex_;
    std::condition_variable woken_;
    State state_;
    std::vector<int> listenings_;       // message numbers of what was asked to be heard
    std::map<int, std::string> onTheWay_;   // message numbers of what was said, and the first word of its topic
    std::thread thread_;
};

}  // namespace wavetrope::remote
