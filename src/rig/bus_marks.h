// SPDX-License-Identifier: GPL-3.0-or-later
// By which letter and hue the buses of a rig are told apart.
#pragma once

#include <vector>

#include "rig/rig.h"

namespace wavetrope::rig {

inline constexpr unsigned busHues = 8;

/// How a bus is marked wherever it appears.
struct BusMark {
    char letter = 'A';          ///< A to Z or a digit.
    unsigned hue = 0;           ///< Of `busHues`, counted from 0.
    bool again = false;         ///< A bus before it has that hue: its border is dashed.
    friend bool operator==(const BusMark&, const BusMark&) = default;
};

/// The mark of a place, where nothing was chosen: the first bus is A in the first hue. The ninth starts over.
[[nodiscard]] BusMark markOfPlace(std::size_t place);
/// The marks of all buses, in their order. What a bus has chosen it has; else its mark is that of its place, with the first
/// free letter where that of its place was chosen by another.
[[nodiscard]] std::vector<BusMark> marksOf(const std::vector<BusSpec>& buses);

}  // namespace wavetrope::rig
