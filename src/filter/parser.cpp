#include "filter/parser.h"

#include <charconv>
#include <cmath>

#include "filter/lexer.h"

namespace wavetrope::filter {

namespace {

using Kind = Token::Kind;

constexpr unsigned deepest = 200;
constexpr unsigned mostConditions = 1000;
constexpr std::size_t longest = 65536;

// Thrown and caught inside this file only.
struct Failure {
    std::size_t at;
    std::string what;
    std::string remedy;
};

template <class T>
ExpressionPointer make(T term)
{
    auto expression = std::make_unique<Expression>(Expression{std::move(term)});
    return expression;
}

bool isReserved(std::string_view word)
{
    return word == "and" || word == "or" || word == "not";
}

class Parser {
public:
    Parser(std::string_view text, const database::Catalog& catalog) : text_(text), lexer_(text), catalog_(catalog) {}

    Expected<ExpressionPointer> run()
    {
        try {
            if (text_.size() > longest)
                throw Failure{longest, "the filter is longer than 64 KiB", {}};
            ExpressionPointer tree = either(0);
            if (lexer_.peek().kind != Kind::end)
                fail("'and', 'or' or the end of the filter");
            return tree;
        } catch (const Failure& failure) {
            return tl::unexpected(Error{failure.what, "filter", 0, columnOf(failure.at), failure.remedy});
        }
    }

private:
    [[nodiscard]] int columnOf(std::size_t at) const
    {
        int column = 1;
        for (std::size_t i = 0; i < at && i < text_.size(); ++i)
            if ((static_cast<unsigned char>(text_[i]) & 0xC0U) != 0x80U)
                ++column;
        return column;
    }
    [[noreturn]] void fail(const std::string& wanted, std::string remedy = {})
    {
        const Token& token = lexer_.peek();
        std::string found = token.kind == Kind::end ? "the end" : "'" + std::string(token.text.substr(0, 40)) + "'";
        if (token.kind == Kind::text && lexer_.openQuote())
            found = "a text without its closing quote";
        throw Failure{token.at, "expected " + wanted + ", found " + found, std::move(remedy)};
    }
    [[noreturn]] static void failAt(std::size_t at, std::string what, std::string remedy = {}) { throw Failure{at, std::move(what), std::move(remedy)}; }

    bool tryWord(std::string_view word)
    {
        if (lexer_.peek().kind != Kind::word || lexer_.peek().text != word)
            return false;
        lexer_.take();
        return true;
    }
    Token word(const std::string& wanted)
    {
        if (lexer_.peek().kind != Kind::word || isReserved(lexer_.peek().text))
            fail(wanted);
        return lexer_.take();
    }
    // A name: a word, or a text in quotes.
    Token name(const std::string& wanted)
    {
        if (lexer_.peek().kind == Kind::text && !lexer_.openQuote())
            return lexer_.take();
        return word(wanted);
    }

    ExpressionPointer either(unsigned depth)
    {
        ExpressionPointer left = both(depth);
        while (tryWord("or"))
            left = make(Either{std::move(left), both(depth)});
        return left;
    }
    ExpressionPointer both(unsigned depth)
    {
        ExpressionPointer left = single(depth);
        while (tryWord("and"))
            left = make(Both{std::move(left), single(depth)});
        return left;
    }
    ExpressionPointer single(unsigned depth)
    {
        if (depth > deepest)
            failAt(lexer_.peek().at, "the filter is nested more than 200 levels deep");
        if (tryWord("not"))
            return make(Negation{single(depth + 1)});
        if (lexer_.peek().kind == Kind::mark && lexer_.peek().text == "(") {
            lexer_.take();
            ExpressionPointer inner = either(depth + 1);
            if (lexer_.peek().kind != Kind::mark || lexer_.peek().text != ")")
                fail("')'");
            lexer_.take();
            return inner;
        }
        return term();
    }

    ExpressionPointer term()
    {
        const Token first = lexer_.peek();
        if (++conditions_ > mostConditions)
            failAt(first.at, "the filter has more than 1000 conditions", "Use a range, a mask or a name pattern");
        if (first.kind != Kind::word || isReserved(first.text))
            fail("a condition", "Conditions begin with id, name, from, bus, kind, sent, received, undecoded or a signal");
        lexer_.take();
        // A keyword followed by a comparison is a signal of that name.
        const bool compared = lexer_.peek().kind == Kind::mark && lexer_.peek().text != "(" && lexer_.peek().text != ")";
        if (!compared) {
            if (first.text == "id")
                return identifier();
            if (first.text == "name")
                return needsDatabase(first, make(NamePattern{std::string(name("a message name, * and ? allowed").text)}));
            if (first.text == "from")
                return from(first);
            if (first.text == "bus")
                return bus();
            if (first.text == "kind")
                return kind();
            if (first.text == "sent")
                return make(InDirection{can::Direction::sent});
            if (first.text == "received")
                return make(InDirection{can::Direction::received});
            if (first.text == "undecoded")
                return make(Undecoded{});
        }
        return comparison(first);
    }

