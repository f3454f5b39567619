// SPDX-License-Identifier: GPL-3.0-or-later
// Edits of a database that can be undone.
#pragma once

#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "base/error.h"
#include "database/database.h"

namespace wavetrope::database {

/// What an edit can put in place of another of its kind.
using EditObject = std::variant<Network, Node, ValueTable, Message, AttributeDefinition, Variable>;

/// One object before and after; absent before when it is new, absent after when it goes.
struct Replacement {
    std::optional<EditObject> before;
    std::optional<EditObject> after;
    std::size_t place = 0;          ///< Index among its kind.
};

/// A step that is done and undone as a whole.
struct Edit {
    std::string title;              ///< "move BladeDepth", for the undo menu.
    std::vector<Replacement> parts;
    [[nodiscard]] bool empty() const { return parts.empty(); }
};

void apply(Database& database, const Edit& edit);
void revert(Database& database, const Edit& edit);

/// Makes edits of a database. New objects get identities; what follows from the customary attributes is brought up.
/// Names must be identifiers of the format: letters, digits and underscores, no digit first.
class Editor {
public:
    explicit Editor(Database& database) : db_(database) {}
    [[nodiscard]] const Database& database() const { return db_; }

    /// Replaces a message (by uid) or appends it (uid 0).
    [[nodiscard]] Expected<Edit> putMessage(Message message, std::string title) const;
    [[nodiscard]] Edit removeMessage(std::uint32_t uid) const;
    /// Replaces a signal of a message (by uid) or appends it (uid 0).
    [[nodiscard]] Expected<Edit> putSignal(std::uint32_t message, Signal signal, std::string title) const;
    [[nodiscard]] Edit removeSignal(std::uint32_t message, std::uint32_t signal) const;
    /// Replaces a node, its name wherever it sends or receives, or appends it.
    [[nodiscard]] Expected<Edit> putNode(Node node, std::string title) const;
    /// Takes a node out, also as sender and receiver.
    [[nodiscard]] Edit removeNode(std::uint32_t uid) const;
    [[nodiscard]] Expected<Edit> putTable(ValueTable table, std::string title) const;
    [[nodiscard]] Edit removeTable(std::uint32_t uid) const;
    [[nodiscard]] Expected<Edit> putDefinition(AttributeDefinition definition, std::string title) const;
    /// Takes the definition of an attribute out, with its values.
    [[nodiscard]] Edit removeDefinition(std::uint32_t uid) const;
    /// Replaces a variable of the environment (by uid) or appends it (uid 0).
    [[nodiscard]] Expected<Edit> putVariable(Variable variable, std::string title) const;
    /// Takes a variable out, with the values of its relations.
    [[nodiscard]] Edit removeVariable(std::uint32_t uid) const;
    /// Sets the value of an attribute of a relation, or takes it away.
    [[nodiscard]] Edit putRelation(const Relation& relation, const std::optional<AttributeValue>& value) const;
    [[nodiscard]] Edit putNetwork(Network network, std::string title) const;

    /// Sets a customary attribute of a message, defining it where the database does not.
    [[nodiscard]] Edit setCycleTime(std::uint32_t message, Time cycle) const;
    /// Classic or FD, and whether the bit rate is switched.
    [[nodiscard]] Edit setFrame(std::uint32_t message, bool fd, bool brs) const;
    [[nodiscard]] Edit setStartValue(std::uint32_t message, std::uint32_t signal, std::optional<double> raw) const;

private:
    Database& db_;
};

/// Whether a name can stand in a database.
[[nodiscard]] bool isName(std::string_view name);

}  // namespace wavetrope::database
