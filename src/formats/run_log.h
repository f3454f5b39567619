// SPDX-License-Identifier: GPL-3.0-or-later
// A run as it is kept beside memory, read as a log.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "formats/log_format.h"

namespace wavetrope::formats {

/// What stands at the head of a run's file.
struct RunAbout {
    std::vector<trace::TraceBus> buses;
    std::string rig;                ///< Path of the rig's document; empty for none.
    std::string title;              ///< The rig's name.
    Time begins{};             ///< Instant from which its times count.
    std::int64_t startedAt = 0;     ///< Wall clock, seconds since 1970-01-01 UTC.
};

inline constexpr const char* runExtension = ".wtrun";
/// What stands beside a run's file: its newest rows, whose segment is not complete.
[[nodiscard]] std::string tailOf(const std::string& runPath);

/// The first bytes of a run's file or its tail.
[[nodiscard]] std::vector<std::uint8_t> runHead(const RunAbout& about);
/// The same read again: what it says, and how many bytes it takes. An error names what is wrong.
[[nodiscard]] Expected<std::pair<RunAbout, std::size_t>> readRunHead(ByteSource& source);

/// How many rows a run's file and its tail hold, by the heads of their blocks alone.
struct RunExtent {
    RunAbout about;
    std::uint64_t rows = 0;
    std::uint64_t bytes = 0;
};
[[nodiscard]] Expected<RunExtent> runExtent(const std::string& path);

/// Reads a run that was not saved, with its tail. There is no encoder: runs are saved as logs of the other formats.
[[nodiscard]] LogFormat runLogFormat();

}  // namespace wavetrope::formats
