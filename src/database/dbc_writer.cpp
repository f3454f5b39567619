// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/dbc_writer.h"

#include <algorithm>
#include <charconv>
#include <map>

#include "base/joined.h"
#include "database/codec.h"
#include "database/dbc_format.h"
#include "database/dbc_lexer.h"

namespace wavetrope::database {

namespace {

// One statement of a database, as it stands in a new file.
struct Statement {
    std::string key;
    std::string text;
    std::uint8_t kind = 0;          // place in dbc::kinds
    std::uint32_t message = 0;      // uid, for what stands in the block of a message
};

template <class Object>
const std::string& fileName(const Object& object)
{
    return object.shortName.empty() ? object.name : object.shortName;
}

std::uint8_t kindOf(std::string_view word)
{
    const auto found = std::find(dbc::kinds.begin(), dbc::kinds.end(), word);
    return static_cast<std::uint8_t>(found - dbc::kinds.begin());
}

class Renderer {
public:
    explicit Renderer(const Database& database) : db_(database)
    {
        for (const Node& node : db_.nodes)
            if (!node.shortName.empty())
                shortNodes_.emplace(node.name, node.shortName);
    }

    std::vector<Statement> all()
    {
        if (!db_.network.version.empty())
            add("VERSION", "VERSION", "VERSION " + dbcQuoted(db_.network.version));
        if (!db_.network.busTiming.empty())
            add("BS_", "BS_", "BS_: " + db_.network.busTiming);
        std::string nodes = "BU_:";
        for (const Node& node : db_.nodes)
            nodes += ' ' + fileName(node);
        add("BU_", "BU_", std::move(nodes));
        for (const ValueTable& table : db_.tables)
            add("VAL_TABLE_", dbc::key("VAL_TABLE_", table.uid), "VAL_TABLE_ " + table.name + texts(table.texts) + " ;");
        for (const Message& message : db_.messages)
            block(message);
        for (const Message& message : db_.messages)
            if (!message.moreSenders.empty())
                add("BO_TX_BU_", dbc::key("BO_TX_BU_", message.uid),
                    "BO_TX_BU_ " + id(message) + " : " + joined(shortened(message.moreSenders), ",") + ';');
        for (const Variable& v : db_.variables)
            add("EV_", dbc::key("EV_", v.uid),
                "EV_ " + v.name + ": " + std::to_string(v.type) + " [" + number(v.minimum) + '|' + number(v.maximum) + "] "
                    + dbcQuoted(v.unit) + ' ' + number(v.initial) + ' ' + std::to_string(v.id) + ' ' + v.access + ' ' + nodesOrNone(v.nodes)
                    + ';');
        for (const Variable& v : db_.variables)
            if (v.dataLength > 0)
                add("ENVVAR_DATA_", dbc::key("ENVVAR_DATA_", v.uid), "ENVVAR_DATA_ " + v.name + ": " + std::to_string(v.dataLength) + ';');
        for (const SignalType& t : db_.signalTypes)
            add("SGTYPE_", dbc::key("SGTYPE_", t.uid),
                "SGTYPE_ " + t.name + " : " + std::to_string(t.length) + shape(t.order, t.isSigned, number(t.factor), number(t.offset))
                    + " [" + number(t.minimum) + '|' + number(t.maximum) + "] " + dbcQuoted(t.unit) + ' ' + number(t.standard) + " , "
                    + t.table + ';');
        comments();
        attributes();
        for (const Message& message : db_.messages)
            for (const Signal& signal : message.signals)
                if (std::any_of(signal.texts.begin(), signal.texts.end(), [](const ValueText& text) { return text.more == 0; }))
                    add("VAL_", dbc::key("VAL_", signal.uid), "VAL_ " + id(message) + ' ' + fileName(signal) + texts(signal.texts) + " ;");
        for (const Variable& v : db_.variables)
            if (!v.texts.empty())
                add("VAL_", dbc::key("VAL_", v.uid), "VAL_ " + v.name + texts(v.texts) + " ;");
        for (const Message& message : db_.messages)
            for (const SignalGroup& group : message.groups) {
                std::string names;
                for (const std::string& name : group.signals)
                    names += ' ' + signalName(message, name);
                add("SIG_GROUP_", dbc::groupKey(message.uid, group.name),
                    "SIG_GROUP_ " + id(message) + ' ' + group.name + ' ' + std::to_string(group.repetitions) + " :" + names + ';');
            }
        for (const Message& message : db_.messages)
            for (const Signal& signal : message.signals)
                if (signal.type != ValueType::integer)
                    add("SIG_VALTYPE_", dbc::key("SIG_VALTYPE_", signal.uid),
                        "SIG_VALTYPE_ " + id(message) + ' ' + fileName(signal) + " : " + (signal.type == ValueType::single ? '1' : '2')
                            + ';');
        for (const Message& message : db_.messages)
            for (const Signal& signal : message.signals)
                if (!signal.muxRanges.empty()) {
                    std::vector<std::string> ranges;
                    for (const MuxRange& range : signal.muxRanges)
                        ranges.push_back(std::to_string(range.from) + '-' + std::to_string(range.to));
                    add("SG_MUL_VAL_", dbc::key("SG_MUL_VAL_", signal.uid),
                        "SG_MUL_VAL_ " + id(message) + ' ' + fileName(signal) + ' ' + signalName(message, signal.muxSelector) + ' '
                            + joined(ranges, ", ") + ';');
                }
        return std::move(out_);
    }

private:
    void add(std::string_view kind, std::string key, std::string text, std::uint32_t message = 0)
    {
        out_.push_back({std::move(key), std::move(text), kindOf(kind), message});
    }
    static std::string number(double value)
    {
        char buffer[40];
        const auto result = std::to_chars(buffer, buffer + sizeof buffer, value);
        return {buffer, result.ptr};
    }
    static std::string id(const Message& message) { return std::to_string(dbc::rawOf(message.id)); }
    static std::string texts(const std::vector<ValueText>& list)
    {
        std::string out;
        for (const ValueText& entry : list)
            if (entry.more == 0)  // ranges stand in their attribute
                out += ' ' + wholeText(entry.value) + ' ' + dbcQuoted(entry.text);
        return out;
    }
    // As it was read, where it still is what it was.
    static std::string written(double value, const std::string& text)
    {
        double read = 0;
        return !text.empty() && std::from_chars(text.data(), text.data() + text.size(), read).ec == std::errc{} && read == value
                   ? text
                   : number(value);
    }
    static std::string shape(ByteOrder order, bool isSigned, const std::string& factor, const std::string& offset)
    {
        return std::string("@") + (order == ByteOrder::intel ? '1' : '0') + (isSigned ? '-' : '+') + " (" + factor + ',' + offset + ')';
    }
    std::string nodeName(const std::string& name) const
    {
        const auto found = shortNodes_.find(name);
        return found == shortNodes_.end() ? name : found->second;
    }
    std::vector<std::string> shortened(std::vector<std::string> names) const
    {
        for (std::string& name : names)
            name = nodeName(name);
        return names;
    }
    std::string nodesOrNone(const std::vector<std::string>& names) const
    {
        return names.empty() ? std::string(dbc::noNode) : joined(shortened(names), ",");
    }
    static std::string signalName(const Message& message, const std::string& name)
    {
        const Signal* signal = message.find(name);
        return signal == nullptr ? name : fileName(*signal);
    }

