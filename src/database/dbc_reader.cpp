// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/dbc_reader.h"

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <map>

#include "database/dbc_cursor.h"
#include "database/dbc_format.h"

namespace wavetrope::database {

namespace {

using Kind = DbcToken::Kind;

constexpr std::size_t mostProblems = 1000;
constexpr std::size_t usualSignals = 8, usualReceivers = 2;
constexpr std::size_t giveUpAfter = 100'000;

bool isReserved(std::string_view node) { return node == dbc::noNode || node.empty(); }

// One pass over the tokens. A statement that cannot be understood throws a DbcExpectation inside this file only; the
// loop over the statements notes it with its place and goes on behind it. A statement about an object that comes later
// is read again at the end.
class DbcReader {
public:
    DbcReader(std::string_view text, std::string name) : in_(text)
    {
        db_.path = std::move(name);
        reading_.source.utf8 = in_.utf8;
        reading_.source.text = text;
        reading_.source.statements.reserve(text.size() / 64);
        const auto newline = text.find_first_of("\r\n");
        if (newline != std::string_view::npos)
            reading_.source.lineEnd = text[newline] == '\n' ? "\n" : text.substr(newline, 2) == "\r\n" ? "\r\n" : "\r";
    }

    DbcReading run()
    {
        while (!in_.at(Kind::end) && problems_ < giveUpAfter)
            guarded();
        if (!in_.at(Kind::end))
            reading_.problems.push_back(
                {"too much here is no signal database: reading ended here", db_.path, in_.peek().line, in_.peek().column, {}});
        last_ = true;
        const auto deferred = std::move(deferred_);
        for (const DbcLexer::Place& place : deferred) {
            in_.lexer.seek(place);
            guarded();
        }
        finish();
        return std::move(reading_);
    }

private:
    void problem(const std::string& what, const DbcToken* token = nullptr)
    {
        const DbcToken& at = token != nullptr ? *token : in_.peek();
        if (++problems_ <= mostProblems)
            reading_.problems.push_back({what, db_.path, at.line, at.column, {}});
    }
    void warn(const std::string& what, const DbcToken& at)
    {
        if (reading_.warnings.size() < mostProblems)
            reading_.warnings.push_back({what, db_.path, at.line, at.column, {}});
    }
    // Ends a statement. A missing semicolon is clear from what follows, a doubled one from itself.
    void semicolon()
    {
        if (!in_.tryMark(';'))
            warn("a semicolon is missing before this", in_.peek());
    }
    std::uint32_t newUid() { return ++db_.lastUid; }

    void guarded()
    {
        try {
            start_ = in_.lexer.place();
            first_ = in_.peek();
            statement();
        } catch (const DbcExpectation& expected) {
            problem(expected.what);
            in_.lexer.recover();
        }
    }
    // The statement that has just been read is about the object of this key.
    void note(std::string key)
    {
        reading_.source.statements.push_back({std::move(key), first_.begin, in_.lexer.taken(), first_.line, first_.column});
    }
    // What it is about is not there: look again at the end, then say so. Where frames are not concerned, a warning does.
    void missing(const std::string& what, bool ofFrames = true)
    {
        if (!last_)
            deferred_.push_back(start_);
        else if (ofFrames)
            problem(what, &first_);
        else
            warn(what, first_);
    }

