// SPDX-License-Identifier: GPL-3.0-or-later
// Questions that somebody asks on the buses of a run.
#pragma once

#include <deque>
#include <functional>
#include <memory>
#include <vector>

#include "bus/bus.h"
#include "clock/timer.h"
#include "drive/actor.h"
#include "protocol/talk.h"

namespace wavetrope::drive {

/// Has conversations, one after the other on each bus. Asked on the driving thread, answered there.
class Asker final : public Actor, public bus::Listener {
public:
    /// What came of it, and how long it took from its first frame.
    using Done = std::function<void(const protocol::Answer& answer, Time took)>;
    static constexpr std::size_t mostWaiting = 256;

    Asker(clock::Scheduler& scheduler, std::vector<bus::Bus*> buses);
    Asker(const Asker&) = delete;
    Asker& operator=(const Asker&) = delete;

    /// `done` is called once, or never where the run ends before; an answer in words where too many wait.
    void ask(std::uint8_t bus, std::unique_ptr<protocol::Talk> talk, Done done);

    /// Keeps the session of a server alive from now on, every so often, wanting no answer; 0: no longer.
    void keep(std::uint8_t bus, const protocol::DiagnosticPair& pair, Time every);

    [[nodiscard]] const std::string& name() const override { return name_; }
    void setOn(bool on) override { on_ = on; }
    [[nodiscard]] bool on() const override { return on_; }
    [[nodiscard]] std::vector<SentIdentifier> sends() const override { return {}; }
    [[nodiscard]] std::uint64_t changes() const override { return changes_; }
    [[nodiscard]] ActorReport report() const override { return {name_, {}, on_, {}}; }
    void onFrame(const can::FrameView& frame, bus::Port sender) override;

private:
    struct Question {
        std::unique_ptr<protocol::Talk> talk;
        Done done;
    };
    struct Line {   // of a bus
        bus::Bus* bus = nullptr;
        bus::Port port = 0;
        bool attached = false;
        std::deque<Question> waiting;   // the first one is asked
        bool asked = false;
        Time since{};
    };
    struct Kept {
        std::uint8_t bus = 0;
        protocol::DiagnosticPair pair;
        Time every{};   // 0: no longer
        Time next{};
    };
    void attach(std::uint8_t bus);
    void tell(std::uint32_t kept);
    void begin(std::uint8_t bus);
    void goOn(std::uint8_t bus);
    void due(std::uint32_t bus);

    clock::Scheduler& scheduler_;
    std::string name_ = "questions";
    std::deque<Line> lines_;
    clock::Timer timer_, keeping_;
    std::vector<Kept> kept_;
    bool on_ = true;
    std::uint64_t changes_ = 1;
};

}  // namespace wavetrope::drive
