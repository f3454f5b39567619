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

/// Where the takes of a rig's recordings go: the folder "takes" beside its file, or the user's own where it has none.
[[nodiscard]] QString takesFolder(const rig::Rig& rig);

/// A live run of a rig, kept so, paced by the wall clock times a factor; its recordings are armed.
[[nodiscard]] inline Expected<std::unique_ptr<rig::RunDocument>> liveRun(const rig::Rig& rig, double factor = 1.0)
{
    // A rig without recordings may be given some while it runs.
    rig::TakesOptions takes;
    takes.folder = takesFolder(rig).toStdString();
    return rig::RunDocument::live(rig, factor, keepingOptions(), std::move(takes));
}

}  // namespace wavetrope::app
