// SPDX-License-Identifier: GPL-3.0-or-later
// The frames that a recording would keep, from before it starts.
#pragma once

#include <algorithm>
#include <array>
#include <bit>
#include <cstdint>
#include <deque>

#include "base/time.h"
#include "trace/trace_key.h"

namespace wavetrope::rules {

/// How much from before the start, or from behind the stop: a time, or so many frames.
struct Margin {
    Time span{};
    std::uint64_t frames = 0;
    bool byFrames = false;
};

/// Rows of the newest frames that a recording passes, as many as its margin may ask for. An hour of them takes a few
/// megabytes: a bit for each row of the trace.
class KeptRows {
public:
    explicit KeptRows(Margin margin) : margin_(margin) {}

    /// The next row that passes, behind all others, with its stamp. `now` never goes back.
    void add(trace::Row row, Time stamp, Time now);
    void clear()
    {
        blocks_.clear();
        count_ = 0;
    }
    /// Calls visit(row) for those that a take which starts `at` an instant has from before; the rest is gone then.
    /// `stampOf(row)` gives the stamp of a row.
    template <class StampOf, class Visit>
    void release(Time at, StampOf stampOf, Visit visit)
    {
        std::uint64_t passOver = margin_.byFrames ? count_ - std::min(count_, margin_.frames) : 0;
        const Time from = at - margin_.span;
        for (const Block& block : blocks_) {
            if (!margin_.byFrames && block.latest < from)
                continue;
            const bool all = margin_.byFrames || block.earliest >= from;
            for (std::size_t word = 0; word < block.bits.size(); ++word)
                for (std::uint64_t bits = block.bits[word]; bits != 0; bits &= bits - 1) {
                    const trace::Row row = block.base + word * 64 + static_cast<unsigned>(std::countr_zero(bits));
                    if (passOver > 0) {
                        --passOver;
                        continue;
                    }
                    if (all || stampOf(row) >= from)
                        visit(row);
                }
        }
        clear();
    }
    /// How many there are at most: by frames exactly, by time a few more.
    [[nodiscard]] std::uint64_t count() const { return margin_.byFrames ? std::min(count_, margin_.frames) : count_; }
    /// Stamp of the oldest that is held; the newest instant where there is none.
    [[nodiscard]] Time oldest() const { return blocks_.empty() ? now_ : blocks_.front().earliest; }

private:
    static constexpr trace::Row blockRows = 4096;
    struct Block {
        trace::Row base = 0;
        std::uint64_t count = 0;
        Time earliest{};
        Time latest{};
        std::array<std::uint64_t, blockRows / 64> bits{};
    };
    void prune(Time now);

    Margin margin_;
    std::deque<Block> blocks_;
    std::uint64_t count_ = 0;
    Time now_{};
};

}  // namespace wavetrope::rules
