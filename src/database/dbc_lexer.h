// SPDX-License-Identifier: GPL-3.0-or-later
// Splits the text of a .dbc file into words, numbers, strings and marks.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace wavetrope::database {

/// One token, with the place it starts at.
struct DbcToken {
    enum class Kind : std::uint8_t { end, word, number, string, mark };
    Kind kind = Kind::end;
    std::string_view text;      ///< As in the file; of a string what is between the quotes, escapes still in.
    int line = 1;
    int column = 1;
    bool firstOnLine = false;
    bool closed = true;         ///< False for a string that the end of the file cuts off.
    std::size_t begin = 0;      ///< Where it lies in the text, quotes included.
    std::size_t end = 0;
};

/// Reads tokens one after the other from text that outlives it.
class DbcLexer {
public:
    explicit DbcLexer(std::string_view text);

    /// A place to come back to.
    struct Place {
        std::size_t at = 0;
        std::size_t lineStart = 0;
        int line = 1;
        bool firstOnLine = false;
    };
    /// Place of the token that is next.
    [[nodiscard]] Place place() const
    {
        return {current_.begin, current_.begin - static_cast<std::size_t>(current_.column - 1), current_.line, current_.firstOnLine};
    }
    void seek(const Place& place);

    [[nodiscard]] const DbcToken& peek() const { return current_; }
    /// Where the last token that was taken ends.
    [[nodiscard]] std::size_t taken() const { return taken_; }
    DbcToken take();
    /// Skips to the next token that is first on its line.
    void skipLine();
    /// Behind a bad statement: to a word that starts a line and is written like a keyword, or behind a semicolon.
    void recover();

private:
    void advance();

    std::string_view text_;
    std::size_t at_ = 0;
    int line_ = 1;
    std::size_t lineStart_ = 0;
    std::size_t taken_ = 0;
    bool freshLine_ = true;
    DbcToken current_;
};

/// Undoes the escapes of a string and turns its bytes into UTF-8.
[[nodiscard]] std::string dbcText(std::string_view raw, bool utf8);
/// Puts the escapes back and turns UTF-8 into the file's bytes; nothing when code page 1252 has no place for a character.
[[nodiscard]] std::optional<std::string> dbcBytes(std::string_view text, bool utf8);
/// A text in quotes, its quotes and backslashes escaped.
[[nodiscard]] std::string dbcQuoted(std::string_view text);
/// Whether the whole text is well-formed UTF-8.
[[nodiscard]] bool isUtf8(std::string_view text);

}  // namespace wavetrope::database
