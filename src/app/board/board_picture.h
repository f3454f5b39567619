// SPDX-License-Identifier: GPL-3.0-or-later
// Pictures that lie on a board.
#pragma once

#include <QPixmap>
#include <QString>

namespace wavetrope::app {

/// A picture file, SVG or PNG, at a size, kept for a while. What is too large or no picture gives its reason, and none.
[[nodiscard]] QPixmap boardPicture(const QString& path, const QSize& size, QString& problem);

}  // namespace wavetrope::app
