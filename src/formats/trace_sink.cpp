// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/trace_sink.h"

#include <unistd.h>

#include <algorithm>

namespace wavetrope::formats {

std::size_t memoryBound()
{
    const long pages = ::sysconf(_SC_PHYS_PAGES);
    const long size = ::sysconf(_SC_PAGESIZE);
    return pages <= 0 || size <= 0 ? std::size_t{1} << 32U : static_cast<std::size_t>(pages) / 4 * 3 * static_cast<std::size_t>(size);
}

void TraceSink::onFrames(std::span<const can::FrameView> frames)
{
    onEnd();  // what came before comes first
    append(frames);
}

void TraceSink::append(std::span<const can::FrameView> frames)
{
    if (full_ || frames.empty())
        return;
    for (const can::FrameView& frame : frames)
        trace_.append(frame);
    lookAtMemory();
    onRows();
}

void TraceSink::onStretch(std::shared_ptr<const Stretch> stretch, Workers& workers)
{
    workers_ = &workers;
    std::span<const can::FrameView> frames = stretch->frames;
    if (const std::uint64_t rows = trace_.rows(); rows == 0 || rows % trace::segmentRows != 0) {
        // No segment is being filled: it would begin behind this one.
        const auto serial = frames.first(std::min<std::size_t>(frames.size(), trace::segmentRows - rows % trace::segmentRows));
        append(serial);
        frames = frames.subspan(serial.size());
    }
    while (!frames.empty() && !full_) {
        const auto part = frames.first(std::min<std::size_t>(frames.size(), trace::segmentRows - gatheredRows_));
        gathered_.push_back({stretch, part});
        gatheredRows_ += part.size();
        frames = frames.subspan(part.size());
        if (gatheredRows_ == trace::segmentRows)
            fill();
    }
}

void TraceSink::fill()
{
    filling_.push_back(workers_->submit([pieces = std::exchange(gathered_, {})] {
        std::vector<std::span<const can::FrameView>> stretches;
        for (const Piece& piece : pieces)
            stretches.push_back(piece.frames);
        return trace::fillSegment(stretches);
    }));
    gatheredRows_ = 0;
    publish(workers_->count() == 1 ? 0 : 2 * workers_->count());
}

void TraceSink::publish(std::size_t left)
{
    while (filling_.size() > left) {
        trace::FilledSegment filled = workers_->wait(filling_.front());
        filling_.pop_front();
        if (full_)
            continue;
        trace_.append(std::move(filled));
        lookAtMemory();
        onRows();
    }
}

void TraceSink::onEnd()
{
    publish(0);
    for (const Piece& piece : std::exchange(gathered_, {}))
        append(piece.frames);
    gatheredRows_ = 0;
}

void TraceSink::lookAtMemory()
{
    if (const std::uint64_t segment = trace_.rows() / trace::segmentRows; segment != looked_) {
        looked_ = segment;
        full_ = trace_.memory() > bound_ || trace::memoryOfSegments() > memoryBound();
    }
}

Error TraceSink::fullness(const std::string& path) const
{
    const bool others = trace_.memory() <= bound_ / 2;
    return {(others ? "what is open takes as much memory as this machine allows; the log's first "
                    : "the log is larger than this machine's memory allows; its first ")
                + std::to_string(trace_.rows()) + " frames were read",
        path, 0, 0,
        others ? "Close other windows, and open it again" : "Convert a part of it by time or filter on a larger machine, or cut it"};
}

}  // namespace wavetrope::formats
