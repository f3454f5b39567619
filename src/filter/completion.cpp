// SPDX-License-Identifier: GPL-3.0-or-later
#include "filter/completion.h"

#include <algorithm>
#include <cctype>
#include <set>

#include "filter/language.h"
#include "filter/lexer.h"

namespace wavetrope::filter {

namespace {

using Kind = Token::Kind;

bool beginsWith(std::string_view text, std::string_view with)
{
    return text.size() >= with.size() && std::equal(with.begin(), with.end(), text.begin(), [](char a, char b) {
        return std::tolower(static_cast<unsigned char>(a)) == std::tolower(static_cast<unsigned char>(b));
    });
}

std::string quotedIfNeeded(const std::string& name)
{
    return name.find_first_of(" ()<>=!\"") == std::string::npos && !name.empty() ? name : '"' + name + '"';
}

bool isComparison(const Token& token)
{
    return (token.kind == Kind::mark && token.text != "(" && token.text != ")") || (token.kind == Kind::word && token.text == "between");
}

class Finder {
public:
    Finder(std::string_view text, std::size_t cursor, const database::Catalog& catalog, const NamedFilters::Map& named, std::size_t most)
        : catalog_(catalog), named_(named), most_(most)
    {
        cursor = std::min(cursor, text.size());
        Lexer lexer(text.substr(0, cursor));
        for (; lexer.peek().kind != Kind::end; lexer.take())
            before_.push_back(lexer.peek());
        out_.from = cursor;
        // A word that the cursor touches is being typed; so is a text without its closing quote.
        if (!before_.empty()) {
            const Token& last = before_.back();
            const bool open = last.kind == Kind::text && lexer.openQuote();
            if (open || (last.kind == Kind::word && last.at + last.text.size() == cursor)) {
                typed_ = last.text;
                quoted_ = open;
                out_.from = last.at;
                before_.pop_back();
            }
        }
        // What follows the cursor without a gap goes with it.
        std::size_t end = cursor;
        while (end < text.size() && !std::isspace(static_cast<unsigned char>(text[end]))
               && std::string_view("()<>=!\"").find(text[end]) == std::string_view::npos)
            ++end;
        out_.length = end - out_.from;
    }

