// SPDX-License-Identifier: GPL-3.0-or-later
// How live runs are kept, as the user settled on.
#pragma once

#include <QString>

#include <optional>

#include "rig/run_document.h"

namespace wavetrope::app {

/// Where the settings stand.
struct KeepingKeys {
    static inline const QString on = QStringLiteral("keeping/on"), memory = QStringLiteral("keeping/memoryMB"),
                                folder = QStringLiteral("keeping/folder"), leaveFree = QStringLiteral("keeping/leaveFreeMB");
};

/// Memory in millions of bytes where nothing else was said.
[[nodiscard]] double usualMemory();

/// How the next live run is kept; empty where it shall stay in memory alone.
[[nodiscard]] std::optional<spool::SpoolOptions> keepingOptions();

/// A live run of a rig, kept so, paced by the wall clock times a factor.
[[nodiscard]] inline Expected<std::unique_ptr<rig::RunDocument>> liveRun(const rig::Rig& rig, double factor = 1.0)
{
    return rig::RunDocument::live(rig, factor, keepingOptions());
}

}  // namespace wavetrope::app
