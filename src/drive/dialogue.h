// SPDX-License-Identifier: GPL-3.0-or-later
// A dialogue at work: it follows both partners, and drives those that are simulated.
#pragma once

#include <array>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "bus/bus.h"
#include "clock/timer.h"
#include "drive/actor.h"
#include "drive/dialogue_watch.h"
#include "drive/node.h"

namespace wavetrope::drive {

/// What a dialogue is made for.
struct DialogueWorld {
    clock::Scheduler& scheduler;
    std::vector<bus::Bus*> buses;               ///< By bus index.
    std::shared_ptr<const database::Catalog> catalog;
    Time begins{};                              ///< Virtual time at which the run begins.
    std::array<Node*, 2> nodes{};               ///< Its partners as far as the rig simulates them; null: the other one is real.
};

/// What a dialogue tells besides its name.
struct DialogueFacts {
    std::shared_ptr<const DialogueSpec> spec;
    struct Partner : SideFacts {
        bool simulated = false;                 ///< It is driven here, now.
    };
    std::array<Partner, 2> partners;
    std::vector<DialogueEvent> events;          ///< The newest ones.
    std::uint64_t broken = 0;                   ///< Rules so far.
    struct Message {
        std::string name;
        can::Identifier id;
        std::size_t owner = 2;                  ///< Partner, or 2 where nobody knows.
    };
    std::shared_ptr<const std::vector<Message>> messages;   ///< By number.
    std::vector<HeardMessage> heard;            ///< The newest ones.
    Time told{};                                ///< When it was so.
    bool waits = false;                         ///< Other limits are asked for, and wait until it begins anew.
};

/// What both machines tell: all their events, and the frames that are kept. Nobody is driven.
[[nodiscard]] DialogueFacts factsOf(const DialogueWatch& watch);

/// Follows its messages on its bus. A partner whose node is on sends what the rig says for its phase; one whose node is off, or is none of the
/// rig, is watched alone.
class Dialogue final : public Actor, public bus::Listener {
public:
    /// Errors name what its databases or the nodes have not.
    [[nodiscard]] static Expected<std::unique_ptr<Dialogue>> create(const DialogueSpec& spec, const DialogueWorld& world);
    Dialogue(const Dialogue&) = delete;
    Dialogue& operator=(const Dialogue&) = delete;

    [[nodiscard]] const std::string& name() const override { return watch_.spec().name; }
    void stop() override;
    /// Off, it follows, and drives nobody.
    void setOn(bool on) override;
    [[nodiscard]] bool on() const override { return on_; }
    /// What it has sent its nodes send.
    [[nodiscard]] std::vector<SentIdentifier> sends() const override { return {}; }
    /// Another number too when a partner's node is taken out or put back.
    [[nodiscard]] std::uint64_t changes() const override { return changes_ << 2U | (drives(0) ? 1U : 0U) | (drives(1) ? 2U : 0U); }
    /// Its facts are `DialogueFacts`.
    [[nodiscard]] ActorReport report() const override;

    /// The first partner begins, from whatever phase. An error where it is not simulated.
    [[nodiscard]] Expected<void> begin();
    /// A partner ends it, for a reason. An error where it is not simulated, or rests.
    [[nodiscard]] Expected<void> breakOff(std::size_t partner, unsigned reason);

    /// Other time limits: at once where it rests, else when it begins anew. An error where more than limits is another one.
    [[nodiscard]] Expected<void> takeLimits(const DialogueSpec& spec);
    [[nodiscard]] const DialogueWatch& watch() const { return watch_; }
    void onFrame(const can::FrameView& frame, bus::Port sender) override;

private:
    struct Side {
        clock::Timer timer;
        std::size_t phase = SideSpec::rest;
        std::vector<Time> due;  // by what is said in it
        std::vector<bool> said;
        unsigned reason = 0;  // for which it is about to end
    };
    struct Condition {
        std::size_t partner, phase, say, watch;
    };

    Dialogue(DialogueWatch watch, const DialogueWorld& world);
    Expected<void> build();
    [[nodiscard]] bool drives(std::size_t partner) const { return on_ && world_.nodes[partner] != nullptr && world_.nodes[partner]->on(); }
    [[nodiscard]] bool own(std::size_t partner, const std::string& message) const;
    [[nodiscard]] std::string ownOf(std::size_t partner, const std::vector<std::string>& messages) const;
    void look();
    void enters(std::size_t partner);
    void answer(std::size_t partner, const std::string& message);
    void rest(std::size_t partner);
    void settle();
    void due(std::size_t partner, std::uint32_t say);
    void dueFirst(std::uint32_t say) { due(0, say); }
    void dueSecond(std::uint32_t say) { due(1, say); }
    void became(std::size_t condition);
    void follow(const DialogueEvent& event);
    void endingHolds(std::size_t partner, std::size_t phase, std::size_t ending);
    void carryOut(std::size_t partner, const Consequence& what, const std::string& why);
    void end(std::size_t partner, unsigned reason, bool fault, const std::string& why);
    void limitPassed();
    void plan();

    DialogueWatch watch_;
    std::optional<DialogueSpec> wanted_;  // its limits wait
    DialogueWorld world_;
    bool on_ = true;
    std::uint64_t changes_ = 1, seen_ = 0, broken_ = 0;
    std::array<Side, 2> sides_;
    std::vector<Condition> conditions_;
    std::shared_ptr<const std::vector<DialogueFacts::Message>> messages_;
    clock::Timer limits_;
};

}  // namespace wavetrope::drive
