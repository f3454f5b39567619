// SPDX-License-Identifier: GPL-3.0-or-later
#include "filter/parser.h"

#include <algorithm>
#include <charconv>
#include <cmath>

#include "base/nearest_name.h"
#include "base/time_text.h"
#include "filter/filter.h"
#include "filter/language.h"
#include "filter/lexer.h"

namespace wavetrope::filter {

namespace {

constexpr std::uint64_t longestMessage = std::uint64_t{1} << 28;     // that came in pieces, in bytes

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

bool isReserved(std::string_view word) { return word == "and" || word == "or" || word == "not" || word == "every" || word == "first"; }

class Parser {
public:
    Parser(std::string_view text, const database::Catalog& catalog, const NamedFilters& named)
        : text_(text), lexer_(text), catalog_(catalog), named_(named)
    {}

    Expected<Understood> run()
    {
        try {
            if (text_.size() > longest)
                throw Failure{longest, "the filter is longer than 64 KiB", {}};
            if (!atThinning())
                out_.tree = either(0);
            thinning();
            if (lexer_.peek().kind != Kind::end)
                fail(out_.thinning.kind == Thinning::Kind::all ? "'and', 'or' or the end of the filter" : "the end of the filter");
            return std::move(out_);
        } catch (const Failure& failure) {
            return tl::unexpected(Error{failure.what, "filter", 0, columnOf(text_, failure.at), failure.remedy});
        }
    }

private:
    [[noreturn]] void fail(const std::string& wanted, std::string remedy = {})
    {
        const Token& token = lexer_.peek();
        std::string found = token.kind == Kind::end ? "the end" : "'" + std::string(token.text.substr(0, 40)) + "'";
        if (token.kind == Kind::text && lexer_.openQuote())
            found = "a text without its closing quote";
        throw Failure{token.at, "expected " + wanted + ", found " + found, std::move(remedy)};
    }
    [[noreturn]] static void failAt(std::size_t at, std::string what, std::string remedy = {})
    {
        throw Failure{at, std::move(what), std::move(remedy)};
    }

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

