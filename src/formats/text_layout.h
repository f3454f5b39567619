// SPDX-License-Identifier: GPL-3.0-or-later
// How the lines of a text log are laid out.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/error.h"

namespace wavetrope::formats {

/// What a column says.
enum class Meaning : std::uint8_t {
    nothing,
    date,           ///< The day of a time of day in another column.
    time,
    channel,        ///< The bus, by number or name.
    direction,
    kind,           ///< Data, remote, error, FD, standard, extended, in words or letters.
    identifier,
    length,         ///< Bytes, or a length code.
    data,           ///< The first column of the payload, or its only one.
    bitRateSwitch,  ///< Of CAN FD, set or not.
    errorState,     ///< The error-state indicator of CAN FD, set or not.
    fraction,       ///< Behind whole seconds: the part of one, in units of `fractionForm`.
    fdFormat,       ///< Whether it is a frame of CAN FD, set or not.
    extendedId,     ///< Whether the identifier has 29 bits, set or not.
    remoteRequest,  ///< Whether it is a remote frame, set or not.
};
inline constexpr unsigned meaningCount = 15;

/// What a number of the time column counts.
enum class TimeForm : std::uint8_t {
    seconds,
    milliseconds,
    microseconds,
    nanoseconds,
    clock,          ///< Hours, minutes and seconds of a day, with a date before it or without.
};
enum class Base : std::uint8_t { hexadecimal, decimal };
/// How the bytes of a payload stand.
enum class Bytes : std::uint8_t {
    apart,          ///< One a column, from the data column on.
    together,       ///< All in one column, with signs between them or without.
};

/// A layout as it was recognised, or set by the user.
struct TextLayout {
    std::string name;                   ///< Under which it is kept; empty where it is not.
    char separator = ' ';               ///< ' ' stands for any run of blanks and tabs; '{', '<' and '=' for fields with names.
    std::vector<std::string> keys;      ///< Of JSON objects, of the attributes of tags, of name=value: a column each.
    bool decimalComma = false;
    unsigned headLines = 0;             ///< Lines before the first frame.
    std::vector<Meaning> columns;       ///< Those behind a payload that stands apart are not needed.
    TimeForm timeForm = TimeForm::seconds;
    TimeForm fractionForm = TimeForm::nanoseconds;
    bool sincePrevious = false;         ///< Times count from the line before.
    Base identifierBase = Base::hexadecimal;
    bool padded = false;                ///< Identifiers of 11 bits have eight digits too; else eight digits mean 29 bits.
    Base dataBase = Base::hexadecimal;
    Bytes bytes = Bytes::apart;
    unsigned word = 1;                  ///< Bytes of a column, of those that stand apart: 1, 2 or 4.
    bool wordsSwapped = false;          ///< The last byte of a word stands first.
    bool lengthIsCode = false;          ///< The length is a data length code: 9 to 15 stand for 12 to 64 bytes.

    /// Column of a meaning, or -1.
    [[nodiscard]] int columnOf(Meaning meaning) const;
    friend bool operator==(const TextLayout&, const TextLayout&) = default;
};

/// 1 to 12 for the name of a month, whole or its first three letters; 0 for other words.
[[nodiscard]] unsigned monthOf(std::string_view word);
/// "time", "identifier" and the like; "-" for a column that says nothing.
[[nodiscard]] const char* toText(Meaning meaning);
[[nodiscard]] const char* toText(TimeForm form);
/// "blanks", "tab", "comma", "semicolon", "bar".
[[nodiscard]] const char* separatorText(char separator);

/// The columns of a line. Signs that only enclose ("(", "[", quotes) are taken off; of "name=value" the value stays.
void splitLine(std::string_view line, char separator, std::vector<std::string_view>& columns);
/// The same by a layout, whose columns may have names.
void splitLine(std::string_view line, const TextLayout& layout, std::vector<std::string_view>& columns);
/// Whether a separator stands for fields with names.
[[nodiscard]] constexpr bool hasKeys(char separator) { return separator == '{' || separator == '<' || separator == '='; }
/// Name and value of the fields of a line: of a JSON object, those of objects in it among them; of the attributes of tags;
/// of name=value. Values come without quotes and brackets.
void fieldsOf(std::string_view line, char separator, std::vector<std::pair<std::string_view, std::string_view>>& fields);
/// Whether a line is of no interest by a layout: a remark, or brackets and tags around what is.
[[nodiscard]] bool isSkipped(std::string_view line, const TextLayout& layout);
/// Whether a line is empty or a remark ("#", "//", ";", "*", "%" in front).
[[nodiscard]] bool isRemark(std::string_view line);

/// As JSON, and back: what is kept.
[[nodiscard]] std::string toJson(const TextLayout& layout);
[[nodiscard]] Expected<TextLayout> layoutFromJson(std::string_view text, const std::string& where);

/// Layouts that are kept as files of a folder, one each.
class KeptLayouts {
public:
    /// Reads those of a folder; what is no layout is left out. The folder need not exist yet.
    explicit KeptLayouts(std::string folder);
    [[nodiscard]] const std::vector<TextLayout>& all() const { return layouts_; }
    /// Keeps one under its name, in place of another of that name. An error where the name is empty or the folder cannot
    /// be written to.
    [[nodiscard]] Expected<void> keep(const TextLayout& layout);

    /// Where a user's layouts are kept: below XDG_CONFIG_HOME, or ".config" of the home directory.
    [[nodiscard]] static std::string usualFolder();

private:
    std::string folder_;
    std::vector<TextLayout> layouts_;
};

}  // namespace wavetrope::formats
