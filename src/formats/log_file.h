// SPDX-License-Identifier: GPL-3.0-or-later
// A log that is being written.
#pragma once

#include <memory>
#include <string>

#include "formats/log_format.h"
#include "formats/output_file.h"

namespace wavetrope::formats {

/// Writes frames to a file that stands beside its place until it is finished; its format follows from its name.
class LogFile {
public:
    /// Begins a file.
    /// A note stands inside of it where the format has a place for one.
    [[nodiscard]] static Expected<std::unique_ptr<LogFile>> create(
        const std::string& path, std::span<const trace::TraceBus> buses, const std::string& note = {});

    /// A bus that appears behind the beginning; its index is the next.
    void addBus(const trace::TraceBus& bus) { encoder_->bus(*file_, bus); }
    void write(const can::FrameView& frame) { ++(encoder_->frame(*file_, frame) ? frames_ : refused_); }
    /// Hands everything to the system. An error when the disk is full or gone; frames so far stay readable.
    [[nodiscard]] Expected<void> flush() { return file_->flush(); }
    /// Flushes, closes and renames.
    [[nodiscard]] Expected<void> finish() { return file_->finish(); }
    /// Closes and removes the part.
    void discard() { file_->discard(); }

    [[nodiscard]] bool good() const { return file_->good(); }
    [[nodiscard]] const std::string& path() const { return file_->path(); }
    [[nodiscard]] std::uint64_t frames() const { return frames_; }
    [[nodiscard]] std::uint64_t bytes() const { return file_->bytes(); }
    /// What the format cannot hold of these buses, in words.
    [[nodiscard]] std::string losses(std::span<const trace::TraceBus> buses) const { return encoder_->losses(buses); }
    /// Frames that were left out, since the format cannot hold their stamps, in words; empty where there are none.
    [[nodiscard]] std::string refused() const
    {
        return refused_ == 0 ? std::string()
                             : std::to_string(refused_) + (refused_ == 1 ? " frame was" : " frames were") + " left out: the format of "
                                   + path() + " holds times of " + encoder_->stamps() + " alone";
    }

private:
    LogFile(std::unique_ptr<OutputFile> file, std::unique_ptr<LogEncoder> encoder) : file_(std::move(file)), encoder_(std::move(encoder)) {}

    std::unique_ptr<OutputFile> file_;
    std::unique_ptr<LogEncoder> encoder_;
    std::uint64_t frames_ = 0;
    std::uint64_t refused_ = 0;
};

}  // namespace wavetrope::formats
