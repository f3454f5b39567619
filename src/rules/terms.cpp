// SPDX-License-Identifier: GPL-3.0-or-later
#include "rules/terms.h"

#include <algorithm>

#include "base/nearest_name.h"
#include "filter/lexer.h"

namespace wavetrope::rules {

namespace {

using Kind = filter::Token::Kind;

constexpr unsigned deepest = 200;
constexpr std::size_t mostNames = 1000;
constexpr std::size_t longest = 65536;

bool isJoining(std::string_view word) { return word == "and" || word == "or" || word == "not"; }

// Thrown and caught inside this file only.
struct Mistake {
    std::size_t at;
    std::string what;
    std::string remedy;
};

}  // namespace

class TermsParser {
public:
    TermsParser(std::string_view text, std::span<const std::string> names) : text_(text), lexer_(text), names_(names) {}

    Expected<Terms> run()
    {
        try {
            if (text_.size() > longest)
                throw Mistake{longest, "the expression is longer than 64 KiB", {}};
            out_.text_ = text_;
            out_.root_ = either(0);
            if (lexer_.peek().kind != Kind::end)
                expected("'and', 'or' or the end of the expression");
            return std::move(out_);
        } catch (const Mistake& mistake) {
            return tl::unexpected(Error{mistake.what, "expression", 0, filter::columnOf(text_, mistake.at), mistake.remedy});
        }
    }

private:
    [[noreturn]] void expected(const std::string& wanted)
    {
        const filter::Token& token = lexer_.peek();
        const bool open = token.kind == Kind::text && lexer_.openQuote();
        throw Mistake{token.at,
            "expected " + wanted + ", found "
                + (token.kind == Kind::end ? "the end"
                    : open                 ? "a name without its closing quote"
                                           : "'" + std::string(token.text.substr(0, 40)) + "'"),
            {}};
    }
    bool tryWord(std::string_view word)
    {
        if (lexer_.peek().kind != Kind::word || lexer_.peek().text != word)
            return false;
        lexer_.take();
        return true;
    }
    bool tryMark(std::string_view mark)
    {
        if (lexer_.peek().kind != Kind::mark || lexer_.peek().text != mark)
            return false;
        lexer_.take();
        return true;
    }
    int add(Terms::Node node)
    {
        out_.nodes_.push_back(node);
        return static_cast<int>(out_.nodes_.size()) - 1;
    }
    int either(unsigned depth)
    {
        int left = both(depth);
        while (tryWord("or")) {
            const int right = both(depth);
            left = add({Terms::Node::Kind::either, left, right});
        }
        return left;
    }
    int both(unsigned depth)
    {
        int left = single(depth);
        while (tryWord("and")) {
            const int right = single(depth);
            left = add({Terms::Node::Kind::both, left, right});
        }
        return left;
    }
    int single(unsigned depth)
    {
        if (depth > deepest)
            throw Mistake{lexer_.peek().at, "the expression is nested more than 200 levels deep", {}};
        if (tryWord("not"))
            return add({Terms::Node::Kind::negation, single(depth + 1)});
        if (tryMark("(")) {
            const int inner = either(depth + 1);
            if (!tryMark(")"))
                expected("')'");
            return inner;
        }
        return name();
    }
    int name()
    {
        const filter::Token& next = lexer_.peek();
        const bool quoted = next.kind == Kind::text && !lexer_.openQuote();
        if (!quoted && (next.kind != Kind::word || isJoining(next.text)))
            expected("the name of a condition");
        const filter::Token token = lexer_.take();
        const auto found = std::find(names_.begin(), names_.end(), token.text);
        if (found == names_.end()) {
            const std::vector<std::string> all(names_.begin(), names_.end());
            std::string remedy = didYouMean(token.text, all);
            if (remedy.empty())
                remedy = all.empty() ? "The rig has no conditions" : "A name with blanks stands in double quotes";
            throw Mistake{token.at, "there is no condition '" + std::string(token.text.substr(0, 80)) + "'", remedy};
        }
        if (++count_ > mostNames)
            throw Mistake{token.at, "the expression has more than 1000 names", {}};
        const auto condition = static_cast<std::size_t>(found - names_.begin());
        if (std::find(out_.conditions_.begin(), out_.conditions_.end(), condition) == out_.conditions_.end())
            out_.conditions_.push_back(condition);
        return add({Terms::Node::Kind::name, static_cast<int>(condition)});
    }

    std::string_view text_;
    filter::Lexer lexer_;
    std::span<const std::string> names_;
    std::size_t count_ = 0;
    Terms out_;
};

Expected<Terms> Terms::parse(std::string_view text, std::span<const std::string> names) { return TermsParser(text, names).run(); }

std::string renamed(std::string_view text, std::string_view from, const std::string& to)
{
    std::string out;
    std::size_t copied = 0;
    filter::Lexer lexer(text);
    while (lexer.peek().kind != Kind::end && !(lexer.peek().kind == Kind::text && lexer.openQuote())) {
        const filter::Token token = lexer.take();
        const bool quoted = token.kind == Kind::text;
        if (token.text != from || (!quoted && (token.kind != Kind::word || isJoining(token.text))))
            continue;
        out += text.substr(copied, token.at - copied);
        out += quotedName(to);
        copied = token.at + token.text.size() + (quoted ? 2 : 0);
    }
    out += text.substr(copied);
    return out;
}

std::string quotedName(const std::string& name)
{
    filter::Lexer lexer(name);
    const filter::Token token = lexer.take();
    const bool plain = token.kind == Kind::word && token.text == name && !isJoining(name);
    return plain ? name : '"' + name + '"';
}

}  // namespace wavetrope::rules
