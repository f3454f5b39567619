// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/range_events.h"

#include <cmath>

namespace wavetrope::measure {

std::vector<OutOfRange> outOfRange(const Samples& samples, double low, double high)
{
    std::vector<OutOfRange> out;
    bool outside = false;
    const auto distance = [&](double value) { return value < low ? low - value : value - high; };
    for (std::size_t i = 0; i < samples.size(); ++i) {
        const double value = samples.values[i];
        if (std::isnan(value))
            continue;
        const bool is = value < low || value > high;
        if (is && !outside)
            out.push_back({samples.rows[i], samples.times[i], std::nullopt, value < low, value});
        else if (is && distance(value) > distance(out.back().farthest))
            out.back().farthest = value;
        else if (!is && outside)
            out.back().to = samples.times[i];
        outside = is;
    }
    return out;
}

}  // namespace wavetrope::measure
