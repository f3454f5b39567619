// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/standing.h"

#include <algorithm>
#include <cmath>

namespace wavetrope::measure {

namespace {

constexpr unsigned beatsForAge = 12;

}  // namespace

std::optional<Age> ageOf(const trace::Snapshot& snapshot, const trace::TraceKey& key, trace::Row limit, Time cycle, Time after)
{
    if (!snapshot.valid())
        return {};
    const auto known = snapshot.trace().find(key);
    if (!known)
        return {};
    const bool asked = after.count() > 0 || cycle.count() > 0;      // the newest tells all then
    Age out;
    Time first{};
    unsigned beats = 0;
    snapshot.eachBack(*known, limit, [&](trace::Row, const can::FrameView& frame) {
        if (beats == 0)
            out.came = frame.time;
        first = frame.time;
        return ++beats < (asked ? 1 : beatsForAge);
    });
    if (beats == 0)
        return {};
    if (cycle.count() == 0 && beats > 1)
        cycle = (out.came - first) / static_cast<std::int64_t>(beats - 1);
    out.after = after.count() > 0 ? after : cycle * oldAfterPeriods;
    return out;
}

Side sideOf(double value, const std::optional<double>& below, const std::optional<double>& above)
{
    return below && value < *below ? Side::under : above && value > *above ? Side::over : Side::inside;
}

Since sinceOf(const SignalSeries::Points& points, double now, const std::function<bool(double)>& holds)
{
    Since out{now, true};
    for (std::size_t i = points.times.size(); i-- > 0;) {
        if (!std::isfinite(points.values[i]))
            continue;
        if (!holds(points.values[i])) {
            out.open = false;
            break;
        }
        out.from = std::min(points.times[i], now);
    }
    return out;
}

}  // namespace wavetrope::measure