    void statement()
    {
        if (in_.at(Kind::mark) && in_.peek().text == ";") {
            warn("a semicolon too many", in_.lexer.take());
            return;
        }
        if (!in_.at(Kind::word))
            in_.expected("a statement");
        static const std::map<std::string_view, void (DbcReader::*)()> statements = {{"VERSION", &DbcReader::version},
            {"NS_", &DbcReader::newSymbols}, {"BS_", &DbcReader::busTiming}, {"BU_", &DbcReader::nodes},
            {"VAL_TABLE_", &DbcReader::valueTable}, {"BO_", &DbcReader::message}, {"SG_", &DbcReader::signal},
            {"SG_MUL_VAL_", &DbcReader::multiplexRanges}, {"BO_TX_BU_", &DbcReader::moreSenders}, {"EV_", &DbcReader::variable},
            {"ENVVAR_DATA_", &DbcReader::variableData}, {"SGTYPE_", &DbcReader::signalType}, {"CM_", &DbcReader::comment},
            {"VAL_", &DbcReader::values}, {"SIG_VALTYPE_", &DbcReader::valueType}, {"SIG_GROUP_", &DbcReader::signalGroup},
            {"BA_DEF_", &DbcReader::attributeDefinition}, {"BA_DEF_REL_", &DbcReader::attributeDefinition},
            {"BA_DEF_DEF_", &DbcReader::attributeDefault}, {"BA_DEF_DEF_REL_", &DbcReader::attributeDefault},
            {"BA_", &DbcReader::attribute}, {"BA_REL_", &DbcReader::relation}};
        const DbcToken token = in_.lexer.take();
        if (const auto found = statements.find(token.text); found != statements.end()) {
            (this->*found->second)();
        } else if (token.text.size() > 2 && token.text.back() == '_') {
            in_.lexer.recover();  // a kind of statement that has no place in the model; it stays where it is in the file
        } else {
            problem("unknown statement '" + dbcText(token.text.substr(0, 40), in_.utf8) + "'", &token);
            in_.lexer.recover();
        }
    }

    void version()
    {
        if (in_.at(Kind::string))
            db_.network.version = in_.string("a version in quotes");
        known_ = true;
        note("VERSION");
    }

    // A word at the very start of a line begins the next statement.
    bool listGoesOn() const { return in_.at(Kind::word) && !(in_.peek().firstOnLine && in_.peek().column == 1); }

    void newSymbols()
    {
        in_.mark(':');
        while (listGoesOn())
            in_.lexer.take();
        known_ = true;
    }

    void busTiming()
    {
        in_.mark(':');
        const std::size_t from = in_.lexer.taken();
        while (!in_.at(Kind::end) && !in_.peek().firstOnLine)
            in_.lexer.take();
        std::string_view text = std::string_view(reading_.source.text).substr(from, in_.lexer.taken() - from);
        while (!text.empty() && text.front() == ' ')
            text.remove_prefix(1);
        db_.network.busTiming = dbcText(text, in_.utf8);
        note("BS_");
    }

    void nodes()
    {
        in_.mark(':');
        while (listGoesOn()) {
            Node node;
            node.name = in_.name("a node name");
            in_.tryMark(',');
            if (isReserved(node.name))
                continue;
            node.uid = newUid();
            db_.nodes.push_back(std::move(node));
        }
        in_.tryMark(';');
        known_ = true;
        note("BU_");
    }

    std::vector<ValueText> texts()
    {
        std::vector<ValueText> list;
        while (in_.at(Kind::number)) {
            const DbcToken at = in_.peek();
            const std::optional<RawValue> value = in_.value("a value");
            std::string text = in_.string("a text in quotes");
            if (value)
                list.push_back({*value, std::move(text)});
            else
                problem("the value " + std::string(at.text.substr(0, 40)) + " of the text \"" + text
                            + "\" is no whole number of -2^63 to 2^64 - 1: the text is left out",
                    &at);
        }
        return list;
    }

    void valueTable()
    {
        ValueTable table;
        table.name = in_.name("a name");
        table.texts = texts();
        if (!in_.at(Kind::mark))
            in_.expected("a value or ';'");
        semicolon();
        table.uid = newUid();
        note(dbc::key("VAL_TABLE_", table.uid));
        db_.tables.push_back(std::move(table));
    }