    ExpressionPointer needsDatabase(const Token& at, ExpressionPointer expression)
    {
        if (!catalog_.anyDatabase())
            failAt(at.at, "'" + std::string(at.text) + "' needs a signal database, and none is attached", "Attach one to a bus");
        return expression;
    }

    can::Identifier readIdentifier(std::string_view text, std::size_t at)
    {
        const auto id = can::identifierFromText(text);
        if (!id)
            failAt(at, "expected an identifier, found '" + std::string(text.substr(0, 40)) + "'", "Up to 3 hexadecimal digits are 11 bits (0x1F0), 8 digits are 29 bits (0x18FF2103)");
        return *id;
    }

    ExpressionPointer identifier()
    {
        const Token token = word("an identifier such as 0x1F0, or a range such as 0x200..0x2FF");
        const auto dots = token.text.find("..");
        if (dots != std::string_view::npos) {
            const can::Identifier first = readIdentifier(token.text.substr(0, dots), token.at);
            const std::size_t lastAt = token.at + dots + 2;
            const can::Identifier last = readIdentifier(token.text.substr(dots + 2), lastAt);
            if (first.extended != last.extended)
                failAt(lastAt, "the range begins with " + std::string(first.extended ? "29" : "11") + " bits and ends with " + (last.extended ? "29" : "11"));
            if (last < first)
                failAt(lastAt, "the range ends before it begins");
            return make(IdRange{first, last});
        }
        const can::Identifier id = readIdentifier(token.text, token.at);
        if (!tryWord("mask"))
            return make(IdRange{id, id});
        const Token maskToken = word("a mask such as 0x7F0");
        std::string_view digits = maskToken.text;
        if (digits.starts_with("0x") || digits.starts_with("0X"))
            digits.remove_prefix(2);
        std::uint32_t mask = 0;
        const auto [end, code] = std::from_chars(digits.data(), digits.data() + digits.size(), mask, 16);
        if (code != std::errc{} || end != digits.data() + digits.size() || mask > (id.extended ? 0x1FFFFFFFU : 0x7FFU))
            failAt(maskToken.at, "expected a mask of " + std::string(id.extended ? "29" : "11") + " bits, found '" + std::string(maskToken.text) + "'");
        return make(IdMask{id, mask});
    }

    ExpressionPointer from(const Token& at)
    {
        const Token node = name("a node name");
        if (catalog_.anyDatabase() && !catalog_.hasNode(node.text))
            failAt(node.at, "no database has a node '" + std::string(node.text) + "'");
        return needsDatabase(at, make(FromNode{std::string(node.text)}));
    }

    ExpressionPointer bus()
    {
        const Token token = name("a bus name");
        const int index = catalog_.findBus(token.text);
        if (index < 0) {
            std::string names;
            for (std::size_t i = 0; i < catalog_.busCount(); ++i)
                names += (names.empty() ? "" : ", ") + catalog_.busName(static_cast<std::uint8_t>(i));
            failAt(token.at, "there is no bus '" + std::string(token.text) + "'", names.empty() ? "" : "Buses are: " + names);
        }
        return make(OnBus{static_cast<std::uint8_t>(index)});
    }

    ExpressionPointer kind()
    {
        const Token token = word("data, fd, remote or error");
        for (const can::FrameKind candidate : {can::FrameKind::data, can::FrameKind::fd, can::FrameKind::remote, can::FrameKind::error})
            if (token.text == can::toText(candidate))
                return make(OfKind{candidate});
        failAt(token.at, "expected data, fd, remote or error, found '" + std::string(token.text) + "'");
    }

