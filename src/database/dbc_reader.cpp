#include "database/dbc_reader.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <fstream>
#include <map>
#include <filesystem>
#include <unordered_map>

#include "database/dbc_lexer.h"

namespace wavetrope::database {

namespace {

using Kind = DbcToken::Kind;

constexpr std::uint32_t extendedFlag = 0x80000000U;
constexpr std::uint32_t orphanIdentifier = 0xC0000000U;  // the message that holds signals of no message
constexpr std::string_view noNode = "Vector__XXX";       // the format's reserved word for no node
constexpr std::size_t mostProblems = 1000;

struct Expectation {
    std::string what;
};

// One pass over the tokens. A statement that cannot be understood throws an Expectation inside this file only; the loop
// over the statements notes it with its place and goes on behind it.
class Reader {
public:
    Reader(std::string_view text, std::string name) : lexer_(text), utf8_(isUtf8(text)) { reading_.database.path = std::move(name); }

    DbcReading run()
    {
        while (lexer_.peek().kind != Kind::end) {
            try {
                statement();
            } catch (const Expectation& expected) {
                problem(expected.what);
                lexer_.recover();
            }
        }
        finish();
        return std::move(reading_);
    }

private:
    void problem(const std::string& what, const DbcToken* token = nullptr)
    {
        const DbcToken& at = token != nullptr ? *token : lexer_.peek();
        if (reading_.problems.size() < mostProblems)
            reading_.problems.push_back({what, reading_.database.path, at.line, at.column, {}});
    }
    [[noreturn]] void expected(const std::string& what)
    {
        const DbcToken& at = lexer_.peek();
        const std::string found = at.kind == Kind::end ? "the end of the file" : "'" + dbcText(at.text.substr(0, 40), utf8_) + "'";
        throw Expectation{"expected " + what + ", found " + found};
    }
    DbcToken word(const char* what)
    {
        if (lexer_.peek().kind != Kind::word)
            expected(what);
        return lexer_.take();
    }
    void mark(char c)
    {
        if (lexer_.peek().kind != Kind::mark || lexer_.peek().text[0] != c)
            expected(std::string("'") + c + "'");
        lexer_.take();
    }
    bool tryMark(char c)
    {
        if (lexer_.peek().kind != Kind::mark || lexer_.peek().text[0] != c)
            return false;
        lexer_.take();
        return true;
    }
    void semicolon() { tryMark(';'); }  // a missing one is clear from what follows
    std::string string(const char* what)
    {
        if (lexer_.peek().kind != Kind::string)
            expected(what);
        return dbcText(lexer_.take().text, utf8_);
    }
    double number(const char* what)
    {
        if (lexer_.peek().kind != Kind::number)
            expected(what);
        std::string_view text = lexer_.peek().text;
        if (text.front() == '+')
            text.remove_prefix(1);
        double value = 0;
        const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value);
        if (end != text.data() + text.size() || (code != std::errc{} && code != std::errc::result_out_of_range) || !std::isfinite(value))
            expected(what);
        lexer_.take();
        return value;
    }
    std::uint64_t whole(const char* what, std::uint64_t limit)
    {
        if (lexer_.peek().kind != Kind::number)
            expected(what);
        const std::string_view text = lexer_.peek().text;
        std::uint64_t value = 0;
        const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value);
        if (code != std::errc{} || end != text.data() + text.size() || value > limit)
            expected(std::string(what) + " of 0 to " + std::to_string(limit));
        lexer_.take();
        return value;
    }

