// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/edit.h"

#include <algorithm>

#include "database/dbc_format.h"

namespace wavetrope::database {

namespace {

template <class Object>
std::vector<Object>& listOf(Database& database)
{
    if constexpr (std::is_same_v<Object, Node>)
        return database.nodes;
    else if constexpr (std::is_same_v<Object, ValueTable>)
        return database.tables;
    else if constexpr (std::is_same_v<Object, Message>)
        return database.messages;
    else if constexpr (std::is_same_v<Object, Variable>)
        return database.variables;
    else
        return database.definitions;
}

// Puts `next` where `previous` is: replaces, inserts or takes out.
void put(Database& database, const std::optional<EditObject>& previous, const std::optional<EditObject>& next, std::size_t place)
{
    std::visit(
        [&](const auto& sample) {
            using Object = std::decay_t<decltype(sample)>;
            if constexpr (std::is_same_v<Object, Network>) {
                if (next)
                    database.network = std::get<Network>(*next);
            } else {
                std::vector<Object>& list = listOf<Object>(database);
                const auto at = list.begin() + static_cast<std::ptrdiff_t>(std::min(place, list.size()));
                if (previous && next)
                    *at = std::get<Object>(*next);
                else if (next)
                    list.insert(at, std::get<Object>(*next));
                else if (at != list.end())
                    list.erase(at);
            }
        },
        previous ? *previous : *next);
}

template <class Object>
std::size_t placeOf(const std::vector<Object>& list, std::uint32_t uid)
{
    return static_cast<std::size_t>(std::find_if(list.begin(), list.end(), [&](const Object& o) { return o.uid == uid; }) - list.begin());
}

// A name that the format can hold as it is needs no attribute; a longer one gets a short form and the attribute.
template <class Object, class Taken>
void settleName(Object& object, const char* attribute, Taken taken)
{
    if (object.name.size() <= dbc::longestName) {
        object.shortName.clear();
        object.attributes.remove(attribute);
        return;
    }
    const AttributeValue* value = object.attributes.find(attribute);
    if (value != nullptr && value->isText && value->text == object.name && !object.shortName.empty())
        return;
    for (unsigned n = 0; n < 1000; ++n) {
        std::string digits = std::to_string(n);
        object.shortName = object.name.substr(0, dbc::longestName - 5) + '_' + std::string(4 - std::min<std::size_t>(4, digits.size()), '0')
                           + digits;
        if (!taken(object.shortName))
            break;
    }
    object.attributes.set(attribute, AttributeValue::of(object.name));
}

}  // namespace

bool isName(std::string_view name)
{
    if (name.empty() || (name.front() >= '0' && name.front() <= '9'))
        return false;
    return std::all_of(name.begin(), name.end(), [](unsigned char c) {
        return c == '_' || (c >= '0' && c <= '9') || (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c >= 0x80;
    });
}

void apply(Database& database, const Edit& edit)
{
    for (const Replacement& part : edit.parts)
        put(database, part.before, part.after, part.place);
}

void revert(Database& database, const Edit& edit)
{
    for (auto part = edit.parts.rbegin(); part != edit.parts.rend(); ++part)
        put(database, part->after, part->before, part->place);
}

namespace {

// The definition of a customary attribute, as a part of an edit where the database lacks it.
void ensureDefinition(Database& db, Edit& edit, AttributeOwner owner, const char* name, AttributeType type, double minimum, double maximum)
{
    if (db.definition(owner, name) != nullptr)
        return;
    std::size_t place = db.definitions.size();
    for (const Replacement& part : edit.parts)
        if (const auto* known = part.after ? std::get_if<AttributeDefinition>(&*part.after) : nullptr; known != nullptr) {
            if (known->owner == owner && known->name == name)
                return;
            ++place;
        }
    AttributeDefinition definition;
    definition.uid = ++db.lastUid;
    definition.owner = owner;
    definition.name = name;
    definition.type = type;
    if (type != AttributeType::text) {
        definition.minimum = minimum;
        definition.maximum = maximum;
        definition.standard = AttributeValue::of(0.0);
    } else {
        definition.standard = AttributeValue::of(std::string());
    }
    edit.parts.push_back({std::nullopt, definition, place});
}

}  // namespace

Expected<Edit> Editor::putMessage(Message message, std::string title) const
{
    if (!isName(message.name))
        return fail("'" + message.name + "' cannot name a message: letters, digits and underscores, no digit first");
    if (!message.id.valid())
        return fail("the identifier is outside its 11 or 29 bits");
    if (message.length > maxMessageLength)
        return fail("a message has at most " + std::to_string(maxMessageLength) + " bytes");
    Edit edit{std::move(title), {}};
    std::optional<EditObject> before;
    std::size_t place = db_.messages.size();
    if (message.uid == 0) {
        message.uid = ++db_.lastUid;
    } else {
        place = placeOf(db_.messages, message.uid);
        if (place == db_.messages.size())
            return fail("this message is no longer there");
        before = db_.messages[place];
    }
    settleName(message, customary::longMessage, [&](const std::string& name) {
        return std::any_of(db_.messages.begin(), db_.messages.end(),
            [&](const Message& m) { return m.uid != message.uid && (m.shortName.empty() ? m.name : m.shortName) == name; });
    });
    if (!message.shortName.empty())
        ensureDefinition(db_, edit, AttributeOwner::message, customary::longMessage, AttributeType::text, 0, 0);
    for (Signal& signal : message.signals) {
        if (!isName(signal.name))
            return fail("'" + signal.name + "' cannot name a signal: letters, digits and underscores, no digit first");
        if (signal.length == 0 || signal.length > 64)
            return fail("signal " + signal.name + " must have 1 to 64 bits");
        const unsigned lead = signal.order == ByteOrder::motorola ? 7 - signal.startBit % 8 : signal.startBit % 8;
        if (signal.startBit / 8 * 8 + lead + signal.length > maxMessageLength * 8)
            return fail("signal " + signal.name + " would end behind byte " + std::to_string(maxMessageLength - 1));
        if ((signal.type == ValueType::single && signal.length != 32) || (signal.type == ValueType::floating && signal.length != 64))
            return fail("a floating-point signal has 32 or 64 bits; " + signal.name + " has " + std::to_string(signal.length));
        if (signal.uid == 0)
            signal.uid = ++db_.lastUid;
        settleName(signal, customary::longSignal, [&](const std::string& name) {
            return std::any_of(message.signals.begin(), message.signals.end(),
                [&](const Signal& s) { return s.uid != signal.uid && (s.shortName.empty() ? s.name : s.shortName) == name; });
        });
        if (!signal.shortName.empty())
            ensureDefinition(db_, edit, AttributeOwner::signal, customary::longSignal, AttributeType::text, 0, 0);
        const Signal* old = before ? std::get<Message>(*before).find(signal.name) : nullptr;
        if (const auto ranges = rangesOf(signal.texts); old != nullptr ? ranges != rangesOf(old->texts) : !ranges.empty()) {
            keepTextRanges(signal);
            ensureDefinition(db_, edit, AttributeOwner::signal, customary::textRanges, AttributeType::text, 0, 0);
        }
    }
    applyCustomary(db_, message);
    edit.parts.push_back({std::move(before), std::move(message), place});
    return edit;
}

Edit Editor::removeMessage(std::uint32_t uid) const
{
    const std::size_t place = placeOf(db_.messages, uid);
    if (place == db_.messages.size())
        return {};
    Edit edit{"take out " + db_.messages[place].name, {}};
    Network network = db_.network;
    if (std::erase_if(network.relations, [&](const Relation& r) { return r.message == uid; }) > 0)
        edit.parts.push_back({db_.network, network, 0});
    edit.parts.push_back({db_.messages[place], std::nullopt, place});
    return edit;
}

Expected<Edit> Editor::putSignal(std::uint32_t uid, Signal signal, std::string title) const
{
    const std::size_t place = placeOf(db_.messages, uid);
    if (place == db_.messages.size())
        return fail("this message is no longer there");
    Message message = db_.messages[place];
    Network network = db_.network;
    const std::size_t at = signal.uid == 0 ? message.signals.size() : placeOf(message.signals, signal.uid);
    if (at == message.signals.size()) {
        message.signals.push_back(std::move(signal));
    } else {
        // What names the signal follows its name.
        const std::string old = message.signals[at].name;
        const std::string now = signal.name;
        message.signals[at] = std::move(signal);
        if (old != now) {
            for (Signal& other : message.signals)
                if (other.muxSelector == old)
                    other.muxSelector = now;
            for (SignalGroup& group : message.groups)
                std::replace(group.signals.begin(), group.signals.end(), old, now);
            for (Relation& relation : network.relations)
                if (relation.message == uid && relation.object == old)
                    relation.object = now;
        }
    }
    auto edit = putMessage(std::move(message), std::move(title));
    if (edit && !(network == db_.network))
        edit->parts.push_back({db_.network, std::move(network), 0});
    return edit;
}

Edit Editor::removeSignal(std::uint32_t uid, std::uint32_t signal) const
{
    const std::size_t place = placeOf(db_.messages, uid);
    if (place == db_.messages.size())
        return {};
    Message message = db_.messages[place];
    const std::size_t at = placeOf(message.signals, signal);
    if (at == message.signals.size())
        return {};
    const std::string name = message.signals[at].name;
    message.signals.erase(message.signals.begin() + static_cast<std::ptrdiff_t>(at));
    for (SignalGroup& group : message.groups)
        std::erase(group.signals, name);
    Network network = db_.network;
    const bool related = std::erase_if(network.relations, [&](const Relation& r) { return r.message == uid && r.object == name; }) > 0;
    auto edit = putMessage(std::move(message), "take out " + name);
    if (edit && related)
        edit->parts.push_back({db_.network, std::move(network), 0});
    return edit ? std::move(*edit) : Edit{};
}

Expected<Edit> Editor::putNode(Node node, std::string title) const
{
    if (!isName(node.name))
        return fail("'" + node.name + "' cannot name a node: letters, digits and underscores, no digit first");
    Edit edit{std::move(title), {}};
    std::optional<EditObject> before;
    std::size_t place = db_.nodes.size();
    if (node.uid == 0) {
        node.uid = ++db_.lastUid;
    } else {
        place = placeOf(db_.nodes, node.uid);
        if (place == db_.nodes.size())
            return fail("this node is no longer there");
        before = db_.nodes[place];
    }
    settleName(node, customary::longNode, [&](const std::string& name) {
        return std::any_of(db_.nodes.begin(), db_.nodes.end(),
            [&](const Node& n) { return n.uid != node.uid && (n.shortName.empty() ? n.name : n.shortName) == name; });
    });
    if (!node.shortName.empty())
        ensureDefinition(db_, edit, AttributeOwner::node, customary::longNode, AttributeType::text, 0, 0);
    const std::string old = before ? std::get<Node>(*before).name : std::string();
    const std::string now = node.name;
    edit.parts.push_back({std::move(before), std::move(node), place});
    if (!old.empty() && old != now) {
        Network network = db_.network;
        for (Relation& relation : network.relations)
            if (relation.node == old)
                relation.node = now;
        if (!(network == db_.network))
            edit.parts.push_back({db_.network, std::move(network), 0});
        for (std::size_t i = 0; i < db_.variables.size(); ++i) {
            Variable variable = db_.variables[i];
            std::replace(variable.nodes.begin(), variable.nodes.end(), old, now);
            if (!(variable == db_.variables[i]))
                edit.parts.push_back({db_.variables[i], std::move(variable), i});
        }
        for (std::size_t i = 0; i < db_.messages.size(); ++i) {
            Message message = db_.messages[i];
            if (message.sender == old)
                message.sender = now;
            std::replace(message.moreSenders.begin(), message.moreSenders.end(), old, now);
            for (Signal& signal : message.signals)
                std::replace(signal.receivers.begin(), signal.receivers.end(), old, now);
            if (!(message == db_.messages[i]))
                edit.parts.push_back({db_.messages[i], std::move(message), i});
        }
    }
    return edit;
}

Edit Editor::removeNode(std::uint32_t uid) const
{
    const std::size_t place = placeOf(db_.nodes, uid);
    if (place == db_.nodes.size())
        return {};
    const std::string name = db_.nodes[place].name;
    Edit edit{"take out " + name, {}};
    Network network = db_.network;
    if (std::erase_if(network.relations, [&](const Relation& r) { return r.node == name; }) > 0)
        edit.parts.push_back({db_.network, std::move(network), 0});
    for (std::size_t i = 0; i < db_.variables.size(); ++i)
        if (Variable variable = db_.variables[i]; std::erase(variable.nodes, name) > 0)
            edit.parts.push_back({db_.variables[i], std::move(variable), i});
    for (std::size_t i = 0; i < db_.messages.size(); ++i) {
        Message message = db_.messages[i];
        if (message.sender == name)
            message.sender.clear();
        std::erase(message.moreSenders, name);
        for (Signal& signal : message.signals)
            std::erase(signal.receivers, name);
        if (!(message == db_.messages[i]))
            edit.parts.push_back({db_.messages[i], std::move(message), i});
    }
    edit.parts.push_back({db_.nodes[place], std::nullopt, place});
    return edit;
}

Expected<Edit> Editor::putTable(ValueTable table, std::string title) const
{
    if (!rangesOf(table.texts).empty())
        return fail("a table has texts for single values; give the range to the signals that use it");
    if (!isName(table.name))
        return fail("'" + table.name + "' cannot name a table: letters, digits and underscores, no digit first");
    const std::size_t place = table.uid == 0 ? db_.tables.size() : placeOf(db_.tables, table.uid);
    std::optional<EditObject> before;
    if (place < db_.tables.size())
        before = db_.tables[place];
    else
        table.uid = ++db_.lastUid;
    return Edit{std::move(title), {{std::move(before), std::move(table), place}}};
}

Edit Editor::removeTable(std::uint32_t uid) const
{
    const std::size_t place = placeOf(db_.tables, uid);
    return place == db_.tables.size() ? Edit{} : Edit{"take out " + db_.tables[place].name, {{db_.tables[place], std::nullopt, place}}};
}

Expected<Edit> Editor::putDefinition(AttributeDefinition definition, std::string title) const
{
    if (!isName(definition.name))
        return fail("'" + definition.name + "' cannot name an attribute: letters, digits and underscores, no digit first");
    if (definition.minimum && definition.maximum && *definition.minimum > *definition.maximum)
        return fail("the minimum of " + definition.name + " is above its maximum");
    if (definition.type == AttributeType::enumeration && definition.choices.empty())
        return fail("an enumeration needs at least one choice");
    if (definition.type == AttributeType::enumeration && definition.standard && definition.choiceOf(*definition.standard) < 0)
        return fail("the default of " + definition.name + " is none of its choices");
    const std::size_t place = definition.uid == 0 ? db_.definitions.size() : placeOf(db_.definitions, definition.uid);
    std::optional<EditObject> before;
    if (place < db_.definitions.size())
        before = db_.definitions[place];
    else
        definition.uid = ++db_.lastUid;
    return Edit{std::move(title), {{std::move(before), std::move(definition), place}}};
}

Edit Editor::removeDefinition(std::uint32_t uid) const
{
    const std::size_t place = placeOf(db_.definitions, uid);
    if (place == db_.definitions.size())
        return {};
    const std::string name = db_.definitions[place].name;
    Edit edit{"take out attribute " + name, {}};
    for (std::size_t i = 0; i < db_.messages.size(); ++i) {
        Message message = db_.messages[i];
        bool changed = message.attributes.remove(name);
        for (Signal& signal : message.signals)
            changed = signal.attributes.remove(name) || changed;
        if (changed)
            edit.parts.push_back({db_.messages[i], std::move(message), i});
    }
    for (std::size_t i = 0; i < db_.nodes.size(); ++i)
        if (Node node = db_.nodes[i]; node.attributes.remove(name))
            edit.parts.push_back({db_.nodes[i], std::move(node), i});
    for (std::size_t i = 0; i < db_.variables.size(); ++i)
        if (Variable variable = db_.variables[i]; variable.attributes.remove(name))
            edit.parts.push_back({db_.variables[i], std::move(variable), i});
    Network network = db_.network;
    network.attributes.remove(name);
    std::erase_if(network.relations, [&](const Relation& r) { return r.attribute == name; });
    if (!(network == db_.network))
        edit.parts.push_back({db_.network, std::move(network), 0});
    edit.parts.push_back({db_.definitions[place], std::nullopt, place});
    return edit;
}

Expected<Edit> Editor::putVariable(Variable variable, std::string title) const
{
    if (!isName(variable.name))
        return fail("'" + variable.name + "' cannot name a variable: letters, digits and underscores, no digit first");
    if (variable.minimum > variable.maximum)
        return fail("the minimum of " + variable.name + " is above its maximum");
    for (const Variable& other : db_.variables)
        if (other.name == variable.name && other.uid != variable.uid)
            return fail("there is a variable " + variable.name + " already");
    if (!rangesOf(variable.texts).empty())
        return fail("a variable has texts for single values");
    Edit edit{std::move(title), {}};
    const std::size_t place = variable.uid == 0 ? db_.variables.size() : placeOf(db_.variables, variable.uid);
    std::optional<EditObject> before;
    if (place < db_.variables.size()) {
        before = db_.variables[place];
        Network network = db_.network;
        for (Relation& relation : network.relations)
            if (relation.owner == AttributeOwner::nodeVariable && relation.object == db_.variables[place].name)
                relation.object = variable.name;
        if (!(network == db_.network))
            edit.parts.push_back({db_.network, std::move(network), 0});
    } else {
        variable.uid = ++db_.lastUid;
        for (const Variable& other : db_.variables)
            variable.id = std::max(variable.id, other.id + 1);
        if (variable.access.empty())
            variable.access = dbc::freeAccess;
    }
    edit.parts.push_back({std::move(before), std::move(variable), place});
    return edit;
}

Edit Editor::removeVariable(std::uint32_t uid) const
{
    const std::size_t place = placeOf(db_.variables, uid);
    if (place == db_.variables.size())
        return {};
    const std::string name = db_.variables[place].name;
    Edit edit{"take out " + name, {}};
    Network network = db_.network;
    if (std::erase_if(network.relations, [&](const Relation& r) { return r.owner == AttributeOwner::nodeVariable && r.object == name; })
        > 0)
        edit.parts.push_back({db_.network, std::move(network), 0});
    edit.parts.push_back({db_.variables[place], std::nullopt, place});
    return edit;
}

Edit Editor::putRelation(const Relation& relation, const std::optional<AttributeValue>& value) const
{
    Network network = db_.network;
    const auto found = std::find_if(network.relations.begin(), network.relations.end(), [&](const Relation& r) {
        return r.owner == relation.owner && r.attribute == relation.attribute && r.node == relation.node && r.message == relation.message
               && r.object == relation.object;
    });
    if (value && found != network.relations.end()) {
        found->value = *value;
    } else if (value) {
        network.relations.push_back(relation);
        network.relations.back().value = *value;
        network.relations.back().uid = ++db_.lastUid;
    } else if (found != network.relations.end()) {
        network.relations.erase(found);
    }
    return network == db_.network ? Edit{} : putNetwork(std::move(network), "attribute " + relation.attribute);
}

Edit Editor::putNetwork(Network network, std::string title) const { return Edit{std::move(title), {{db_.network, std::move(network), 0}}}; }

Edit Editor::setCycleTime(std::uint32_t uid, Time cycle) const
{
    const std::size_t place = placeOf(db_.messages, uid);
    if (place == db_.messages.size())
        return {};
    Edit edit{"cycle time of " + db_.messages[place].name, {}};
    ensureDefinition(db_, edit, AttributeOwner::message, customary::cycleTime, AttributeType::integer, 0, 65535);
    Message message = db_.messages[place];
    if (cycle.count() > 0)
        message.attributes.set(customary::cycleTime, AttributeValue::of(static_cast<double>(cycle.count()) * 1e-6));
    else
        message.attributes.remove(customary::cycleTime);
    applyCustomary(db_, message);
    edit.parts.push_back({db_.messages[place], std::move(message), place});
    return edit;
}

Edit Editor::setFrame(std::uint32_t uid, bool fd, bool brs) const
{
    const std::size_t place = placeOf(db_.messages, uid);
    if (place == db_.messages.size())
        return {};
    Edit edit{"frame of " + db_.messages[place].name, {}};
    const auto enumeration = [&](const char* name, std::vector<std::string> choices) {
        if (const AttributeDefinition* known = db_.definition(AttributeOwner::message, name))
            return *known;
        AttributeDefinition definition;
        definition.uid = ++db_.lastUid;
        definition.owner = AttributeOwner::message;
        definition.name = name;
        definition.type = AttributeType::enumeration;
        definition.choices = std::move(choices);
        definition.standard = AttributeValue::of(definition.choices.front());
        edit.parts.push_back({std::nullopt, definition, db_.definitions.size() + edit.parts.size()});
        return definition;
    };
    Message message = db_.messages[place];
    const AttributeDefinition format = enumeration(
        customary::frameFormat, {"StandardCAN", "ExtendedCAN", "StandardCAN_FD", "ExtendedCAN_FD"});
    const std::string wanted = std::string(message.id.extended ? "ExtendedCAN" : "StandardCAN") + (fd ? "_FD" : "");
    message.attributes.set(customary::frameFormat, AttributeValue::of(wanted));
    if (format.choiceOf(AttributeValue::of(wanted)) < 0)
        message.attributes.remove(customary::frameFormat);
    if (brs || db_.definition(AttributeOwner::message, customary::bitRateSwitch) != nullptr) {
        const AttributeDefinition rate = enumeration(customary::bitRateSwitch, {"0", "1"});
        message.attributes.set(customary::bitRateSwitch, rate.type == AttributeType::enumeration && rate.choices.size() > 1
                                                             ? AttributeValue::of(rate.choices[brs ? 1 : 0])
                                                             : AttributeValue::of(brs ? 1.0 : 0.0));
    }
    // What is derived is derived with the definitions that come along.
    Database with = Database{};
    with.definitions = db_.definitions;
    for (const Replacement& part : edit.parts)
        with.definitions.push_back(std::get<AttributeDefinition>(*part.after));
    applyCustomary(with, message);
    edit.parts.push_back({db_.messages[place], std::move(message), place});
    return edit;
}

Edit Editor::setStartValue(std::uint32_t uid, std::uint32_t signalUid, std::optional<double> raw) const
{
    const std::size_t place = placeOf(db_.messages, uid);
    if (place == db_.messages.size())
        return {};
    Message message = db_.messages[place];
    const std::size_t at = placeOf(message.signals, signalUid);
    if (at == message.signals.size())
        return {};
    Signal& signal = message.signals[at];
    Edit edit{"start value of " + signal.name, {}};
    ensureDefinition(db_, edit, AttributeOwner::signal, customary::startValue, AttributeType::real, -1e12, 1e12);
    if (raw)
        signal.attributes.set(customary::startValue, AttributeValue::of(*raw));
    else
        signal.attributes.remove(customary::startValue);
    applyCustomary(db_, message);
    edit.parts.push_back({db_.messages[place], std::move(message), place});
    return edit;
}

}  // namespace wavetrope::database
