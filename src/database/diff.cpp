// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/diff.h"

#include <algorithm>
#include <map>
#include <unordered_map>

#include "base/joined.h"
#include "database/codec.h"
#include "database/field_text.h"

namespace wavetrope::database {

namespace {

using Fields = std::vector<std::pair<const char*, std::string>>;

std::string bound(const std::optional<double>& value) { return value ? numberText(*value) : "none"; }

Fields fieldsOf(const Signal& s)
{
    return {{"start bit", std::to_string(s.startBit)}, {"length", std::to_string(s.length)},
        {"byte order", s.order == ByteOrder::intel ? "least significant first" : "most significant first"},
        {"sign", s.isSigned ? "signed" : "unsigned"},
        {"type", s.type == ValueType::integer  ? "integer"
                 : s.type == ValueType::single ? "single"
                                               : "double"},
        {"factor", numberText(s.factor)}, {"offset", numberText(s.offset)}, {"minimum", bound(s.minimum)}, {"maximum", bound(s.maximum)},
        {"unit", s.unit}, {"receivers", joined(s.receivers)}, {"multiplexing", muxText(s)}, {"value texts", textsText(s.texts)},
        {"start value", bound(s.startRaw)}, {"comment", s.comment}};
}

Fields fieldsOf(const Message& m)
{
    return {{"identifier", can::toText(m.id)}, {"name", m.name}, {"length", std::to_string(m.length)}, {"sender", m.sender},
        {"further senders", joined(m.moreSenders)},
        {"cycle time", m.cycleTime.count() > 0 ? numberText(static_cast<double>(m.cycleTime.count()) * 1e-6) + " ms" : "none"},
        {"send type", m.sendType}, {"frame", std::string(m.fd ? "FD" : "classic") + (m.brs ? ", bit-rate switch" : "")},
        {"comment", m.comment}};
}

class Differ {
public:
    std::vector<Change> out;

    void fields(const std::string& object, const Fields& older, const Fields& newer, const can::Identifier* id)
    {
        for (std::size_t i = 0; i < older.size(); ++i)
            if (older[i].second != newer[i].second)
                add(ChangeKind::changed, object, older[i].first, older[i].second, newer[i].second, id);
    }
    void add(ChangeKind kind, const std::string& object, const std::string& field, const std::string& before, const std::string& after,
        const can::Identifier* id)
    {
        out.push_back({kind, object, field, before, after, id != nullptr, id != nullptr ? *id : can::Identifier{}});
    }
    void attributes(const std::string& object, const AttributeValues& older, const AttributeValues& newer, const Database& olderDb,
        const Database& newerDb, AttributeOwner owner, const can::Identifier* id)
    {
        const auto words = [&](const Database& db, const std::string& name, const AttributeValue* value) {
            if (value == nullptr)
                return std::string("default");
            const AttributeDefinition* definition = db.definition(owner, name);
            return definition != nullptr ? definition->wordsOf(*value) : value->isText ? value->text : numberText(value->number);
        };
        // What these say is compared as a field.
        const auto asField = [](const std::string& name) {
            return name == customary::cycleTime || name == customary::sendType || name == customary::startValue
                   || name == customary::longMessage || name == customary::longSignal || name == customary::longNode;
        };
        for (const auto& [name, value] : older) {
            if (asField(name))
                continue;
            const std::string before = words(olderDb, name, &value);
            const std::string after = words(newerDb, name, newer.find(name));
            if (before != after)
                add(ChangeKind::changed, object, "attribute " + name, before, after, id);
        }
        for (const auto& [name, value] : newer)
            if (older.find(name) == nullptr && !asField(name))
                add(ChangeKind::changed, object, "attribute " + name, "default", words(newerDb, name, &value), id);
    }

    // Pairs by name; `same` compares two of one name.
    template <class Object, class Same>
    void byName(const char* what, const std::vector<Object>& older, const std::vector<Object>& newer, Same same)
    {
        std::map<std::string, const Object*> now;
        for (const Object& object : newer)
            now.emplace(object.name, &object);
        std::map<std::string, const Object*> was;
        for (const Object& object : older) {
            was.emplace(object.name, &object);
            if (!now.contains(object.name))
                add(ChangeKind::removed, what + object.name, {}, {}, {}, nullptr);
            else
                same(object, *now[object.name]);
        }
        for (const Object& object : newer)
            if (!was.contains(object.name))
                add(ChangeKind::added, what + object.name, {}, {}, {}, nullptr);
    }