    [[nodiscard]] bool atThinning() const
    {
        return lexer_.peek().kind == Kind::word && (lexer_.peek().text == "every" || lexer_.peek().text == "first");
    }
    void thinning()
    {
        if (!atThinning())
            return;
        if (named_.depth > 0)
            failAt(lexer_.peek().at, "a filter with 'every' or 'first' cannot be part of another one");
        out_.thinning.kind = lexer_.peek().text == "first" ? Thinning::Kind::first : Thinning::Kind::every;
        lexer_.take();
        if (out_.thinning.kind == Thinning::Kind::every)
            out_.thinning.every = wholeNumber("a number such as 10", 1, 1'000'000'000);
        if (tryWord("per")) {
            if (!tryWord("id"))
                fail("'id'");
            out_.thinning.perIdentifier = true;
        }
    }

    std::uint64_t wholeNumber(const std::string& wanted, std::uint64_t least, std::uint64_t most)
    {
        const Token token = word(wanted);
        std::string_view digits = token.text;
        int base = 10;
        if (digits.starts_with("0x") || digits.starts_with("0X")) {
            digits.remove_prefix(2);
            base = 16;
        }
        std::uint64_t value = 0;
        const auto [end, code] = std::from_chars(digits.data(), digits.data() + digits.size(), value, base);
        if (code != std::errc{} || end != digits.data() + digits.size() || digits.empty() || value < least || value > most)
            failAt(token.at, "expected " + wanted + ", from " + std::to_string(least) + " to " + std::to_string(most) + ", found '"
                                 + std::string(token.text.substr(0, 40)) + "'");
        return value;
    }

    // A span of time: "20 ms", "20ms", "1.5 s".
    Time span(const std::string& wanted)
    {
        const Token token = word(wanted);
        std::string text(token.text);
        if (const bool bare = !text.empty() && text.find_first_not_of("0123456789.+-") == std::string::npos;
            bare && lexer_.peek().kind == Kind::word && !isReserved(lexer_.peek().text))
            text += ' ' + std::string(lexer_.take().text);
        const auto read = spanFromText(text);
        if (!read)
            failAt(token.at, "expected " + wanted + ", found '" + text.substr(0, 40) + "'", "Units are us, ms, s and min");
        return *read;
    }

    // A comparison mark, or `between`; a bare value means equal where `bare` allows it.
    Comparison comparisonMark(bool bare)
    {
        const Token mark = lexer_.peek();
        if (tryWord("between"))
            return Comparison::between;
        if (mark.kind != Kind::mark || mark.text == "(" || mark.text == ")" || mark.text == "!") {
            if (bare && mark.kind == Kind::word)
                return Comparison::equal;
            fail("a comparison: > >= < <= = or !=");
        }
        lexer_.take();
        return mark.text == ">"    ? Comparison::greater
               : mark.text == ">=" ? Comparison::greaterOrEqual
               : mark.text == "<"  ? Comparison::less
               : mark.text == "<=" ? Comparison::lessOrEqual
               : mark.text == "!=" ? Comparison::notEqual
                                   : Comparison::equal;
    }
    void needAnd()
    {
        if (!tryWord("and"))
            fail("'and' and the upper end");
    }

    ExpressionPointer length()
    {
        LengthTest test;
        test.comparison = comparisonMark(true);
        test.length = static_cast<unsigned>(wholeNumber("a length in bytes", 0, longestMessage));
        if (test.comparison == Comparison::between) {
            needAnd();
            test.upper = static_cast<unsigned>(wholeNumber("a length in bytes", 0, longestMessage));
        }
        return make(test);
    }

    ExpressionPointer byte()
    {
        ByteTest test;
        test.index = static_cast<unsigned>(wholeNumber("the number of a byte", 0, longestMessage - 1));
        const bool masked = tryWord("mask");
        if (masked)
            test.mask = static_cast<std::uint8_t>(wholeNumber("a mask such as 0xF0", 0, 255));
        if (masked && lexer_.peek().kind != Kind::mark && !(lexer_.peek().kind == Kind::word && lexer_.peek().text == "between"))
            return anyBit(test);
        if (masked && lexer_.peek().kind == Kind::mark && (lexer_.peek().text == ")" || lexer_.peek().text == "("))
            return anyBit(test);
        test.comparison = comparisonMark(false);
        test.value = static_cast<unsigned>(wholeNumber("a value such as 0x1F", 0, 255));
        if (test.comparison == Comparison::between) {
            needAnd();
            test.upper = static_cast<unsigned>(wholeNumber("a value such as 0x1F", 0, 255));
        }
        return make(test);
    }
    static ExpressionPointer anyBit(ByteTest test)
    {
        test.comparison = Comparison::notEqual;
        test.value = 0;
        return make(test);
    }

    ExpressionPointer gap()
    {
        GapTest test;
        out_.gaps = true;
        test.comparison = comparisonMark(false);
        test.span = span("a time such as 50 ms");
        if (test.comparison == Comparison::between) {
            needAnd();
            test.upper = span("a time such as 50 ms");
        }
        return make(test);
    }

    ExpressionPointer time()
    {
        // "12 s .. 14.5 s", "12s..14.5s", "1..2 s"
        const std::size_t at = lexer_.peek().at;
        std::string words;
        while (lexer_.peek().kind == Kind::word && !isReserved(lexer_.peek().text) && words.size() < 100)
            words += std::string(lexer_.take().text) + ' ';
        const auto dots = words.find("..");
        const auto part = [](std::string text) {
            while (!text.empty() && text.back() == ' ')
                text.pop_back();
            while (!text.empty() && text.front() == ' ')
                text.erase(0, 1);
            return text;
        };
        if (dots == std::string::npos)
            failAt(at, "expected a stretch of time such as 12 s .. 14.5 s, found '" + part(words) + "'");
        const std::string to = part(words.substr(dots + 2));
        std::string from = part(words.substr(0, dots));
        if (from.find_first_not_of("0123456789.+-") == std::string::npos && to.find_first_of("smu") != std::string::npos)
            from += to.substr(to.find_first_of(" smu"));
        const auto a = spanFromText(from);
        const auto b = spanFromText(to);
        if (!a || !b)
            failAt(at, "expected a stretch of time such as 12 s .. 14.5 s, found '" + part(words) + "'");
        if (*b < *a)
            failAt(at, "the stretch ends before it begins");
        return make(InTime{*a, *b});
    }

    ExpressionPointer within(unsigned depth)
    {
        SoonAfter soon;
        soon.span = span("a time such as 20 ms");
        if (!tryWord("after"))
            fail("'after' and a condition in parentheses");
        if (lexer_.peek().kind != Kind::mark || lexer_.peek().text != "(")
            fail("'(' and a condition");
        lexer_.take();
        soon.inner = either(depth + 1);
        if (lexer_.peek().kind != Kind::mark || lexer_.peek().text != ")")
            fail("')'");
        lexer_.take();
        soon.slot = out_.soonSlots++;
        ExpressionPointer made = make(std::move(soon));
        out_.soons.push_back(&std::get<SoonAfter>(made->term));
        return made;
    }

    // A filter of the rig takes the place of its name.
    ExpressionPointer reference()
    {
        const Token token = lexer_.take();
        std::string name(token.text.substr(1));
        if (name.empty() && lexer_.peek().kind == Kind::text && !lexer_.openQuote())
            name = lexer_.take().text;
        const auto found = named_.filters != nullptr ? named_.filters->find(name) : NamedFilters::Map::const_iterator{};
        if (named_.filters == nullptr || found == named_.filters->end()) {
            std::string names;
            if (named_.filters != nullptr)
                for (const auto& [known, text] : *named_.filters)
                    names += (names.empty() ? "" : ", ") + known;
            failAt(
                token.at, "there is no filter '" + name + "'", names.empty() ? "The rig has no named filters" : "Its filters are " + names);
        }
        if (named_.depth >= 20)
            failAt(token.at, "the filter '" + name + "' uses itself, directly or through others");
        NamedFilters deeper = named_;
        ++deeper.depth;
        Parser inner(found->second, catalog_, deeper);
        inner.out_.changeSlots = out_.changeSlots;
        inner.out_.soonSlots = out_.soonSlots;
        inner.out_.soons = out_.soons;
        inner.conditions_ = conditions_;
        auto understood = inner.run();
        if (!understood)
            failAt(token.at, "in the filter '" + name + "', " + understood.error().what, understood.error().remedy);
        conditions_ = inner.conditions_;
        out_.changeSlots = understood->changeSlots;
        out_.soonSlots = understood->soonSlots;
        out_.soons = understood->soons;
        out_.gaps = out_.gaps || understood->gaps;
        if (!understood->tree)
            failAt(token.at, "the filter '" + name + "' is empty");
        return std::move(understood->tree);
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
        return term(depth);
    }

    ExpressionPointer term(unsigned depth)
    {
        const Token first = lexer_.peek();
        if (++conditions_ > mostConditions)
            failAt(first.at, "the filter has more than 1000 conditions", "Use a range, a mask or a name pattern");
        if (first.kind != Kind::word || isReserved(first.text))
            fail("a condition", "Conditions begin with " + conditionWords());
        if (first.text.front() == '@')
            return reference();
        lexer_.take();
        // A keyword followed by a comparison is a signal of that name.
        const bool compared = lexer_.peek().kind == Kind::mark && lexer_.peek().text != "(" && lexer_.peek().text != ")";
        const bool signal = !catalog_.findSignals(first.text).empty() || catalog_.findDerived(first.text) >= 0;
        if ((first.text == "length" || first.text == "gap") && !signal)
            return first.text == "length" ? length() : gap();
        if (!compared) {
            if (first.text == "group")
                return make(OfGroup{static_cast<std::uint32_t>(wholeNumber("a parameter group such as 0xFEF1", 0, 0x3FFFF))});
            if (first.text == "source")
                return make(FromSource{static_cast<std::uint8_t>(wholeNumber("an address such as 0x21", 0, 255))});
            if (first.text == "destination")
                return make(ToDestination{static_cast<std::uint8_t>(wholeNumber("an address such as 0x28", 0, 255))});
            if (first.text == "byte")
                return byte();
            if (first.text == "time")
                return time();
            if (first.text == "within")
                return within(depth);
            if (first.text == "length")
                return length();
            if (first.text == "id")
                return identifier();
            if (first.text == "name")
                return messageName(first);
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
        if (compared && beginsCondition(first.text) && !signal)
            failAt(lexer_.peek().at,
                "'" + std::string(first.text) + "' stands before what it asks for, without '" + std::string(lexer_.peek().text) + "'",
                "Write " + exampleOf(first.text));
        return comparison(first);
    }
    // The nearest of several names, and what else helps.
    [[nodiscard]] static std::string withNearest(std::string_view word, const std::vector<std::string>& names, const std::string& rest)
    {
        const std::string nearest = didYouMean(word, names);
        return nearest.empty() ? rest : rest.empty() ? nearest : nearest + " " + rest;
    }
    [[nodiscard]] std::vector<std::string> signalNames(bool whole) const
    {
        std::vector<std::string> names;
        if (!whole)
            for (const Construct& construct : constructs())
                if (construct.kind == Construct::Kind::condition)
                    names.emplace_back(construct.word);
        for (const database::DerivedSignal& derived : catalog_.derived())
            names.push_back(derived.spec.name);
        for (const database::CatalogMessage& message : catalog_.messages())
            for (const database::Signal& signal : message.message->signals)
                names.push_back(whole ? message.message->name + '.' + signal.name : signal.name);
        return names;
    }
    [[nodiscard]] std::vector<std::string> messageNames() const
    {
        std::vector<std::string> names;
        for (const database::CatalogMessage& message : catalog_.messages())
            names.push_back(message.message->name);
        return names;
    }
    [[nodiscard]] std::vector<std::string> nodeNames() const
    {
        std::vector<std::string> names;
        for (std::size_t bus = 0; bus < catalog_.busCount(); ++bus)
            for (const auto& database : catalog_.databases(static_cast<std::uint8_t>(bus)))
                for (const database::Node& node : database->nodes)
                    names.push_back(node.name);
        return names;
    }
    ExpressionPointer messageName(const Token& at)
    {
        const Token pattern = name("a message name, * and ? allowed");
        const auto& messages = catalog_.messages();
        if (catalog_.anyDatabase() && std::none_of(messages.begin(), messages.end(), [&](const database::CatalogMessage& m) {
                return fitsPattern(m.message->name, pattern.text);
            }))
            failAt(pattern.at, "no message of a database is called '" + std::string(pattern.text) + "'",
                withNearest(pattern.text, messageNames(), "* stands for any run of characters"));
        return needsDatabase(at, make(NamePattern{std::string(pattern.text)}));
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
            failAt(at, "expected an identifier, found '" + std::string(text.substr(0, 40)) + "'",
                "Up to 3 hexadecimal digits are 11 bits (0x1F0), 8 digits are 29 bits (0x18FF2103)");
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
                failAt(lastAt, "the range begins with " + std::string(first.extended ? "29" : "11") + " bits and ends with "
                                   + (last.extended ? "29" : "11"));
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
            failAt(maskToken.at,
                "expected a mask of " + std::string(id.extended ? "29" : "11") + " bits, found '" + std::string(maskToken.text) + "'");
        return make(IdMask{id, mask});
    }

    ExpressionPointer from(const Token& at)
    {
        const Token node = name("a node name");
        if (catalog_.anyDatabase() && !catalog_.hasNode(node.text))
            failAt(node.at, "no database has a node '" + std::string(node.text) + "'", didYouMean(node.text, nodeNames()));
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

    // Of a derived signal; its name goes before that of a signal of a message.
    ExpressionPointer derived(const Token& nameToken, std::uint32_t place)
    {
        const database::DerivedSignal& signal = catalog_.derived()[place];
        if (signal.problem)
            failAt(nameToken.at, signal.spec.name + " has no samples: " + signal.problem->what, signal.problem->remedy);
        database::Signal like;      // what a number is read with
        like.name = signal.spec.name;
        like.unit = signal.spec.unit;
        DerivedTest test;
        test.derived = place;
        if (std::find(out_.derived.begin(), out_.derived.end(), place) == out_.derived.end())
            out_.derived.push_back(place);
        const bool rises = lexer_.peek().kind == Kind::word && lexer_.peek().text == "rises";
        if (rises || (lexer_.peek().kind == Kind::word && lexer_.peek().text == "falls")) {
            lexer_.take();
            if (!tryWord(rises ? "above" : "below"))
                fail(rises ? "'above' and a number" : "'below' and a number");
            test.how = rises ? DerivedTest::How::risesAbove : DerivedTest::How::fallsBelow;
            test.number = numberValue(like).value;
            return make(std::move(test));
        }
        if (tryWord("changes")) {
            test.how = tryWord("by") ? DerivedTest::How::changesBy : DerivedTest::How::changes;
            if (test.how == DerivedTest::How::changesBy) {
                const std::size_t at = lexer_.peek().at;
                test.number = numberValue(like).value;
                if (test.number <= 0)
                    failAt(at, "expected a number above 0");
            }
            return make(std::move(test));
        }
        needComparison();
        test.comparison = comparisonMark(false);
        test.number = numberValue(like).value;
        if (test.comparison == Comparison::between) {
            needAnd();
            const std::size_t at = lexer_.peek().at;
            test.upper = numberValue(like).value;
            if (test.upper < test.number)
                failAt(at, "the upper end is below the lower one");
        }
        return make(std::move(test));
    }
    void needComparison()
    {
        const Token mark = lexer_.peek();
        if (!(mark.kind == Kind::word && mark.text == "between")
            && (mark.kind != Kind::mark || mark.text == "(" || mark.text == ")" || mark.text == "!"))
            fail("a comparison: > >= < <= = or !=, or between, changes, rises or falls");
    }

    ExpressionPointer comparison(const Token& signalToken)
    {
        if (const int place = catalog_.findDerived(signalToken.text); place >= 0)
            return derived(signalToken, static_cast<std::uint32_t>(place));
        CompareSignal compare;
        compare.signals = catalog_.findSignals(signalToken.text);
        const std::string signalName(signalToken.text);
        if (compare.signals.empty()) {
            if (!catalog_.anyDatabase())
                failAt(signalToken.at, "expected a condition, found '" + signalName + "'; signals need a database",
                    "Conditions without one are " + conditionWordsWithoutDatabase());
            failAt(signalToken.at, "'" + signalName + "' is neither a condition nor a signal of a database",
                withNearest(
                    signalName, signalNames(signalName.find('.') != std::string::npos), "Conditions begin with " + conditionWords()));
        }
        for (const database::SignalRef& ref : compare.signals)
            if (ref.message->message->name != compare.signals[0].message->message->name)
                failAt(signalToken.at, "'" + signalName + "' is a signal of several messages",
                    "Say which: " + compare.signals[0].message->message->name + "." + signalName + " or " + ref.message->message->name + "."
                        + signalName);

        SignalChange change;
        change.signals = compare.signals;
        const bool rises = lexer_.peek().kind == Kind::word && lexer_.peek().text == "rises";
        if (rises || (lexer_.peek().kind == Kind::word && lexer_.peek().text == "falls")) {
            lexer_.take();
            if (!tryWord(rises ? "above" : "below"))
                fail(rises ? "'above' and a number" : "'below' and a number");
            change.how = rises ? SignalChange::How::risesAbove : SignalChange::How::fallsBelow;
            change.number = numberValue(compare.signals[0].signal());
            return remember(std::move(change));
        }
        if (tryWord("changes")) {
            if (tryWord("by")) {
                change.how = SignalChange::How::changesBy;
                const std::size_t at = lexer_.peek().at;
                change.number = numberValue(compare.signals[0].signal());
                if (change.number.value <= 0)
                    failAt(at, "expected a number above 0");
            }
            return remember(std::move(change));
        }
        needComparison();
        compare.comparison = comparisonMark(false);
        if (lexer_.peek().kind == Kind::text && !lexer_.openQuote() && compare.comparison != Comparison::between) {
            textValue(compare);
            return make(std::move(compare));
        }
        const database::Signal& signal = compare.signals[0].signal();
        compare.number = numberValue(signal);
        if (compare.comparison == Comparison::between) {
            needAnd();
            const std::size_t at = lexer_.peek().at;
            compare.upper = numberValue(signal);
            if (compare.upper < compare.number)
                failAt(at, "the upper end is below the lower one");
        }
        return make(std::move(compare));
    }
    ExpressionPointer remember(SignalChange change)
    {
        change.slot = out_.changeSlots++;
        return make(std::move(change));
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
            failAt(token.at, signal.name + " has no text \"" + std::string(token.text) + "\"",
                choices.empty() ? "It has no texts; compare it with a number" : "Its texts are " + choices);
        compare.byText = true;
        compare.text = token.text;
    }

    Number numberValue(const database::Signal& signal)
    {
        Number number;
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
            number = {static_cast<double>(value), database::RawValue{value}, true};
            end = result.ptr;
            code = result.ec;
        } else {
            const auto result = std::from_chars(digits.data(), digits.data() + digits.size(), number.value);
            end = result.ptr;
            code = result.ec;
            number.floor.reset();
            if (const auto floor = database::floorFromText(digits.substr(0, static_cast<std::size_t>(end - digits.data())))) {
                number.floor = floor->value;
                number.whole = floor->whole;
            }
        }
        if (code != std::errc{} || !std::isfinite(number.value))
            fail(signal.texts.empty() ? "a number" : "a number or one of its texts in quotes");
        lexer_.take();
        const std::string_view attached(end, static_cast<std::size_t>(digits.data() + digits.size() - end));
        if (!attached.empty())
            checkUnit(signal, attached, token.at + static_cast<std::size_t>(end - token.text.data()));
        else if (lexer_.peek().kind == Kind::word && !isReserved(lexer_.peek().text)) {
            const Token unit = lexer_.take();
            checkUnit(signal, unit.text, unit.at);
        }
        return number;
    }

    void checkUnit(const database::Signal& signal, std::string_view unit, std::size_t at)
    {
        if (unit == signal.unit)
            return;
        failAt(at,
            "the unit of " + signal.name + (signal.unit.empty() ? std::string(" is none") : " is " + signal.unit) + ", not '"
                + std::string(unit) + "'",
            "Leave the unit out or write the database's");
    }

    std::string_view text_;
    Lexer lexer_;
    unsigned conditions_ = 0;
    const database::Catalog& catalog_;
    NamedFilters named_;
    Understood out_;
};

}  // namespace

Expected<Understood> parse(std::string_view text, const database::Catalog& catalog, const NamedFilters& named)
{
    return Parser(text, catalog, named).run();
}

}  // namespace wavetrope::filter
