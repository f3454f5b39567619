// Comma-separated values after RFC 4180, lines ended with \n.
#pragma once

#include <cstdio>
#include <initializer_list>
#include <string>
#include <string_view>
#include <vector>

#include "can/csv_text.h"

namespace wavetrope::cli {

/// Writes rows to a stream through a buffer of its own.
class CsvWriter {
public:
    explicit CsvWriter(std::FILE* out) : out_(out) {}
    ~CsvWriter() { flush(); }
    CsvWriter(const CsvWriter&) = delete;
    CsvWriter& operator=(const CsvWriter&) = delete;

    void field(std::string_view text);
    void endRow();
    void row(std::initializer_list<std::string_view> fields)
    {
        for (const std::string_view text : fields)
            field(text);
        endRow();
    }
    void flush();

private:
    std::FILE* out_;
    std::string buffer_;
    bool first_ = true;
};

inline void CsvWriter::field(std::string_view text)
{
    if (!first_)
        buffer_ += ',';
    first_ = false;
    can::appendCsvField(buffer_, text);
}

inline void CsvWriter::endRow()
{
    buffer_ += '\n';
    first_ = true;
    if (buffer_.size() > 60'000)
        flush();
}

inline void CsvWriter::flush()
{
    std::fwrite(buffer_.data(), 1, buffer_.size(), out_);
    std::fflush(out_);
    buffer_.clear();
}

}  // namespace wavetrope::cli
