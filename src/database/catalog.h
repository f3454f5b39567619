// SPDX-License-Identifier: GPL-3.0-or-later
// What is known of the buses of a run.
#pragma once

#include <deque>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "can/parameter_group.h"
#include "database/codec.h"
#include "database/database.h"
#include "formula/formula.h"

namespace wavetrope::database {

/// A message as it is known on one bus, with its compiled plan.
struct CatalogMessage {
    std::uint8_t bus = 0;
    const Message* message = nullptr;
    MessagePlan plan;
    Match match = Match::full;      ///< How frames find it here.
    std::uint32_t file = 0;         ///< Place of its database among those of the bus.

    /// Whether a frame's identifier is this message's.
    [[nodiscard]] bool fits(can::Identifier id) const;
};

/// A signal of a catalog.
struct SignalRef {
    const CatalogMessage* message = nullptr;
    std::uint32_t index = 0;
    [[nodiscard]] const Signal& signal() const { return message->message->signals[index]; }
};

/// A signal that is worked out from others, as a rig defines it.
struct DerivedSpec {
    std::string name;
    std::string formula;
    std::string unit;                       ///< Empty for none.
    std::optional<double> minimum, maximum;
    std::string comment;
    friend bool operator==(const DerivedSpec&, const DerivedSpec&) = default;
};

/// The same over the signals of a catalog. See docs/derived-signals.md.
struct DerivedSignal {
    /// One of its inputs: a signal of a message, or a derived signal.
    struct Input {
        SignalRef signal;                   ///< Its message is null where it is a derived one.
        std::uint32_t derived = 0;
    };
    DerivedSpec spec;
    formula::Formula formula;
    std::vector<Input> inputs;              ///< By slot of the formula.
    std::optional<Error> problem;           ///< Why it never has a sample: its formula is wrong, or speaks of what the catalog has not.
    std::string finding;                    ///< In which way units do not fit together, or empty. It has its samples all the same.
};

/// A message of one database that another one, attached before it, hides.
struct Conflict {
    std::uint8_t bus = 0;
    const CatalogMessage* winner = nullptr;
    const Message* hidden = nullptr;
    std::uint32_t file = 0;         ///< Of the hidden one.
};

/// The buses of a run by index, each with the databases that explain it; the first that knows an identifier wins.
/// A whole identifier goes before a mask, a mask before a parameter group. Immutable once it is built; share it as
/// `std::shared_ptr<const Catalog>`.
class Catalog {
public:
    std::uint8_t addBus(std::string name, Match match = Match::full);
    void attach(std::uint8_t bus, std::shared_ptr<const Database> database);

    [[nodiscard]] std::size_t busCount() const { return explained_->buses.size(); }
    [[nodiscard]] const std::string& busName(std::uint8_t bus) const { return explained_->buses[bus].name; }
    [[nodiscard]] Match busMatch(std::uint8_t bus) const { return explained_->buses[bus].match; }
    [[nodiscard]] const std::vector<std::shared_ptr<const Database>>& databases(std::uint8_t bus) const
    {
        return explained_->buses[bus].databases;
    }
    [[nodiscard]] int findBus(std::string_view name) const;    ///< -1 when there is none.
    [[nodiscard]] bool anyDatabase() const { return !explained_->messages.empty(); }

    /// The message of a frame, or null.
    [[nodiscard]] const CatalogMessage* find(std::uint8_t bus, can::Identifier id) const;
    [[nodiscard]] const CatalogMessage* find(const can::FrameHead& frame) const
    {
        return frame.kind == can::FrameKind::error ? nullptr : find(frame.bus, frame.id);
    }
    [[nodiscard]] const std::deque<CatalogMessage>& messages() const { return explained_->messages; }
    /// Messages that are hidden by another database of their bus.
    [[nodiscard]] const std::vector<Conflict>& conflicts() const { return explained_->conflicts; }
    /// Signals called `Message.Signal`, or `Signal` in any message.
    [[nodiscard]] std::vector<SignalRef> findSignals(std::string_view name) const;
    [[nodiscard]] bool hasNode(std::string_view name) const;

    /// Adds derived signals, behind all buses and databases. Their problems stand with them.
    void derive(const std::vector<DerivedSpec>& specs);
    /// The same buses and messages, which both share, with other derived signals.
    [[nodiscard]] std::shared_ptr<const Catalog> withDerived(const std::vector<DerivedSpec>& specs) const;
    /// Whether these are its derived signals, as they are written.
    [[nodiscard]] bool derives(const std::vector<DerivedSpec>& specs) const;
    /// Whether its messages are those of another one: what is of a signal there holds here.
    [[nodiscard]] bool sharesMessages(const Catalog& other) const { return explained_ == other.explained_; }
    /// Whether a derived signal works out the same as that of another one, whose messages it shares.
    [[nodiscard]] bool derivesAs(std::uint32_t derived, const Catalog& other, std::uint32_t theirs) const;
    [[nodiscard]] const std::vector<DerivedSignal>& derived() const { return derived_; }
    /// -1 when there is none.
    [[nodiscard]] int findDerived(std::string_view name) const;
    /// Their places in an order in which each stands behind those that it looks at; those with a problem are left out.
    [[nodiscard]] const std::vector<std::uint32_t>& derivedOrder() const { return derivedOrder_; }
    /// Whether frames of a message may give a derived signal a sample: it, or what it looks at, is one of its inputs.
    [[nodiscard]] bool looksAt(std::uint32_t derived, const CatalogMessage& message) const;
    /// The one signal of a name: `Signal`, `Message.Signal` or `Bus.Message.Signal`. The error says whether there is none or several.
    [[nodiscard]] Expected<SignalRef> findSignal(std::string_view name) const;
    /// "Bus.Message.Signal".
    [[nodiscard]] std::string fullName(const SignalRef& ref) const;

private:
    struct Bus {
        std::string name;
        Match match = Match::full;
        std::vector<std::shared_ptr<const Database>> databases;
        std::unordered_map<std::uint32_t, const CatalogMessage*> byId;
        std::unordered_map<std::uint32_t, const CatalogMessage*> byGroup;
        std::vector<const CatalogMessage*> byMask;
    };
    struct Explained {
        std::vector<Bus> buses;
        std::deque<CatalogMessage> messages;
        std::vector<Conflict> conflicts;
    };
    std::shared_ptr<Explained> explained_ = std::make_shared<Explained>();
    std::vector<DerivedSignal> derived_;
    std::vector<std::uint32_t> derivedOrder_;
};

}  // namespace wavetrope::database
