// SPDX-License-Identifier: GPL-3.0-or-later
// The plotting library's header, which uses Qt's short keywords; this program does not, since `signals` is a word of
// its trade.
#pragma once

#define signals Q_SIGNALS
#define slots Q_SLOTS
#define emit
#define foreach Q_FOREACH
#include <qcustomplot.h>
#undef foreach
#undef emit
#undef slots
#undef signals
