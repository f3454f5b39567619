// SPDX-License-Identifier: GPL-3.0-or-later
// What a curve is made of between two moments: frequencies, values, periods.
#pragma once

#include <optional>
#include <span>
#include <string_view>
#include <vector>

#include "base/time.h"

namespace wavetrope::measure {

/// How the samples of a stretch fade out at its ends. With the sum of its weights taken into account, a sine whose frequency is that of a
/// line stands there with its amplitude, whichever it is.
enum class FadeOut : std::uint8_t { none, hann, hamming, blackman, flatTop };
[[nodiscard]] const char* toText(FadeOut fade);
[[nodiscard]] std::optional<FadeOut> fadeOutFromText(std::string_view word);

/// Samples by time; what is not a number is a gap.
struct TimedValues {
    std::span<const Time> times;        ///< Never going back.
    std::span<const double> values;
};

/// Lines of a spectrum from 0 to half of the rate.
struct Spectrum {
    static constexpr std::size_t mostPoints = 1U << 20U;

    double rate = 0;                    ///< Hz, at which it was sampled anew.
    std::size_t points = 0;             ///< So many of them.
    double width = 0;                   ///< Hz from line to line.
    double mean = 0;                    ///< Taken out before.
    std::vector<double> amplitudes;     ///< Of line k at k times the width, in the signal's unit; that of line 0 is 0.
    std::vector<double> phases;         ///< Line k at s seconds behind the beginning is amplitude times cos(2 pi k width s + phase).
    double held = 0;                    ///< Share of the points at which a value held; at others it is the mean.

    /// The highest line, and the highest one that is no neighbour of it: places of both; nothing where there are no lines.
    [[nodiscard]] std::optional<std::size_t> highest() const;
    [[nodiscard]] std::optional<std::size_t> next() const;
};

/// Samples in [from, to), a value holding until the next, taken anew at so many Hz, without their mean. Without a rate, at that of the
/// usual distance of the samples; no more than `mostPoints` of them. Empty where nothing held, or it would be fewer than four points.
[[nodiscard]] std::optional<Spectrum> spectrumOf(const TimedValues& samples, Time from, Time to, std::optional<double> rate, FadeOut fade);

/// How often values fell into bins of one width.
struct Histogram {
    double low = 0, width = 0;          ///< Of the first bin; all include their lower end, the last one both.
    std::vector<std::uint64_t> counts;
    std::uint64_t all = 0;
    double smallest = 0, largest = 0, mean = 0;
};
/// Of the values of the samples in [from, to]; each of them where they are few whole numbers, else in about so many bins. Empty where there
/// are none.
[[nodiscard]] std::optional<Histogram> histogramOfValues(const TimedValues& samples, Time from, Time to, std::size_t bins);
/// Of the seconds from each sample in [from, to] to the next one in it.
[[nodiscard]] std::optional<Histogram> histogramOfPeriods(const TimedValues& samples, Time from, Time to, std::size_t bins);

/// One signal over another: wherever one of them has a sample in [from, to], what both are then.
struct Pairing {
    std::vector<Time> times;
    std::vector<double> xs, ys;
};
[[nodiscard]] Pairing pairedOver(const TimedValues& x, const TimedValues& y, Time from, Time to);

}  // namespace wavetrope::measure
