// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/database_json.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <tuple>

#include "base/json_reader.h"
#include "database/dbc_format.h"

namespace wavetrope::database {

namespace {

using Json = nlohmann::json;
using Ordered = nlohmann::ordered_json;

constexpr const char* ownerWords[] = {"network", "node", "message", "signal", "variable", "node-message", "node-signal", "node-variable"};
constexpr const char* variableWords[] = {"integer", "float", "text"};
constexpr const char* typeWords[] = {"integer", "hexadecimal", "float", "text", "enumeration"};

Ordered valueJson(const AttributeValue& value) { return value.isText ? Ordered(value.text) : Ordered(value.number); }

template <class Target>
void put(Target& out, const char* key, const std::string& text)
{
    if (!text.empty())
        out[key] = text;
}

Ordered attributesJson(const AttributeValues& values)
{
    Ordered out = Ordered::object();
    for (const auto& [name, value] : values)
        out[name] = valueJson(value);
    return out;
}

Ordered wholeJson(RawValue value)
{
    return value < 0 ? Ordered(static_cast<std::int64_t>(value)) : Ordered(static_cast<std::uint64_t>(value));
}

Ordered textsJson(const std::vector<ValueText>& texts)
{
    Ordered out = Ordered::array();
    for (const ValueText& text : texts) {
        out.push_back({{"value", wholeJson(text.value)}, {"text", text.text}});
        if (text.more > 0)
            out.back()["to"] = wholeJson(text.last());
    }
    return out;
}

Ordered signalJson(const Signal& s)
{
    Ordered out;
    out["name"] = s.name;
    out["start_bit"] = s.startBit;
    out["length"] = s.length;
    out["byte_order"] = s.order == ByteOrder::intel ? "least_first" : "most_first";
    if (s.isSigned)
        out["signed"] = true;
    if (s.type != ValueType::integer)
        out["type"] = s.type == ValueType::single ? "single" : "double";
    out["factor"] = s.factor;
    out["offset"] = s.offset;
    if (s.minimum && s.maximum)
        out["range"] = {*s.minimum, *s.maximum};
    put(out, "unit", s.unit);
    if (!s.receivers.empty())
        out["receivers"] = s.receivers;
    if (s.selects())
        out["selector"] = true;
    if (s.mux == MuxRole::multiplexed) {
        Ordered present;
        put(present, "selector", s.muxSelector);
        present["values"] = Ordered::array();
        if (s.muxRanges.empty())
            present["values"].push_back({s.muxValue, s.muxValue});
        for (const MuxRange& range : s.muxRanges)
            present["values"].push_back({range.from, range.to});
        out["present"] = present;
    }
    if (!s.texts.empty())
        out["texts"] = textsJson(s.texts);
    put(out, "comment", s.comment);
    if (!s.attributes.empty())
        out["attributes"] = attributesJson(s.attributes);
    return out;
}

MuxRange pairOf(const JsonReader& in)
{
    const Json& json = in.json();
    if (!json.is_array() || json.size() != 2 || !json[0].is_number_unsigned() || !json[1].is_number_unsigned())
        in.wrong("expected two whole numbers, from and to");
    return {json[0].get<std::uint64_t>(), json[1].get<std::uint64_t>()};
}

RawValue integerOf(const JsonReader& in)
{
    const Json& json = in.json();
    if (!json.is_number_integer())  // larger ones are read as numbers with a fraction
        in.wrong("expected a whole number of -2^63 to 2^64 - 1");
    return json.is_number_unsigned() ? RawValue{json.get<std::uint64_t>()} : RawValue{json.get<std::int64_t>()};
}

// Two numbers, or none.
std::optional<std::pair<double, double>> rangeOf(const JsonReader& in)
{
    std::vector<double> ends;
    in.each("range", [&](const JsonReader& end) { ends.push_back(end.number()); });
    if (ends.empty())
        return std::nullopt;
    if (ends.size() != 2)
        in.at("range").wrong("expected two numbers");
    return std::pair(ends[0], ends[1]);
}

std::vector<ValueText> valueTextsOf(const JsonReader& in)
{
    std::vector<ValueText> list;
    in.each("texts", [&](const JsonReader& entry) {
        list.push_back({integerOf(entry.at("value")), entry.text("text")});
        const auto to = entry.find("to");
        if (!to)
            return;
        const RawValue last = integerOf(*to);
        if (last < list.back().value)
            to->wrong("is below the value that the range begins with");
        list.back().more = static_cast<std::uint64_t>(last - list.back().value);
    });
    return list;
}

AttributeValue valueOf(const JsonReader& in)
{
    return in.json().is_string() ? AttributeValue::of(in.text()) : AttributeValue::of(in.number());
}

AttributeValues attributesOf(const JsonReader& in)
{
    AttributeValues values;
    in.eachMember("attributes", [&](const std::string& name, const JsonReader& entry) { values.set(name, valueOf(entry)); });
    return values;
}

Signal signalOf(const JsonReader& in)
{
    Signal s;
    s.name = in.at("name").text();
    s.startBit = static_cast<unsigned>(in.at("start_bit").whole(maxMessageLength * 8 - 1));
    s.length = static_cast<unsigned>(in.at("length").whole(64));
    if (s.length == 0)
        in.at("length").wrong("must be 1 to 64");
    static constexpr const char* orders[] = {"least_first", "most_first"};
    s.order = in.word("byte_order", orders) == 1 ? ByteOrder::motorola : ByteOrder::intel;
    const unsigned lead = s.order == ByteOrder::motorola ? 7 - s.startBit % 8 : s.startBit % 8;
    if (s.startBit / 8 * 8 + lead + s.length > maxMessageLength * 8)
        in.wrong("ends behind byte " + std::to_string(maxMessageLength - 1));
    s.isSigned = in.flag("signed");
    static constexpr const char* types[] = {"integer", "single", "double"};
    s.type = static_cast<ValueType>(in.word("type", types));
    if ((s.type == ValueType::single && s.length != 32) || (s.type == ValueType::floating && s.length != 64))
        in.wrong("a floating-point signal has 32 or 64 bits");
    s.factor = in.number("factor", 1);
    s.offset = in.number("offset", 0);
    if (const auto range = rangeOf(in))
        std::tie(s.minimum, s.maximum) = *range;
    s.unit = in.text("unit");
    s.receivers = in.texts("receivers");
    const bool selector = in.flag("selector");
    if (in.has("present")) {
        const JsonReader present = in.at("present");
        s.mux = MuxRole::multiplexed;
        s.alsoSelector = selector;
        s.muxSelector = present.text("selector");
        present.each("values", [&](const JsonReader& entry) { s.muxRanges.push_back(pairOf(entry)); });
        if (s.muxRanges.empty())
            present.wrong("names no values");
        s.muxValue = s.muxRanges.front().from;
        if (s.muxRanges.size() == 1 && s.muxRanges.front().from == s.muxRanges.front().to && s.muxSelector.empty())
            s.muxRanges.clear();
    } else if (selector) {
        s.mux = MuxRole::selector;
    }
    s.texts = valueTextsOf(in);
    s.comment = in.text("comment");
    s.attributes = attributesOf(in);
    if (!rangesOf(s.texts).empty())
        keepTextRanges(s);
    return s;
}

// Texts of ranges are kept in an attribute, and an attribute has a definition.
void defineTextRanges(Database& db)
{
    if (db.definition(AttributeOwner::signal, customary::textRanges) != nullptr)
        return;
    AttributeDefinition definition;
    definition.uid = ++db.lastUid;
    definition.owner = AttributeOwner::signal;
    definition.name = customary::textRanges;
    definition.type = AttributeType::text;
    definition.standard = AttributeValue::of(std::string());
    db.definitions.push_back(std::move(definition));
}

}  // namespace

nlohmann::ordered_json toJson(const Database& database)
{
    Ordered out;
    out["wavetrope_database"] = databaseJsonVersion;
    put(out, "version", database.network.version);
    put(out, "comment", database.network.comment);
    if (!database.network.attributes.empty())
        out["attributes"] = attributesJson(database.network.attributes);
    out["nodes"] = Ordered::array();
    for (const Node& node : database.nodes) {
        Ordered entry{{"name", node.name}};
        put(entry, "comment", node.comment);
        if (!node.attributes.empty())
            entry["attributes"] = attributesJson(node.attributes);
        out["nodes"].push_back(entry);
    }
    if (!database.tables.empty()) {
        out["tables"] = Ordered::array();
        for (const ValueTable& table : database.tables)
            out["tables"].push_back({{"name", table.name}, {"texts", textsJson(table.texts)}});
    }
    if (!database.definitions.empty()) {
        out["attribute_definitions"] = Ordered::array();
        for (const AttributeDefinition& d : database.definitions) {
            Ordered entry{
                {"name", d.name}, {"of", ownerWords[static_cast<unsigned>(d.owner)]}, {"type", typeWords[static_cast<unsigned>(d.type)]}};
            if (d.minimum && d.maximum)
                entry["range"] = {*d.minimum, *d.maximum};
            if (!d.choices.empty())
                entry["choices"] = d.choices;
            if (d.standard)
                entry["default"] = valueJson(*d.standard);
            out["attribute_definitions"].push_back(entry);
        }
    }
    out["messages"] = Ordered::array();
    for (const Message& m : database.messages) {
        Ordered entry{{"name", m.name}, {"id", can::toText(m.id)}, {"length", m.length}};
        put(entry, "sender", m.sender);
        if (!m.moreSenders.empty())
            entry["further_senders"] = m.moreSenders;
        put(entry, "comment", m.comment);
        if (!m.attributes.empty())
            entry["attributes"] = attributesJson(m.attributes);
        if (!m.groups.empty()) {
            entry["groups"] = Ordered::array();
            for (const SignalGroup& group : m.groups)
                entry["groups"].push_back({{"name", group.name}, {"repetitions", group.repetitions}, {"signals", group.signals}});
        }
        entry["signals"] = Ordered::array();
        for (const Signal& signal : m.signals)
            entry["signals"].push_back(signalJson(signal));
        out["messages"].push_back(entry);
    }
    for (const Variable& v : database.variables) {
        Ordered entry{{"name", v.name}, {"type", variableWords[std::min(v.type, 2U)]}, {"range", {v.minimum, v.maximum}},
            {"initial", v.initial}, {"number", v.id}, {"access", v.access}};
        put(entry, "unit", v.unit);
        if (!v.nodes.empty())
            entry["nodes"] = v.nodes;
        if (v.dataLength > 0)
            entry["data_length"] = v.dataLength;
        if (!v.texts.empty())
            entry["texts"] = textsJson(v.texts);
        put(entry, "comment", v.comment);
        if (!v.attributes.empty())
            entry["attributes"] = attributesJson(v.attributes);
        out["variables"].push_back(entry);
    }
    for (const Relation& r : database.network.relations) {
        Ordered entry{{"of", ownerWords[static_cast<unsigned>(r.owner)]}, {"attribute", r.attribute}, {"node", r.node}};
        for (const Message& message : database.messages)
            if (message.uid == r.message)
                entry["message"] = message.name;
        if (!r.object.empty())
            entry[r.owner == AttributeOwner::nodeVariable ? "variable" : "signal"] = r.object;
        entry["value"] = valueJson(r.value);
        out["relations"].push_back(entry);
    }
    return out;
}

Database databaseFromJson(const JsonReader& in)
{
    Database db;
    if (const auto version = in.at("wavetrope_database").whole(1'000'000); version > databaseJsonVersion)
        in.at("wavetrope_database")
            .wrong("this database is of version " + std::to_string(version) + ", newer than this program", "Open it with a newer version");
    db.network.version = in.text("version");
    db.network.comment = in.text("comment");
    db.network.attributes = attributesOf(in);
    in.each("nodes", [&](const JsonReader& entry) {
        Node node;
        node.uid = ++db.lastUid;
        node.name = entry.at("name").text();
        node.comment = entry.text("comment");
        node.attributes = attributesOf(entry);
        db.nodes.push_back(std::move(node));
    });
    in.each("tables", [&](const JsonReader& entry) {
        db.tables.push_back({++db.lastUid, entry.at("name").text(), valueTextsOf(entry)});
        if (!rangesOf(db.tables.back().texts).empty())
            entry.at("texts").wrong("holds a range; a table has texts for single values");
    });
    in.each("attribute_definitions", [&](const JsonReader& entry) {
        AttributeDefinition d;
        d.uid = ++db.lastUid;
        d.name = entry.at("name").text();
        d.owner = static_cast<AttributeOwner>(entry.at("of").word(ownerWords));
        d.type = static_cast<AttributeType>(entry.at("type").word(typeWords));
        if (const auto range = rangeOf(entry))
            std::tie(d.minimum, d.maximum) = *range;
        d.choices = entry.texts("choices");
        if (entry.has("default"))
            d.standard = valueOf(entry.at("default"));
        db.definitions.push_back(std::move(d));
    });
    in.each("messages", [&](const JsonReader& entry) {
        Message m;
        m.uid = ++db.lastUid;
        m.name = entry.at("name").text();
        const auto id = can::identifierFromText(entry.at("id").text());
        if (!id)
            entry.at("id").wrong("is no identifier");
        m.id = *id;
        m.length = static_cast<unsigned>(entry.at("length").whole(maxMessageLength));
        m.sender = entry.text("sender");
        m.moreSenders = entry.texts("further_senders");
        m.comment = entry.text("comment");
        m.attributes = attributesOf(entry);
        entry.each("groups", [&](const JsonReader& group) {
            m.groups.push_back(
                {group.at("name").text(), static_cast<unsigned>(group.whole("repetitions", 0xFFFFFFFFU, 1)), group.texts("signals")});
        });
        entry.each("signals", [&](const JsonReader& signal) {
            m.signals.push_back(signalOf(signal));
            m.signals.back().uid = ++db.lastUid;
        });
        if (std::any_of(
                m.signals.begin(), m.signals.end(), [](const Signal& s) { return s.attributes.find(customary::textRanges) != nullptr; }))
            defineTextRanges(db);
        applyCustomary(db, m);
        db.messages.push_back(std::move(m));
    });
    in.each("variables", [&](const JsonReader& entry) {
        Variable v;
        v.uid = ++db.lastUid;
        v.name = entry.at("name").text();
        v.type = entry.word("type", variableWords);
        if (const auto range = rangeOf(entry))
            std::tie(v.minimum, v.maximum) = *range;
        v.unit = entry.text("unit");
        v.initial = entry.number("initial", 0);
        v.id = static_cast<unsigned>(entry.whole("number", 0xFFFFFFFFU, 0));
        v.access = entry.text("access", std::string(dbc::freeAccess));
        v.nodes = entry.texts("nodes");
        v.dataLength = static_cast<unsigned>(entry.whole("data_length", 0xFFFFFF, 0));
        v.texts = valueTextsOf(entry);
        v.comment = entry.text("comment");
        v.attributes = attributesOf(entry);
        db.variables.push_back(std::move(v));
    });
    in.each("relations", [&](const JsonReader& entry) {
        Relation r;
        r.uid = ++db.lastUid;
        r.owner = static_cast<AttributeOwner>(entry.at("of").word(ownerWords));
        if (r.owner <= AttributeOwner::variable)
            entry.at("of").wrong("must be node-message, node-signal or node-variable");
        r.attribute = entry.at("attribute").text();
        r.node = entry.at("node").text();
        if (r.owner != AttributeOwner::nodeVariable) {
            const Message* message = db.find(entry.at("message").text());
            if (message == nullptr)
                entry.at("message").wrong("is not defined");
            r.message = message->uid;
        }
        if (r.owner != AttributeOwner::nodeMessage)
            r.object = entry.at(r.owner == AttributeOwner::nodeVariable ? "variable" : "signal").text();
        r.value = valueOf(entry.at("value"));
        db.network.relations.push_back(std::move(r));
    });
    return db;
}

Expected<Database> readDatabaseJson(std::string_view text, const std::string& where)
{
    const Json document = Json::parse(text, nullptr, false);
    if (document.is_discarded())
        return fail("this is not JSON", where, "Choose a database in the form of docs/database-json.md");
    auto read = readingJson(where, [&] { return databaseFromJson(JsonReader(document)); });
    if (read)
        read->path = where;
    else if (read.error().remedy.empty())
        read.error().remedy = "See docs/database-json.md";
    return read;
}

}  // namespace wavetrope::database
