// SPDX-License-Identifier: GPL-3.0-or-later
// How times and raw numbers are written, the same in all views.
#pragma once

#include <QString>

#include <cstdint>
#include <string>

#include "can/frame.h"

namespace wavetrope::app {

/// Seconds, "72.261795 s", or minutes and seconds, "1:12.261795".
enum class TimeForm : std::uint8_t { seconds, minutes };
enum class NumberBase : std::uint8_t { hexadecimal, decimal };

/// What the user settled on. Another choice is told by `Theme::changed`, since it changes what stands in every view.
[[nodiscard]] TimeForm timeForm();
void setTimeForm(TimeForm form);
/// Of payload bytes; a stream may show its own in another way.
[[nodiscard]] NumberBase byteBase();
void setByteBase(NumberBase base);
/// Of the raw values of signals.
[[nodiscard]] NumberBase rawBase();
void setRawBase(NumberBase base);

/// A time since the start without its unit, for a column whose head tells it.
[[nodiscard]] QString timeText(double seconds, int decimals);
/// The same as it stands in a sentence, with its unit.
[[nodiscard]] QString timeWords(double seconds, int decimals);
/// "time, s", the head of such a column.
[[nodiscard]] QString timeHead(const QString& name);
/// A moment with its date, UTC: "2031-02-05 10:20:30.123456".
[[nodiscard]] QString dateText(Time time);
/// The same where a stamp is one of a clock; seconds where it counts from a start, as before 1973.
[[nodiscard]] QString momentText(Time time);
/// A byte as two digits, or as a number.
[[nodiscard]] QString byteText(unsigned byte);
/// A raw value of a signal, or its bits.
[[nodiscard]] QString rawText(const std::string& decimal, std::uint64_t bits, unsigned length);

}  // namespace wavetrope::app
