// SPDX-License-Identifier: GPL-3.0-or-later
// Names of the files that a recording writes.
#pragma once

#include <cstdint>
#include <string>

#include "base/error.h"
#include "base/time.h"

namespace wavetrope::record {

/// A name as a part of a file name: what does not fit there is `_`, and it is no longer than 120 bytes. It leads nowhere else.
[[nodiscard]] std::string fileNameOf(const std::string& name);

/// What a pattern may ask for.
struct FileFacts {
    std::string recording;          ///< Its name.
    std::string condition;          ///< What the take began by.
    std::uint64_t take = 1;
    std::uint64_t number = 1;       ///< Of the file, over the run.
    Time begins{};                  ///< Of the file; told in local time, or in UTC where `utc` is set.
    bool utc = false;
};

/// "{recording}-{date}-{number}.pcapng" with its parts filled in: recording, condition, take, number, date (20270201-180000).
/// The name stays within the folder. An error names a part that is not known.
[[nodiscard]] Expected<std::string> fileNameFrom(const std::string& pattern, const FileFacts& facts);

}  // namespace wavetrope::record
