// SPDX-License-Identifier: GPL-3.0-or-later
// Reads logs into a trace.
#pragma once

#include <deque>
#include <future>

#include "formats/log_format.h"

namespace wavetrope::formats {

/// Bytes that a trace may take on this machine: three quarters of its memory.
[[nodiscard]] std::size_t memoryBound();

/// A sink that appends to a trace, until that takes so many bytes, or all traces of the program take what the machine
/// allows. Where frames come as stretches, its first segment grows
/// row by row, so that there is something to look at, and the others are filled apart from it on several threads.
class TraceSink : public LogSink {
public:
    explicit TraceSink(trace::Trace& trace, std::size_t bound = memoryBound()) : trace_(trace), bound_(bound) {}
    std::uint8_t onBus(const trace::TraceBus& bus) override { return trace_.addBus(bus); }
    void onFrames(std::span<const can::FrameView> frames) override;
    void onStretch(std::shared_ptr<const Stretch> stretch, Workers& workers) override;
    void onEnd() override;
    bool onProgress(std::uint64_t, std::uint64_t) override { return !full_; }
    /// Whether there was more than the bound allows; what came before is in the trace.
    [[nodiscard]] bool full() const { return full_; }
    /// That in words.
    [[nodiscard]] Error fullness(const std::string& path) const;

protected:
    /// Rows came into the trace.
    virtual void onRows() {}

private:
    // Part of a stretch that waits until there is enough for a segment.
    struct Piece {
        std::shared_ptr<const Stretch> stretch;
        std::span<const can::FrameView> frames;
    };
    void append(std::span<const can::FrameView> frames);
    void fill();
    void publish(std::size_t left);
    void lookAtMemory();

    trace::Trace& trace_;
    std::size_t bound_;
    std::uint64_t looked_ = 0;      // segment in which the memory was looked at last
    bool full_ = false;
    Workers* workers_ = nullptr;
    std::vector<Piece> gathered_;
    std::size_t gatheredRows_ = 0;
    std::deque<std::future<trace::FilledSegment>> filling_;
};

}  // namespace wavetrope::formats
