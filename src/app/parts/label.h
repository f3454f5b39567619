// SPDX-License-Identifier: GPL-3.0-or-later
// How a label is written.
#pragma once

#include <QLabel>

namespace wavetrope::app {

/// In a font and a colour of the theme; again with each of its changes.
inline void writeLabel(QLabel* label, const QFont& font, const QColor& colour)
{
    label->setFont(font);
    QPalette palette = label->palette();
    palette.setColor(QPalette::WindowText, colour);
    label->setPalette(palette);
}

}  // namespace wavetrope::app
