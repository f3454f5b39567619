// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/layout.h"

#include <algorithm>
#include <set>

namespace wavetrope::database {

namespace {

// The selector of a multiplexed signal by index, or -1.
int selectorOf(const Message& message, const Signal& signal)
{
    for (std::size_t i = 0; i < message.signals.size(); ++i)
        if (signal.muxSelector.empty() ? message.signals[i].mux == MuxRole::selector : message.signals[i].name == signal.muxSelector)
            return static_cast<int>(i);
    return -1;
}

bool rangesMeet(const Signal& a, const Signal& b)
{
    const auto rangesOf = [](const Signal& s) {
        return s.muxRanges.empty() ? std::vector<MuxRange>{{s.muxValue, s.muxValue}} : s.muxRanges;
    };
    for (const MuxRange& x : rangesOf(a))
        for (const MuxRange& y : rangesOf(b))
            if (x.from <= y.to && y.from <= x.to)
                return true;
    return false;
}

// The chain of selectors above a signal: which selector, and the signal that stands under it.
std::vector<std::pair<int, const Signal*>> chainOf(const Message& message, const Signal& signal)
{
    std::vector<std::pair<int, const Signal*>> chain;
    const Signal* at = &signal;
    while (at->mux == MuxRole::multiplexed && chain.size() <= message.signals.size()) {
        const int selector = selectorOf(message, *at);
        if (selector < 0)
            break;
        chain.emplace_back(selector, at);
        at = &message.signals[static_cast<std::size_t>(selector)];
    }
    return chain;
}

}  // namespace

std::vector<unsigned> bitsOf(const Signal& signal)
{
    std::vector<unsigned> bits(signal.length);
    unsigned at = signal.startBit;
    for (unsigned i = 0; i < signal.length; ++i) {
        bits[signal.order == ByteOrder::intel ? i : signal.length - 1 - i] = at;
        at = signal.order == ByteOrder::intel ? at + 1 : at % 8 == 0 ? at + 15 : at - 1;
    }
    return bits;
}

int startFromLeast(unsigned bit, unsigned length, ByteOrder order)
{
    if (order == ByteOrder::intel)
        return bit + length <= maxMessageLength * 8 ? static_cast<int>(bit) : -1;
    // In the order in which bits are sent, the most significant stands length - 1 before the least.
    const int sent = static_cast<int>(bit / 8 * 8 + (7 - bit % 8)) - static_cast<int>(length - 1);
    return sent < 0 ? -1 : sent / 8 * 8 + (7 - sent % 8);
}

bool canMeet(const Message& message, const Signal& a, const Signal& b)
{
    for (const auto& [selectorA, underA] : chainOf(message, a))
        for (const auto& [selectorB, underB] : chainOf(message, b))
            if (selectorA == selectorB && !rangesMeet(*underA, *underB))
                return false;
    return true;
}

std::vector<std::uint64_t> selectorValues(const Message& message, int selector)
{
    std::set<std::uint64_t> values;
    for (const Signal& signal : message.signals) {
        if (signal.mux != MuxRole::multiplexed || selectorOf(message, signal) != selector)
            continue;
        if (signal.muxRanges.empty())
            values.insert(signal.muxValue);
        for (const MuxRange& range : signal.muxRanges)
            values.insert(range.from);
    }
    return {values.begin(), values.end()};
}

Layout layoutOf(const Message& message, const std::vector<std::int64_t>& selected)
{
    Layout layout;
    layout.length = message.length;
    layout.rows = message.length;
    std::vector<std::vector<unsigned>> bits;
    for (const Signal& signal : message.signals) {
        bits.push_back(bitsOf(signal));
        unsigned highest = 0;
        for (const unsigned bit : bits.back())
            highest = std::max(highest, bit / 8);
        if (highest >= message.length)
            layout.outside.push_back(static_cast<int>(bits.size()) - 1);
        layout.rows = std::max(layout.rows, highest + 1);
    }
    layout.used.assign(layout.rows * 8UL, false);

    // Owners of each bit, to find those that meet.
    std::vector<std::vector<int>> owners(layout.rows * 8UL);
    std::set<std::pair<int, int>> told;
    for (std::size_t i = 0; i < bits.size(); ++i)
        for (const unsigned bit : bits[i]) {
            for (const int other : owners[bit])
                if (!told.contains({other, static_cast<int>(i)})
                    && canMeet(message, message.signals[static_cast<std::size_t>(other)], message.signals[i])) {
                    told.emplace(other, static_cast<int>(i));
                    layout.overlaps.push_back({other, static_cast<int>(i), bit});
                }
            owners[bit].push_back(static_cast<int>(i));
        }

    for (std::size_t i = 0; i < bits.size(); ++i) {
        bool shown = true;
        for (const auto& [selector, under] : chainOf(message, message.signals[i])) {
            const std::int64_t value = static_cast<std::size_t>(selector) < selected.size() ? selected[static_cast<std::size_t>(selector)]
                                                                                            : -1;
            shown = shown && (value < 0 || under->presentAt(static_cast<std::uint64_t>(value)));
        }
        if (!shown)
            continue;
        std::vector<std::pair<unsigned, unsigned>> cells;  // row, column
        for (const unsigned bit : bits[i]) {
            layout.used[bit] = true;
            cells.emplace_back(bit / 8, 7 - bit % 8);
        }
        const auto most = cells.back();
        const auto least = cells.front();
        std::sort(cells.begin(), cells.end());
        for (std::size_t k = 0; k < cells.size();) {
            std::size_t end = k;
            while (end + 1 < cells.size() && cells[end + 1].first == cells[k].first && cells[end + 1].second == cells[end].second + 1)
                ++end;
            LayoutStretch stretch{static_cast<int>(i), cells[k].first, cells[k].second, cells[end].second, false, false};
            stretch.first = most.first == stretch.row && most.second >= stretch.from && most.second <= stretch.to;
            stretch.last = least.first == stretch.row && least.second >= stretch.from && least.second <= stretch.to;
            layout.stretches.push_back(stretch);
            k = end + 1;
        }
    }
    return layout;
}

}  // namespace wavetrope::database
