// SPDX-License-Identifier: GPL-3.0-or-later
// Several logs read as one.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "formats/log_format.h"
#include "formats/text_layout.h"

namespace wavetrope::formats {

/// One of them.
struct LogPart {
    std::string path;
    Time offset{0};                ///< Added to its time stamps.
    bool ownBuses = false;              ///< Its buses are others than those of the same name in the other logs.
    std::optional<TextLayout> layout;   ///< Of a log of text.
};

inline constexpr std::size_t mostLogs = 64;

/// Reads logs side by side and delivers their frames in the order of time; within a log the order is the file's. Buses of
/// one name are one bus, unless a log has its own; a bus without a name is called after its file. An error where one of
/// them cannot be read at all; what is wrong further in is a warning, and the others are read to their ends.
[[nodiscard]] Expected<ReadReport> readLogs(const std::vector<LogPart>& parts, LogSink& sink, const ReadOptions& options = {});

}  // namespace wavetrope::formats
