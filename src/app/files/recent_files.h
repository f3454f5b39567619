// SPDX-License-Identifier: GPL-3.0-or-later
// Files that were opened or saved last.
#pragma once

#include <QStringList>

namespace wavetrope::app {

/// The newest first.
[[nodiscard]] QStringList recentFiles();
void noteRecentFile(const QString& path);
/// The rig of the demo, where it is: beside the installed program, or in the source tree that it was built in; else empty.
[[nodiscard]] QString demoRig();

}  // namespace wavetrope::app
