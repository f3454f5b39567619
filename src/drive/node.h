// SPDX-License-Identifier: GPL-3.0-or-later
// A simulated node at work.
#pragma once

#include <deque>
#include <functional>
#include <map>
#include <memory>
#include <span>
#include <string>
#include <unordered_map>
#include <unordered_set>
#include <vector>

#include "bus/bus.h"
#include "clock/timer.h"
#include "database/catalog.h"
#include "drive/actor.h"
#include "drive/manipulation.h"
#include "drive/message_encoder.h"
#include "drive/node_script.h"
#include "drive/node_spec.h"
#include "drive/source.h"
#include "formula/formula.h"

namespace wavetrope::drive {

/// What a node is made for.
struct NodeWorld {
    clock::Scheduler& scheduler;
    std::vector<bus::Bus*> buses;                   ///< By bus index.
    std::shared_ptr<const database::Catalog> catalog;
    std::uint64_t seed = 1;
    Time begins{};                                  ///< Virtual time at which the story starts.
    Time story{};                                   ///< Length after which it starts over; 0 never.
    std::map<std::string, std::string, std::less<>> filters{};  ///< By name, for scripts.
    /// Whether a condition of the rig holds; nothing where it has none of that name. Empty: it has none at all.
    std::function<std::optional<bool>(const std::string& name)> condition{};
    /// Has what a text says go wrong on purpose, or lifts it; for scripts. Empty: nobody can.
    std::function<Expected<void>(const std::string& text, bool lift)> manipulate{};
    /// Asks somebody on a bus, for scripts; the answer comes once, or never where the run ends before. Empty: nobody can.
    std::function<void(std::uint8_t bus, std::unique_ptr<protocol::Talk> talk, std::function<void(const protocol::Answer&)> done)> ask{};
};

/// A state that a node entered.
struct StateChange {
    Time time{};
    std::string state;
    bool wrong = false;
    std::string why;            ///< Condition or message that led to it.
};

/// A value that a signal's bits could not hold, where the rig says that such are refused.
struct RefusedValue {
    double value = 0;
    Time time{};                ///< When it was refused last.
    std::uint64_t count = 0;
};

/// How something that is done on purpose is doing.
struct ManipulationFacts {
    std::string text;           ///< As it was asked for.
    Time since{};               ///< From when on it acts, or acted.
    bool acts = false;          ///< Its time has come and is not over.
    bool done = false;          ///< It was done as often as it should, or its time is over.
    std::uint64_t changed = 0;  ///< Frames so far.
};

/// What a node tells besides its name.
struct NodeFacts {
    std::vector<StateChange> states;                    ///< The newest ones; the last is the newest.
    std::map<std::string, RefusedValue> refused;        ///< By message and signal: what their bits cannot hold.
    std::map<std::string, double> variables;            ///< As they are now.
    ScriptFacts script;
    std::vector<ManipulationFacts> manipulations;       ///< In the order in which they were made.
    std::vector<std::pair<std::uint8_t, can::ErrorCounters>> counters{};    ///< By bus, of those that tell them.
};

/// Sends its messages, receives those that its expressions and reactions speak of, and changes its state.
class Node final : public Actor, public bus::Listener {
    friend class NodeScript;

public:
    /// Looks every name up; an error names the node and what is unknown.
    [[nodiscard]] static Expected<std::unique_ptr<Node>> create(const NodeSpec& spec, const NodeWorld& world);
    Node(const Node&) = delete;
    Node& operator=(const Node&) = delete;
    ~Node() override;

    [[nodiscard]] const std::string& name() const override { return spec_.name; }
    void start() override;
    void stop() override;
    void setOn(bool on) override;
    [[nodiscard]] bool on() const override { return on_; }
    [[nodiscard]] std::vector<SentIdentifier> sends() const override;
    [[nodiscard]] std::uint64_t changes() const override;
    /// Its facts are `NodeFacts`.
    [[nodiscard]] ActorReport report() const override;

    /// The newest state is the last; at most 512 are kept.
    [[nodiscard]] const std::deque<StateChange>& states() const { return states_; }
    /// Values that were not sent because their signals' bits cannot hold them; the newest of each signal.
    [[nodiscard]] const std::map<std::string, RefusedValue>& refused() const { return refused_; }
    /// Value of a named value or variable, or nothing.
    [[nodiscard]] std::optional<double> value(std::string_view name) const;
    /// Gives a variable another value, as a reaction does: its conditions are looked at anew. False where it has no such variable.
    bool setVariable(const std::string& name, double value);