    Completions run()
    {
        const Token* last = before_.empty() ? nullptr : &before_.back();
        const auto word = [&](std::size_t back, std::string_view what) {
            return before_.size() > back && before_[before_.size() - 1 - back].kind == Kind::word
                   && before_[before_.size() - 1 - back].text == what;
        };
        if (word(0, "bus"))
            buses();
        else if (word(0, "from"))
            nodes();
        else if (word(0, "name"))
            messages();
        else if (word(0, "kind"))
            list({{"data", "classic data frames"}, {"fd", "FD frames"}, {"remote", "remote requests"}, {"error", "error frames"}});
        else if (word(0, "per"))
            list({{"id", "for each identifier"}});
        else if (word(0, "changes"))
            list({{"by", "by at least so much"}}), joining();
        else if (word(0, "rises"))
            list({{"above", "a number"}});
        else if (word(0, "falls"))
            list({{"below", "a number"}});
        else if (last != nullptr && isComparison(*last) && before_.size() > 1)
            values(before_[before_.size() - 2]);
        else if (last == nullptr || (last->kind == Kind::mark && last->text == "(") || word(0, "and") || word(0, "or") || word(0, "not"))
            conditions();
        else if ((signalOf(*last) != nullptr || catalog_.findDerived(last->text) >= 0) && !behindValue())
            list({{">", "compare"}, {"<", "compare"}, {"=", "compare"}, {"between", "two numbers, joined by and"},
                {"changes", "another value than before"}, {"rises above", "a number"}, {"falls below", "a number"}});
        else
            unit(), joining();
        return std::move(out_);
    }

private:
    void add(const std::string& text, const std::string& hint)
    {
        std::string_view bare = text;
        if (quoted_ && !bare.empty() && bare.front() == '"')
            bare.remove_prefix(1);
        if (out_.choices.size() < most_ && beginsWith(bare, typed_) && bare != typed_)
            out_.choices.push_back({text, hint});
    }
    void list(std::initializer_list<std::pair<const char*, const char*>> words)
    {
        for (const auto& [word, hint] : words)
            add(word, hint);
    }
    void buses()
    {
        for (std::size_t bus = 0; bus < catalog_.busCount(); ++bus)
            add(quotedIfNeeded(catalog_.busName(static_cast<std::uint8_t>(bus))), "bus");
    }
    void nodes()
    {
        std::set<std::string> names;
        for (std::size_t bus = 0; bus < catalog_.busCount(); ++bus)
            for (const auto& database : catalog_.databases(static_cast<std::uint8_t>(bus)))
                for (const database::Node& node : database->nodes)
                    names.insert(node.name);
        for (const std::string& name : names)
            add(quotedIfNeeded(name), "node");
    }
    void messages()
    {
        for (const database::CatalogMessage& message : catalog_.messages())
            add(quotedIfNeeded(message.message->name), can::toText(message.message->id) + " on " + catalog_.busName(message.bus));
    }
    void conditions()
    {
        std::string_view last;
        for (const Construct& construct : constructs())
            if (construct.kind == Construct::Kind::condition && construct.word != last) {
                last = construct.word;
                add(std::string(construct.word), std::string(construct.passes.substr(0, construct.passes.find(';'))));
            }
        add("not", "what the condition does not pass");
        for (const auto& [name, text] : named_)
            add(name.find(' ') == std::string::npos ? '@' + name : "@\"" + name + '"', text);
        signals();
    }
    // By the signal's own name where one message alone has it, else with the message.
    void signals()
    {
        if (out_.choices.size() >= most_ || typed_.empty())
            return;
        const bool dotted = typed_.find('.') != std::string_view::npos;
        for (const database::DerivedSignal& derived : catalog_.derived())
            if (!derived.problem && beginsWith(derived.spec.name, typed_))
                add(derived.spec.name, derived.spec.unit.empty() ? "derived signal" : "derived signal in " + derived.spec.unit);
        for (const database::CatalogMessage& message : catalog_.messages()) {
            for (const database::Signal& signal : message.message->signals) {
                if (out_.choices.size() >= most_)
                    return;
                const std::string whole = message.message->name + '.' + signal.name;
                if (dotted ? !beginsWith(whole, typed_) : !beginsWith(signal.name, typed_) && !beginsWith(message.message->name, typed_))
                    continue;
                const bool byItself = !dotted && beginsWith(signal.name, typed_) && catalog_.findSignals(signal.name).size() == 1;
                add(byItself ? signal.name : whole,
                    (signal.unit.empty() ? std::string("signal") : "signal in " + signal.unit) + " of " + message.message->name);
                if (!byItself && !dotted && beginsWith(signal.name, typed_) && out_.choices.size() < most_)
                    out_.choices.push_back({whole, (signal.unit.empty() ? std::string("signal") : "signal in " + signal.unit)});
            }
        }
    }
    [[nodiscard]] const database::Signal* signalOf(const Token& token) const
    {
        if (token.kind != Kind::word)
            return nullptr;
        const auto found = catalog_.findSignals(token.text);
        return found.empty() ? nullptr : &found.front().signal();
    }
    // Whether the last word is the name that another condition asked for.
    [[nodiscard]] bool behindValue() const
    {
        if (before_.size() < 2)
            return false;
        const Token& previous = before_[before_.size() - 2];
        return isComparison(previous)
               || (previous.kind == Kind::word && (previous.text == "name" || previous.text == "from" || previous.text == "bus"));
    }
    void values(const Token& of)
    {
        if (const database::Signal* signal = signalOf(of))
            for (const database::ValueText& text : signal->texts)
                add('"' + text.text + '"', database::wholeText(text.value));
    }
    void unit()
    {
        if (before_.size() < 3 || before_.back().kind != Kind::word || !isComparison(before_[before_.size() - 2]))
            return;
        if (const database::Signal* signal = signalOf(before_[before_.size() - 3]); signal != nullptr && !signal->unit.empty())
            add(signal->unit, "unit of " + signal->name);
    }
    void joining()
    {
        list(
            {{"and", "both"}, {"or", "either"}, {"every", "every n-th, last in a filter"}, {"first", "the first alone, last in a filter"}});
    }

    const database::Catalog& catalog_;
    const NamedFilters::Map& named_;
    std::size_t most_;
    std::vector<Token> before_;
    std::string_view typed_;
    bool quoted_ = false;
    Completions out_;
};

}  // namespace

Completions complete(
    std::string_view text, std::size_t cursor, const database::Catalog& catalog, const NamedFilters::Map& named, std::size_t most)
{
    return Finder(text, cursor, catalog, named, most).run();
}

}  // namespace wavetrope::filter