    void message(const Message& older, const Message& newer, const Database& olderDb, const Database& newerDb)
    {
        const can::Identifier* id = &newer.id;
        fields(newer.name, fieldsOf(older), fieldsOf(newer), id);
        attributes(newer.name, older.attributes, newer.attributes, olderDb, newerDb, AttributeOwner::message, id);
        for (const Signal& signal : older.signals) {
            const std::string object = newer.name + '.' + signal.name;
            const Signal* now = newer.find(signal.name);
            if (now == nullptr) {
                add(ChangeKind::removed, object, {}, {}, {}, id);
                continue;
            }
            fields(object, fieldsOf(signal), fieldsOf(*now), id);
            attributes(object, signal.attributes, now->attributes, olderDb, newerDb, AttributeOwner::signal, id);
        }
        for (const Signal& signal : newer.signals)
            if (older.find(signal.name) == nullptr)
                add(ChangeKind::added, newer.name + '.' + signal.name, {}, {}, {}, id);
    }
};

}  // namespace

const char* toText(ChangeKind kind)
{
    static constexpr const char* words[] = {"added", "removed", "changed"};
    return words[static_cast<unsigned>(kind)];
}

std::vector<Change> diff(const Database& older, const Database& newer)
{
    Differ differ;
    const auto network = [](const Network& n) {
        return Fields{{"version", n.version}, {"bus timing", n.busTiming}, {"comment", n.comment}};
    };
    differ.fields("network", network(older.network), network(newer.network), nullptr);
    differ.attributes("network", older.network.attributes, newer.network.attributes, older, newer, AttributeOwner::network, nullptr);
    differ.byName("node ", older.nodes, newer.nodes, [&](const Node& a, const Node& b) {
        differ.fields("node " + a.name, {{"comment", a.comment}}, {{"comment", b.comment}}, nullptr);
        differ.attributes("node " + a.name, a.attributes, b.attributes, older, newer, AttributeOwner::node, nullptr);
    });

    std::unordered_map<std::uint32_t, const Message*> byId;
    std::unordered_map<std::string, const Message*> byName;
    for (const Message& message : newer.messages) {
        byId.emplace(message.id.key(), &message);
        byName.emplace(message.name, &message);
    }
    std::unordered_map<const Message*, bool> paired;
    std::vector<const Message*> unpaired;
    std::vector<std::pair<const Message*, const Message*>> pairs;
    for (const Message& message : older.messages) {
        const auto found = byId.find(message.id.key());
        if (found != byId.end() && !paired[found->second]) {
            paired[found->second] = true;
            pairs.emplace_back(&message, found->second);
        } else {
            unpaired.push_back(&message);
        }
    }
    for (const Message* message : unpaired) {
        const auto found = byName.find(message->name);
        if (found != byName.end() && !paired[found->second]) {
            paired[found->second] = true;
            pairs.emplace_back(message, found->second);
        } else {
            differ.add(ChangeKind::removed, message->name, {}, {}, {}, &message->id);
        }
    }
    for (const auto& [a, b] : pairs)
        differ.message(*a, *b, older, newer);
    for (const Message& message : newer.messages)
        if (!paired[&message])
            differ.add(ChangeKind::added, message.name, {}, {}, {}, &message.id);

    differ.byName("table ", older.tables, newer.tables, [&](const ValueTable& a, const ValueTable& b) {
        differ.fields("table " + a.name, {{"texts", textsText(a.texts)}}, {{"texts", textsText(b.texts)}}, nullptr);
    });
    differ.byName("attribute ", older.definitions, newer.definitions, [&](const AttributeDefinition& a, const AttributeDefinition& b) {
        const auto fields = [](const AttributeDefinition& d) {
            static constexpr const char* types[] = {"integer", "hexadecimal", "float", "text", "enumeration"};
            return Fields{{"type", types[static_cast<unsigned>(d.type)]}, {"minimum", bound(d.minimum)}, {"maximum", bound(d.maximum)},
                {"choices", joined(d.choices)}, {"default", d.standard ? d.wordsOf(*d.standard) : "none"}};
        };
        differ.fields("attribute " + a.name, fields(a), fields(b), nullptr);
    });
    return std::move(differ.out);
}

}  // namespace wavetrope::database