    /// Changes what it sends. An error where it sends no such message, or its bits cannot hold the value. They apply in the order given; of several
    /// that hold one signal the last one counts.
    [[nodiscard]] Expected<void> manipulate(const Manipulation& manipulation);
    /// Takes one of them back, by its place among the facts, or all.
    void lift(std::size_t manipulation);
    void liftAll();

    /// Puts another script in place of the present one, while it runs: global values, timers and what was set go on where names agree. An error
    /// leaves all as it is. None: it has no script any more.
    [[nodiscard]] Expected<void> takeScript(const ScriptSpec& script);
    /// Its script; null: it has none.
    [[nodiscard]] const NodeScript* script() const { return script_.get(); }
    /// Why its script was not taken, where it could not be loaded.
    [[nodiscard]] const std::optional<Error>& scriptProblem() const { return scriptProblem_; }
    /// @name For dialogues that it takes part in
    ///@{
    /// It may be asked to say this message: one of its own, or of a database of that bus, which joins what it sends.
    [[nodiscard]] Expected<void> prepare(const std::string& message, const std::string& bus);
    /// Sends a message once, now, with values of signals for this one frame. False where it is off or has no such message.
    bool say(const std::string& message, const std::string& bus, std::span<const std::pair<std::string, double>> values = {});
    /// Calls somebody whenever an expression, as its reactions have them, becomes true; gives the number to ask `holds` by.
    [[nodiscard]] Expected<std::size_t> watch(const std::string& expression, std::function<void()> becameTrue, Time hold = {});
    [[nodiscard]] bool holds(std::size_t watched) const { return reactions_[watched].holds; }
    /// Who tells in which phase of a dialogue it is, empty at rest; and which phases there are.
    void takePart(std::function<std::string()> phase, const std::vector<std::string>& phases);
    /// Enters a state from outside.
    void note(const std::string& state, bool wrong, const std::string& why);
    ///@}
    /// A key of the window goes down or up, for its script.
    void key(const std::string& name, bool down);

    void onFrame(const can::FrameView& frame, bus::Port sender) override;

private:
    // What a value or a condition hangs on.
    enum Hangs : std::uint8_t { onTime = 1, onFrames = 2, onChance = 4 };
    struct Sending {
        explicit Sending(MessageEncoder made) : encoder(std::move(made)) {}
        MessageEncoder encoder;
        bus::Port port = 0;
        std::vector<Source> values;  // by the encoder's tags
        std::vector<Window> silent;
        std::vector<Window> only;
        Time every{};
        Time jitter{};
        database::Overflow overflow = database::Overflow::limit;
        std::uint64_t beat = 0;
        Time origin{};
        std::string name;
        struct Change {
            Manipulation spec;
            std::uint32_t place = 0;  // of its signal
            std::uint64_t bits = 0;  // that it holds, or jumps by
            bool any = false;  // `stuck`: it knows at what
            bool named = false;  // `holds` names a condition of the rig
            bool met = true;  // it acts in the frame that is put together, or did in the last one
            formula::Formula value{}, holds{};
            formula::Random chance{0};
            std::uint64_t changed = 0;
            std::size_t number = 0;  // among all of the node
        };
        std::vector<Change> changes;
        Time nominal{};  // of its newest beat
        bool apart = false;  // its beats have another period
        std::vector<MessageEncoder::Held> given;  // by its script
    };
    struct Reaction {
        ReactionSpec spec;
        formula::Formula when;
        std::vector<std::pair<std::uint32_t, formula::Formula>> set;
        std::vector<std::uint32_t> send;
        std::vector<std::uint32_t> timed;  // of `timed_`, those that its condition needs
        std::uint8_t hangs = 0;
        bool holds = false;
        clock::Timer hold;
        int handler = 0;  // of its script
        bool gone = false;  // its script is
        std::function<void()> then;
    };
    struct Reception {
        std::uint32_t slot;
        database::SignalRef signal;
    };

    Node(const NodeSpec& spec, const NodeWorld& world);
    Expected<void> build();
    Expected<Source> compile(const SourceSpec& spec, const database::Signal* signal, const std::string& place);
    Expected<formula::Formula> compile(const std::string& text, const std::string& place);
    [[nodiscard]] std::uint8_t hangsOn(const formula::Formula& formula) const;
    [[nodiscard]] std::uint8_t hangsOn(const Source& source) const;
    [[nodiscard]] std::vector<std::string> messageNames() const;
    [[nodiscard]] std::vector<std::string> knownNames() const;
    [[nodiscard]] Expected<MessageEncoder> encoderOf(const SendSpec& spec) const;
    std::optional<std::uint32_t> slotOf(std::string_view name);
    Expected<void> buildSend(const SendSpec& spec);
    Expected<void> buildReaction(const ReactionSpec& spec);

