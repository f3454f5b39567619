// SPDX-License-Identifier: GPL-3.0-or-later
// What is sent by hand: once, by a period, in answer, at a moment.
#pragma once

#include <deque>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <unordered_map>
#include <vector>

#include "bus/bus.h"
#include "clock/timer.h"
#include "database/catalog.h"
#include "database/compose.h"
#include "drive/actor.h"
#include "drive/message_encoder.h"
#include "drive/outbox_spec.h"
#include "drive/source.h"
#include "filter/filter_stream.h"
#include "protocol/question.h"

namespace wavetrope::drive {

/// What an outbox is made for.
struct OutboxWorld {
    clock::Scheduler& scheduler;
    std::vector<bus::Bus*> buses;                   ///< By bus index.
    std::shared_ptr<const database::Catalog> catalog;
    std::map<std::string, std::string, std::less<>> filters;    ///< By name, for answers.
    std::uint64_t seed = 1;
    Time begins{};                                  ///< Virtual time at which the run begins.
    /// Asks somebody on a bus; without, rows that ask have a problem.
    std::function<void(std::uint8_t bus, std::unique_ptr<protocol::Talk> talk, std::function<void(const protocol::Answer&)> done)> ask{};
    std::function<const protocol::Dictionary*(const std::string& bus, std::uint8_t node)> dictionaryOf{};  ///< Null where there is none.
};

/// How a row is doing, for people.
struct OutboxRowFacts {
    bool going = false;  ///< It goes out by itself, or is armed.
    std::uint64_t offered = 0;  ///< Frames that its bus has taken so far.
    std::uint64_t sent = 0;  ///< Of them, those that were on the bus.
    std::uint64_t refused = 0;  ///< Frames that the bus did not take.
    std::vector<Time> refusals;  ///< When the newest of them were offered, in order.
    std::string refusedWhy;  ///< Of the newest of them: "queue full", "bus is off", what is wrong with the bus.
    bool busOff = false;  ///< The outbox has left this bus after too many errors: what is taken waits.
    std::uint64_t withheld = 0;  ///< Frames that were due while all rows were held.
    std::uint64_t beat = 0;  ///< Beats or answers since it was begun.
    Time last{};  ///< Stamp of the newest that was on the bus; where `sent` is not 0.
    Time kept{}, spread{};  ///< Mean period between the newest ones, and how far apart shortest and longest are; where `sent` is 2 or more.
    std::vector<Time> ticks;  ///< Stamps of the newest ones, in order.
    std::string problem;  ///< Why it does not go out; empty where it can.
    /// A value that was edited and has not been on the bus yet.
    struct Waiting {
        std::uint32_t place = 0;
        std::uint64_t onBus = 0;  ///< The bits that it shall take the place of.
        friend bool operator==(const Waiting&, const Waiting&) = default;
    };
    std::vector<Waiting> waiting;
    std::optional<Time> next;  ///< When its next beat is due; where it goes out by itself.
    Time mostBehind{};  ///< How long after it was due the latest of all was on the bus, to the end of its last bit.
    can::Frame frame;  ///< What was on the bus last; where `sent` is not 0.
    std::uint64_t foreign = 0;  ///< Frames of its identifier that somebody else sent.
    Time foreignLast{};  ///< Stamp of the newest of them.
    Time told{};  ///< When it was so.
};
/// What an outbox tells besides its name: its rows, group by group.
struct OutboxFacts {
    std::shared_ptr<const std::vector<OutboxRowFacts>> rows;
    bool held = false;  ///< All rows are held: what is due is counted, and does not go out.
};

/// Sends the rows of a rig's outbox. Rows are counted through all groups. A row that cannot be sent, since a database lost its message, or its
/// bus cannot carry it, is kept and says why.
class Outbox final : public Actor, public bus::Listener {
public:
    Outbox(std::vector<OutboxGroup> groups, OutboxWorld world);
    Outbox(const Outbox&) = delete;
    Outbox& operator=(const Outbox&) = delete;

