// SPDX-License-Identifier: GPL-3.0-or-later
// What is done on purpose to what a node sends.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "base/error.h"
#include "base/time.h"

namespace wavetrope::drive {

/// A message of a node, or a signal of it, that is not as the node would send it, for a while or for good.
struct Manipulation {
    enum class What : std::uint8_t {
        hold,       ///< The signal has a value.
        add,        ///< Its value and another one.
        scale,      ///< Its value times a factor.
        stuck,      ///< It stays as it is in the first frame.
        wrong,      ///< All its bits the other way round; nothing is made right behind that.
        off,        ///< The message is not sent.
        later,      ///< It is sent so much later.
        again,      ///< It is sent once more.
    };
    What what = What::hold;
    std::string node;
    std::string message;            ///< Or a raw frame by its identifier.
    std::string signal;             ///< Or a byte of a raw frame by its number; empty where the whole message is meant.
    std::string value;              ///< Of `hold`, as it is typed: `3.5 mm`, `"open"`, `0x1F`.
    double number = 0;              ///< Of `add` and `scale`, physical.
    Time delay{};                   ///< Of `later`.
    std::optional<Time> from, to;   ///< Since the run's begin: beats in [from, to).
    std::optional<std::uint64_t> times;     ///< So many frames at most.
    std::string text;               ///< All of it.
};

/// Reads `NODE MESSAGE.SIGNAL = VALUE`, `+ NUMBER`, `- NUMBER`, `* NUMBER`, `stuck`, `wrong`, and `NODE MESSAGE off`, `later SPAN`, `again`; with
/// `3 times`, `from 10s` and `to 12s` behind it, in this order. Names with blanks stand in quotes.
[[nodiscard]] Expected<Manipulation> manipulationFromText(std::string_view text);

}  // namespace wavetrope::drive
