// SPDX-License-Identifier: GPL-3.0-or-later
// Gathers frames, so that a sink is called once for many.
#pragma once

#include <array>

#include "formats/log_format.h"

namespace wavetrope::formats {

/// Collects up to 512 frames and hands them on. `flush` before their payloads move.
class FrameBatch {
public:
    explicit FrameBatch(LogSink& sink) : sink_(sink) {}
    [[nodiscard]] can::FrameView& next() { return frames_[count_]; }
    void commit()
    {
        ++total_;
        if (++count_ == frames_.size())
            flush();
    }
    void flush()
    {
        if (count_ > 0)
            sink_.onFrames({frames_.data(), count_});
        count_ = 0;
    }
    [[nodiscard]] std::uint64_t total() const { return total_; }

private:
    LogSink& sink_;
    std::array<can::FrameView, 512> frames_{};
    std::size_t count_ = 0;
    std::uint64_t total_ = 0;
};

}  // namespace wavetrope::formats
