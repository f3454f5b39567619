// SPDX-License-Identifier: GPL-3.0-or-later
// Taking what is on the screen into a filter, and keeping filters in the rig.
#pragma once

#include <QMenu>

#include <string>

#include "app/stage/filter_line.h"
#include "app/stage/stage.h"

namespace wavetrope::app {

/// Adds "only this", "not this" and "also this" for a condition to a menu; they change the filter line.
void addNarrowing(QMenu& menu, FilterLine& line, const std::string& condition);
/// A name as it stands in a filter: in quotes where it needs them.
[[nodiscard]] std::string quotedName(const std::string& name);
/// Keeps a filter in the rig, or takes it out; all filter lines hear of it.
void keepFilter(Stage& stage, const QString& name, const QString& text);

}  // namespace wavetrope::app
