// SPDX-License-Identifier: GPL-3.0-or-later
// Splits a filter's text into tokens.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

namespace wavetrope::filter {

struct Token {
    enum class Kind : std::uint8_t { end, word, text, mark };
    Kind kind = Kind::end;
    std::string_view text;  ///< Without the quotes of a text.
    std::size_t at = 0;     ///< Byte offset in the filter.
};

/// Column of a byte of a text: characters, counted from 1.
[[nodiscard]] int columnOf(std::string_view text, std::size_t at);

/// One token at a time. A word is a run of anything but space, quotes, parentheses and comparison marks, so that
/// `0x200..0x2FF`, `Blade*`, `l/min` and `BladeState.BladeDepth` are words.
class Lexer {
public:
    explicit Lexer(std::string_view text) : text_(text) { advance(); }
    [[nodiscard]] const Token& peek() const { return current_; }
    Token take();
    /// True when a text lacks its closing quote.
    [[nodiscard]] bool openQuote() const { return openQuote_; }

private:
    void advance();
    std::string_view text_;
    std::size_t at_ = 0;
    bool openQuote_ = false;
    Token current_;
};

}  // namespace wavetrope::filter
