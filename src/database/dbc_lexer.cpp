// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/dbc_lexer.h"

#include <array>

namespace wavetrope::database {

namespace {

// What each byte can be part of, looked up once for each byte of the file.
enum Class : std::uint8_t { wordStart = 1, digit = 2, blank = 4, lineEnd = 8, ofNumber = 16 };
constexpr auto classes = [] {
    std::array<std::uint8_t, 256> table{};
    for (unsigned c = 0; c < 256; ++c) {
        if ((c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_' || c >= 0x80)
            table[c] |= wordStart;
        if (c >= '0' && c <= '9')
            table[c] |= digit | ofNumber;
    }
    for (const char c : {' ', '\t', '\f', '\v', '\0'})
        table[static_cast<unsigned char>(c)] |= blank;
    for (const char c : {'\n', '\r'})
        table[static_cast<unsigned char>(c)] |= lineEnd;
    for (const char c : {'.', 'e', 'E'})
        table[static_cast<unsigned char>(c)] |= ofNumber;
    return table;
}();

bool is(char c, unsigned kinds) { return (classes[static_cast<unsigned char>(c)] & kinds) != 0; }
bool isWordStart(char c) { return is(c, wordStart); }
bool isDigit(char c) { return is(c, digit); }
bool isWord(char c) { return is(c, wordStart | digit); }

// What code page 1252 has between 0x80 and 0x9F.
constexpr std::array<std::uint16_t, 32> page1252 = {0x20AC, 0x81, 0x201A, 0x0192, 0x201E, 0x2026, 0x2020, 0x2021, 0x02C6, 0x2030, 0x0160,
    0x2039, 0x0152, 0x8D, 0x017D, 0x8F, 0x90, 0x2018, 0x2019, 0x201C, 0x201D, 0x2022, 0x2013, 0x2014, 0x02DC, 0x2122, 0x0161, 0x203A,
    0x0153, 0x9D, 0x017E, 0x0178};

void appendUtf8(std::string& out, unsigned code)
{
    if (code < 0x80) {
        out += static_cast<char>(code);
    } else if (code < 0x800) {
        out += static_cast<char>(0xC0 | (code >> 6));
        out += static_cast<char>(0x80 | (code & 0x3F));
    } else {
        out += static_cast<char>(0xE0 | (code >> 12));
        out += static_cast<char>(0x80 | ((code >> 6) & 0x3F));
        out += static_cast<char>(0x80 | (code & 0x3F));
    }
}

}  // namespace

DbcLexer::DbcLexer(std::string_view text) : text_(text)
{
    if (text_.substr(0, 3) == "\xEF\xBB\xBF")
        at_ = lineStart_ = 3;
    advance();
}

void DbcLexer::advance()
{
    while (at_ < text_.size()) {
        const char c = text_[at_];
        if (is(c, lineEnd)) {
            if (c == '\r' && at_ + 1 < text_.size() && text_[at_ + 1] == '\n')
                ++at_;
            ++at_;
            ++line_;
            lineStart_ = at_;
            freshLine_ = true;
        } else if (is(c, blank)) {
            ++at_;
        } else {
            break;
        }
    }
    current_ = {};
    current_.line = line_;
    current_.column = static_cast<int>(at_ - lineStart_) + 1;
    current_.firstOnLine = freshLine_;
    current_.begin = current_.end = at_;
    freshLine_ = false;
    if (at_ >= text_.size())
        return;

    const char c = text_[at_];
    const std::size_t start = at_;
    if (c == '"') {
        current_.kind = DbcToken::Kind::string;
        ++at_;
        while (at_ < text_.size() && text_[at_] != '"') {
            if (text_[at_] == '\\' && at_ + 1 < text_.size() && (text_[at_ + 1] == '"' || text_[at_ + 1] == '\\'))
                ++at_;
            if (text_[at_] == '\n' || (text_[at_] == '\r' && (at_ + 1 >= text_.size() || text_[at_ + 1] != '\n'))) {
                ++line_;
                lineStart_ = at_ + 1;
            }
            ++at_;
        }
        current_.text = text_.substr(start + 1, at_ - start - 1);
        if (at_ < text_.size())
            ++at_;
        else
            current_.closed = false;
    } else if (isWordStart(c)) {
        current_.kind = DbcToken::Kind::word;
        while (at_ < text_.size() && isWord(text_[at_]))
            ++at_;
        current_.text = text_.substr(start, at_ - start);
    } else if (isDigit(c)
               || ((c == '-' || c == '+' || c == '.') && at_ + 1 < text_.size() && (isDigit(text_[at_ + 1]) || text_[at_ + 1] == '.'))) {
        current_.kind = DbcToken::Kind::number;
        ++at_;
        while (at_ < text_.size()) {
            const char d = text_[at_];
            const char before = text_[at_ - 1];
            if (is(d, ofNumber) || ((d == '+' || d == '-') && (before == 'e' || before == 'E')))
                ++at_;
            else
                break;
        }
        current_.text = text_.substr(start, at_ - start);
    } else {
        current_.kind = DbcToken::Kind::mark;
        ++at_;
        current_.text = text_.substr(start, 1);
    }
    current_.end = at_;
}

void DbcLexer::seek(const Place& place)
{
    at_ = place.at;
    lineStart_ = place.lineStart;
    line_ = place.line;
    freshLine_ = place.firstOnLine;
    advance();
}

DbcToken DbcLexer::take()
{
    const DbcToken token = current_;
    taken_ = token.end;
    if (token.kind != DbcToken::Kind::end)
        advance();
    return token;
}

void DbcLexer::skipLine()
{
    while (current_.kind != DbcToken::Kind::end && !current_.firstOnLine)
        advance();
}

void DbcLexer::recover()
{
    while (current_.kind != DbcToken::Kind::end) {
        if (current_.kind == DbcToken::Kind::mark && current_.text == ";") {
            take();
            return;
        }
        if (current_.firstOnLine && current_.kind == DbcToken::Kind::word && current_.text.size() > 2 && current_.text.back() == '_')
            return;
        advance();
    }
}

std::string dbcText(std::string_view raw, bool utf8)
{
    if (utf8 && raw.find('\\') == std::string_view::npos)
        return std::string(raw);
    std::string out;
    for (std::size_t i = 0; i < raw.size(); ++i) {
        if (raw[i] == '\\' && i + 1 < raw.size() && (raw[i + 1] == '"' || raw[i + 1] == '\\'))
            ++i;
        const auto byte = static_cast<unsigned char>(raw[i]);
        if (utf8 || byte < 0x80)
            out += raw[i];
        else
            appendUtf8(out, byte < 0xA0 ? page1252[byte - 0x80U] : byte);
    }
    return out;
}

std::string dbcQuoted(std::string_view text)
{
    std::string out = "\"";
    for (const char c : text) {
        if (c == '"' || c == '\\')
            out += '\\';
        out += c;
    }
    return out + '"';
}

std::optional<std::string> dbcBytes(std::string_view text, bool utf8)
{
    if (utf8)
        return std::string(text);
    std::string out;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const auto byte = static_cast<unsigned char>(text[i]);
        if (byte < 0x80) {
            out += text[i];
            continue;
        }
        const unsigned more = byte >= 0xF0 ? 3 : byte >= 0xE0 ? 2 : 1;
        if (i + more >= text.size() || more == 3)
            return std::nullopt;
        unsigned code = byte & (more == 2 ? 0x0FU : 0x1FU);
        for (unsigned k = 0; k < more; ++k)
            code = code << 6 | (static_cast<unsigned char>(text[++i]) & 0x3FU);
        if (code >= 0xA0 && code <= 0xFF) {
            out += static_cast<char>(code);
            continue;
        }
        unsigned slot = 0;
        while (slot < page1252.size() && page1252[slot] != code)
            ++slot;
        if (slot == page1252.size())
            return std::nullopt;
        out += static_cast<char>(0x80 + slot);
    }
    return out;
}

bool isUtf8(std::string_view text)
{
    for (std::size_t i = 0; i < text.size(); ++i) {
        const auto byte = static_cast<unsigned char>(text[i]);
        unsigned more = 0;
        if (byte < 0x80)
            continue;
        if (byte >= 0xC2 && byte < 0xE0)
            more = 1;
        else if (byte >= 0xE0 && byte < 0xF0)
            more = 2;
        else if (byte >= 0xF0 && byte < 0xF5)
            more = 3;
        else
            return false;
        for (; more > 0; --more)
            if (++i >= text.size() || (static_cast<unsigned char>(text[i]) & 0xC0U) != 0x80U)
                return false;
    }
    return true;
}

}  // namespace wavetrope::database