    ExpressionPointer comparison(const Token& signalToken)
    {
        CompareSignal compare;
        compare.signals = catalog_.findSignals(signalToken.text);
        const std::string signalName(signalToken.text);
        if (compare.signals.empty()) {
            if (!catalog_.anyDatabase())
                failAt(signalToken.at, "expected a condition, found '" + signalName + "'; signals need a database", "Conditions without one are id, bus, kind, sent, received and undecoded");
            failAt(signalToken.at, "'" + signalName + "' is neither a condition nor a signal of a database",
                   "Conditions begin with id, name, from, bus, kind, sent, received, undecoded or a signal");
        }
        for (const database::SignalRef& ref : compare.signals)
            if (ref.message->message->name != compare.signals[0].message->message->name)
                failAt(signalToken.at, "'" + signalName + "' is a signal of several messages",
                       "Say which: " + compare.signals[0].message->message->name + "." + signalName + " or " + ref.message->message->name + "." + signalName);

        const Token mark = lexer_.peek();
        if (mark.kind != Kind::mark || mark.text == "(" || mark.text == ")" || mark.text == "!")
            fail("a comparison: > >= < <= = or !=");
        lexer_.take();
        if (mark.text == ">")
            compare.comparison = Comparison::greater;
        else if (mark.text == ">=")
            compare.comparison = Comparison::greaterOrEqual;
        else if (mark.text == "<")
            compare.comparison = Comparison::less;
        else if (mark.text == "<=")
            compare.comparison = Comparison::lessOrEqual;
        else if (mark.text == "!=")
            compare.comparison = Comparison::notEqual;
        else
            compare.comparison = Comparison::equal;
        if (lexer_.peek().kind == Kind::text && !lexer_.openQuote())
            textValue(compare);
        else
            numberValue(compare);
        return make(std::move(compare));
    }

    void textValue(CompareSignal& compare)
    {
        const Token token = lexer_.take();
        const database::Signal& signal = compare.signals[0].signal();
        if (compare.comparison != Comparison::equal && compare.comparison != Comparison::notEqual)
            failAt(token.at, "a text can only be compared with = or !=");
        std::string choices;
        bool known = false;
        for (const database::ValueText& entry : signal.texts) {
            known = known || entry.text == token.text;
            choices += (choices.empty() ? "\"" : ", \"") + entry.text + "\"";
        }
        if (!known)
            failAt(token.at, signal.name + " has no text \"" + std::string(token.text) + "\"", choices.empty() ? "It has no texts; compare it with a number" : "Its texts are " + choices);
        compare.byText = true;
        compare.text = token.text;
    }

    void numberValue(CompareSignal& compare)
    {
        const database::Signal& signal = compare.signals[0].signal();
        if (lexer_.peek().kind != Kind::word)
            fail(signal.texts.empty() ? "a number" : "a number or one of its texts in quotes");
        const Token token = lexer_.peek();
        std::string_view digits = token.text;
        if (digits.starts_with('+'))
            digits.remove_prefix(1);
        const char* end = nullptr;
        std::errc code{};
        if (digits.starts_with("0x") || digits.starts_with("0X")) {
            std::uint64_t value = 0;
            const auto result = std::from_chars(digits.data() + 2, digits.data() + digits.size(), value, 16);
            compare.number = static_cast<double>(value);
            end = result.ptr;
            code = result.ec;
        } else {
            const auto result = std::from_chars(digits.data(), digits.data() + digits.size(), compare.number);
            end = result.ptr;
            code = result.ec;
        }
        if (code != std::errc{} || !std::isfinite(compare.number))
            fail(signal.texts.empty() ? "a number" : "a number or one of its texts in quotes");
        lexer_.take();
        const std::string_view attached(end, static_cast<std::size_t>(digits.data() + digits.size() - end));
        if (!attached.empty())
            checkUnit(signal, attached, token.at + static_cast<std::size_t>(end - token.text.data()));
        else if (lexer_.peek().kind == Kind::word && !isReserved(lexer_.peek().text)) {
            const Token unit = lexer_.take();
            checkUnit(signal, unit.text, unit.at);
        }
    }

    void checkUnit(const database::Signal& signal, std::string_view unit, std::size_t at)
    {
        if (unit == signal.unit)
            return;
        failAt(at, "the unit of " + signal.name + (signal.unit.empty() ? std::string(" is none") : " is " + signal.unit) + ", not '" + std::string(unit) + "'", "Leave the unit out or write the database's");
    }

    std::string_view text_;
    Lexer lexer_;
    unsigned conditions_ = 0;
    const database::Catalog& catalog_;
};

}  // namespace

Expected<ExpressionPointer> parse(std::string_view text, const database::Catalog& catalog)
{
    return Parser(text, catalog).run();
}

}  // namespace wavetrope::filter
