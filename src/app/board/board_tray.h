// SPDX-License-Identifier: GPL-3.0-or-later
// What can be put onto a board, as its tray offers it.
#pragma once

#include <QPainter>
#include <QRectF>
#include <QString>

#include <vector>

#include "board/board_spec.h"

namespace wavetrope::app {

struct TrayLine {
    const char* name;
    std::vector<board::Shown> kinds;
};
[[nodiscard]] const std::vector<TrayLine>& boardTray();
[[nodiscard]] QString kindName(board::Shown shown);
/// A small picture of a kind.
void paintKind(QPainter& painter, board::Shown shown, const QRectF& box);

}  // namespace wavetrope::app