    [[nodiscard]] Time storyTime() const { return storyTime(world_.scheduler.now()); }
    [[nodiscard]] Time storyTime(Time at) const;
    double evaluate(Source& source);
    [[nodiscard]] bool holdsAt(const Reaction& reaction, Time at, std::span<const std::uint32_t> which);
    void plan();
    void carryOutPlan();
    void become(std::uint32_t reaction, bool holds);
    void refresh();
    void beat(std::uint32_t index);
    void send(std::uint32_t index);
    void receive(const can::FrameView& frame, const database::CatalogMessage& of);
    void sendWith(std::uint32_t index, std::span<const MessageEncoder::Held> once);
    Expected<void> sendRaw(const std::string& identifier, const std::string& bus, std::span<const std::uint8_t> bytes);
    [[nodiscard]] bool attachedTo(std::uint8_t bus) const;
    bus::Port portOn(std::uint8_t bus);
    [[nodiscard]] bool sendsItself(const std::string& name) const;
    Expected<std::uint32_t> sendingNamed(const std::string& name, const std::string& bus);
    [[nodiscard]] Expected<MessageEncoder::Held> heldFor(std::uint32_t index, const std::string& signal, const script::Value& value) const;
    Expected<void> give(std::uint32_t index, const std::string& signal, const script::Value& value);
    [[nodiscard]] std::optional<double> ownValue(const std::string& name);
    void loadScript();
    void forgetConditions(std::size_t from, std::size_t to);
    void tell();
    void offerChanged(std::uint32_t index, std::span<const MessageEncoder::Held> once);
    [[nodiscard]] static bool actsAt(const Sending::Change& change, Time sinceBegin);
    /// That its beats have on purpose now; 0: their own.
    [[nodiscard]] Time changedPeriod(Sending& sending) const;
    [[nodiscard]] bool meets(Sending::Change& change) const;
    [[nodiscard]] bool inPhase(const std::string& phase) const;
    Expected<Sending::Change> changeOf(const Manipulation& manipulation, const Sending& sending);
    [[nodiscard]] std::uint64_t changedBits(Sending::Change& change, const Sending& sending, std::uint64_t bits) const;
    void sendLate();
    void refuse(const Sending& sending, std::uint32_t signal, double value);
    void schedule(std::uint32_t index);
    void react(const database::CatalogMessage* arrived);
    void held(std::uint32_t reaction);
    void carryOut(Reaction& reaction, const std::string& why);
    void enter(const std::string& state, bool wrong, const std::string& why);

    NodeSpec spec_;
    NodeWorld world_;
    formula::Random random_;
    bool on_ = true;
    std::uint64_t changes_ = 1;
    clock::Timer beats_;  // of the sendings
    clock::Timer answers_;  // of reactions that send later
    clock::Timer late_;  // of frames that are held up
    std::multimap<Time, std::pair<std::uint32_t, can::Frame>> lateFrames_;
    std::vector<std::uint8_t> busIndexes_;
    std::vector<std::pair<std::uint8_t, bus::Port>> ports_;
    std::vector<double> slots_;  // slot 0 is t
    std::vector<std::uint8_t> hangs_;  // by slot
    std::vector<double> scratch_;
    std::vector<MessageEncoder::Held> heldNow_;
    std::vector<Time> looks_;
    std::vector<std::uint32_t> timed_;  // places in `values_` of those that hang on time, and on no chance
    bool anyTimed_ = false;  // a condition that hangs on time, and on no chance
    clock::Timer plan_;
    std::unordered_map<std::string, std::uint32_t> names_;
    std::vector<std::pair<std::uint32_t, Source>> values_;
    std::deque<Sending> sendings_;  // a script may add to them while one is at work
    std::deque<Reaction> reactions_;
    std::unordered_map<const database::CatalogMessage*, std::vector<Reception>> receptions_;
    std::unordered_set<const database::CatalogMessage*> quiet_;  // of these, those that nothing reacts to
    bool quietly_ = false;  // names that are looked up are for what is done on purpose, which changes nothing else
    std::vector<std::function<std::string()>> phases_;
    std::vector<std::string> phaseNames_;
    std::deque<StateChange> states_;
    std::map<std::string, RefusedValue> refused_;
    std::unique_ptr<NodeScript> script_;
    std::optional<Error> scriptProblem_;
    std::vector<ManipulationFacts> manipulations_;
    bool variablesMoved_ = false;
};

}  // namespace wavetrope::drive
