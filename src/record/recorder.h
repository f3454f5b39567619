// SPDX-License-Identifier: GPL-3.0-or-later
// Writes frames to a log as they come.
#pragma once

#include <memory>
#include <span>
#include <string>

#include "filter/filter_stream.h"
#include "formats/log_file.h"

namespace wavetrope::record {

/// Takes the frames of a run one after the other and writes those that a filter passes, to a file that stands beside its
/// place until it is finished. What `flush` has written survives the end of the program. Needs no trace; any number may
/// record side by side.
class Recorder {
public:
    /// Begins a file for these buses. Times in the filter count from `origin`, the start of the run.
    [[nodiscard]] static Expected<std::unique_ptr<Recorder>> start(
        const std::string& path, std::span<const trace::TraceBus> buses, filter::Filter filter = {}, Time origin = {});

    /// The next frame. Each once, in the order of the run.
    void take(const can::FrameView& frame)
    {
        if (filter_.passes(frame))
            file_->write(frame);
    }
    /// A frame from before the recording began: not written, but the filter may ask for it.
    void remember(const can::FrameView& frame) { (void)filter_.passes(frame); }
    /// Whether what passes hangs on frames from before.
    [[nodiscard]] bool needsOthers() const { return filter_.filter().needsOthers(); }

    /// Hands what was taken to the system. An error when the disk is full or gone; frames so far stay readable.
    [[nodiscard]] Expected<void> flush() { return file_->flush(); }
    /// Writes the rest, and gives the file its name.
    [[nodiscard]] Expected<void> finish() { return file_->finish(); }

    [[nodiscard]] const std::string& path() const { return file_->path(); }
    [[nodiscard]] std::uint64_t frames() const { return file_->frames(); }
    /// Frames that the format could not hold, in words, or empty.
    [[nodiscard]] std::string refused() const { return file_->refused(); }
    [[nodiscard]] std::uint64_t bytes() const { return file_->bytes(); }

private:
    Recorder(std::unique_ptr<formats::LogFile> file, filter::Filter filter, Time origin)
        : file_(std::move(file)), filter_(std::move(filter), origin)
    {}
    std::unique_ptr<formats::LogFile> file_;
    filter::FilterStream filter_;
};

}  // namespace wavetrope::record