    void message()
    {
        current_ = none;
        const DbcToken at = in_.peek();
        const auto raw = static_cast<std::uint32_t>(in_.whole("an identifier", 0xFFFFFFFFU));
        Message message;
        message.name = in_.name("a message name");
        in_.mark(':');
        const auto length = static_cast<unsigned>(in_.whole("a length in bytes", 0xFFFF));
        if (in_.peek().firstOnLine)  // the next statement has begun
            in_.expected("a sending node");
        const std::string sender = in_.name("a sending node");
        in_.tryMark(';');
        known_ = true;
        dropped_ = true;
        if (raw == dbc::orphanIdentifier)
            return;
        message.id = {raw & ~dbc::extendedFlag, (raw & dbc::extendedFlag) != 0};
        message.length = std::min(length, maxMessageLength);
        if (!isReserved(sender))
            message.sender = sender;
        if (!message.id.valid()) {
            problem("identifier " + std::to_string(raw) + " of " + message.name + " is outside 11 or 29 bits", &at);
            return;  // its signals are read and dropped
        }
        if (length > maxMessageLength)
            problem("length of " + message.name + " is " + std::to_string(length) + ", more than " + std::to_string(maxMessageLength)
                        + " bytes",
                &at);
        dropped_ = false;
        message.uid = newUid();
        if (length <= maxMessageLength)
            note(dbc::key("BO_", message.uid));
        current_ = db_.messages.size();
        byId_.try_emplace(raw, current_);
        db_.messages.push_back(std::move(message));
    }

    void signal()
    {
        const DbcToken at = in_.peek();
        Signal signal;
        signal.name = in_.name("a signal name");
        if (in_.at(Kind::word))
            multiplexing(signal, in_.lexer.take());
        in_.mark(':');
        signal.startBit = static_cast<unsigned>(in_.whole("a start bit", maxMessageLength * 8 - 1));
        in_.mark('|');
        signal.length = static_cast<unsigned>(in_.whole("a length in bits", 64));
        in_.mark('@');
        byteOrder(signal.order, signal.isSigned);
        in_.mark('(');
        signal.factor = in_.number("a factor", &signal.factorText);
        in_.mark(',');
        signal.offset = in_.number("an offset", &signal.offsetText);
        in_.mark(')');
        in_.mark('[');
        const double low = in_.number("a minimum");
        in_.mark('|');
        const double high = in_.number("a maximum");
        in_.mark(']');
        if (low != 0 || high != 0) {
            signal.minimum = low;
            signal.maximum = high;
        }
        signal.unit = in_.string("a unit in quotes");
        while (in_.at(Kind::word) && !in_.peek().firstOnLine) {
            std::string receiver = in_.name("a receiver");
            if (!isReserved(receiver)) {
                if (signal.receivers.empty())
                    signal.receivers.reserve(usualReceivers);
                signal.receivers.push_back(std::move(receiver));
            }
            in_.tryMark(',');
        }
        in_.tryMark(';');
        if (dropped_)
            return;
        if (current_ == none)
            return problem("signal " + signal.name + " stands outside a message", &at);
        if (signal.length == 0)
            return problem("signal " + signal.name + " has no bits", &at);
        const unsigned lead = signal.order == ByteOrder::motorola ? 7 - signal.startBit % 8 : signal.startBit % 8;
        if (signal.startBit / 8 * 8 + lead + signal.length > maxMessageLength * 8)
            return problem("signal " + signal.name + " ends behind byte " + std::to_string(maxMessageLength - 1), &at);
        signal.uid = newUid();
        note(dbc::key("SG_", signal.uid));
        auto& list = db_.messages[current_].signals;
        if (list.empty())
            list.reserve(usualSignals);
        list.push_back(std::move(signal));
    }

    void multiplexing(Signal& signal, const DbcToken& role)
    {
        std::string_view text = role.text;
        if (text == "M") {
            signal.mux = MuxRole::selector;
            return;
        }
        if (text.front() == 'm') {
            text.remove_prefix(1);
            if (!text.empty() && text.back() == 'M') {
                text.remove_suffix(1);
                signal.alsoSelector = true;
            }
            const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), signal.muxValue);
            if (code == std::errc{} && end == text.data() + text.size()) {
                signal.mux = MuxRole::multiplexed;
                return;
            }
        }
        signal.alsoSelector = false;
        problem("expected M or m with a number behind the signal name, found '" + dbcText(role.text, in_.utf8) + "'", &role);
    }

