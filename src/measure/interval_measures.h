// SPDX-License-Identifier: GPL-3.0-or-later
// What a curve does between two moments, exact over its samples.
#pragma once

#include <optional>

#include "measure/samples.h"
#include "measure/stretch.h"

namespace wavetrope::measure {

/// Over [from, to]. Of the samples in it, both ends included: how many, first, last, smallest, largest, and the slope from first to last.
/// Over time, each value holding from its sample to the next, what held at `from` included, the last to `to`: mean, root of the mean
/// square, deviation from the mean, integral. What is not finite is no sample, nothing holds behind it, and that time does not count.
struct IntervalMeasures {
    std::uint64_t samples = 0;
    Time firstAt{}, lastAt{};
    double first = 0, last = 0;             ///< Where there are samples; so smallest and largest.
    double smallest = 0, largest = 0;
    Time counted{};                         ///< Time for which a value held. The four that follow are there where it is not 0.
    std::optional<double> mean, rms, deviation, integral;   ///< The integral in unit times seconds.
    std::optional<double> slope;            ///< Per second; none where first and last have one stamp.
    std::optional<double> atFrom, atTo;     ///< What holds there.
    bool whole = true;                      ///< Else frames at its ends were let go, and what is told misses them.
    std::uint64_t changes = 0;              ///< Samples in it whose value is another than what held up to them.
};

/// Takes samples in the order of time.
class IntervalMeter {
public:
    IntervalMeter(Time from, Time to) : from_(from), to_(to) {}
    void add(Time time, double value);
    /// Samples that all lie in the interval, or all in front of it.
    void add(const Stretch& samples);
    [[nodiscard]] IntervalMeasures finish();

private:
    void hold(Time until);

    Time from_, to_;
    IntervalMeasures out_;
    bool holds_ = false;                    // a value has held since `since_`
    Time since_{};
    double value_ = 0;
    // Weighted by nanoseconds, each value taken in by itself, so that a small deviation beside a large mean is not lost.
    long double weight_ = 0, mean_ = 0, squares_ = 0, meanSquare_ = 0;
};

/// Of samples by row; those whose stamps go back are put in order, those of one stamp staying as they are.
[[nodiscard]] IntervalMeasures measured(const Samples& samples, Time from, Time to);

}  // namespace wavetrope::measure
