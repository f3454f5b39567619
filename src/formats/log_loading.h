// SPDX-License-Identifier: GPL-3.0-or-later
// Loads logs into a trace: the one way for windows, runs and commands.
#pragma once

#include <functional>
#include <optional>

#include "formats/merged_logs.h"
#include "formats/trace_sink.h"

namespace wavetrope::formats {

/// What to hear of while logs are loaded, on the thread that loads.
struct LoadHooks {
    /// How much was read; false ends the reading, and what was read stays.
    std::function<bool(std::uint64_t done, std::uint64_t total)> progress;
    /// Rows came into the trace.
    std::function<void()> rows;
};

/// What a loading came to.
struct LoadReport : ReadReport {
    std::optional<Error> full;      ///< Why not all of it is there, where memory did not suffice.
};

/// Reads a log as it is, or several as one in the order of time. Of one, its part's layout is that of the options.
[[nodiscard]] Expected<ReadReport> readParts(const std::vector<LogPart>& parts, LogSink& sink, ReadOptions options = {});

/// Loads a log as it is, or several as one in the order of time, and returns when that is done. The first part's path
/// stands in errors.
[[nodiscard]] Expected<LoadReport> loadLogs(
    const std::vector<LogPart>& parts, trace::Trace& trace, const LoadHooks& hooks = {}, ReadOptions options = {});

}  // namespace wavetrope::formats
