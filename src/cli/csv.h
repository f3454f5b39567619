// SPDX-License-Identifier: GPL-3.0-or-later
// Comma-separated values after RFC 4180, lines ended with \n.
#pragma once

#include <cstdint>
#include <cstdio>
#include <initializer_list>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/csv_text.h"

namespace wavetrope::cli {

/// Puts fields into rows of text.
class CsvText {
public:
    void field(std::string_view text)
    {
        if (!first_)
            text_ += ',';
        first_ = false;
        appendCsvField(text_, text);
    }
    void endRow()
    {
        text_ += '\n';
        first_ = true;
    }
    void row(std::initializer_list<std::string_view> fields)
    {
        for (const std::string_view text : fields)
            field(text);
        endRow();
    }
    /// Rows that are text already.
    void raw(std::string_view rows) { text_ += rows; }
    [[nodiscard]] std::size_t size() const { return text_.size(); }
    /// What was put in so far.
    [[nodiscard]] std::string take() { return std::exchange(text_, {}); }

private:
    std::string text_;
    bool first_ = true;
};

/// Bytes as pairs of hexadecimal digits.
[[nodiscard]] inline std::string hexOf(std::span<const std::uint8_t> bytes)
{
    static constexpr char digits[] = "0123456789ABCDEF";
    std::string out;
    out.reserve(2 * bytes.size());
    for (const std::uint8_t byte : bytes) {
        out += digits[byte >> 4U];
        out += digits[byte & 15U];
    }
    return out;
}

/// Writes rows to a stream through a buffer of its own.
class CsvWriter {
public:
    explicit CsvWriter(std::FILE* out) : out_(out) {}
    ~CsvWriter() { flush(); }
    CsvWriter(const CsvWriter&) = delete;
    CsvWriter& operator=(const CsvWriter&) = delete;

    void field(std::string_view text) { text_.field(text); }
    void endRow()
    {
        text_.endRow();
        if (text_.size() > 60'000)
            flush();
    }
    void row(std::initializer_list<std::string_view> fields)
    {
        text_.row(fields);
        if (text_.size() > 60'000)
            flush();
    }
    void raw(std::string_view rows)
    {
        text_.raw(rows);
        if (text_.size() > 60'000)
            flush();
    }
    void flush()
    {
        const std::string text = text_.take();
        good_ = good_ && std::fwrite(text.data(), 1, text.size(), out_) == text.size() && std::fflush(out_) == 0;
    }
    /// Whether all could be written so far.
    [[nodiscard]] bool good() const { return good_; }
    /// Writes what is left, and gives whether all could be written.
    [[nodiscard]] bool finish()
    {
        flush();
        return good_;
    }

private:
    std::FILE* out_;
    CsvText text_;
    bool good_ = true;
};

}  // namespace wavetrope::cli
