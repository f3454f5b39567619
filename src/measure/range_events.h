// SPDX-License-Identifier: GPL-3.0-or-later
// When a signal left its range, and when it came back.
#pragma once

#include <optional>
#include <vector>

#include "measure/samples.h"

namespace wavetrope::measure {

/// A stretch outside of a range; a value at a limit is inside.
struct OutOfRange {
    trace::Row row = trace::noRow;      ///< Of the frame with the first value outside.
    Time from{};
    std::optional<Time> to;             ///< The frame with the first value inside again; empty where none came.
    bool below = false;                 ///< Where it left; it may cross the range without a value inside.
    double farthest = 0;                ///< The value that was farthest outside.
};

/// Follows samples in the order of the trace. What is not a number says nothing; what is infinite is outside.
class RangeWatch {
public:
    RangeWatch(double low, double high) : low_(low), high_(high) {}
    void take(const Samples& samples);
    [[nodiscard]] const std::vector<OutOfRange>& found() const { return found_; }

private:
    double low_, high_;
    bool outside_ = false;
    std::vector<OutOfRange> found_;
};

/// The same of all samples at once.
[[nodiscard]] std::vector<OutOfRange> outOfRange(const Samples& samples, double low, double high);

}  // namespace wavetrope::measure