    void byteOrder(ByteOrder& order, bool& isSigned)
    {
        if (!in_.at(Kind::number) || (in_.peek().text != "0" && in_.peek().text != "1"))
            in_.expected("a byte order, 0 or 1");
        order = in_.lexer.take().text == "0" ? ByteOrder::motorola : ByteOrder::intel;
        isSigned = in_.tryMark('-');
        if (!isSigned)
            in_.mark('+');
    }

    Message* messageOf(std::uint64_t raw)
    {
        const auto found = byId_.find(static_cast<std::uint32_t>(raw));
        return found == byId_.end() ? nullptr : &db_.messages[found->second];
    }
    Signal* signalOf(std::uint64_t raw, std::string_view name)
    {
        Message* message = messageOf(raw);
        return message == nullptr ? nullptr : message->find(name);
    }
    template <class Object>
    static Object* named(std::vector<Object>& objects, std::string_view name)
    {
        for (Object& object : objects)
            if (object.name == name)
                return &object;
        return nullptr;
    }
    static std::string about(const char* what, const char* object, std::string_view name)
    {
        return std::string(what) + ' ' + object + ' ' + std::string(name) + ", which is not defined";
    }

    void multiplexRanges()
    {
        const std::uint64_t id = in_.whole("an identifier", 0xFFFFFFFFU);
        const std::string name = in_.name("a signal name");
        const std::string selector = in_.name("the selector's name");
        std::vector<MuxRange> ranges;
        do {
            MuxRange range;
            range.from = in_.whole("the start of a range", UINT64_MAX);
            // "1-3" comes as a number and a negative number.
            if (in_.at(Kind::number) && in_.peek().text.front() == '-') {
                const std::string_view text = in_.lexer.take().text.substr(1);
                if (std::from_chars(text.data(), text.data() + text.size(), range.to).ec != std::errc{})
                    in_.expected("the end of a range");
            } else {
                in_.mark('-');
                range.to = in_.whole("the end of a range", UINT64_MAX);
            }
            ranges.push_back(range);
        } while (in_.tryMark(',') || in_.at(Kind::number));
        semicolon();
        Signal* signal = signalOf(id, name);
        if (signal == nullptr)
            return id == dbc::orphanIdentifier ? void() : missing(about("selector values for", "signal", name));
        if (signal->mux != MuxRole::selector)
            signal->mux = MuxRole::multiplexed;
        signal->muxSelector = selector;
        signal->muxRanges = std::move(ranges);
        note(dbc::key("SG_MUL_VAL_", signal->uid));
    }

    void moreSenders()
    {
        const std::uint64_t id = in_.whole("an identifier", 0xFFFFFFFFU);
        in_.mark(':');
        std::vector<std::string> senders;
        while (in_.at(Kind::word)) {
            senders.push_back(in_.name("a node name"));
            if (isReserved(senders.back()))
                senders.pop_back();
            in_.tryMark(',');
        }
        semicolon();
        Message* message = messageOf(id);
        if (message == nullptr)
            return missing(about("senders of", "message", std::to_string(id)));
        message->moreSenders = std::move(senders);
        note(dbc::key("BO_TX_BU_", message->uid));
    }

    void variable()
    {
        Variable variable;
        variable.name = in_.name("a name");
        in_.mark(':');
        variable.type = static_cast<unsigned>(in_.whole("a type", 2));
        in_.mark('[');
        variable.minimum = in_.number("a minimum");
        in_.mark('|');
        variable.maximum = in_.number("a maximum");
        in_.mark(']');
        variable.unit = in_.string("a unit in quotes");
        variable.initial = in_.number("an initial value");
        variable.id = static_cast<unsigned>(in_.whole("a number", 0xFFFFFFFFU));
        variable.access = in_.name("an access word");
        while (in_.at(Kind::word)) {
            const std::string node = in_.name("a node name");
            if (!isReserved(node))
                variable.nodes.push_back(node);
            in_.tryMark(',');
        }
        semicolon();
        variable.uid = newUid();
        note(dbc::key("EV_", variable.uid));
        db_.variables.push_back(std::move(variable));
    }

