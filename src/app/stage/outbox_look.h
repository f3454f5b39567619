// SPDX-License-Identifier: GPL-3.0-or-later
// A row of the outbox as people read it.
#pragma once

#include <QCoreApplication>
#include <QString>

#include <memory>
#include <optional>
#include <utility>
#include <vector>

#include "app/stage/outbox_desk.h"
#include "bus/bus.h"

namespace wavetrope::app {

class Stage;

/// What is known of all rows at one moment; rows are read from it by their place.
class OutboxLook {
    Q_DECLARE_TR_FUNCTIONS(OutboxLook)
public:
    explicit OutboxLook(Stage& stage) : stage_(stage) {}
    /// Looks again.
    void refresh();

    enum class State : std::uint8_t {
        send,       ///< Sent when it is told to.
        sends,      ///< Goes out by itself.
        ready,      ///< Armed for an answer or a moment.
        waits       ///< Cannot go out.
    };
    struct Value {
        QString name;               ///< Empty for the bytes of a frame.
        std::uint32_t place = 0;    ///< Signal of the message.
        QString text;               ///< As it shall go out.
        bool set = false;           ///< Somebody gave it; else its start value.
        bool source = false;        ///< It follows one.
        std::optional<QString> onBus{};     ///< What it shall take the place of, where it waits.
    };

    [[nodiscard]] const drive::OutboxRow& spec(OutboxDesk::Place place) const;
    [[nodiscard]] bool runs() const;
    /// Null where nothing runs, or the run has not heard of the row yet.
    [[nodiscard]] const drive::OutboxRowFacts* facts(OutboxDesk::Place place) const;
    /// Null for a frame by itself, and where no database has it.
    [[nodiscard]] const database::CatalogMessage* message(OutboxDesk::Place place) const;
    [[nodiscard]] int bus(OutboxDesk::Place place) const;
    [[nodiscard]] can::Identifier id(OutboxDesk::Place place) const;
    [[nodiscard]] QString name(OutboxDesk::Place place) const;

    [[nodiscard]] State state(OutboxDesk::Place place) const;
    /// When it goes out: "every 10 ms", and how long: "until told".
    [[nodiscard]] std::pair<QString, QString> when(OutboxDesk::Place place) const;
    /// Of the frame that it sends: what somebody set in front.
    [[nodiscard]] std::vector<Value> values(OutboxDesk::Place place) const;
    /// What keeps it from going out; empty where it can.
    [[nodiscard]] QString problem(OutboxDesk::Place place) const;
    /// That somebody else sends the same while it goes out; empty where nobody does.
    [[nodiscard]] QString warning(OutboxDesk::Place place) const;
    /// What its values wait for; empty where none does.
    [[nodiscard]] QString waiting(OutboxDesk::Place place) const;
    /// What presses most: a problem, a warning, what waits, its comment, where a start value comes from.
    [[nodiscard]] QString words(OutboxDesk::Place place) const;
    /// Period kept and its spread: "10.00 ms, spread 0.06"; how many came instead of what was asked.
    [[nodiscard]] QString timekeeping(OutboxDesk::Place place) const;
    /// Beneath the count: "3 ms ago", "2 refused".
    [[nodiscard]] QString last(OutboxDesk::Place place, bool* wrong = nullptr) const;
    /// Any row of a group goes out, or is armed.
    [[nodiscard]] bool anyGoing(std::size_t group) const;
    /// Of all of them: rows, going out, sent, refused, held back.
    [[nodiscard]] QString summary() const;

private:
    Stage& stage_;
    std::shared_ptr<const std::vector<drive::OutboxRowFacts>> facts_;
    std::vector<std::size_t> first_;    // number of the first row of each group
    std::vector<bus::Health> health_;
};

/// A value as its source is named: "sine", "= CommandedDepth / 10".
[[nodiscard]] QString sourceWords(const drive::SourceSpec& source);

}  // namespace wavetrope::app
