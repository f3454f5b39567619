// SPDX-License-Identifier: GPL-3.0-or-later
// Texts of the core on the screen.
#pragma once

#include <QString>

#include <string>

namespace wavetrope::app {

[[nodiscard]] inline QString text(const std::string& words) { return QString::fromStdString(words); }

}  // namespace wavetrope::app
