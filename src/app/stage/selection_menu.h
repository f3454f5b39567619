// SPDX-License-Identifier: GPL-3.0-or-later
// What can be done with a message, a signal or a node, wherever it is shown.
#pragma once

#include <QMenu>

#include "app/stage/stage.h"

namespace wavetrope::app {

/// Adds to a menu: draw it, show it alone, open or make its definition, copy its name. Nothing where nothing is selected.
void addSelectionActions(QMenu& menu, Stage& stage, const Selection& selection);

}  // namespace wavetrope::app