    void variableData()
    {
        const std::string name = in_.name("a name");
        in_.mark(':');
        const auto length = static_cast<unsigned>(in_.whole("a length in bytes", 0xFFFFFF));
        semicolon();
        Variable* variable = named(db_.variables, name);
        if (variable == nullptr)
            return missing(about("data of", "variable", name), false);
        variable->dataLength = length;
        note(dbc::key("ENVVAR_DATA_", variable->uid));
    }

    void signalType()
    {
        SignalType type;
        type.name = in_.name("a name");
        in_.mark(':');
        type.length = static_cast<unsigned>(in_.whole("a length in bits", 64));
        in_.mark('@');
        byteOrder(type.order, type.isSigned);
        in_.mark('(');
        type.factor = in_.number("a factor");
        in_.mark(',');
        type.offset = in_.number("an offset");
        in_.mark(')');
        in_.mark('[');
        type.minimum = in_.number("a minimum");
        in_.mark('|');
        type.maximum = in_.number("a maximum");
        in_.mark(']');
        type.unit = in_.string("a unit in quotes");
        type.standard = in_.number("a default");
        in_.tryMark(',');
        if (in_.at(Kind::word) && !in_.peek().firstOnLine)
            type.table = in_.name("a table");
        semicolon();
        type.uid = newUid();
        note(dbc::key("SGTYPE_", type.uid));
        db_.signalTypes.push_back(std::move(type));
    }

    void comment()
    {
        if (in_.at(Kind::string)) {
            db_.network.comment = in_.string("a comment in quotes");
            semicolon();
            note("CM_");
            return;
        }
        const std::string object = in_.name("BU_, BO_, SG_, EV_ or a text");
        const bool onMessage = object == "BO_" || object == "SG_";
        if (!onMessage && object != "BU_" && object != "EV_")
            return in_.lexer.recover();
        const std::uint64_t id = onMessage ? in_.whole("an identifier", 0xFFFFFFFFU) : 0;
        const std::string name = object == "BO_" ? std::to_string(id)
                                                 : in_.name(object == "SG_"   ? "a signal name"
                                                            : object == "BU_" ? "a node name"
                                                                              : "a variable's name");
        std::string text = in_.string("a comment in quotes");
        semicolon();
        const auto put = [&](auto* target, const char* what) {
            if (target == nullptr)
                return id == dbc::orphanIdentifier || isReserved(name)
                           ? void()
                           : missing(about("comment on", what, name), object != "EV_" && object != "BU_");
            target->comment = std::move(text);
            note(dbc::key("CM_", target->uid));
        };
        if (object == "BU_")
            put(named(db_.nodes, name), "node");
        else if (object == "EV_")
            put(named(db_.variables, name), "variable");
        else if (object == "BO_")
            put(messageOf(id), "message");
        else
            put(signalOf(id, name), "signal");
    }

    void values()
    {
        const bool ofVariable = in_.at(Kind::word);
        const std::uint64_t id = ofVariable ? 0 : in_.whole("an identifier", 0xFFFFFFFFU);
        const std::string name = in_.name("a signal name");
        if (in_.at(Kind::word)) {  // the name of a table in place of values
            const std::string table = in_.name("a table");
            semicolon();
            Signal* signal = signalOf(id, name);
            const ValueTable* found = named(db_.tables, table);
            if (signal == nullptr || found == nullptr)
                return missing(about("value texts for", "signal", name));
            signal->texts = found->texts;
            return;  // stays as it is in the file
        }
        auto list = texts();
        semicolon();
        const auto put = [&](auto* target) {
            if (target == nullptr)
                return id == dbc::orphanIdentifier
                           ? void()
                           : missing(about("value texts for", ofVariable ? "variable" : "signal", name), !ofVariable);
            target->texts = std::move(list);
            note(dbc::key("VAL_", target->uid));
        };
        if (ofVariable)
            put(named(db_.variables, name));
        else
            put(signalOf(id, name));
    }

