// SPDX-License-Identifier: GPL-3.0-or-later
#include "filter/value_test.h"

#include <cmath>
#include <limits>

namespace wavetrope::filter {

namespace {

// Where the physical value of a raw one stands beside a number: below (-1), at (0) or above it (1).
int order(const database::SignalPlan& plan, std::uint64_t bits, const Number& number)
{
    if (!plan.scale.quick())
        if (const auto exact = plan.scale.whole(plan.whole(bits))) {
            if (!number.floor)
                return number.value > 0 ? -1 : 1;
            return *exact != *number.floor ? (*exact < *number.floor ? -1 : 1) : number.whole ? 0 : -1;
        }
    const double value = plan.physicalOf(bits);
    return value < number.value ? -1 : value > number.value ? 1 : 0;
}

// The first of `0 .. last` for which a condition holds that, once it holds, holds for all above; last + 1 may not be a
// number of 64 bits, so whether there is one comes apart.
template <class Holds>
bool firstOf(std::uint64_t last, std::uint64_t& found, Holds holds)
{
    if (!holds(last))
        return false;
    std::uint64_t low = 0;
    std::uint64_t high = last;
    while (low < high) {
        const std::uint64_t middle = low + (high - low) / 2;
        if (holds(middle))
            high = middle;
        else
            low = middle + 1;
    }
    found = low;
    return true;
}

}  // namespace

ValueTest::ValueTest(const database::SignalPlan& plan, Comparison comparison, const Number& number, const Number& upper)
    : plan_(&plan), integer_(plan.type == database::ValueType::integer)
{
    constexpr double infinity = std::numeric_limits<double>::infinity();
    outside_ = comparison == Comparison::notEqual;
    if (!integer_) {
        low_ = -infinity;
        high_ = infinity;
        switch (comparison) {
        case Comparison::less: high_ = std::nextafter(number.value, low_); break;
        case Comparison::lessOrEqual: high_ = number.value; break;
        case Comparison::greater: low_ = std::nextafter(number.value, high_); break;
        case Comparison::greaterOrEqual: low_ = number.value; break;
        case Comparison::between:
            low_ = number.value;
            high_ = upper.value;
            break;
        case Comparison::notEqual:
        case Comparison::equal: low_ = high_ = number.value; break;
        }
        return;
    }
    flip_ = plan.isSigned ? std::uint64_t{1} << (plan.length - 1U) : 0;
    const bool falling = plan.scale.numerator < 0;
    // From here on raw values are counted from the one with the lowest physical value.
    const auto bitsAt = [&](std::uint64_t index) { return (falling ? plan.mask - index : index) ^ flip_; };
    const bool open = comparison == Comparison::greater;
    std::uint64_t first = 0;
    bool any = true;
    if (comparison != Comparison::less && comparison != Comparison::lessOrEqual)
        any = firstOf(plan.mask, first, [&](std::uint64_t index) { return order(plan, bitsAt(index), number) >= (open ? 1 : 0); });
    std::uint64_t last = plan.mask;
    if (any && comparison != Comparison::greater && comparison != Comparison::greaterOrEqual) {
        const Number& end = comparison == Comparison::between ? upper : number;
        std::uint64_t behind = 0;
        if (firstOf(plan.mask, behind,
                [&](std::uint64_t index) { return order(plan, bitsAt(index), end) >= (comparison == Comparison::less ? 0 : 1); })) {
            any = behind > first;
            last = behind - 1;
        }
    }
    if (!any) {     // none is all, the other way round
        outside_ = !outside_;
        first_ = 0;
        span_ = std::numeric_limits<std::uint64_t>::max();
        return;
    }
    first_ = falling ? plan.mask - last : first;
    span_ = last - first;
}

bool differs(const database::SignalPlan& plan, std::uint64_t a, std::uint64_t b)
{
    if (plan.type == database::ValueType::integer)
        return a != b && plan.scale.numerator != 0;
    const double x = plan.physicalOf(a);
    const double y = plan.physicalOf(b);
    return std::isnan(x) || std::isnan(y) ? std::isnan(x) != std::isnan(y) : x != y;
}

bool differsBy(const database::SignalPlan& plan, std::uint64_t a, std::uint64_t b, double by)
{
    if (plan.type != database::ValueType::integer)
        return std::abs(plan.physicalOf(a) - plan.physicalOf(b)) >= by;
    const database::RawValue apart = plan.whole(a) - plan.whole(b);
    return std::abs(plan.scale.step(apart)) >= by;
}

}  // namespace wavetrope::filter
