// SPDX-License-Identifier: GPL-3.0-or-later
// Small arithmetic expressions over named values, for simulated nodes.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string_view>
#include <vector>

#include "base/error.h"

namespace wavetrope::drive {

/// Repeatable random numbers: the same seed gives the same sequence everywhere.
class Random {
public:
    explicit Random(std::uint64_t seed) : state_(seed) {}
    [[nodiscard]] std::uint64_t next();
    /// Uniform in [0, 1).
    [[nodiscard]] double uniform() { return static_cast<double>(next() >> 11) * 0x1p-53; }
    /// Mean 0, deviation 1, within about 3.5 (twelve uniform numbers summed).
    [[nodiscard]] double normal();

private:
    std::uint64_t state_;
};

/// A compiled expression. Numbers, names, + - * / %, comparisons (1 or 0), and or not, parentheses, and the functions
/// abs min max clamp(x,low,high) sin floor round if(c,a,b) noise(deviation) ramp(x,from,to) between(x,from,to).
/// `ramp` rises from 0 to 1; `between` is 1 for from <= x < to.
class Formula {
public:
    /// Gives the slot that holds a name's value, or nothing.
    using Resolve = std::function<std::optional<std::uint32_t>(std::string_view name)>;

    Formula() = default;
    /// The error's column counts from 1 and says what was expected; `names` are those that there are, for the nearest one.
    [[nodiscard]] static Expected<Formula> compile(
        std::string_view text, const Resolve& resolve, const std::vector<std::string>& names = {});
    [[nodiscard]] static Formula constant(double value);

    /// The slots that it looks at, and the numbers that stand in it.
    [[nodiscard]] std::vector<std::uint32_t> slots() const;
    [[nodiscard]] std::vector<double> numbers() const;
    /// Whether it takes random numbers.
    [[nodiscard]] bool random() const;

    [[nodiscard]] double evaluate(const std::vector<double>& slots, Random& random) const;

private:
    friend class FormulaParser;
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
        between
    };
    struct Step {
        Op op;
        double number;
        std::uint32_t slot;
    };
    std::vector<Step> steps_;
    static constexpr unsigned deepest = 64;
};

}  // namespace wavetrope::drive