    void valueType()
    {
        const DbcToken at = in_.peek();
        const std::uint64_t id = in_.whole("an identifier", 0xFFFFFFFFU);
        const std::string name = in_.name("a signal name");
        in_.tryMark(':');
        const std::uint64_t type = in_.whole("a value type", 3);
        semicolon();
        Signal* signal = signalOf(id, name);
        if (signal == nullptr)
            return id == dbc::orphanIdentifier ? void() : missing(about("value type of", "signal", name));
        if ((type == 1 && signal->length != 32) || (type == 2 && signal->length != 64))
            return problem("floating-point signal " + signal->name + " has " + std::to_string(signal->length) + " bits", &at);
        signal->type = type == 1 ? ValueType::single : type == 2 ? ValueType::floating : ValueType::integer;
        note(dbc::key("SIG_VALTYPE_", signal->uid));
    }

    void signalGroup()
    {
        const std::uint64_t id = in_.whole("an identifier", 0xFFFFFFFFU);
        SignalGroup group;
        group.name = in_.name("a group name");
        group.repetitions = static_cast<unsigned>(in_.whole("a number of repetitions", 0xFFFFFFFFU));
        in_.tryMark(':');
        while (in_.at(Kind::word) && !(in_.peek().firstOnLine && in_.peek().column == 1)) {
            group.signals.push_back(in_.name("a signal name"));
            in_.tryMark(',');
        }
        semicolon();
        Message* message = messageOf(id);
        if (message == nullptr)
            return id == dbc::orphanIdentifier ? void() : missing(about("signal group of", "message", std::to_string(id)));
        note(dbc::groupKey(message->uid, group.name));
        message->groups.push_back(std::move(group));
    }

    static AttributeOwner ownerOf(std::string_view word)
    {
        for (const AttributeOwner owner : {AttributeOwner::node, AttributeOwner::message, AttributeOwner::signal, AttributeOwner::variable,
                 AttributeOwner::nodeMessage, AttributeOwner::nodeSignal, AttributeOwner::nodeVariable})
            if (dbc::ownerWord(owner) == word)
                return owner;
        return AttributeOwner::network;
    }

    void attributeDefinition()
    {
        AttributeDefinition definition;
        if (in_.at(Kind::word))
            definition.owner = ownerOf(in_.lexer.take().text);
        definition.name = in_.string("an attribute name in quotes");
        const std::string type = in_.name("a type: INT, HEX, FLOAT, STRING or ENUM");
        if (type == "ENUM") {
            definition.type = AttributeType::enumeration;
            while (in_.at(Kind::string)) {
                definition.choices.push_back(in_.string("a choice"));
                in_.tryMark(',');
            }
        } else if (type == "INT" || type == "HEX" || type == "FLOAT") {
            definition.type = type == "INT" ? AttributeType::integer : type == "HEX" ? AttributeType::hexadecimal : AttributeType::real;
            if (in_.at(Kind::number)) {
                definition.minimum = in_.number("a minimum");
                definition.maximum = in_.number("a maximum");
            }
        } else if (type == "STRING") {
            definition.type = AttributeType::text;
        } else {
            throw DbcExpectation{"expected a type INT, HEX, FLOAT, STRING or ENUM, found '" + type + "'"};
        }
        semicolon();
        definition.uid = newUid();
        note(dbc::key("BA_DEF_", definition.uid));
        db_.definitions.push_back(std::move(definition));
    }

