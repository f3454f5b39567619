// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/bus_marks.h"

#include <algorithm>
#include <array>
#include <string_view>
#include <utility>

namespace wavetrope::rig {

namespace {

constexpr std::string_view letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZ";

}  // namespace

BusMark markOfPlace(std::size_t place)
{
    return {letters[place % letters.size()], static_cast<unsigned>(place % busHues), place >= busHues};
}

std::vector<BusMark> marksOf(const std::vector<BusSpec>& buses)
{
    std::array<bool, 256> taken{};
    for (const BusSpec& bus : buses)
        if (bus.letter != 0)
            taken[static_cast<unsigned char>(bus.letter)] = true;
    std::vector<BusMark> out;
    std::array<bool, busHues> seen{};
    for (std::size_t place = 0; place < buses.size(); ++place) {
        BusMark mark = markOfPlace(place);
        if (buses[place].letter != 0) {
            mark.letter = buses[place].letter;
        } else {
            if (taken[static_cast<unsigned char>(mark.letter)])
                if (const auto free = std::find_if(
                        letters.begin(), letters.end(), [&](char c) { return !taken[static_cast<unsigned char>(c)]; });
                    free != letters.end())
                    mark.letter = *free;
            taken[static_cast<unsigned char>(mark.letter)] = true;
        }
        if (buses[place].hue > 0)
            mark.hue = buses[place].hue - 1;
        mark.again = std::exchange(seen[mark.hue], true);
        out.push_back(mark);
    }
    return out;
}

}  // namespace wavetrope::rig
