// SPDX-License-Identifier: GPL-3.0-or-later
// What is known about each identifier of a trace, kept up as frames come.
#pragma once

#include <array>
#include <vector>

#include "can/bit_rate.h"
#include "measure/observer.h"

namespace wavetrope::measure {

/// Bits of a payload, one for each of up to 512.
struct BitMask {
    std::array<std::uint8_t, can::maxLength> bytes{};

    [[nodiscard]] bool test(unsigned byte, unsigned bit) const { return (bytes[byte] >> bit & 1U) != 0; }
    [[nodiscard]] bool any() const
    {
        for (const auto byte : bytes)
            if (byte != 0)
                return true;
        return false;
    }
    /// Marks what differs between two payloads; behind the shorter one, all of the longer.
    void addDifference(const std::uint8_t* a, unsigned lengthA, const std::uint8_t* b, unsigned lengthB);
};

/// Counts and periods of one identifier over the whole trace.
struct IdentifierStats {
    std::uint64_t count = 0;
    Time first{};
    Time last{};
    Time period{};                      ///< Between the last two.
    Time shortest = Time::max();
    Time longest{};
    Time busy{};                        ///< Time on the wire, intermissions included.
    trace::Row lastRow = trace::noRow;
    std::uint8_t lastLength = 0;
    std::array<std::uint8_t, can::maxLength> lastPayload{};
    BitMask changed;                    ///< Bits that ever changed.

    /// All but the time on the wire.
    void add(trace::Row row, const can::FrameView& frame);
    /// Mean period; 0 for fewer than two frames.
    [[nodiscard]] Time meanPeriod() const { return count < 2 ? Time{0} : (last - first) / static_cast<std::int64_t>(count - 1); }
};

/// Of every identifier, by its index in the trace.
class IdentifierTable final : public Observer {
public:
    void take(trace::Row row, trace::IdentifierIndex identifier, const trace::TraceKey&, const can::FrameView& frame) override
    {
        if (identifier >= stats_.size())
            stats_.resize(identifier + 1);
        stats_[identifier].add(row, frame);
    }
    /// Time on the wire of one that was taken.
    void addBusy(trace::IdentifierIndex identifier, Time busy) { stats_[identifier].busy += busy; }

    [[nodiscard]] std::size_t size() const { return stats_.size(); }
    [[nodiscard]] const IdentifierStats& operator[](std::size_t identifier) const { return stats_[identifier]; }
    [[nodiscard]] auto begin() const { return stats_.begin(); }
    [[nodiscard]] auto end() const { return stats_.end(); }

private:
    std::vector<IdentifierStats> stats_;
};

/// One identifier as it stood at a row of the trace.
struct IdentifierMoment {
    trace::Row row = trace::noRow;      ///< Its newest frame before the limit, or noRow.
    std::uint64_t count = 0;
    Time period{};                      ///< Between its last two frames then.
    std::vector<Time> beats;            ///< Its last arrivals, the newest last.
    BitMask changedLately;              ///< Bits that changed within those.

    /// Longest less shortest period within the beats; 0 for fewer than three.
    [[nodiscard]] Time spread() const;
    /// Mean period within the beats, or the last one.
    [[nodiscard]] Time mean() const
    {
        return beats.size() > 2 ? (beats.back() - beats.front()) / static_cast<std::int64_t>(beats.size() - 1) : period;
    }
};

/// Looks back from a row: newest frame, last `beats` arrivals and what changed in them. Costs no scan of the trace.
[[nodiscard]] IdentifierMoment momentOf(
    const trace::Snapshot& snapshot, trace::IdentifierIndex identifier, trace::Row limit, unsigned beats = 25);
/// The same of several identifiers taken for one.
[[nodiscard]] IdentifierMoment momentOf(
    const trace::Snapshot& snapshot, const std::vector<trace::IdentifierIndex>& identifiers, trace::Row limit, unsigned beats = 25);

}  // namespace wavetrope::measure