    [[nodiscard]] const std::string& name() const override { return name_; }
    /// Begins the rows that go out by themselves from the beginning, of the groups that take part (`takePart`).
    void start() override;
    /// Off, all rows are held: beats, answers and keys go on and are counted, but nothing goes out.
    void setOn(bool on) override;
    [[nodiscard]] bool on() const override { return on_; }
    /// Of rows that can be sent.
    [[nodiscard]] std::vector<SentIdentifier> sends() const override;
    /// What goes on by itself counts fifty times a second at most: a report tells of every row.
    [[nodiscard]] std::uint64_t changes() const override;
    /// Its facts are `OutboxFacts`.
    [[nodiscard]] ActorReport report() const override;

    /// Other groups take the place of those that there are. A row that stays as it is goes on. One that sends the same with other values goes
    /// on with them, from its next frame, or from the next that is sent where it gathers; one that goes out otherwise begins anew
    /// where it went out. All others are new, and rest.
    void put(std::vector<OutboxGroup> groups);
    [[nodiscard]] const std::vector<OutboxGroup>& groups() const { return groups_; }
    [[nodiscard]] std::size_t rowCount() const { return rows_.size(); }
    /// Which groups go out from the beginning of the run; none: not one.
    void takePart(std::vector<std::string> groups) { takesPart_ = std::move(groups); }

    /// Begins a row: its beats count from now, or it is armed for its answers or its moment. One that is sent by hand goes out at once.
    void go(std::size_t row);
    void hold(std::size_t row);
    /// One more, now; what was gathered goes with it.
    void send(std::size_t row);
    /// Begins all rows of a group that go out by themselves, at one moment.
    void startTogether(std::size_t group);
    /// The key of a row goes down or up: it is sent, or goes out by its period while the key is held.
    void key(std::size_t row, bool down);
    /// Gives a signal (of a frame: a byte) other bits for as long as its row is not edited: the next frame has them, or the next that is sent
    /// where the row gathers. A source that it had ends. False where there is no such place.
    bool set(std::size_t row, std::uint32_t place, std::uint64_t bits);

    /// No beat and no answer is due behind a moment; rows that go on are held then.
    void endAt(Time moment);
    /// Called once nothing more will go out by itself and all that was taken has been on its bus.
    void whenDone(std::function<void()> done) { done_ = std::move(done); }
    [[nodiscard]] bool done() const;
    /// Why a row does not go out; empty where it can.
    [[nodiscard]] const std::string& problem(std::size_t row) const { return rows_[row].problem; }
    /// Keeps a row from going out, and says why.
    void keepBack(std::size_t row, std::string why);
    /// Whether it goes out by itself, or is armed.
    [[nodiscard]] bool going(std::size_t row) const { return rows_[row].going; }
    [[nodiscard]] const OutboxRow& row(std::size_t row) const { return rows_[row].spec; }
    /// Whether it asks somebody, and has no frame of its own.
    [[nodiscard]] bool asks(std::size_t row) const { return static_cast<bool>(rows_[row].question); }
    [[nodiscard]] std::uint8_t busOf(std::size_t row) const { return rows_[row].encoder->bus(); }
    /// The payload as it goes out next, without what sources and counters bring; of a row that does not ask.
    [[nodiscard]] const can::Frame& frame(std::size_t row) const { return rows_[row].encoder->frame(); }