    void block(const Message& message)
    {
        add("BO_", dbc::key("BO_", message.uid),
            "BO_ " + id(message) + ' ' + fileName(message) + ": " + std::to_string(message.length) + ' '
                + (message.sender.empty() ? std::string(dbc::noNode) : nodeName(message.sender)),
            message.uid);
        for (const Signal& s : message.signals) {
            std::string role;
            if (s.mux == MuxRole::selector)
                role = " M";
            else if (s.mux == MuxRole::multiplexed)
                role = " m" + std::to_string(s.muxValue) + (s.alsoSelector ? "M" : "");
            add("SG_", dbc::key("SG_", s.uid),
                "SG_ " + fileName(s) + role + " : " + std::to_string(s.startBit) + '|' + std::to_string(s.length)
                    + shape(s.order, s.isSigned, written(s.factor, s.factorText), written(s.offset, s.offsetText)) + " ["
                    + number(s.minimum.value_or(0)) + '|' + number(s.maximum.value_or(0)) + "] " + dbcQuoted(s.unit) + ' '
                    + nodesOrNone(s.receivers),
                message.uid);
        }
    }

    void comments()
    {
        const auto comment = [&](std::uint32_t uid, const std::string& object, const std::string& text) {
            if (!text.empty())
                add("CM_", uid == 0 ? "CM_" : dbc::key("CM_", uid), "CM_ " + object + dbcQuoted(text) + ';');
        };
        comment(0, "", db_.network.comment);
        for (const Node& node : db_.nodes)
            comment(node.uid, "BU_ " + fileName(node) + ' ', node.comment);
        for (const Message& message : db_.messages) {
            comment(message.uid, "BO_ " + id(message) + ' ', message.comment);
            for (const Signal& signal : message.signals)
                if (!signal.comment.empty())
                    comment(signal.uid, "SG_ " + id(message) + ' ' + fileName(signal) + ' ', signal.comment);
        }
        for (const Variable& v : db_.variables)
            comment(v.uid, "EV_ " + v.name + ' ', v.comment);
    }

