// SPDX-License-Identifier: GPL-3.0-or-later
// The recordings of a run that go on, side by side, each to a file of its own.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "record/recorder.h"
#include "trace/trace.h"

namespace wavetrope::rig {

/// How a recording is doing.
struct RecordingReport {
    bool on = false;
    std::string path;
    std::uint64_t frames = 0;
    std::uint64_t bytes = 0;
    std::string problem;
};

/// Each frame of a trace is given to `take` behind being appended. Not thread-safe: the driving thread's.
class Recordings {
public:
    explicit Recordings(const trace::Trace& trace) : trace_(trace) {}

    /// Records what comes from now on, or of it what a filter passes.
    [[nodiscard]] Expected<void> begin(const std::string& path, const filter::Filter& passing, Time begins);
    /// Ends the recording to that file, or all of them where none is named. The first error is given; they end all the same.
    [[nodiscard]] Expected<void> finish(const std::string& path);

    void take(const can::FrameView& frame)
    {
        for (Ongoing& one : ongoing_)
            if (one.level && one.problem.empty())
                one.recorder->take(frame);
    }
    /// Behind a slice of time: those whose filter asks for frames from before are shown some of them, and all hand what they took to the system.
    void advance();
    /// The oldest first.
    [[nodiscard]] std::vector<RecordingReport> reports() const;

private:
    struct Ongoing {
        std::unique_ptr<record::Recorder> recorder;
        trace::Row from = 0;  // the first row that belongs to it
        trace::Row next = 0;  // the first that it has not seen; what comes is given to it once it has seen all
        bool level = false;
        std::string problem;  // ended early
    };
    void bringLevel(Ongoing& one, std::uint64_t most) const;

    const trace::Trace& trace_;
    std::vector<Ongoing> ongoing_;
};

}  // namespace wavetrope::rig
