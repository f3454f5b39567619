// SPDX-License-Identifier: GPL-3.0-or-later
#include "formula/language.h"

#include <array>

namespace wavetrope::formula {

namespace {

constexpr std::array table = {
    Function{"abs", 1, false, Op::abs, Use::anywhere, "abs(x)", "the size of x"},
    Function{"min", 2, false, Op::min, Use::anywhere, "min(x, y)", "the smaller one"},
    Function{"max", 2, false, Op::max, Use::anywhere, "max(x, y)", "the larger one"},
    Function{"clamp", 3, false, Op::clamp, Use::anywhere, "clamp(x, low, high)", "x, at least low and at most high"},
    Function{"sin", 1, false, Op::sin, Use::anywhere, "sin(x)", "the sine of x radians"},
    Function{"floor", 1, false, Op::floor, Use::anywhere, "floor(x)", "the next whole number below"},
    Function{"round", 1, false, Op::round, Use::anywhere, "round(x)", "the nearest whole number; halves away from zero"},
    Function{"if", 3, false, Op::choose, Use::anywhere, "if(c, x, y)", "x where c is true, that is not 0; else y"},
    Function{"ramp", 3, false, Op::ramp, Use::anywhere, "ramp(x, from, to)", "rises from 0 to 1 while x goes from one to the other"},
    Function{"between", 3, false, Op::between, Use::anywhere, "between(x, from, to)", "1 for from <= x < to, else 0"},
    Function{"noise", 1, false, Op::noise, Use::node, "noise(deviation)", "random numbers about 0"},
    Function{"mean", 1, true, Op::mean, Use::derived, "mean(x, 200 ms)",
        "the mean over time of what x was for so long, or since its first sample; x itself where that is no time"},
    Function{"smallest", 1, true, Op::smallest, Use::derived, "smallest(x, 1 s)",
        "the smallest that x was for so long, what held at the beginning of that included"},
    Function{"largest", 1, true, Op::largest, Use::derived, "largest(x, 1 s)", "the largest, likewise"},
    Function{
        "slope", 1, false, Op::slope, Use::derived, "slope(x)", "between the last two samples of x, per second; none before the second"},
    Function{
        "integral", 1, false, Op::integral, Use::derived, "integral(x)", "what x adds up to over time, in seconds; 0 at its first sample"},
    Function{"delayed", 1, true, Op::delayed, Use::derived, "delayed(x, 50 ms)", "what x was so long ago; none before"},
    Function{"since", 1, false, Op::since, Use::derived, "since(c)", "seconds since c last became true; none before"},
    Function{"count", 1, false, Op::count, Use::derived, "count(c)", "how often c became true; true at its first sample counts"},
};

}  // namespace

std::span<const Function> functions() { return table; }

std::string functionTable(Use use)
{
    std::string out = "| write | it gives |\n|---|---|\n";
    for (const Function& function : table)
        if (function.use == use)
            out += "| `" + std::string(function.write) + "` | " + std::string(function.gives) + " |\n";
    return out;
}

}  // namespace wavetrope::formula