    static std::string valueText(const AttributeValue& value) { return value.isText ? dbcQuoted(value.text) : number(value.number); }

    void attributes()
    {
        for (const AttributeDefinition& d : db_.definitions) {
            const bool relation = d.owner > AttributeOwner::variable;
            std::string text = relation ? "BA_DEF_REL_ " : "BA_DEF_ ";
            if (const auto word = dbc::ownerWord(d.owner); !word.empty())
                text += std::string(word) + ' ';
            text += dbcQuoted(d.name);
            static constexpr const char* words[] = {" INT", " HEX", " FLOAT", " STRING ", " ENUM "};
            text += words[static_cast<unsigned>(d.type)];
            if (d.type == AttributeType::enumeration) {
                std::vector<std::string> choices;
                for (const std::string& choice : d.choices)
                    choices.push_back(dbcQuoted(choice));
                text += joined(choices, ",");
            } else if (d.minimum && d.maximum) {
                text += ' ' + number(*d.minimum) + ' ' + number(*d.maximum);
            }
            add(relation ? "BA_DEF_REL_" : "BA_DEF_", dbc::key("BA_DEF_", d.uid), text + ';');
        }
        for (const AttributeDefinition& d : db_.definitions)
            if (d.standard) {
                const bool relation = d.owner > AttributeOwner::variable;
                const char* kind = relation ? "BA_DEF_DEF_REL_" : "BA_DEF_DEF_";
                add(kind, dbc::key("BA_DEF_DEF_", d.uid), std::string(kind) + ' ' + dbcQuoted(d.name) + ' ' + valueText(*d.standard) + ';');
            }
        const auto values = [&](const AttributeValues& list, std::uint32_t uid, const std::string& object) {
            for (const auto& [name, value] : list)
                add("BA_", dbc::attributeKey(name, uid), "BA_ " + dbcQuoted(name) + ' ' + object + valueText(value) + ';');
        };
        values(db_.network.attributes, 0, "");
        for (const Node& node : db_.nodes)
            values(node.attributes, node.uid, "BU_ " + fileName(node) + ' ');
        for (const Message& message : db_.messages) {
            values(message.attributes, message.uid, "BO_ " + id(message) + ' ');
            for (const Signal& signal : message.signals)
                if (!signal.attributes.empty())
                    values(signal.attributes, signal.uid, "SG_ " + id(message) + ' ' + fileName(signal) + ' ');
        }
        for (const Variable& v : db_.variables)
            values(v.attributes, v.uid, "EV_ " + v.name + ' ');
        for (const Relation& relation : db_.network.relations) {
            std::string object;
            const auto message = std::find_if(
                db_.messages.begin(), db_.messages.end(), [&](const Message& m) { return m.uid == relation.message; });
            if (relation.owner != AttributeOwner::nodeVariable) {
                if (message == db_.messages.end())
                    continue;
                object = (relation.owner == AttributeOwner::nodeSignal ? "SG_ " + id(*message) + ' ' + signalName(*message, relation.object)
                                                                       : id(*message))
                         + ' ';
            } else {
                object = relation.object + ' ';
            }
            add("BA_REL_", dbc::key("BA_REL_", relation.uid),
                "BA_REL_ " + dbcQuoted(relation.attribute) + ' ' + std::string(dbc::ownerWord(relation.owner)) + ' '
                    + nodeName(relation.node) + ' ' + object + valueText(relation.value) + ';');
        }
    }

