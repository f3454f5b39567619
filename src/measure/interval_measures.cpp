// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/interval_measures.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

namespace wavetrope::measure {

void IntervalMeter::hold(Time until)
{
    const Time begin = std::max(since_, from_);
    const Time end = std::min(until, to_);
    if (!holds_ || end <= begin)
        return;
    const auto span = static_cast<long double>((end - begin).count());
    const long double value = value_;
    weight_ += span;
    const long double difference = value - mean_;
    const long double step = difference * (span / weight_);
    mean_ += step;
    squares_ += span * difference * (value - mean_);
    meanSquare_ += (value * value - meanSquare_) * (span / weight_);
    out_.counted += end - begin;
}

void IntervalMeter::add(Time time, double value)
{
    hold(time);
    if (time > from_ && since_ <= from_ && holds_ && !out_.atFrom)
        out_.atFrom = value_;
    const bool counts = std::isfinite(value);
    if (time > to_ && since_ <= to_ && holds_ && !out_.atTo)
        out_.atTo = value_;
    if (counts && time >= from_ && time <= to_) {
        if (out_.samples == 0) {
            out_.firstAt = time;
            out_.first = out_.smallest = out_.largest = value;
        }
        ++out_.samples;
        out_.changes += holds_ && value_ != value ? 1 : 0;
        out_.lastAt = time;
        out_.last = value;
        out_.smallest = std::min(out_.smallest, value);
        out_.largest = std::max(out_.largest, value);
    }
    holds_ = counts;
    since_ = time;
    value_ = value;
}

void IntervalMeter::add(const Stretch& samples)
{
    if (samples.lastAt < from_) {
        add(samples.lastAt, samples.last);
    } else {
        add(samples.firstAt, samples.first);
        if (samples.held.count() > 0) {
            const auto span = static_cast<long double>(samples.held.count());
            const long double share = span / (weight_ + span);
            const long double difference = samples.mean - mean_;
            mean_ += difference * share;
            squares_ += samples.squares + difference * difference * weight_ * share;
            meanSquare_ += (samples.mean * samples.mean + samples.squares / span - meanSquare_) * share;
            weight_ += span;
            out_.counted += samples.held;
        }
        out_.samples += samples.samples - 1;
        out_.changes += samples.changes;
        out_.lastAt = since_ = samples.lastAt;
        out_.last = value_ = samples.last;
        out_.smallest = std::min(out_.smallest, samples.low);
        out_.largest = std::max(out_.largest, samples.high);
    }
    if (samples.until != Stretch::onwards)
        add(samples.until, std::numeric_limits<double>::quiet_NaN());
}

IntervalMeasures IntervalMeter::finish()
{
    hold(to_);
    if (holds_ && since_ <= from_ && !out_.atFrom)
        out_.atFrom = value_;
    if (holds_ && since_ <= to_ && !out_.atTo)
        out_.atTo = value_;
    if (weight_ > 0) {
        out_.mean = static_cast<double>(mean_);
        out_.rms = static_cast<double>(std::sqrt(std::max(meanSquare_, 0.0L)));
        out_.deviation = static_cast<double>(std::sqrt(std::max(squares_ / weight_, 0.0L)));
        out_.integral = static_cast<double>(mean_ * weight_ / 1e9L);
    }
    if (out_.samples > 1 && out_.lastAt > out_.firstAt)
        out_.slope = (out_.last - out_.first) / (static_cast<double>((out_.lastAt - out_.firstAt).count()) * 1e-9);
    return out_;
}

IntervalMeasures measured(const Samples& samples, Time from, Time to)
{
    IntervalMeter meter(from, to);
    if (std::is_sorted(samples.times.begin(), samples.times.end())) {
        for (std::size_t i = 0; i < samples.size(); ++i)
            meter.add(samples.times[i], samples.values[i]);
        return meter.finish();
    }
    std::vector<std::size_t> order(samples.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return samples.times[a] < samples.times[b]; });
    for (const std::size_t at : order)
        meter.add(samples.times[at], samples.values[at]);
    return meter.finish();
}

}  // namespace wavetrope::measure
