// SPDX-License-Identifier: GPL-3.0-or-later
// Takes tokens of a .dbc text by what is expected of them.
#pragma once

#include <charconv>
#include <cmath>
#include <string>

#include "database/dbc_lexer.h"
#include "database/scale.h"

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
    /// `exact` becomes the text where the shortest one of the double is another number.
    double number(const char* what, std::string* exact = nullptr)
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
        if (code == std::errc::result_out_of_range)
            expected(std::string(what) + " that a double can hold, 2.3e-308 to 1.7e308 in size");
        if (exact != nullptr && text.size() > 15)
            *exact = exactDecimal(text, value);
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
    /// A raw value of a text entry, exact to 64 bits; nothing where it is no whole number of -2^63 to 2^64 - 1.
    std::optional<RawValue> value(const char* what)
    {
        if (!at(Kind::number))
            expected(what);
        return wholeFromText(lexer.take().text);
    }
};

}  // namespace wavetrope::database
