// SPDX-License-Identifier: GPL-3.0-or-later
// What is done on purpose to what a node sends.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "base/error.h"
#include "base/time.h"

namespace wavetrope::drive {

/// A signal of a node that is held at a value, for a while or for good.
struct Manipulation {
    std::string node;
    std::string message;            ///< Or a raw frame by its identifier.
    std::string signal;             ///< Or a byte of a raw frame by its number.
    std::string value;              ///< As it is typed: `3.5 mm`, `"open"`, `0x1F`.
    std::optional<Time> from, to;   ///< Since the run's begin: beats in [from, to).
    std::string text;               ///< All of it.
};

/// Reads `NODE MESSAGE.SIGNAL = VALUE`, with `from 10s`, `to 12s`, both or none behind it. Names with blanks stand in quotes.
[[nodiscard]] Expected<Manipulation> manipulationFromText(std::string_view text);

}  // namespace wavetrope::drive