    void statement()
    {
        const DbcToken token = lexer_.peek();
        if (token.kind == Kind::mark && token.text == ";") {
            lexer_.take();
            return;
        }
        if (token.kind != Kind::word)
            expected("a statement");
        lexer_.take();
        const std::string_view word_ = token.text;
        if (word_ == "VERSION") {
            if (lexer_.peek().kind == Kind::string)
                reading_.database.version = dbcText(lexer_.take().text, utf8_);
            known_ = true;
        } else if (word_ == "NS_") {
            newSymbols();
        } else if (word_ == "BS_") {
            mark(':');
            while (lexer_.peek().kind != Kind::end && !lexer_.peek().firstOnLine)
                lexer_.take();
        } else if (word_ == "BU_") {
            nodes();
        } else if (word_ == "BO_") {
            message();
        } else if (word_ == "SG_") {
            signal();
        } else if (word_ == "CM_") {
            comment();
        } else if (word_ == "VAL_") {
            values();
        } else if (word_ == "SIG_VALTYPE_") {
            valueType();
        } else if (word_ == "BA_DEF_") {
            attributeDefinition();
        } else if (word_ == "BA_DEF_DEF_") {
            attributeDefault();
        } else if (word_ == "BA_") {
            attribute();
        } else if (word_.size() > 2 && word_.back() == '_') {
            lexer_.recover();  // a kind of statement that has no place in the model yet
        } else {
            problem("unknown statement '" + dbcText(word_.substr(0, 40), utf8_) + "'", &token);
            lexer_.recover();
        }
    }

    void newSymbols()
    {
        mark(':');
        // Its names stand indented, one to a line; the first word at the start of a line ends the list.
        while (lexer_.peek().kind == Kind::word && !(lexer_.peek().firstOnLine && lexer_.peek().column == 1))
            lexer_.take();
        known_ = true;
    }

    void nodes()
    {
        mark(':');
        while (lexer_.peek().kind == Kind::word && !(lexer_.peek().firstOnLine && lexer_.peek().column == 1)) {
            const std::string name(lexer_.take().text);
            if (name != noNode)
                reading_.database.nodes.push_back({name, {}});
        }
        semicolon();
        known_ = true;
    }

    void message()
    {
        current_ = nullptr;
        const DbcToken at = lexer_.peek();
        const auto raw = static_cast<std::uint32_t>(whole("an identifier", 0xFFFFFFFFU));
        const std::string name(word("a message name").text);
        mark(':');
        const auto length = static_cast<unsigned>(whole("a length in bytes", 0xFFFF));
        if (lexer_.peek().firstOnLine)  // the next statement has begun
            expected("a sending node");
        const std::string sender(word("a sending node").text);
        known_ = true;
        if (raw == orphanIdentifier) {
            orphans_ = true;
            return;
        }
        orphans_ = false;
        Message message;
        message.name = name;
        message.id = {raw & ~extendedFlag, (raw & extendedFlag) != 0};
        message.length = std::min(length, can::maxLength);
        message.fd = length > can::maxClassicLength;
        if (sender != noNode)
            message.sender = sender;
        if (!message.id.valid()) {
            problem("identifier " + std::to_string(raw) + " of " + name + " is outside 11 or 29 bits", &at);
            orphans_ = true;  // its signals are read and dropped
            return;
        }
        if (length > can::maxLength)
            problem("length of " + name + " is " + std::to_string(length) + ", more than 64 bytes", &at);
        byId_.try_emplace(raw, reading_.database.messages.size());
        reading_.database.messages.push_back(std::move(message));
        current_ = &reading_.database.messages.back();
    }

    void signal()
    {
        const DbcToken at = lexer_.peek();
        Signal signal;
        signal.name = word("a signal name").text;
        if (lexer_.peek().kind == Kind::word) {
            const DbcToken role = lexer_.take();
            multiplexing(signal, role);
        }
        mark(':');
        signal.startBit = static_cast<unsigned>(whole("a start bit", 511));
        mark('|');
        signal.length = static_cast<unsigned>(whole("a length in bits", 64));
        mark('@');
        byteOrder(signal);
        mark('(');
        signal.factor = number("a factor");
        mark(',');
        signal.offset = number("an offset");
        mark(')');
        mark('[');
        const double low = number("a minimum");
        mark('|');
        const double high = number("a maximum");
        mark(']');
        if (low != 0 || high != 0) {
            signal.minimum = low;
            signal.maximum = high;
        }
        signal.unit = string("a unit in quotes");
        while (lexer_.peek().kind == Kind::word && !lexer_.peek().firstOnLine) {
            const std::string receiver(lexer_.take().text);
            if (receiver != noNode)
                signal.receivers.push_back(receiver);
            tryMark(',');
        }
        if (orphans_)
            return;
        if (current_ == nullptr) {
            problem("signal " + signal.name + " stands outside a message", &at);
            return;
        }
        if (signal.length == 0) {
            problem("signal " + signal.name + " has no bits", &at);
            return;
        }
        if (planEnd(signal) > can::maxLength * 8) {
            problem("signal " + signal.name + " ends behind byte 63", &at);
            return;
        }
        current_->signals.push_back(std::move(signal));
    }

