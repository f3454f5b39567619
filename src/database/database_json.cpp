#include "database/database_json.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>

#include "can/time_text.h"
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

Ordered wholeJson(RawValue value) { return value < 0 ? Ordered(static_cast<std::int64_t>(value)) : Ordered(static_cast<std::uint64_t>(value)); }

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

// Thrown in this file alone; the public functions turn it into an error with its pointer.
struct Wrong {
    std::string pointer;
    std::string what;
};

class JsonReader {
public:
    explicit JsonReader(const Json& json, std::string pointer) : json_(json), pointer_(std::move(pointer)) {}

    [[nodiscard]] bool has(const char* key) const { return json_.is_object() && json_.contains(key); }
    JsonReader at(const char* key) const
    {
        if (!has(key))
            throw Wrong{pointer_ + '/' + key, "is missing"};
        return JsonReader(json_[key], pointer_ + '/' + key);
    }
    template <class Visit>
    void each(const char* key, Visit visit) const
    {
        if (!has(key))
            return;
        const Json& list = json_[key];
        if (!list.is_array())
            throw Wrong{pointer_ + '/' + key, "must be a list"};
        for (std::size_t i = 0; i < list.size(); ++i)
            visit(JsonReader(list[i], pointer_ + '/' + key + '/' + std::to_string(i)));
    }
    template <class Visit>
    void eachMember(const char* key, Visit visit) const
    {
        if (!has(key))
            return;
        if (!json_[key].is_object())
            throw Wrong{pointer_ + '/' + key, "must be an object"};
        for (const auto& [name, value] : json_[key].items())
            visit(name, JsonReader(value, pointer_ + '/' + key + '/' + name));
    }
    [[nodiscard]] std::string text() const
    {
        if (!json_.is_string())
            throw Wrong{pointer_, "must be a text"};
        return json_.get<std::string>();
    }
    [[nodiscard]] std::string text(const char* key) const { return has(key) ? at(key).text() : std::string(); }
    [[nodiscard]] double number() const
    {
        if (!json_.is_number())
            throw Wrong{pointer_, "must be a number"};
        return json_.get<double>();
    }
    [[nodiscard]] double number(const char* key, double otherwise) const { return has(key) ? at(key).number() : otherwise; }
    [[nodiscard]] std::uint64_t whole(std::uint64_t limit) const
    {
        if (!json_.is_number_unsigned() || json_.get<std::uint64_t>() > limit)
            throw Wrong{pointer_, "must be a whole number of 0 to " + std::to_string(limit)};
        return json_.get<std::uint64_t>();
    }
    [[nodiscard]] MuxRange pair() const
    {
        if (!json_.is_array() || json_.size() != 2 || !json_[0].is_number_unsigned() || !json_[1].is_number_unsigned())
            throw Wrong{pointer_, "must be two whole numbers, from and to"};
        return {json_[0].get<std::uint64_t>(), json_[1].get<std::uint64_t>()};
    }
    [[nodiscard]] RawValue integer() const
    {
        if (!json_.is_number_integer())  // larger ones are read as numbers with a fraction
            throw Wrong{pointer_, "must be a whole number of -2^63 to 2^64 - 1"};
        return json_.is_number_unsigned() ? RawValue{json_.get<std::uint64_t>()} : RawValue{json_.get<std::int64_t>()};
    }
    [[nodiscard]] bool flag(const char* key) const
    {
        if (!has(key))
            return false;
        if (!json_[key].is_boolean())
            throw Wrong{pointer_ + '/' + key, "must be true or false"};
        return json_[key].get<bool>();
    }
    [[nodiscard]] std::vector<std::string> texts(const char* key) const
    {
        std::vector<std::string> list;
        each(key, [&](const JsonReader& entry) { list.push_back(entry.text()); });
        return list;
    }
    [[nodiscard]] std::vector<ValueText> valueTexts(const char* key) const
    {
        std::vector<ValueText> list;
        each(key, [&](const JsonReader& entry) {
            list.push_back({entry.at("value").integer(), entry.text("text")});
            if (!entry.has("to"))
                return;
            const RawValue last = entry.at("to").integer();
            if (last < list.back().value)
                entry.at("to").wrong("is below the value that the range begins with");
            list.back().more = static_cast<std::uint64_t>(last - list.back().value);
        });
        return list;
    }
    [[nodiscard]] AttributeValue value() const { return json_.is_string() ? AttributeValue::of(json_.get<std::string>()) : AttributeValue::of(number()); }
    [[nodiscard]] AttributeValues attributes() const
    {
        AttributeValues values;
        eachMember("attributes", [&](const std::string& name, const JsonReader& entry) { values.set(name, entry.value()); });
        return values;
    }
    template <std::size_t count>
    [[nodiscard]] unsigned choice(const char* const (&words)[count]) const
    {
        const std::string word = text();
        std::string all;
        for (unsigned i = 0; i < count; ++i) {
            if (word == words[i])
                return i;
            all += (i == 0 ? "" : ", ") + std::string(words[i]);
        }
        throw Wrong{pointer_, "must be one of " + all};
    }
    [[noreturn]] void wrong(const std::string& what) const { throw Wrong{pointer_, what}; }

private:
    const Json& json_;
    std::string pointer_;
};

