// SPDX-License-Identifier: GPL-3.0-or-later
#include "filter/narrow.h"

#include "filter/lexer.h"

namespace wavetrope::filter {

namespace {

// Where one of two words first stands outside of parentheses, or the end.
std::size_t placeOutside(std::string_view filter, std::string_view word, std::string_view otherWord)
{
    Lexer lexer(filter);
    int depth = 0;
    for (; lexer.peek().kind != Token::Kind::end; lexer.take()) {
        const Token& token = lexer.peek();
        if (token.kind == Token::Kind::mark)
            depth += token.text == "(" ? 1 : token.text == ")" ? -1 : 0;
        else if (token.kind == Token::Kind::word && depth == 0 && (token.text == word || token.text == otherWord))
            return token.at;
    }
    return filter.size();
}

std::string_view trimmed(std::string_view text)
{
    const auto from = text.find_first_not_of(" \t");
    return from == std::string_view::npos ? std::string_view{} : text.substr(from, text.find_last_not_of(" \t") - from + 1);
}

bool joins(std::string_view filter, std::string_view word) { return placeOutside(filter, word, word) < filter.size(); }

std::string grouped(std::string_view filter) { return joins(filter, "or") ? "(" + std::string(filter) + ")" : std::string(filter); }

}  // namespace

std::string narrowed(std::string_view filter, std::string_view condition, Narrow how)
{
    const std::size_t end = placeOutside(filter, "every", "first");    // a thinning stands behind everything else
    const std::string_view rest = trimmed(filter.substr(0, end));
    const std::string thinning = end < filter.size() ? " " + std::string(trimmed(filter.substr(end))) : "";
    const bool compound = joins(condition, "or") || joins(condition, "and");
    const std::string whole = compound ? "(" + std::string(condition) + ")" : std::string(condition);
    const std::string wanted = how == Narrow::notThis    ? "not " + whole
                               : how == Narrow::onlyThis ? grouped(condition)
                                                         : std::string(condition);
    if (rest.empty())
        return (how == Narrow::alsoThis ? std::string(condition) : how == Narrow::onlyThis ? std::string(condition) : wanted) + thinning;
    if (rest == wanted || rest == condition)
        return std::string(filter);
    if (how == Narrow::alsoThis)
        return std::string(rest) + " or " + wanted + thinning;
    return grouped(rest) + " and " + wanted + thinning;
}

}  // namespace wavetrope::filter
