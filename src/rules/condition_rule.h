// SPDX-License-Identifier: GPL-3.0-or-later
// What a named condition of a rig hangs on.
#pragma once

#include <cstdint>
#include <string>

#include "base/time.h"
#include "filter/filter.h"

namespace wavetrope::rules {

enum class ConditionKind : std::uint8_t {
    frames,         ///< Frames that a filter passes, held for a time.
    silent,         ///< No frame that a filter passes, for a time.
    load,           ///< The load of a bus above a share, over a span.
    state,          ///< The state of a bus.
    begins,         ///< The run begins.
    after,          ///< So long behind the run's begin, and from there on.
    every,          ///< Every so often.
    disk,           ///< The disk is nearly full.
    lost,           ///< Frames were lost.
    key,            ///< A key in the window.
    word,           ///< A word from outside.
};

/// States of a bus that a condition may wait for.
enum class BusState : std::uint8_t { errorPassive, busOff, gone };

/// A named condition, ready to be followed. See docs/recordings.md for what each kind means.
struct ConditionRule {
    std::string name;
    ConditionKind kind = ConditionKind::frames;
    filter::Filter filter{};        ///< Of frames and silence.
    Time span{};                    ///< Hold time, length of a silence, span of a load, `after`, `every`.
    Time stays{};                   ///< How long it counts as true behind the instant at which it last was.
    int bus = -1;                   ///< Of a load or state; -1: none of the trace's, so that it never is true.
    double percent = 0;             ///< Of a load: above this it is true.
    BusState state = BusState::busOff;
    std::string word{};             ///< The key, or the word from outside.
    std::string text{};             ///< The filter as it was written; where empty, that of `filter`.
    std::string busName{};          ///< As it was written.
    bool known = true;              ///< False: it speaks of what this trace has not, and is never true.

    /// Whether it is true at instants alone and over no stretch of time.
    [[nodiscard]] bool momentary() const;
    /// How it reads: "Chatter > 6 mm/s for 100 ms".
    [[nodiscard]] std::string words() const;
};

/// The longest span of a load.
inline constexpr Time longestLoadSpan = std::chrono::seconds(60);

/// "error passive", "bus off" or "gone".
[[nodiscard]] const char* toText(BusState state);

}  // namespace wavetrope::rules
