// SPDX-License-Identifier: GPL-3.0-or-later
// Buttons that stand in heads of views.
#pragma once

#include <QPushButton>

namespace wavetrope::app {

/// A button that reads as a link.
[[nodiscard]] QPushButton* linkButton(const QString& words, const char* name);
/// One that does what the rest of the view prepares.
[[nodiscard]] QPushButton* actingButton(const QString& words, const char* name);

}  // namespace wavetrope::app
