// SPDX-License-Identifier: GPL-3.0-or-later
// Repeatable random numbers.
#pragma once

#include <cstdint>

namespace wavetrope::formula {

/// The same seed gives the same sequence everywhere.
class Random {
public:
    explicit Random(std::uint64_t seed) : state_(seed) {}
    [[nodiscard]] std::uint64_t next()
    {
        std::uint64_t z = (state_ += 0x9E3779B97F4A7C15ULL);
        z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9ULL;
        z = (z ^ (z >> 27)) * 0x94D049BB133111EBULL;
        return z ^ (z >> 31);
    }
    /// Uniform in [0, 1).
    [[nodiscard]] double uniform() { return static_cast<double>(next() >> 11) * 0x1p-53; }
    /// Mean 0, deviation 1, within about 3.5 (twelve uniform numbers summed).
    [[nodiscard]] double normal()
    {
        double sum = -6;
        for (int i = 0; i < 12; ++i)
            sum += uniform();
        return sum;
    }

private:
    std::uint64_t state_;
};

}  // namespace wavetrope::formula
