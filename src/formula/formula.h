// SPDX-License-Identifier: GPL-3.0-or-later
// Small arithmetic expressions over named values, for simulated nodes and derived signals.
#pragma once

#include <cstdint>
#include <functional>
#include <string_view>
#include <vector>

#include "base/error.h"
#include "base/time.h"
#include "formula/language.h"
#include "formula/random.h"

namespace wavetrope::formula {

/// One step of a stack machine.
struct Step {
    Op op = Op::number;
    double number = 0;
    std::uint32_t slot = 0;
    Time span{};                    ///< Of a function that looks back.
    std::uint64_t inputs = 0;       ///< The slots below 64 that its result hangs on, as bits.
};

/// A compiled expression: numbers, names, + - * / %, comparisons (1 or 0), and or not, parentheses, and the functions of the language.
/// What is divided by zero is not a number; `%` has the sign of what is divided. Comparisons with what is not a number are false, but
/// `!=`.
class Formula {
public:
    /// Gives the slot that holds a name's value; the error says why there is none.
    using Resolve = std::function<Expected<std::uint32_t>(std::string_view name)>;

    Formula() = default;
    /// The error's column counts from 1 and says what was expected. `use` is who it is for.
    [[nodiscard]] static Expected<Formula> compile(std::string_view text, Use use, const Resolve& resolve);
    [[nodiscard]] static Formula constant(double value);

    [[nodiscard]] const std::vector<Step>& steps() const { return steps_; }
    /// Values that stand on its stack at once, at the most.
    [[nodiscard]] unsigned depth() const { return depth_; }
    /// The slots that it looks at, and the numbers that stand in it.
    [[nodiscard]] std::vector<std::uint32_t> slots() const;
    [[nodiscard]] std::vector<double> numbers() const;
    /// Whether it takes random numbers.
    [[nodiscard]] bool random() const;
    /// Whether it looks back over time.
    [[nodiscard]] bool overTime() const;

    /// Of a formula for a node: its value now.
    [[nodiscard]] double evaluate(const std::vector<double>& slots, Random& random) const;

private:
    friend class FormulaParser;
    std::vector<Step> steps_;
    unsigned depth_ = 0;
    static constexpr unsigned deepest = 64;
};

/// A formula with a name in place of another one, wherever it stands as a name, in quotes or not.
[[nodiscard]] std::string renamed(std::string_view formula, std::string_view from, std::string_view to);

}  // namespace wavetrope::formula
