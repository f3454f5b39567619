// SPDX-License-Identifier: GPL-3.0-or-later
// What the steps without memory give: one place for single values and for blocks of them.
#pragma once

#include <algorithm>
#include <cmath>
#include <limits>

#include "formula/language.h"

namespace wavetrope::formula {

inline constexpr double notANumber = std::numeric_limits<double>::quiet_NaN();

/// Of one value.
template <Op op>
[[nodiscard]] inline double unary(double a)
{
    if constexpr (op == Op::negate)
        return -a;
    else if constexpr (op == Op::negation)
        return a == 0 ? 1 : 0;
    else if constexpr (op == Op::abs)
        return std::abs(a);
    else if constexpr (op == Op::sin)
        return std::sin(a);
    else if constexpr (op == Op::floor)
        return std::floor(a);
    else
        return std::round(a);       // halves away from zero
}

/// Of two.
template <Op op>
[[nodiscard]] inline double binary(double a, double b)
{
    if constexpr (op == Op::add)
        return a + b;
    else if constexpr (op == Op::subtract)
        return a - b;
    else if constexpr (op == Op::multiply)
        return a * b;
    else if constexpr (op == Op::divide)
        return b == 0 ? notANumber : a / b;
    else if constexpr (op == Op::modulo)
        return b == 0 ? notANumber : std::fmod(a, b);
    else if constexpr (op == Op::less)
        return a < b ? 1 : 0;
    else if constexpr (op == Op::lessOrEqual)
        return a <= b ? 1 : 0;
    else if constexpr (op == Op::equal)
        return a == b ? 1 : 0;
    else if constexpr (op == Op::notEqual)
        return a != b ? 1 : 0;
    else if constexpr (op == Op::greaterOrEqual)
        return a >= b ? 1 : 0;
    else if constexpr (op == Op::greater)
        return a > b ? 1 : 0;
    else if constexpr (op == Op::both)
        return a != 0 && b != 0 ? 1 : 0;
    else if constexpr (op == Op::either)
        return a != 0 || b != 0 ? 1 : 0;
    else if constexpr (op == Op::min)
        return std::min(a, b);
    else
        return std::max(a, b);
}

/// Of three.
template <Op op>
[[nodiscard]] inline double ternary(double a, double b, double c)
{
    if constexpr (op == Op::clamp)
        return std::min(std::max(a, b), c);
    else if constexpr (op == Op::choose)
        return a != 0 ? b : c;
    else if constexpr (op == Op::ramp)
        return c == b ? (a >= c ? 1 : 0) : std::clamp((a - b) / (c - b), 0.0, 1.0);
    else
        return a >= b && a < c ? 1 : 0;
}

/// Calls with the step's operation as a constant: take1(op), take2(op) or take3(op), by how many values it takes. Nothing for those
/// with memory, numbers, names and chance.
template <class Unary, class Binary, class Ternary>
inline void dispatch(Op op, Unary take1, Binary take2, Ternary take3)
{
    switch (op) {
    case Op::negate: return take1.template operator()<Op::negate>();
    case Op::negation: return take1.template operator()<Op::negation>();
    case Op::abs: return take1.template operator()<Op::abs>();
    case Op::sin: return take1.template operator()<Op::sin>();
    case Op::floor: return take1.template operator()<Op::floor>();
    case Op::round: return take1.template operator()<Op::round>();
    case Op::add: return take2.template operator()<Op::add>();
    case Op::subtract: return take2.template operator()<Op::subtract>();
    case Op::multiply: return take2.template operator()<Op::multiply>();
    case Op::divide: return take2.template operator()<Op::divide>();
    case Op::modulo: return take2.template operator()<Op::modulo>();
    case Op::less: return take2.template operator()<Op::less>();
    case Op::lessOrEqual: return take2.template operator()<Op::lessOrEqual>();
    case Op::equal: return take2.template operator()<Op::equal>();
    case Op::notEqual: return take2.template operator()<Op::notEqual>();
    case Op::greaterOrEqual: return take2.template operator()<Op::greaterOrEqual>();
    case Op::greater: return take2.template operator()<Op::greater>();
    case Op::both: return take2.template operator()<Op::both>();
    case Op::either: return take2.template operator()<Op::either>();
    case Op::min: return take2.template operator()<Op::min>();
    case Op::max: return take2.template operator()<Op::max>();
    case Op::clamp: return take3.template operator()<Op::clamp>();
    case Op::choose: return take3.template operator()<Op::choose>();
    case Op::ramp: return take3.template operator()<Op::ramp>();
    case Op::between: return take3.template operator()<Op::between>();
    default: return;
    }
}

}  // namespace wavetrope::formula