    AttributeValue attributeValue()
    {
        return in_.at(Kind::number) ? AttributeValue::of(in_.number("a value"))
                                    : AttributeValue::of(in_.string("a number or a text in quotes"));
    }

    void attributeDefault()
    {
        const std::string name = in_.string("an attribute name in quotes");
        AttributeValue value = attributeValue();
        semicolon();
        AttributeDefinition* definition = named(db_.definitions, name);
        if (definition == nullptr)
            return missing("default of attribute " + name + ", which is not defined", false);
        definition->standard = std::move(value);
        note(dbc::key("BA_DEF_DEF_", definition->uid));
    }

    void attribute()
    {
        const std::string name = in_.string("an attribute name in quotes");
        if (!in_.at(Kind::word)) {
            db_.network.attributes.set(name, attributeValue());
            semicolon();
            note(dbc::attributeKey(name, 0));
            return;
        }
        const AttributeOwner owner = ownerOf(in_.peek().text);
        if (owner == AttributeOwner::network || owner > AttributeOwner::variable)
            in_.expected("BU_, BO_, SG_, EV_ or a value");
        in_.lexer.take();
        const bool onMessage = owner == AttributeOwner::message || owner == AttributeOwner::signal;
        const std::uint64_t id = onMessage ? in_.whole("an identifier", 0xFFFFFFFFU) : 0;
        const std::string object = owner == AttributeOwner::message ? std::to_string(id) : in_.name("a name");
        AttributeValue value = attributeValue();
        semicolon();
        const auto put = [&](auto* target, const char* what) {
            if (target == nullptr)
                return id == dbc::orphanIdentifier || isReserved(object) ? void() : missing(about("attribute of", what, object), onMessage);
            target->attributes.set(name, std::move(value));
            note(dbc::attributeKey(name, target->uid));
        };
        if (owner == AttributeOwner::node)
            put(named(db_.nodes, object), "node");
        else if (owner == AttributeOwner::message)
            put(messageOf(id), "message");
        else if (owner == AttributeOwner::signal)
            put(signalOf(id, object), "signal");
        else
            put(named(db_.variables, object), "variable");
    }

    void relation()
    {
        Relation relation;
        relation.attribute = in_.string("an attribute name in quotes");
        relation.owner = ownerOf(in_.name("BU_BO_REL_, BU_SG_REL_ or BU_EV_REL_"));
        relation.node = in_.name("a node name");
        std::uint64_t id = 0;
        if (relation.owner == AttributeOwner::nodeSignal) {
            if (in_.atWord("SG_"))
                in_.lexer.take();
            id = in_.whole("an identifier", 0xFFFFFFFFU);
            relation.object = in_.name("a signal name");
        } else if (relation.owner == AttributeOwner::nodeMessage) {
            if (in_.atWord("BO_"))
                in_.lexer.take();
            id = in_.whole("an identifier", 0xFFFFFFFFU);
        } else if (relation.owner == AttributeOwner::nodeVariable) {
            relation.object = in_.name("a variable's name");
        } else {
            in_.expected("BU_BO_REL_, BU_SG_REL_ or BU_EV_REL_");
        }
        relation.value = attributeValue();
        semicolon();
        if (relation.owner != AttributeOwner::nodeVariable) {
            const Message* message = messageOf(id);
            if (message == nullptr)
                return missing(about("attribute of a relation with", "message", std::to_string(id)));
            relation.message = message->uid;
        }
        relation.uid = newUid();
        note(dbc::key("BA_REL_", relation.uid));
        db_.network.relations.push_back(std::move(relation));
    }

    void finish();

    DbcCursor in_;
    DbcReading reading_;
    Database& db_ = reading_.database;
    static constexpr std::size_t none = ~std::size_t{0};
    std::size_t current_ = none;
    bool dropped_ = false;          // signals of this message have no place in the model
    bool known_ = false;
    bool last_ = false;
    std::size_t problems_ = 0;
    DbcLexer::Place start_;
    DbcToken first_;
    std::vector<DbcLexer::Place> deferred_;
    std::unordered_map<std::uint32_t, std::size_t> byId_;
};