    static unsigned planEnd(const Signal& signal)
    {
        const unsigned lead = signal.order == ByteOrder::motorola ? 7 - signal.startBit % 8 : signal.startBit % 8;
        return signal.startBit / 8 * 8 + lead + signal.length;
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
            if (!text.empty() && text.back() == 'M')
                text.remove_suffix(1);
            const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), signal.muxValue);
            if (code == std::errc{} && end == text.data() + text.size()) {
                signal.mux = MuxRole::multiplexed;
                return;
            }
        }
        problem("expected M or m with a number behind the signal name, found '" + std::string(role.text) + "'", &role);
    }

    void byteOrder(Signal& signal)
    {
        // "1+" may come as a number followed by a mark; "1-" too.
        if (lexer_.peek().kind != Kind::number || (lexer_.peek().text != "0" && lexer_.peek().text != "1"))
            expected("a byte order, 0 or 1");
        signal.order = lexer_.take().text == "0" ? ByteOrder::motorola : ByteOrder::intel;
        if (tryMark('-'))
            signal.isSigned = true;
        else
            mark('+');
    }

    Message* messageOf(std::uint64_t raw)
    {
        const auto found = byId_.find(static_cast<std::uint32_t>(raw));
        return found == byId_.end() ? nullptr : &reading_.database.messages[found->second];
    }

    Signal* signalOf(std::uint64_t raw, std::string_view name)
    {
        Message* message = messageOf(raw);
        return message == nullptr ? nullptr : const_cast<Signal*>(message->find(name));
    }

    void comment()
    {
        const DbcToken at = lexer_.peek();
        if (at.kind == Kind::string) {
            lexer_.take();
        } else {
            const std::string_view object = word("BU_, BO_, SG_ or a text").text;
            if (object == "BU_") {
                const std::string name(word("a node name").text);
                const std::string text = string("a comment in quotes");
                for (Node& node : reading_.database.nodes)
                    if (node.name == name)
                        node.comment = text;
            } else if (object == "BO_") {
                const std::uint64_t id = whole("an identifier", 0xFFFFFFFFU);
                const std::string text = string("a comment in quotes");
                if (Message* message = messageOf(id))
                    message->comment = text;
            } else if (object == "SG_") {
                const std::uint64_t id = whole("an identifier", 0xFFFFFFFFU);
                const std::string_view name = word("a signal name").text;
                const std::string text = string("a comment in quotes");
                if (Signal* signal = signalOf(id, name))
                    signal->comment = text;
                else if (id != orphanIdentifier)
                    problem("comment on signal " + std::string(name) + ", which is not defined", &at);
            } else {
                lexer_.recover();
                return;
            }
        }
        semicolon();
    }

    void values()
    {
        const DbcToken at = lexer_.peek();
        if (at.kind == Kind::word) {  // of an environment variable
            lexer_.recover();
            return;
        }
        const std::uint64_t id = whole("an identifier", 0xFFFFFFFFU);
        const std::string_view name = word("a signal name").text;
        std::vector<ValueText> texts;
        while (lexer_.peek().kind == Kind::number) {
            const double value = number("a value");
            texts.push_back({static_cast<std::int64_t>(std::clamp(value, -9.2e18, 9.2e18)), string("a text in quotes")});
        }
        if (Signal* signal = signalOf(id, name))
            signal->texts = std::move(texts);
        else if (id != orphanIdentifier)
            problem("value texts for signal " + std::string(name) + ", which is not defined", &at);
        semicolon();
    }

    void valueType()
    {
        const DbcToken at = lexer_.peek();
        const std::uint64_t id = whole("an identifier", 0xFFFFFFFFU);
        const std::string_view name = word("a signal name").text;
        tryMark(':');
        const std::uint64_t type = whole("a value type", 3);
        semicolon();
        Signal* signal = signalOf(id, name);
        if (signal == nullptr)
            return;
        if ((type == 1 && signal->length != 32) || (type == 2 && signal->length != 64)) {
            problem("floating-point signal " + signal->name + " has " + std::to_string(signal->length) + " bits", &at);
            return;
        }
        signal->type = type == 1 ? ValueType::single : type == 2 ? ValueType::floating : ValueType::integer;
    }

    void attributeDefinition()
    {
        if (lexer_.peek().kind == Kind::word)
            lexer_.take();
        const std::string name = string("an attribute name in quotes");
        if (lexer_.peek().kind == Kind::word && lexer_.take().text == "ENUM") {
            auto& choices = choices_[name];
            while (lexer_.peek().kind == Kind::string) {
                choices.push_back(dbcText(lexer_.take().text, utf8_));
                tryMark(',');
            }
        } else {
            while (lexer_.peek().kind == Kind::number)
                lexer_.take();
        }
        semicolon();
    }

    // An attribute's value: a number, or the text of an enumeration's choice.
    double attributeValue(const std::string& name)
    {
        if (lexer_.peek().kind == Kind::number)
            return number("a value");
        const std::string text = string("a value");
        const auto found = choices_.find(name);
        if (found != choices_.end())
            for (std::size_t i = 0; i < found->second.size(); ++i)
                if (found->second[i] == text)
                    return static_cast<double>(i);
        return 0;
    }

    void attributeDefault()
    {
        const std::string name = string("an attribute name in quotes");
        defaults_[name] = attributeValue(name);
        semicolon();
    }

    void attribute()
    {
        const std::string name = string("an attribute name in quotes");
        if (lexer_.peek().kind != Kind::word) {
            attributeValue(name);
        } else {
            const std::string_view object = lexer_.take().text;
            if (object == "BO_") {
                const std::uint64_t id = whole("an identifier", 0xFFFFFFFFU);
                const double value = attributeValue(name);
                if (Message* message = messageOf(id))
                    apply(*message, name, value);
            } else if (object == "SG_") {
                const std::uint64_t id = whole("an identifier", 0xFFFFFFFFU);
                const std::string_view signalName = word("a signal name").text;
                const double value = attributeValue(name);
                Signal* signal = signalOf(id, signalName);
                if (signal != nullptr && name == "GenSigStartValue")
                    signal->startRaw = value;
            } else {
                lexer_.recover();
                return;
            }
        }
        semicolon();
    }

    void apply(Message& message, const std::string& name, double value)
    {
        if (name == "GenMsgCycleTime" && value > 0 && value < 1e9) {
            message.cycleTime = std::chrono::milliseconds(std::llround(value));
        } else if (name == "CANFD_BRS") {
            message.brs = value != 0;
        } else if (name == "VFrameFormat") {
            const auto found = choices_.find(name);
            const auto index = static_cast<std::size_t>(std::max(0.0, value));
            if (found != choices_.end() && index < found->second.size())
                message.fd = message.fd || found->second[index].find("FD") != std::string::npos;
        }
    }

    void finish()
    {
        const auto found = defaults_.find("GenMsgCycleTime");
        if (found != defaults_.end() && found->second > 0)
            for (Message& message : reading_.database.messages)
                if (message.cycleTime.count() == 0)
                    apply(message, found->first, found->second);
        if (!known_)
            reading_.problems.insert(reading_.problems.begin(),
                                     Error{"this is not a signal database: no VERSION, NS_, BU_ or BO_ statement in it",
                                           reading_.database.path, 1, 1, "Choose a .dbc file"});
    }

    DbcLexer lexer_;
    bool utf8_;
    DbcReading reading_;
    Message* current_ = nullptr;
    bool orphans_ = false;
    bool known_ = false;
    std::unordered_map<std::uint32_t, std::size_t> byId_;
    std::map<std::string, std::vector<std::string>> choices_;
    std::map<std::string, double> defaults_;
};

}  // namespace

DbcReading readDbc(std::string_view text, std::string name)
{
    return Reader(text, std::move(name)).run();
}

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