    void onFrame(const can::FrameView& frame, bus::Port sender) override;

private:
    struct Row {
        OutboxRow spec;
        std::optional<MessageEncoder> encoder;  // none: it has a problem, or asks
        std::function<std::unique_ptr<protocol::Talk>()> question;
        std::uint8_t askedBus = 0;
        std::uint64_t number = 0;  // of a row that asks: its answers find it by that
        std::vector<database::GivenBits> given, waits;
        std::vector<OutboxRowFacts::Waiting> unsent;  // what was given and not on the bus yet, with what waits
        std::uint32_t edition = 0;  // of what the encoder has
        std::vector<Source> sources;  // by the encoder's tags
        std::vector<std::uint32_t> sourced;  // places of them
        std::unique_ptr<filter::FilterStream> answer;
        std::deque<std::pair<Time, unsigned>> due;  // answers: when, and behind how many others
        std::string problem;
        bool going = false;
        std::uint64_t began = 0;  // by which its beats are known: those of a former time come to nothing
        Time origin{};
        std::uint64_t beat = 0;
        std::uint64_t offered = 0, sent = 0, refused = 0, withheld = 0, foreign = 0;
        Time foreignLast{};
        Time mostBehind{};
        std::deque<Time> ticks, refusals;
        std::string refusedWhy;
        can::Frame onBus;
    };
    // What is on its way to its bus.
    struct Flying {
        std::uint32_t row;
        unsigned chain;  // answers behind each other
        std::uint32_t edition;
        Time due;
    };

    [[nodiscard]] std::vector<Row> rowsOf(const std::vector<OutboxGroup>& groups);
    void attach();
    void goOnAs(Row& row, Row& before);
    void begin(std::uint32_t index);
    [[nodiscard]] static bool beats(const Row& row) { return row.spec.when == OutboxRow::When::every || row.spec.held; }
    [[nodiscard]] static Time dueOf(const Row& row);
    [[nodiscard]] static std::uint64_t bitsAt(const Row& row, std::uint32_t place);
    static void noteEdit(Row& row, std::uint32_t place, std::uint64_t before, std::uint64_t now);
    void watch();
    void buildOrSay(Row& row);
    Expected<void> build(Row& row);
    Expected<void> takeAnswer(Row& row);
    Expected<formula::Formula> compile(const std::string& text, const std::string& place);
    void compose(Row& row);
    void beat(std::uint32_t index);
    void answer(std::uint32_t index);
    void more(std::uint32_t index);
    void schedule(std::uint32_t index);
    void burst(std::uint32_t index, unsigned chain, Time due);
    void offer(std::uint32_t index, unsigned chain, Time due);
    void ask(Row& row);
    void answered(std::uint64_t number, const protocol::Answer& answer);
    void end();
    void lookWhetherDone();
    [[nodiscard]] std::uint64_t keyOf(std::uint8_t bus, can::Identifier id) const { return std::uint64_t{bus} << 32U | id.key(); }

    const std::string name_ = "outbox";
    std::vector<OutboxGroup> groups_;
    OutboxWorld world_;
    formula::Random random_;
    bool on_ = true;
    std::uint64_t changes_ = 1;
    Time moved_{};  // when a frame was offered or came back last
    std::vector<Row> rows_;
    std::vector<std::size_t> firstOf_;  // row of each group
    std::vector<std::string> takesPart_;
    std::vector<bus::Port> ports_;  // by bus
    std::vector<double> slots_;  // slot 0 is t
    std::unordered_map<std::string, std::uint32_t> names_;
    std::unordered_map<const database::CatalogMessage*, std::vector<std::pair<std::uint32_t, std::uint32_t>>> receptions_;  // slot, signal
    std::unordered_map<std::uint64_t, std::deque<Flying>> flying_;
    std::unordered_map<std::uint64_t, std::vector<std::uint32_t>> rowsBy_;  // rows of an identifier
    std::size_t flyingCount_ = 0;
    std::size_t asked_ = 0;  // questions that wait for their answers
    std::uint64_t numbers_ = 0;
    std::shared_ptr<Outbox*> self_ = std::make_shared<Outbox*>(this);  // for answers that come when it is gone
    std::size_t toCome_ = 0;  // frames of bursts
    std::uint64_t beginnings_ = 0;
    bool anyAnswers_ = false;
    clock::Timer beats_, answers_, bursts_, end_;
    std::optional<Time> until_;
    std::function<void()> done_;
};

}  // namespace wavetrope::drive
