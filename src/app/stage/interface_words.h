// SPDX-License-Identifier: GPL-3.0-or-later
// How an interface of the machine is, in words and as a mark.
#pragma once

#include <QPainter>
#include <QString>

#include "bus/kernel_interfaces.h"

namespace wavetrope::app {

/// What an interface is doing, in words.
struct InterfaceWords {
    QString state;              ///< "alive", "down", "gone", "bus off".
    QString first;              ///< "500 kbit/s, sample point 87.5 %".
    QString second;             ///< "usb 1-2.1, error active, about 29 % load".
};
[[nodiscard]] InterfaceWords wordsOf(const bus::WatchedInterface& of);
/// "500 kbit/s", "500 kbit/s and 2 Mbit/s".
[[nodiscard]] QString rateWords(can::BitRate rate);
/// A mark for its state: joined, apart, or dotted where it is gone.
void paintPlug(QPainter& painter, const QRectF& box, const bus::WatchedInterface& of);

/// "09:41:07", by the clock of the place.
[[nodiscard]] QString clockText(Time time);

}  // namespace wavetrope::app
