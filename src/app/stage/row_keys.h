// SPDX-License-Identifier: GPL-3.0-or-later
// Keys of the window that send rows of the outbox.
#pragma once

#include <QString>

#include "app/stage/outbox_desk.h"

class QKeyEvent;

namespace wavetrope::app {

class Stage;

/// A key as rows name it, "f6" as "F6"; empty where it is none.
[[nodiscard]] QString rowKeyName(const QString& typed);
/// The key of a key that goes down or up; empty with modifiers other than Shift of a letter.
[[nodiscard]] QString rowKeyOf(const QKeyEvent& event);
/// Whether a row may have it: it is a key, and neither the window nor a condition nor another row has it. Says who has.
/// `item` is one of a board that may have it, by its board.
[[nodiscard]] Expected<void> checkRowKey(const Stage& stage, const QString& typed, OutboxDesk::Place place,
    const std::pair<QString, std::size_t>& item = {QString(), ~std::size_t{0}});
/// A key that nobody has; empty where there is none left.
[[nodiscard]] QString freeRowKey(const Stage& stage);

}  // namespace wavetrope::app
