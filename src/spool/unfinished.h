// SPDX-License-Identifier: GPL-3.0-or-later
// Runs that ended without their program: found, saved, discarded.
#pragma once

#include <chrono>
#include <cstdint>
#include <functional>
#include <string>
#include <vector>

#include "base/error.h"
#include "formats/run_log.h"

namespace wavetrope::spool {

/// A run that no program drives any more.
struct UnfinishedRun {
    std::string path;
    formats::RunAbout about;
    std::uint64_t rows = 0;
    std::uint64_t bytes = 0;
    std::string problem;            ///< Why nothing of it can be read; empty when it can.
    bool kept = false;              ///< Its user kept it on purpose when it ended; else something else ended it.
};

/// Those in a folder, the newest first. Ones without a frame are removed and not listed; one that is running is neither.
[[nodiscard]] std::vector<UnfinishedRun> unfinishedRuns(const std::string& folder);

/// Removes runs that were kept on purpose longer ago than a span. Gives how many.
std::size_t removeKeptBefore(const std::string& folder, std::chrono::seconds age);

/// Writes a run as a log of another format, whatever its size, without holding it in memory. `keepGoing(done, total)`
/// is asked now and then. A file of that name is replaced. The report tells the frames and what is missing of them.
[[nodiscard]] Expected<formats::ReadReport> saveRun(
    const UnfinishedRun& run, const std::string& path, const std::function<bool(std::uint64_t, std::uint64_t)>& keepGoing = {});

/// Removes a run for good. An error where it is running or cannot be removed.
[[nodiscard]] Expected<void> discardRun(const std::string& path);

}  // namespace wavetrope::spool
