// SPDX-License-Identifier: GPL-3.0-or-later
// What the benchmarks share: the clock and the rows of the table.
#pragma once

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <string>
#include <vector>

#include "can/frame.h"

namespace wavetrope::bench {

template <class Work>
double secondsOf(Work work)
{
    const auto start = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

/// The shortest of several rounds, in seconds.
template <class Work>
double best(int rounds, Work work)
{
    double shortest = 1e9;
    for (int i = 0; i < rounds; ++i)
        shortest = std::min(shortest, secondsOf(work));
    return shortest;
}

inline void row(const char* what, double value, const char* unit, double wanted, const char* note = "")
{
    std::printf("%-58s %10.2f %-10s want %8.2f   ratio %5.2f  %s\n", what, value, unit, wanted, value / wanted, note);
    std::fflush(stdout);
}

/// A figure of a long log, and what it stands beside.
inline void line(const char* what, double value, const char* unit, const std::string& note = {})
{
    std::printf("  %-52s %12.3f %-12s %s\n", what, value, unit, note.c_str());
    std::fflush(stdout);
}

inline std::string words(const char* format, double a, double b = 0)
{
    char text[160];
    std::snprintf(text, sizeof text, format, a, b);
    return text;
}

/// Figures of signal databases; `frames` are classic frames of 8 bytes.
void databases(const std::vector<can::Frame>& frames);

}  // namespace wavetrope::bench