Signal signalOf(const JsonReader& in)
{
    Signal s;
    s.name = in.at("name").text();
    s.startBit = static_cast<unsigned>(in.at("start_bit").whole(511));
    s.length = static_cast<unsigned>(in.at("length").whole(64));
    if (s.length == 0)
        in.at("length").wrong("must be 1 to 64");
    static constexpr const char* orders[] = {"least_first", "most_first"};
    s.order = in.has("byte_order") && in.at("byte_order").choice(orders) == 1 ? ByteOrder::motorola : ByteOrder::intel;
    const unsigned lead = s.order == ByteOrder::motorola ? 7 - s.startBit % 8 : s.startBit % 8;
    if (s.startBit / 8 * 8 + lead + s.length > can::maxLength * 8)
        in.wrong("ends behind byte 63");
    s.isSigned = in.flag("signed");
    static constexpr const char* types[] = {"integer", "single", "double"};
    if (in.has("type"))
        s.type = static_cast<ValueType>(in.at("type").choice(types));
    if ((s.type == ValueType::single && s.length != 32) || (s.type == ValueType::floating && s.length != 64))
        in.wrong("a floating-point signal has 32 or 64 bits");
    s.factor = in.number("factor", 1);
    s.offset = in.number("offset", 0);
    std::vector<double> range;
    in.each("range", [&](const JsonReader& entry) { range.push_back(entry.number()); });
    if (!range.empty()) {
        if (range.size() != 2)
            in.at("range").wrong("must be two numbers");
        s.minimum = range[0];
        s.maximum = range[1];
    }
    s.unit = in.text("unit");
    s.receivers = in.texts("receivers");
    const bool selector = in.flag("selector");
    if (in.has("present")) {
        const JsonReader present = in.at("present");
        s.mux = MuxRole::multiplexed;
        s.alsoSelector = selector;
        s.muxSelector = present.text("selector");
        present.each("values", [&](const JsonReader& entry) { s.muxRanges.push_back(entry.pair()); });
        if (s.muxRanges.empty())
            present.wrong("names no values");
        s.muxValue = s.muxRanges.front().from;
        if (s.muxRanges.size() == 1 && s.muxRanges.front().from == s.muxRanges.front().to && s.muxSelector.empty())
            s.muxRanges.clear();
    } else if (selector) {
        s.mux = MuxRole::selector;
    }
    s.texts = in.valueTexts("texts");
    s.comment = in.text("comment");
    s.attributes = in.attributes();
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
            Ordered entry{{"name", d.name}, {"of", ownerWords[static_cast<unsigned>(d.owner)]}, {"type", typeWords[static_cast<unsigned>(d.type)]}};
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
        Ordered entry{{"name", v.name}, {"type", variableWords[std::min(v.type, 2U)]}, {"range", {v.minimum, v.maximum}}, {"initial", v.initial}, {"number", v.id}, {"access", v.access}};
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

Expected<Database> databaseFromJson(const nlohmann::json& document, const std::string& where)
{
    Database db;
    db.path = where;
    try {
        const JsonReader in(document, {});
        if (const auto version = in.at("wavetrope_database").whole(1'000'000); version > databaseJsonVersion)
            return fail("this database is of version " + std::to_string(version) + ", newer than this program", where, "Open it with a newer version");
        db.network.version = in.text("version");
        db.network.comment = in.text("comment");
        db.network.attributes = in.attributes();
        in.each("nodes", [&](const JsonReader& entry) {
            Node node;
            node.uid = ++db.lastUid;
            node.name = entry.at("name").text();
            node.comment = entry.text("comment");
            node.attributes = entry.attributes();
            db.nodes.push_back(std::move(node));
        });
        in.each("tables", [&](const JsonReader& entry) { 
            db.tables.push_back({++db.lastUid, entry.at("name").text(), entry.valueTexts("texts")});
            if (!rangesOf(db.tables.back().texts).empty())
                entry.at("texts").wrong("holds a range; a table has texts for single values");
        });
        in.each("attribute_definitions", [&](const JsonReader& entry) {
            AttributeDefinition d;
            d.uid = ++db.lastUid;
            d.name = entry.at("name").text();
            d.owner = static_cast<AttributeOwner>(entry.at("of").choice(ownerWords));
            d.type = static_cast<AttributeType>(entry.at("type").choice(typeWords));
            std::vector<double> range;
            entry.each("range", [&](const JsonReader& bound) { range.push_back(bound.number()); });
            if (range.size() == 2) {
                d.minimum = range[0];
                d.maximum = range[1];
            }
            d.choices = entry.texts("choices");
            if (entry.has("default"))
                d.standard = entry.at("default").value();
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
            m.length = static_cast<unsigned>(entry.at("length").whole(can::maxLength));
            m.sender = entry.text("sender");
            m.moreSenders = entry.texts("further_senders");
            m.comment = entry.text("comment");
            m.attributes = entry.attributes();
            entry.each("groups", [&](const JsonReader& group) { m.groups.push_back({group.at("name").text(), static_cast<unsigned>(group.has("repetitions") ? group.at("repetitions").whole(0xFFFFFFFFU) : 1), group.texts("signals")}); });
            entry.each("signals", [&](const JsonReader& signal) {
                m.signals.push_back(signalOf(signal));
                m.signals.back().uid = ++db.lastUid;
            });
            if (std::any_of(m.signals.begin(), m.signals.end(), [](const Signal& s) { return s.attributes.find(customary::textRanges) != nullptr; }))
                defineTextRanges(db);
            applyCustomary(db, m);
            db.messages.push_back(std::move(m));
        });
        in.each("variables", [&](const JsonReader& entry) {
            Variable v;
            v.uid = ++db.lastUid;
            v.name = entry.at("name").text();
            v.type = entry.has("type") ? entry.at("type").choice(variableWords) : 0;
            std::vector<double> range;
            entry.each("range", [&](const JsonReader& bound) { range.push_back(bound.number()); });
            if (range.size() == 2) {
                v.minimum = range[0];
                v.maximum = range[1];
            }
            v.unit = entry.text("unit");
            v.initial = entry.number("initial", 0);
            v.id = static_cast<unsigned>(entry.has("number") ? entry.at("number").whole(0xFFFFFFFFU) : 0);
            v.access = entry.has("access") ? entry.at("access").text() : std::string(dbc::freeAccess);
            v.nodes = entry.texts("nodes");
            v.dataLength = static_cast<unsigned>(entry.has("data_length") ? entry.at("data_length").whole(0xFFFFFF) : 0);
            v.texts = entry.valueTexts("texts");
            v.comment = entry.text("comment");
            v.attributes = entry.attributes();
            db.variables.push_back(std::move(v));
        });
        in.each("relations", [&](const JsonReader& entry) {
            Relation r;
            r.uid = ++db.lastUid;
            r.owner = static_cast<AttributeOwner>(entry.at("of").choice(ownerWords));
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
            r.value = entry.at("value").value();
            db.network.relations.push_back(std::move(r));
        });
    } catch (const Wrong& wrong) {
        return fail((wrong.pointer.empty() ? "/" : wrong.pointer) + " " + wrong.what, where, "See docs/database-json.md");
    }
    return db;
}

Expected<Database> readDatabaseJson(std::string_view text, const std::string& where)
{
    const Json document = Json::parse(text, nullptr, false);
    if (document.is_discarded())
        return fail("this is not JSON", where, "Choose a database in the form of docs/database-json.md");
    return databaseFromJson(document, where);
}

}  // namespace wavetrope::database
