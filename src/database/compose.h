// SPDX-License-Identifier: GPL-3.0-or-later
// A payload put together from values that somebody gives.
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/error.h"
#include "database/codec.h"
#include "database/database.h"

namespace wavetrope::database {

/// Raw bits that somebody gives a signal.
struct GivenBits {
    std::uint32_t signal = 0;
    std::uint64_t bits = 0;
    friend bool operator==(const GivenBits&, const GivenBits&) = default;
};

struct Composed {
    std::vector<std::uint8_t> payload;      ///< As long as the message; bits of no signal are 0.
    std::vector<std::uint32_t> unset;  ///< Signals in it that nobody gave, in the order of the message: they have their start values.
};

/// Puts a payload together: selectors first, given or at their start values, so that they say which signals are in it; of these, what is
/// given, and the start values of the others. An error where a signal is given that the selectors leave out, or whose bits the
/// payload has not.
[[nodiscard]] Expected<Composed> compose(const Message& message, const MessagePlan& plan, std::span<const GivenBits> given);

/// What a signal has that nobody gave: its start value, or 0 where its database says none.
[[nodiscard]] std::uint64_t startBitsOf(const Signal& signal, const SignalPlan& plan);
/// The same in words: "open from the database: start value", "0 mm, zero: no start value".
[[nodiscard]] std::string startWords(const Signal& signal, const SignalPlan& plan);
/// A physical value as people read it: the text of it, or a number with its unit.
[[nodiscard]] std::string readingOf(const Signal& signal, const SignalPlan& plan, std::uint64_t bits);

/// Raw bits of a value as it is typed: a number (decimal or 0x), with the unit of the signal behind it or without, or one of its texts; in
/// quotes or not. The nearest raw value is taken. An error where it is neither, or where the signal's bits cannot hold it.
[[nodiscard]] Expected<std::uint64_t> bitsFromText(const Signal& signal, const SignalPlan& plan, std::string_view text);
/// What a signal reads so many steps on, within its range and its bits: the power of ten near a hundredth of the range is a step, no finer than
/// its raw values; of a signal with texts, the next one that has a text.
[[nodiscard]] std::uint64_t steppedBits(const Signal& signal, const SignalPlan& plan, std::uint64_t bits, double steps);
/// Smallest and largest physical value that may be given: of the range of the database as far as the bits hold it, else of the bits.
[[nodiscard]] std::pair<double, double> rangeOf(const Signal& signal, const SignalPlan& plan);
/// Words about a value outside of the range that the database tells; empty where it lies inside, or none is told.
[[nodiscard]] std::string outsideWords(const Signal& signal, const SignalPlan& plan, std::uint64_t bits);

}  // namespace wavetrope::database
