// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/range_events.h"

#include <cmath>

namespace wavetrope::measure {

void RangeWatch::take(const Samples& samples)
{
    const auto distance = [&](double value) { return value < low_ ? low_ - value : value - high_; };
    for (std::size_t i = 0; i < samples.size(); ++i) {
        const double value = samples.values[i];
        if (std::isnan(value))
            continue;
        const bool is = value < low_ || value > high_;
        if (is && !outside_)
            found_.push_back({samples.rows[i], samples.times[i], std::nullopt, value < low_, value});
        else if (is && distance(value) > distance(found_.back().farthest))
            found_.back().farthest = value;
        else if (!is && outside_)
            found_.back().to = samples.times[i];
        outside_ = is;
    }
}

std::vector<OutOfRange> outOfRange(const Samples& samples, double low, double high)
{
    RangeWatch watch(low, high);
    watch.take(samples);
    return watch.found();
}

}  // namespace wavetrope::measure
