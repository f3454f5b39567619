// SPDX-License-Identifier: GPL-3.0-or-later
// Both sides of a dialogue, followed frame by frame: live or in a log, driven by this program or by others.
#pragma once

#include <array>
#include <deque>
#include <memory>
#include <optional>
#include <string>
#include <unordered_map>
#include <vector>

#include "database/catalog.h"
#include "drive/dialogue_spec.h"

namespace wavetrope::drive {

/// Something that happened in a dialogue.
struct DialogueEvent {
    enum class What : std::uint8_t { enters, breaks, ends };
    Time time{};
    std::size_t partner = 0;            ///< 0 or 1: whose machine says so.
    What what = What::enters;
    std::size_t phase = SideSpec::rest; ///< `rest`: outside of all.
    std::optional<Time> limit;          ///< Of what enters: within which it has to leave; of what breaks: what was passed.
    std::optional<Time> took;           ///< How long it was; none while nobody knows.
    std::string why;
    unsigned reason = 0;                ///< Of what ends; 0: none was given.
    const Consequence* consequence = nullptr;  ///< Of what breaks; of the specification.
};
[[nodiscard]] const char* toText(DialogueEvent::What what);

/// A frame of a dialogue that came.
struct HeardMessage {
    Time time{};
    std::size_t message = 0;            ///< By its number.
    struct Wait {
        Time took{}, limit{};
    };
    std::array<std::optional<Wait>, 2> waited;  ///< By partner: where it had to hear it.
};

/// Where a partner is, for people.
struct SideFacts {
    std::size_t phase = SideSpec::rest;
    Time since{};                       ///< It is there; where it is in one.
    unsigned entered = 0;               ///< So often in a row.
    struct Waiting {
        std::size_t hear = 0;           ///< Among those of the phase.
        bool waits = false;
        Time from{};                    ///< Since then, where it waits.
        std::uint64_t heard = 0;
        Time last{};                    ///< Where it was heard.
        Time longest{};                 ///< Wait so far.
    };
    std::vector<Waiting> waiting;
};

/// The two machines. A partner is in a phase from the frame that enters it to the frame that enters another one or ends the dialogue. A limit is broken
/// at the first instant behind it.
class DialogueWatch {
public:
    /// Errors name the message or signal that no database of its bus has.
    [[nodiscard]] static Expected<DialogueWatch> create(DialogueSpec spec, std::shared_ptr<const database::Catalog> catalog, Time origin);

    /// The next frame of any bus, in order. True where it belongs to the dialogue.
    bool take(const can::FrameView& frame);
    /// Limits that are passed by then are broken.
    void advance(Time now);
    /// The first instant at which a limit is broken if nothing comes; none: no limit runs.
    [[nodiscard]] std::optional<Time> next() const;
    /// Nothing comes any more: what waits was not heard.
    void finish(Time at);
    /// A partner is over with it by itself.
    void leave(std::size_t partner, Time at, unsigned reason, const std::string& why);

    /// Goes on with other time limits, once both partners are outside of all phases. The specification is the same but for those.
    void retime(DialogueSpec spec);

    [[nodiscard]] const DialogueSpec& spec() const { return *spec_; }
    [[nodiscard]] const std::shared_ptr<const DialogueSpec>& shared() const { return spec_; }
    [[nodiscard]] std::uint8_t bus() const { return bus_; }
    [[nodiscard]] const SideFacts& side(std::size_t partner) const { return sides_[partner].facts; }
    /// The newest ones, oldest first; those before were let go.
    [[nodiscard]] const std::deque<DialogueEvent>& events() const { return events_; }
    /// Of all that ever happened, how many were let go.
    [[nodiscard]] std::uint64_t letGo() const { return letGo_; }
    /// How many of its frames are kept; 4,096 without.
    void keepHeard(std::size_t most) { mostHeard_ = most; }
    /// Whether a message with this identifier, by itself, may be one of it.
    [[nodiscard]] bool speaksOf(can::Identifier id) const;
    /// The newest frames of it, oldest first.
    [[nodiscard]] const std::deque<HeardMessage>& heard() const { return heard_; }
    /// Its messages, by number.
    [[nodiscard]] const std::vector<std::string>& messageNames() const { return names_; }
    /// Whose a message is: that of whom its database says that it sends it, or who sends it in some phase. 2: nobody knows.
    [[nodiscard]] std::size_t ownerOf(const std::string& message) const;
    /// Name of the message that the last frame belonged to.
    [[nodiscard]] const std::string& lastMessage() const { return names_[last_]; }
    /// A message by its name; null where the dialogue does not speak of it.
    [[nodiscard]] const database::CatalogMessage* messageNamed(const std::string& name) const;
    /// Place of the signal that tells the reason, in a message with which it ends.
    [[nodiscard]] std::optional<std::uint32_t> reasonSignal(const database::CatalogMessage& message) const;

private:
    struct Side {
        SideFacts facts;
        std::uint64_t enteredBy = 0;  // number of the event that told it, counted from the first ever
        bool withinBroken = false;
        std::uint64_t withinEvent = 0;
        struct Open {
            bool broken = false;
            std::uint64_t event = 0;
        };
        std::vector<Open> open;  // by hear
        std::vector<bool> strange;  // messages that were told of as not allowed, by number
    };

    DialogueWatch() = default;
    [[nodiscard]] const SideSpec& specOf(std::size_t partner) const { return spec_->phases[sides_[partner].facts.phase].sides[partner]; }
    std::uint64_t tell(DialogueEvent event);
    [[nodiscard]] DialogueEvent* told(std::uint64_t number);
    void enter(std::size_t partner, std::size_t phase, Time at, std::size_t message);
    void close(std::size_t partner, Time at, bool ended);
    void end(std::size_t partner, Time at, unsigned reason, const std::string& why);
    void breakHear(std::size_t partner, std::size_t hear, Time at);
    void breakWithin(std::size_t partner);
    void hear(std::size_t partner, std::size_t message, Time at);
    [[nodiscard]] std::string seconds(Time at) const;
    [[nodiscard]] std::optional<std::size_t> numberOf(const std::string& name) const;

    std::shared_ptr<const DialogueSpec> spec_;
    std::vector<std::shared_ptr<const DialogueSpec>> former_;  // of which events speak
    std::shared_ptr<const database::Catalog> catalog_;
    Time origin_{};
    std::uint8_t bus_ = 0;
    std::vector<std::string> names_;  // of its messages
    std::vector<const database::CatalogMessage*> messages_;
    std::unordered_map<const database::CatalogMessage*, std::size_t> numbers_;
    std::array<std::vector<std::vector<bool>>, 2> allowed_;  // by partner, phase and message
    std::array<Side, 2> sides_;
    std::size_t last_ = 0;
    std::deque<DialogueEvent> events_;
    std::uint64_t letGo_ = 0;
    std::deque<HeardMessage> heard_;
    std::size_t mostHeard_ = 4096;
};

}  // namespace wavetrope::drive
