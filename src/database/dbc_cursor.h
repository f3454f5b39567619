// Takes tokens of a .dbc text by what is expected of them.
#pragma once

#include <charconv>
#include <cmath>
#include <string>

#include "database/dbc_lexer.h"

namespace wavetrope::database {

/// Thrown inside the reader alone, where a token is not what was expected; the loop over the statements catches it.
struct DbcExpectation {
    std::string what;
};

/// The lexer with expectations.
class DbcCursor {
public:
    using Kind = DbcToken::Kind;

    explicit DbcCursor(std::string_view text) : lexer(text), utf8(isUtf8(text)) {}

    DbcLexer lexer;
    bool utf8;

    [[nodiscard]] const DbcToken& peek() const { return lexer.peek(); }
    [[nodiscard]] bool at(Kind kind) const { return lexer.peek().kind == kind; }
    [[nodiscard]] bool atWord(std::string_view text) const { return at(Kind::word) && lexer.peek().text == text; }

    [[noreturn]] void expected(const std::string& what) const
    {
        const DbcToken& token = lexer.peek();
        const std::string found = token.kind == Kind::end ? "the end of the file" : "'" + dbcText(token.text.substr(0, 40), utf8) + "'";
        throw DbcExpectation{"expected " + what + ", found " + found};
    }
    DbcToken word(const char* what)
    {
        if (!at(Kind::word))
            expected(what);
        return lexer.take();
    }
    std::string name(const char* what) { return dbcText(word(what).text, utf8); }
    void mark(char c)
    {
        if (!tryMark(c))
            expected(std::string("'") + c + "'");
    }
    bool tryMark(char c)
    {
        if (!at(Kind::mark) || lexer.peek().text[0] != c)
            return false;
        lexer.take();
        return true;
    }
    std::string string(const char* what)
    {
        if (!at(Kind::string))
            expected(what);
        if (!lexer.peek().closed)
            throw DbcExpectation{std::string("expected ") + what + ", and its closing quote before the end of the file"};
        return dbcText(lexer.take().text, utf8);
    }
    double number(const char* what)
    {
        if (!at(Kind::number))
            expected(what);
        std::string_view text = lexer.peek().text;
        if (text.front() == '+')
            text.remove_prefix(1);
        double value = 0;
        const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value);
        if (end != text.data() + text.size() || (code != std::errc{} && code != std::errc::result_out_of_range) || !std::isfinite(value))
            expected(what);
        lexer.take();
        return value;
    }
    std::uint64_t whole(const char* what, std::uint64_t limit)
    {
        if (!at(Kind::number))
            expected(what);
        const std::string_view text = lexer.peek().text;
        std::uint64_t value = 0;
        const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value);
        if (code != std::errc{} || end != text.data() + text.size() || value > limit)
            expected(std::string(what) + " of 0 to " + std::to_string(limit));
        lexer.take();
        return value;
    }
    /// A value of a text entry: exact to 64 bits where it is written as an integer.
    std::int64_t value(const char* what)
    {
        if (at(Kind::number)) {
            std::string_view text = lexer.peek().text;
            if (text.front() == '+')
                text.remove_prefix(1);
            std::int64_t exact = 0;
            if (const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), exact); code == std::errc{} && end == text.data() + text.size()) {
                lexer.take();
                return exact;
            }
            std::uint64_t large = 0;
            if (const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), large); code == std::errc{} && end == text.data() + text.size()) {
                lexer.take();
                return static_cast<std::int64_t>(large);
            }
        }
        const double inexact = number(what);
        return inexact >= 9.2e18 ? INT64_MAX : inexact <= -9.2e18 ? INT64_MIN : static_cast<std::int64_t>(inexact);
    }
};

}  // namespace wavetrope::database
