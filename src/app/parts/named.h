// SPDX-License-Identifier: GPL-3.0-or-later
// What a widget is called.
#pragma once

#include <QWidget>

namespace wavetrope::app {

/// Gives a widget its object name, and what it is for as tooltip and to assistive technology.
inline void named(QWidget* widget, const char* name, const QString& says)
{
    widget->setObjectName(QLatin1String(name));
    widget->setToolTip(says);
    widget->setAccessibleName(says);
}

}  // namespace wavetrope::app
