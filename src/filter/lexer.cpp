// SPDX-License-Identifier: GPL-3.0-or-later
#include "filter/lexer.h"

namespace wavetrope::filter {

namespace {

bool isSpace(char c) { return c == ' ' || c == '\t' || c == '\n' || c == '\r'; }
bool isMark(char c) { return c == '(' || c == ')' || c == '<' || c == '>' || c == '=' || c == '!'; }

}  // namespace

int columnOf(std::string_view text, std::size_t at)
{
    int column = 1;
    for (std::size_t i = 0; i < at && i < text.size(); ++i)
        if ((static_cast<unsigned char>(text[i]) & 0xC0U) != 0x80U)
            ++column;
    return column;
}

Token Lexer::take()
{
    const Token token = current_;
    advance();
    return token;
}

void Lexer::advance()
{
    while (at_ < text_.size() && isSpace(text_[at_]))
        ++at_;
    current_ = {Token::Kind::end, {}, at_};
    if (at_ >= text_.size())
        return;
    const std::size_t start = at_;
    const char c = text_[at_];
    if (c == '"') {
        const std::size_t end = text_.find('"', at_ + 1);
        current_.kind = Token::Kind::text;
        if (end == std::string_view::npos) {
            openQuote_ = true;
            current_.text = text_.substr(at_ + 1);
            at_ = text_.size();
        } else {
            current_.text = text_.substr(at_ + 1, end - at_ - 1);
            at_ = end + 1;
        }
    } else if (isMark(c)) {
        current_.kind = Token::Kind::mark;
        ++at_;
        if ((c == '<' || c == '>' || c == '!' || c == '=') && at_ < text_.size() && text_[at_] == '=')
            ++at_;
        current_.text = text_.substr(start, at_ - start);
    } else {
        current_.kind = Token::Kind::word;
        while (at_ < text_.size() && !isSpace(text_[at_]) && !isMark(text_[at_]) && text_[at_] != '"')
            ++at_;
        current_.text = text_.substr(start, at_ - start);
    }
}

}  // namespace wavetrope::filter
