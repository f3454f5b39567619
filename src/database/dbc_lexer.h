// Splits the text of a .dbc file into words, numbers, strings and marks.
#pragma once

#include <cstdint>
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
};

/// Reads tokens one after the other from text that outlives it.
class DbcLexer {
public:
    explicit DbcLexer(std::string_view text);

    [[nodiscard]] const DbcToken& peek() const { return current_; }
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
    bool freshLine_ = true;
    DbcToken current_;
};

/// Undoes the escapes of a string and turns its bytes into UTF-8.
[[nodiscard]] std::string dbcText(std::string_view raw, bool utf8);
/// Whether the whole text is well-formed UTF-8.
[[nodiscard]] bool isUtf8(std::string_view text);

}  // namespace wavetrope::database
