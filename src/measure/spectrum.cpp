// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/spectrum.h"

#include <fftw3.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>
#include <mutex>
#include <numbers>

namespace wavetrope::measure {

namespace {

constexpr std::array<const char*, 5> fadeWords = {"none", "hann", "hamming", "blackman", "flat top"};
constexpr std::size_t leastPoints = 4, fewValues = 64;

// Sums of cosines over a whole number of their periods, so that the ends meet.
double weightAt(FadeOut fade, std::size_t i, std::size_t count)
{
    const double turn = 2 * std::numbers::pi * static_cast<double>(i) / static_cast<double>(count);
    switch (fade) {
    case FadeOut::hann: return 0.5 - 0.5 * std::cos(turn);
    case FadeOut::hamming: return 0.54 - 0.46 * std::cos(turn);
    case FadeOut::blackman: return 0.42 - 0.5 * std::cos(turn) + 0.08 * std::cos(2 * turn);
    case FadeOut::flatTop:
        return 0.21557895 - 0.41663158 * std::cos(turn) + 0.277263158 * std::cos(2 * turn) - 0.083578947 * std::cos(3 * turn)
               + 0.006947368 * std::cos(4 * turn);
    case FadeOut::none: break;
    }
    return 1;
}

// Plans are made by one thread at a time, the library says; they are carried out by any.
std::mutex& planning()
{
    static std::mutex one;
    return one;
}

// Seconds between two samples that are usual: the median, in which bursts and gaps do not count.
double usualDistance(const TimedValues& samples)
{
    std::vector<double> gaps;
    for (std::size_t i = 1; i < samples.times.size(); ++i)
        if (samples.times[i] > samples.times[i - 1])
            gaps.push_back(static_cast<double>((samples.times[i] - samples.times[i - 1]).count()) * 1e-9);
    if (gaps.empty())
        return 0;
    std::nth_element(gaps.begin(), gaps.begin() + static_cast<std::ptrdiff_t>(gaps.size() / 2), gaps.end());
    return gaps[gaps.size() / 2];
}

std::optional<Histogram> histogramOf(const std::vector<double>& values, std::size_t bins)
{
    if (values.empty() || bins == 0)
        return std::nullopt;
    Histogram out;
    out.all = values.size();
    const auto [low, high] = std::minmax_element(values.begin(), values.end());
    out.smallest = *low;
    out.largest = *high;
    double mean = 0;
    for (std::size_t i = 0; i < values.size(); ++i)
        mean += (values[i] - mean) / static_cast<double>(i + 1);
    out.mean = mean;
    // Few whole numbers have a bin each, with the number in its middle.
    const double span = out.largest - out.smallest;
    const bool whole = std::all_of(values.begin(), values.end(), [](double value) { return value == std::floor(value); });
    if (whole && span < static_cast<double>(fewValues)) {
        out.low = out.smallest - 0.5;
        out.width = 1;
        out.counts.resize(static_cast<std::size_t>(span) + 1);
    } else {
        out.low = out.smallest;
        out.width = span > 0 && std::isfinite(span) ? span / static_cast<double>(bins) : 1;
        out.counts.resize(span > 0 && std::isfinite(span) ? bins : 1);
    }
    for (const double value : values) {
        const double at = (value - out.low) / out.width;
        const auto bin = at > 0 ? static_cast<std::size_t>(std::min(at, static_cast<double>(out.counts.size() - 1))) : 0;
        ++out.counts[bin];
    }
    return out;
}

}  // namespace

const char* toText(FadeOut fade) { return fadeWords[static_cast<std::size_t>(fade)]; }

std::optional<FadeOut> fadeOutFromText(std::string_view word)
{
    for (std::size_t i = 0; i < fadeWords.size(); ++i)
        if (word == fadeWords[i])
            return static_cast<FadeOut>(i);
    return std::nullopt;
}

std::optional<std::size_t> Spectrum::highest() const
{
    if (amplitudes.size() < 2)
        return std::nullopt;
    return static_cast<std::size_t>(std::max_element(amplitudes.begin() + 1, amplitudes.end()) - amplitudes.begin());
}

std::optional<std::size_t> Spectrum::next() const
{
    const auto first = highest();
    if (!first)
        return std::nullopt;
    // What a line spreads over beside it is still it: as far as the lines go down.
    std::size_t left = *first;
    std::size_t right = *first;
    while (left > 1 && amplitudes[left - 1] < amplitudes[left])
        --left;
    while (right + 1 < amplitudes.size() && amplitudes[right + 1] < amplitudes[right])
        ++right;
    std::optional<std::size_t> found;
    for (std::size_t i = 1; i < amplitudes.size(); ++i)
        if ((i < left || i > right) && (!found || amplitudes[i] > amplitudes[*found]))
            found = i;
    return found;
}

std::optional<Spectrum> spectrumOf(const TimedValues& samples, Time from, Time to, std::optional<double> rate, FadeOut fade)
{
    const double seconds = static_cast<double>((to - from).count()) * 1e-9;
    const double distance = rate && *rate > 0 ? 1 / *rate : usualDistance(samples);
    if (seconds <= 0 || distance <= 0 || samples.times.empty())
        return std::nullopt;
    const auto count = static_cast<std::size_t>(std::min(seconds / distance + 1e-9, static_cast<double>(Spectrum::mostPoints)));
    if (count < leastPoints)
        return std::nullopt;
    Spectrum out;
    out.points = count;
    out.rate = 1 / distance;
    out.width = out.rate / static_cast<double>(count);
    const std::unique_ptr<double, decltype(&fftw_free)> values(fftw_alloc_real(count), &fftw_free);
    const std::unique_ptr<fftw_complex, decltype(&fftw_free)> lines(fftw_alloc_complex(count / 2 + 1), &fftw_free);
    std::size_t at = 0;
    std::size_t held = 0;
    double mean = 0;
    for (std::size_t i = 0; i < count; ++i) {
        const Time moment = from + Time(std::llround(static_cast<double>(i) * distance * 1e9));
        while (at < samples.times.size() && samples.times[at] <= moment)
            ++at;
        const double value = at > 0 ? samples.values[at - 1] : std::nan("");
        values.get()[i] = value;
        if (std::isfinite(value)) {
            ++held;
            mean += (value - mean) / static_cast<double>(held);
        }
    }
    if (held == 0)
        return std::nullopt;
    out.mean = mean;
    out.held = static_cast<double>(held) / static_cast<double>(count);
    double weights = 0;
    for (std::size_t i = 0; i < count; ++i) {
        const double weight = weightAt(fade, i, count);
        weights += weight;
        double& value = values.get()[i];
        value = std::isfinite(value) ? (value - mean) * weight : 0;
    }
    fftw_plan plan = nullptr;
    {
        const std::scoped_lock lock(planning());
        plan = fftw_plan_dft_r2c_1d(static_cast<int>(count), values.get(), lines.get(), FFTW_ESTIMATE);
    }
    fftw_execute(plan);
    {
        const std::scoped_lock lock(planning());
        fftw_destroy_plan(plan);
    }
    out.amplitudes.resize(count / 2 + 1);
    out.phases.resize(out.amplitudes.size());
    for (std::size_t k = 1; k < out.amplitudes.size(); ++k) {
        const double size = std::hypot(lines.get()[k][0], lines.get()[k][1]);
        const bool alone = 2 * k == count;      // half of the rate has no counterpart
        out.phases[k] = std::atan2(lines.get()[k][1], lines.get()[k][0]);
        out.amplitudes[k] = (alone ? 1 : 2) * size / weights;
    }
    return out;
}

std::optional<Histogram> histogramOfValues(const TimedValues& samples, Time from, Time to, std::size_t bins)
{
    std::vector<double> values;
    for (std::size_t i = 0; i < samples.times.size(); ++i)
        if (samples.times[i] >= from && samples.times[i] <= to && std::isfinite(samples.values[i]))
            values.push_back(samples.values[i]);
    return histogramOf(values, bins);
}

std::optional<Histogram> histogramOfPeriods(const TimedValues& samples, Time from, Time to, std::size_t bins)
{
    std::vector<double> periods;
    std::optional<Time> before;
    for (const Time time : samples.times) {
        if (time < from || time > to)
            continue;
        if (before)
            periods.push_back(static_cast<double>((time - *before).count()) * 1e-9);
        before = time;
    }
    return histogramOf(periods, bins);
}

Pairing pairedOver(const TimedValues& x, const TimedValues& y, Time from, Time to)
{
    Pairing out;
    std::size_t a = 0;
    std::size_t b = 0;
    while (a < x.times.size() || b < y.times.size()) {
        const Time next = std::min(a < x.times.size() ? x.times[a] : Time::max(), b < y.times.size() ? y.times[b] : Time::max());
        while (a < x.times.size() && x.times[a] == next)
            ++a;
        while (b < y.times.size() && y.times[b] == next)
            ++b;
        if (next < from || a == 0 || b == 0)
            continue;
        if (next > to)
            break;
        if (std::isfinite(x.values[a - 1]) && std::isfinite(y.values[b - 1])) {
            out.times.push_back(next);
            out.xs.push_back(x.values[a - 1]);
            out.ys.push_back(y.values[b - 1]);
        }
    }
    return out;
}

}  // namespace wavetrope::measure
