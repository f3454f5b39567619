// SPDX-License-Identifier: GPL-3.0-or-later
// Sizes that the screen has room for.
#pragma once

#include <QGuiApplication>
#include <QScreen>
#include <QWidget>

namespace wavetrope::app {

/// As much of a wanted size as the widget's screen has room for, the window's own frame counted.
[[nodiscard]] inline QSize withinScreen(const QWidget& widget, QSize wanted)
{
    const QScreen* at = widget.screen() != nullptr ? widget.screen() : QGuiApplication::primaryScreen();
    return at != nullptr ? wanted.boundedTo(at->availableSize() - QSize(8, 40)) : wanted;
}

}  // namespace wavetrope::app
