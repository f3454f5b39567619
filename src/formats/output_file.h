// SPDX-License-Identifier: GPL-3.0-or-later
// A file that is being written, compressed where its name says so.
#pragma once

#include <chrono>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "formats/compression.h"
#include "formats/log_format.h"

namespace wavetrope::formats {

/// Stands beside its place (name + ".part") until it is finished, so that a file of that name is always whole. A name
/// that ends in ".gz" or ".zst" is written compressed. What `flush` has handed to the system survives the end of the
/// program; a compressed file is handed on once a second at most.
class OutputFile final : public ByteTarget {
public:
    [[nodiscard]] static Expected<std::unique_ptr<OutputFile>> create(const std::string& path);
    /// Without `finish`, the part stays where it is.
    ~OutputFile() override;
    OutputFile(const OutputFile&) = delete;
    OutputFile& operator=(const OutputFile&) = delete;

    void write(std::span<const std::uint8_t> bytes) override;
    void write(std::string_view text) { write({reinterpret_cast<const std::uint8_t*>(text.data()), text.size()}); }
    /// Hands everything to the system. An error when the disk is full or gone; what was written before stays readable.
    [[nodiscard]] Expected<void> flush();
    /// Whether all went well so far.
    [[nodiscard]] bool good() const { return failure_ == 0; }
    /// Flushes, waits for the disk, closes and renames.
    [[nodiscard]] Expected<void> finish();
    /// Closes and removes the part.
    void discard();

    [[nodiscard]] const std::string& path() const { return path_; }
    /// Bytes written so far, compressed ones as such.
    [[nodiscard]] std::uint64_t bytes() const { return written_ + buffer_.size(); }

private:
    OutputFile(std::string path, int file);
    void drain(Deflater::Until until);
    void close();

    std::string path_;
    int file_;
    int failure_ = 0;
    std::uint64_t written_ = 0;
    std::vector<std::uint8_t> buffer_;
    std::vector<std::size_t> ends_;     // in the buffer, of what was written at one go
    std::unique_ptr<Deflater> deflater_;
    std::chrono::steady_clock::time_point flushed_{};   // the first flush of all goes out at once
    std::vector<std::uint8_t> deflated_;
};

}  // namespace wavetrope::formats
