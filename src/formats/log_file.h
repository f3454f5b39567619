// A log that is being written.
#pragma once

#include <memory>
#include <string>

#include "formats/log_format.h"

namespace wavetrope::formats {

/// Writes a log beside its place (name + ".part") and renames it when it is finished, so that a file of that name is
/// always whole. What `flush` has handed to the system survives the end of the program.
class LogFile {
public:
    /// Begins a file; its format follows from its name.
    [[nodiscard]] static Expected<std::unique_ptr<LogFile>> create(const std::string& path, std::span<const trace::TraceBus> buses);
    /// Without `finish`, the part stays where it is.
    ~LogFile();
    LogFile(const LogFile&) = delete;
    LogFile& operator=(const LogFile&) = delete;

    void write(const can::FrameView& frame);
    /// Hands everything to the system. An error when the disk is full or gone; frames so far stay readable.
    [[nodiscard]] Expected<void> flush();
    /// Flushes, closes and renames.
    [[nodiscard]] Expected<void> finish();
    /// Closes and removes the part.
    void discard();

    [[nodiscard]] const std::string& path() const { return path_; }
    [[nodiscard]] std::uint64_t frames() const { return frames_; }
    [[nodiscard]] std::uint64_t bytes() const;
    /// What the format cannot hold of these buses, in words.
    [[nodiscard]] const std::string& losses() const { return losses_; }

private:
    class Target;
    LogFile(std::string path, std::unique_ptr<Target> target, std::unique_ptr<LogEncoder> encoder);

    std::string path_;
    std::unique_ptr<Target> target_;
    std::unique_ptr<LogEncoder> encoder_;
    std::string losses_;
    std::uint64_t frames_ = 0;
};

}  // namespace wavetrope::formats