    const Database& db_;
    std::unordered_map<std::string, std::string> shortNodes_;
    std::vector<Statement> out_;
};

bool isSignal(const Statement& statement) { return dbc::kinds[statement.kind] == "SG_"; }

// Where a statement begins with the blanks before it, when nothing else stands on its line.
std::size_t lineBegin(std::string_view text, std::size_t begin)
{
    std::size_t at = begin;
    while (at > 0 && (text[at - 1] == ' ' || text[at - 1] == '\t'))
        --at;
    return at == 0 || text[at - 1] == '\n' || text[at - 1] == '\r' ? at : begin;
}

// Behind the end of the line that a statement ends on, when nothing else stands on it.
std::size_t endOfLine(std::string_view text, std::size_t end)
{
    std::size_t at = end;
    while (at < text.size() && (text[at] == ' ' || text[at] == '\t'))
        ++at;
    if (at >= text.size())
        return at;
    if (text[at] == '\r')
        return at + (at + 1 < text.size() && text[at + 1] == '\n' ? 2 : 1);
    return text[at] == '\n' ? at + 1 : end;
}

}  // namespace

std::string writeDbc(const Database& database)
{
    std::string out = database.network.version.empty() ? "VERSION \"\"\n" : "";
    std::vector<Statement> statements = Renderer(database).all();
    std::stable_sort(statements.begin(), statements.end(),
        [](const Statement& a, const Statement& b) { return (isSignal(a) ? a.kind - 1 : a.kind) < (isSignal(b) ? b.kind - 1 : b.kind); });
    int last = -1;
    bool symbols = false;
    for (const Statement& statement : statements) {
        if (statement.kind >= 2 && !symbols) {
            symbols = true;
            out += "\nNS_ :\n";
            for (const std::string_view kind : dbc::kinds)
                if (kind.back() == '_' && kind != "NS_" && kind != "BS_" && kind != "BU_" && kind != "BO_" && kind != "SG_"
                    && kind != "EV_")
                    out += "\t" + std::string(kind) + "\n";
            if (database.network.busTiming.empty())
                out += "\nBS_:\n";
        }
        if (isSignal(statement))
            out += ' ';
        else if (statement.kind != last || dbc::kinds[statement.kind] == "BO_")
            out += '\n';
        out += statement.text + '\n';
        last = isSignal(statement) ? -1 : statement.kind;
    }
    return out;
}

Expected<std::string> writeDbc(const Database& edited, const Database& original, const DbcSource& source)
{
    const std::vector<Statement> before = Renderer(original).all();
    const std::vector<Statement> after = Renderer(edited).all();
    std::unordered_map<std::string_view, const Statement*> old;
    for (const Statement& statement : before)
        old.emplace(statement.key, &statement);
    std::unordered_map<std::string_view, const Statement*> now;
    for (const Statement& statement : after)
        now.emplace(statement.key, &statement);

    // Places of the file's statements: by key, the last of each kind, the last line of each message's block.
    std::unordered_map<std::string_view, std::size_t> placed;
    std::vector<std::size_t> lastOfKind(dbc::kinds.size(), DbcSource{}.text.npos);
    std::unordered_map<std::uint32_t, std::size_t> lastOfBlock;
    std::unordered_map<std::string_view, std::uint32_t> blockOf;
    for (const Statement& statement : before)
        if (statement.message != 0)
            blockOf.emplace(statement.key, statement.message);
    for (std::size_t i = 0; i < source.statements.size(); ++i) {
        const std::string& key = source.statements[i].key;
        placed[key] = i;
        if (const auto kind = kindOf(std::string_view(key).substr(0, key.find(' '))); kind < lastOfKind.size())
            lastOfKind[kind] = i;
        if (const auto block = blockOf.find(key); block != blockOf.end())
            lastOfBlock[block->second] = i;
    }

    const auto bytes = [&](const Statement& statement) -> Expected<std::string> {
        auto raw = dbcBytes(statement.text, source.utf8);
        if (!raw)
            return fail("a character has no place in the file's encoding, code page 1252, in: " + statement.text.substr(0, 120),
                edited.path, "Save it under another name as UTF-8, or take the character out");
        return std::move(*raw);
    };

    // What is new, behind which statement it stands.
    std::map<std::size_t, std::string> behind;
    std::string atEnd;
    for (const Statement& statement : after) {
        if (placed.contains(statement.key))
            continue;
        if (const auto was = old.find(statement.key); was != old.end() && was->second->text == statement.text)
            continue;  // the file says it in words of its own
        auto raw = bytes(statement);
        if (!raw)
            return tl::unexpected(raw.error());
        std::size_t anchor = std::string::npos;
        if (statement.message != 0)
            if (const auto block = lastOfBlock.find(statement.message); block != lastOfBlock.end())
                anchor = block->second;
        for (int kind = statement.kind; kind >= 0 && anchor == std::string::npos; --kind) {
            anchor = lastOfKind[static_cast<std::size_t>(kind)];
            if (dbc::kinds[static_cast<std::size_t>(kind)] == "BO_" && anchor != std::string::npos)
                anchor = std::max(anchor, lastOfKind[static_cast<std::size_t>(kind) + 1] == std::string::npos
                                              ? 0
                                              : lastOfKind[static_cast<std::size_t>(kind) + 1]);
        }
        const bool message = dbc::kinds[statement.kind] == "BO_";
        const std::string text = (message ? source.lineEnd : std::string()) + source.lineEnd + (isSignal(statement) ? " " : "") + *raw;
        if (anchor == std::string::npos)
            atEnd += *raw + source.lineEnd;
        else
            behind[anchor] += text;
    }

    std::string out;
    out.reserve(source.text.size() + 1024);
    const std::string_view text = source.text;
    std::size_t copied = 0;
    for (std::size_t i = 0; i < source.statements.size(); ++i) {
        const DbcStatement& place = source.statements[i];
        const auto was = old.find(place.key);
        const auto is = now.find(place.key);
        const bool current = placed[place.key] == i;   // of several, the last tells
        // What a new file would not say stays as it is, an empty comment for example.
        if (is == now.end() && was != old.end()) {
            // Taken out, with its line.
            const std::size_t begin = lineBegin(text, place.begin);
            std::size_t end = endOfLine(text, place.end);
            if (begin < copied) {
                out += text.substr(copied, place.begin - copied);
                end = place.end;
            } else {
                out += text.substr(copied, begin - copied);
            }
            copied = std::max(copied, end);
            if (const auto more = behind.find(i); more != behind.end())
                out += more->second.substr(source.lineEnd.size()) + source.lineEnd;
            continue;
        }
        if (current && is != now.end() && (was == old.end() || was->second->text != is->second->text)) {
            auto raw = bytes(*is->second);
            if (!raw)
                return tl::unexpected(raw.error());
            out += text.substr(copied, place.begin - copied);
            out += *raw;
            copied = place.end;
        }
        if (const auto more = behind.find(i); more != behind.end()) {
            std::size_t end = place.end;
            while (end < text.size() && text[end] != '\n' && text[end] != '\r')
                ++end;
            if (i + 1 < source.statements.size())
                end = std::min(end, source.statements[i + 1].begin);
            out += text.substr(copied, end - copied);
            out += more->second;
            copied = end;
        }
    }
    out += text.substr(copied);
    if (!atEnd.empty() && !out.empty() && out.back() != '\n' && out.back() != '\r')
        out += source.lineEnd;
    return out + atEnd;
}

}  // namespace wavetrope::database
