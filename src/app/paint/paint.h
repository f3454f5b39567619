// SPDX-License-Identifier: GPL-3.0-or-later
// Small drawings that several views share.
#pragma once

#include <QPainter>
#include <QRectF>
#include <QString>

#include <array>
#include <vector>

#include "app/theme/theme.h"
#include "can/frame.h"
#include "database/catalog.h"
#include "measure/events.h"
#include "measure/identifier_stats.h"

namespace wavetrope::app {

/// The letter of a bus in a box of its hue.
void paintBusBadge(QPainter& painter, const QRectF& box, const BusMark& mark);
/// The mark of what is worked out from others, and of no bus.
void paintDerivedBadge(QPainter& painter, const QRectF& box);
/// Text on one line, elided in the middle where it does not fit.
void paintText(QPainter& painter, const QRectF& box, const QString& text, const QFont& font, const QColor& colour,
    Qt::Alignment alignment = Qt::AlignLeft | Qt::AlignVCenter);
/// Fills a box with the tint of a field. Those that some eyes cannot tell apart have a texture, too: strokes, or dots.
void paintTint(QPainter& painter, const QRectF& box, std::size_t field);

/// For how long something has been silent, in seconds, as words that fit a width whatever it is: never a part of them.
[[nodiscard]] QString silentText(double seconds, const QFont& font, double width);

/// What a flag stands for, told by its shape as well as by its hue: a diamond is wrong, a triangle a condition of the rig, a
/// dot a note. What is wrong: an error frame, a burst, beats that were missed.
enum class Flag : std::uint8_t { wrong, condition, note };
[[nodiscard]] Flag flagOf(const measure::Event& event);
void paintFlag(QPainter& painter, const QPointF& centre, double size, Flag flag);
/// An outlined mark for a warning.
void paintWarning(QPainter& painter, const QPointF& centre, double size);

/// A lever: what stands there is changed on purpose. Its size is that of a badge.
void paintLever(QPainter& painter, const QPointF& centre, const QColor& colour);

/// A payload in a row: each byte two rows of four cells, inked when 1, underlined where it changed lately, grey where
/// it never did. Longer payloads are folded to one cell a byte.
void paintBitLattice(QPainter& painter, const QRectF& box, const std::uint8_t* data, unsigned length, const measure::BitMask& lately,
    const measure::BitMask& ever);

/// Arrivals against the beat: the last two dozen beats before `at`; a missed one is an outlined hole. Where it is known what was refused,
/// holes stand at those moments and nowhere else.
void paintRhythm(
    QPainter& painter, const QRectF& box, const std::vector<Time>& beats, Time period, Time at, const std::vector<Time>* refused = nullptr);

/// Width of the lattice of a classic payload.
[[nodiscard]] double latticeWidth();

/// A number of seconds: "72.261795".
[[nodiscard]] QString secondsText(double seconds, int decimals);
/// A value with the digits that its scaling can carry, without unit.
[[nodiscard]] QString valueText(double value, double factor);
/// "1 error", "3 errors".
[[nodiscard]] QString counted(std::uint64_t count, const char* what);
/// What a signal says: its text, or its value with the unit.
[[nodiscard]] QString readingText(const database::Signal& signal, std::uint64_t bits, double value);
[[nodiscard]] inline QString readingText(const database::Signal& signal, const database::Decoded& decoded)
{
    return readingText(signal, decoded.bits, decoded.value);
}
/// Signals of a frame as a few words: "BladeDepth 3.22 mm, SideTilt -0.40 deg", as many as fit in `room` pixels.
[[nodiscard]] QString signalWords(const database::CatalogMessage& message, can::Payload payload, const QFont& font, double room);
/// What a line of its own says of a value: the value with its unit, its meaning, the raw value, and how it stands to the
/// range that the database gives ("above 60"); empty parts where there is nothing to say.
[[nodiscard]] QStringList signalParts(const database::CatalogMessage& message, const database::Decoded& decoded);
/// The same, painted under its message.
void paintSignalLine(QPainter& painter, const QRectF& box, const database::CatalogMessage& message, const database::Decoded& decoded);
/// 408,112
[[nodiscard]] QString countText(std::uint64_t count);

}  // namespace wavetrope::app
