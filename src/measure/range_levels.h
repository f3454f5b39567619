// SPDX-License-Identifier: GPL-3.0-or-later
// Smallest, largest and sum of any stretch of a growing row of numbers, without touching each number.
#pragma once

#include <algorithm>
#include <cstddef>
#include <limits>
#include <vector>

namespace wavetrope::measure {

struct RangeSummary {
    double low = std::numeric_limits<double>::infinity();
    double high = -std::numeric_limits<double>::infinity();
    double sum = 0;
    std::size_t count = 0;

    void add(double value)
    {
        low = std::min(low, value);
        high = std::max(high, value);
        sum += value;
        ++count;
    }
    void add(const RangeSummary& other)
    {
        low = std::min(low, other.low);
        high = std::max(high, other.high);
        sum += other.sum;
        count += other.count;
    }
    [[nodiscard]] double mean() const { return count == 0 ? 0 : sum / static_cast<double>(count); }
};

/// Levels of detail over a vector that is changed only at its end: each level summarises 16 cells of the one below.
class RangeLevels {
public:
    static constexpr std::size_t fan = 16;

    /// Call after `values` grew, or changed from index `from` on.
    void update(const std::vector<double>& values, std::size_t from)
    {
        std::size_t below = values.size();
        std::size_t changed = from;
        for (std::size_t level = 0; below >= fan; ++level) {
            if (levels_.size() <= level)
                levels_.emplace_back();
            const std::size_t whole = below / fan;
            changed /= fan;
            auto& cells = levels_[level];
            cells.resize(whole);
            for (std::size_t cell = std::min(changed, whole); cell < whole; ++cell) {
                RangeSummary summary;
                for (std::size_t i = cell * fan; i < (cell + 1) * fan; ++i) {
                    if (level == 0)
                        summary.add(values[i]);
                    else
                        summary.add(levels_[level - 1][i]);
                }
                cells[cell] = summary;
            }
            below = whole;
        }
    }
    void clear() { levels_.clear(); }

    /// Summary of [first, last). Touches a few dozen cells whatever the length.
    [[nodiscard]] RangeSummary over(const std::vector<double>& values, std::size_t first, std::size_t last) const
    {
        RangeSummary summary;
        while (first < last) {
            std::size_t level = 0;
            std::size_t size = 1;
            while (level < levels_.size() && first % (size * fan) == 0 && first + size * fan <= last
                   && first / (size * fan) < levels_[level].size()) {
                size *= fan;
                ++level;
            }
            if (level == 0)
                summary.add(values[first]);
            else
                summary.add(levels_[level - 1][first / size]);
            first += size;
        }
        return summary;
    }

private:
    std::vector<std::vector<RangeSummary>> levels_;
};

}  // namespace wavetrope::measure
