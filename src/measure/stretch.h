// SPDX-License-Identifier: GPL-3.0-or-later
// Some samples in a row, summed up.
#pragma once

#include <algorithm>
#include <cstdint>
#include <limits>

#include "base/time.h"
#include "trace/trace.h"

namespace wavetrope::measure {

/// Samples that follow each other in time, all of them finite. Over time each value holds from its sample to the next; the last one to
/// `until` at most.
struct Stretch {
    static constexpr Time onwards = Time::max();

    std::uint64_t place = 0;            ///< Of the first one: its row, or its number where samples are not in the order of the trace.
    Time firstAt{}, lastAt{};
    Time until = onwards;               ///< Where what is not a number came behind the last one: its stamp.
    Time longestGap{};                  ///< Between two that follow each other.
    double first = 0, last = 0, low = 0, high = 0;
    // From the first to the last: for how long any held, their mean, and the squared distance from it by nanoseconds.
    Time held{};
    long double mean = 0, squares = 0;          // so that a small deviation beside a large mean is not lost
    std::uint32_t samples = 0, changes = 0;
    bool rises = false, falls = false;
    bool broken = false;                ///< What is not a number came between.

    /// A single one.
    Stretch() = default;
    Stretch(std::uint64_t at, Time time, double value)
        : place(at), firstAt(time), lastAt(time), first(value), last(value), low(value), high(value), samples(1)
    {}

    /// Up to which moment the last one holds where the next one comes at a time.
    [[nodiscard]] Time holdsUntil(Time next) const { return std::min(until, next); }
    /// Takes in a value that held for so long.
    void hold(double value, Time span)
    {
        if (span.count() > 0)
            hold(span, value, 0);
    }
    /// Takes in what comes next.
    void add(Time time, double value)
    {
        hold(last, holdsUntil(time) - lastAt);
        longestGap = std::max(longestGap, time - lastAt);
        if (until == onwards) {
            changes += value != last ? 1 : 0;
            rises = rises || value > last;
            falls = falls || value < last;
        }
        broken = broken || until != onwards;
        until = onwards;
        lastAt = time;
        last = value;
        low = std::min(low, value);
        high = std::max(high, value);
        ++samples;
    }
    void add(const Stretch& next)
    {
        add(next.firstAt, next.first);
        if (next.held.count() > 0)
            hold(next.held, next.mean, next.squares);
        longestGap = std::max(longestGap, next.longestGap);
        changes += next.changes;
        rises = rises || next.rises;
        falls = falls || next.falls;
        broken = broken || next.broken;
        until = next.until;
        lastAt = next.lastAt;
        last = next.last;
        low = std::min(low, next.low);
        high = std::max(high, next.high);
        samples += next.samples - 1;
    }

private:
    void hold(Time span, long double otherMean, long double otherSquares)
    {
        const auto before = static_cast<long double>(held.count());
        held += span;
        const long double share = static_cast<long double>(span.count()) / static_cast<long double>(held.count());
        const long double difference = otherMean - mean;
        mean += difference * share;
        squares += otherSquares + difference * difference * before * share;
    }
};

}  // namespace wavetrope::measure
