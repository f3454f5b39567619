// SPDX-License-Identifier: GPL-3.0-or-later
// How far the reading of a log is.
#pragma once

#include "formats/byte_source.h"
#include "formats/log_format.h"

namespace wavetrope::formats {

/// Tells a sink of it, each megabyte of the log.
class Progress {
public:
    Progress(const ByteSource& source, LogSink& sink) : source_(source), sink_(sink) {}

    /// False when the sink wants no more.
    [[nodiscard]] bool goesOn()
    {
        if (source_.position() < next_)
            return true;
        next_ = source_.position() + (1U << 20);
        return sink_.onProgress(source_.done(), source_.total());
    }
    void end() { sink_.onProgress(source_.total(), source_.total()); }

private:
    const ByteSource& source_;
    LogSink& sink_;
    std::uint64_t next_ = 0;
};

}  // namespace wavetrope::formats
