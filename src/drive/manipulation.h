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
        follows,    ///< It has the value of an expression of the node, anew in each frame.
        jumps,      ///< Its bits and another number, round where they end: of a counter, so much ahead.
        stuck,      ///< It stays as it is in the first frame.
        wrong,      ///< All its bits the other way round; nothing is made right behind that.
        off,        ///< The message is not sent.
        later,      ///< It is sent so much later.
        again,      ///< It is sent once more.
        every,      ///< It has another period.
        length,     ///< It has another number of bytes: cut off, or zero behind its own.
    };
    What what = What::hold;
    std::string node;
    std::string message;            ///< Or a raw frame by its identifier.
    std::string signal;             ///< Or a byte of a raw frame by its number; empty where the whole message is meant.
    std::string value;              ///< Of `hold`, as it is typed: `3.5 mm`, `"open"`, `0x1F`; of `follows`, the expression.
    double number = 0;              ///< Of `add` and `scale`, physical; of `jumps`, bits; of `length`, bytes.
    Time delay{};                   ///< Of `later`; of `every`, the period.
    std::optional<Time> from, to;   ///< Since the run's begin: beats in [from, to).
    std::optional<std::uint64_t> times;     ///< So many frames at most.
    std::string holds;  ///< Only while this is true: a condition of the rig by its name, or an expression of the node. Empty: always.
    std::string phase;  ///< Only in this phase of a dialogue that the node is a partner of, or this state of the node. Empty: in all.
    std::string text;  ///< All of it.
};

/// Whether it is one of a whole message.
[[nodiscard]] bool ofWholeMessage(Manipulation::What what);

/// Reads `NODE MESSAGE.SIGNAL = VALUE`, `+ NUMBER`, `- NUMBER`, `* NUMBER`, `follows EXPRESSION`, `jumps NUMBER`, `stuck`, `wrong`, and `NODE MESSAGE off`,
/// `later SPAN`, `every SPAN`, `again`, `length BYTES`; with `3 times`, `from 10s`, `to 12s`, `while CONDITION` and `in PHASE` behind it, in this order.
/// What has blanks in it stands in quotes.
[[nodiscard]] Expected<Manipulation> manipulationFromText(std::string_view text);

}  // namespace wavetrope::drive
