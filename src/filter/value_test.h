// SPDX-License-Identifier: GPL-3.0-or-later
// A comparison with numbers, made ready for the raw bits of one signal.
#pragma once

#include <cstdint>

#include "database/codec.h"
#include "filter/expression.h"

namespace wavetrope::filter {

/// Which raw bits of a signal pass a comparison of its physical value. Of an integer these are the raw values from one to
/// another, found once: no frame costs a multiplication, and 64 bits are compared to the last.
class ValueTest {
public:
    /// `plan` outlives the test. `upper` serves Comparison::between alone.
    ValueTest(const database::SignalPlan& plan, Comparison comparison, const Number& number, const Number& upper);

    [[nodiscard]] bool passes(std::uint64_t bits) const { return integer_ ? passesWhole(bits) : passesValue(plan_->physicalOf(bits)); }
    /// Of an integer's bits.
    [[nodiscard]] bool passesWhole(std::uint64_t bits) const { return ((bits ^ flip_) - first_ <= span_) != outside_; }
    /// Of a physical value; not a number passes `!=` alone.
    [[nodiscard]] bool passesValue(double value) const
    {
        return static_cast<bool>(static_cast<unsigned>(value >= low_) & static_cast<unsigned>(value <= high_)) != outside_;
    }

private:
    const database::SignalPlan* plan_;
    bool integer_ = true;
    bool outside_ = false;
    std::uint64_t flip_ = 0;    // makes the order of signed raw values that of unsigned ones
    std::uint64_t first_ = 0;
    std::uint64_t span_ = 0;
    double low_ = 0;
    double high_ = 0;
};

/// Whether two raw values of a signal are different values. All that is not a number is one value.
[[nodiscard]] bool differs(const database::SignalPlan& plan, std::uint64_t a, std::uint64_t b);
/// Whether they are at least so far apart; false where one is not a number.
[[nodiscard]] bool differsBy(const database::SignalPlan& plan, std::uint64_t a, std::uint64_t b, double by);

}  // namespace wavetrope::filter
