// SPDX-License-Identifier: GPL-3.0-or-later
// What the columns of a text log look like.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "formats/text_layout.h"

namespace wavetrope::formats {

/// The lines, split by one separator.
struct Table {
    char separator = ' ';
    std::vector<std::string> keys;              ///< Names of the columns, where the lines have them
    std::vector<std::vector<std::string_view>> rows;
    std::vector<std::string_view> head;         ///< The line before the first row, where it fits the columns
    std::string everythingBefore;
    unsigned headLines = 0;
    std::size_t columns = 0;                    ///< That nine rows of ten have

    [[nodiscard]] std::string_view headOf(std::size_t column) const { return column < head.size() ? head[column] : std::string_view(); }
    [[nodiscard]] std::string_view cell(const std::vector<std::string_view>& row, std::size_t column) const
    {
        return column < row.size() ? row[column] : std::string_view();
    }
    /// Share of the rows whose cell of a column passes.
    template <class Test>
    [[nodiscard]] double share(std::size_t column, Test test) const
    {
        std::size_t passed = 0;
        for (const auto& row : rows)
            passed += test(cell(row, column)) ? 1 : 0;
        return static_cast<double>(passed) / static_cast<double>(rows.size());
    }
};

/// Empty where too few lines have the same columns.
[[nodiscard]] std::optional<Table> tableOf(const std::vector<std::string_view>& lines, char separator);

/// A column, and how sure it is.
struct Found {
    int column = -1;
    double confidence = 0;
    explicit operator bool() const { return column >= 0; }
};

/// Times: numbers that rise, or a clock.
struct FoundTime : Found {
    TimeForm form = TimeForm::seconds;
    bool decimalComma = false;
    bool sincePrevious = false;
    bool unitKnown = false;
    int fraction = -1;                          ///< The column with the part of the second
    TimeForm fractionForm = TimeForm::nanoseconds;
};

/// A payload, and the length that agrees with it.
struct FoundData : Found {
    Bytes bytes = Bytes::apart;
    Found length;
    bool lengthIsCode = false;
    unsigned word = 1;                          ///< Bytes of a column
};

/// Whether a cell is one byte.
[[nodiscard]] bool isByte(std::string_view cell);

[[nodiscard]] FoundTime findTime(const Table& table);
/// `time` and `identifier` are columns that are taken, or -1.
[[nodiscard]] FoundData findData(const Table& table, int time, int identifier);
[[nodiscard]] Found findIdentifier(const Table& table, int time);
/// A column of a meaning that is told by its words, among those that the layout leaves free.
[[nodiscard]] Found findWords(const Table& table, const TextLayout& layout, Meaning meaning);

}  // namespace wavetrope::formats