// Takes the long name of an object, if it has one. Returns whether the name changed.
template <class Object>
bool takeLongName(Object& object, const char* attribute)
{
    const AttributeValue* value = object.attributes.find(attribute);
    if (value == nullptr || !value->isText || value->text.empty() || value->text == object.name)
        return false;
    object.shortName = object.name;
    object.name = value->text;
    return true;
}

void DbcReader::finish()
{
    std::unordered_map<std::string, std::string> longNodes;
    for (Node& node : db_.nodes)
        if (takeLongName(node, customary::longNode))
            longNodes.emplace(node.shortName, node.name);
    const auto lengthen = [](std::string& name, const std::unordered_map<std::string, std::string>& names) {
        if (names.empty())
            return;
        if (const auto found = names.find(name); found != names.end())
            name = found->second;
    };
    for (Message& message : db_.messages) {
        takeLongName(message, customary::longMessage);
        std::unordered_map<std::string, std::string> longSignals;
        for (Signal& signal : message.signals)
            if (takeLongName(signal, customary::longSignal))
                longSignals.emplace(signal.shortName, signal.name);
        lengthen(message.sender, longNodes);
        for (std::string& sender : message.moreSenders)
            lengthen(sender, longNodes);
        for (Signal& signal : message.signals) {
            lengthen(signal.muxSelector, longSignals);
            for (std::string& receiver : signal.receivers)
                lengthen(receiver, longNodes);
        }
        for (SignalGroup& group : message.groups)
            for (std::string& signal : group.signals)
                lengthen(signal, longSignals);
        if (!longSignals.empty())
            for (Relation& relation : db_.network.relations)
                if (relation.message == message.uid)
                    lengthen(relation.object, longSignals);
        applyCustomary(db_, message);
    }
    for (Relation& relation : db_.network.relations)
        lengthen(relation.node, longNodes);
    for (Variable& variable : db_.variables)
        for (std::string& node : variable.nodes)
            lengthen(node, longNodes);
    const auto before = [](const DbcStatement& a, const DbcStatement& b) { return a.begin < b.begin; };
    if (!std::is_sorted(reading_.source.statements.begin(), reading_.source.statements.end(), before))
        std::stable_sort(reading_.source.statements.begin(), reading_.source.statements.end(), before);
    std::stable_sort(reading_.problems.begin(), reading_.problems.end(),
        [](const Error& a, const Error& b) { return std::pair(a.line, a.column) < std::pair(b.line, b.column); });
    if (!known_)
        reading_.problems.insert(reading_.problems.begin(),
            Error{"this is not a signal database: no VERSION, NS_, BU_ or BO_ statement in it", db_.path, 1, 1, "Choose a .dbc file"});
}

}  // namespace

const DbcStatement* DbcSource::find(const std::string& key) const
{
    const auto found = std::find_if(
        statements.begin(), statements.end(), [&](const DbcStatement& statement) { return statement.key == key; });
    return found == statements.end() ? nullptr : &*found;
}

DbcReading readDbc(std::string_view text, std::string name) { return DbcReader(text, std::move(name)).run(); }

Expected<DbcReading> readDbcFile(const std::string& path)
{
    std::error_code code;
    if (std::filesystem::is_directory(path, code))
        return fail("this is a directory, not a signal database", path, "Choose a .dbc file");
    std::ifstream file(path, std::ios::binary);
    if (!file)
        return fail("the signal database cannot be opened", path, "Check that the file exists and may be read");
    const std::string text{std::istreambuf_iterator<char>(file), {}};
    DbcReading reading = readDbc(text, path);
    if (reading.database.messages.empty() && reading.database.nodes.empty() && !reading.problems.empty())
        return tl::unexpected(reading.problems.front());
    return reading;
}

}  // namespace wavetrope::database
