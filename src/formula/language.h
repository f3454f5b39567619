// SPDX-License-Identifier: GPL-3.0-or-later
// The language of formulas in one table: what the parser knows, what completion offers, and what the documents say.
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <string_view>

namespace wavetrope::formula {

/// What a step of a formula does.
enum class Op : std::uint8_t {
    number,
    slot,
    add,
    subtract,
    multiply,
    divide,
    modulo,
    negate,
    less,
    lessOrEqual,
    equal,
    notEqual,
    greaterOrEqual,
    greater,
    both,
    either,
    negation,
    abs,
    min,
    max,
    clamp,
    sin,
    floor,
    round,
    choose,
    noise,
    ramp,
    between,
    mean,
    smallest,
    largest,
    slope,
    integral,
    delayed,
    since,
    count,
};

/// Where a formula may stand.
enum class Use : std::uint8_t {
    anywhere,
    node,           ///< A node of the simulation alone.
    derived,        ///< A derived signal alone: it looks back over time.
};

/// A function of the language.
struct Function {
    std::string_view name;
    unsigned values = 1;        ///< That it takes.
    bool span = false;          ///< Whether a span of time follows them, such as 200 ms.
    Op op = Op::number;
    Use use = Use::anywhere;
    std::string_view write;     ///< As one would write it.
    std::string_view gives;     ///< What that gives.
};

/// All of them, in the order of the documents.
[[nodiscard]] std::span<const Function> functions();
/// The table as in docs/derived-signals.md: those that everybody has, or those of one use.
[[nodiscard]] std::string functionTable(Use use);

}  // namespace wavetrope::formula
