// SPDX-License-Identifier: GPL-3.0-or-later
// Turns the ticks of a log's time stamps into nanoseconds.
#pragma once

#include <cstdint>
#include <optional>

#include "base/stamp.h"

namespace wavetrope::formats {

/// Ticks of 10^-n or 2^-n seconds plus an offset in seconds, rounded down to nanoseconds.
class TickScale {
public:
    TickScale() = default;
    /// As in the option if_tsresol: the highest bit chooses powers of two.
    TickScale(std::uint8_t resolution, std::int64_t offsetSeconds)
    {
        const unsigned exponent = resolution & 0x7FU;
        offset_ = static_cast<__int128>(offsetSeconds) * 1'000'000'000;
        if ((resolution & 0x80U) != 0) {
            shift_ = exponent;
            multiplier_ = 1'000'000'000;
        } else if (exponent <= 9) {
            for (unsigned i = exponent; i < 9; ++i)
                multiplier_ *= 10;
        } else {
            for (unsigned i = 9; i < exponent && divisor_ != 0; ++i)
                divisor_ = divisor_ > ~0ULL / 10 ? 0 : divisor_ * 10;  // 0: a tick is nothing
        }
        simple_ = shift_ == 0 && divisor_ == 1;
        nanoseconds_ = simple_ && multiplier_ == 1 && offset_ == 0;
    }

    /// Whether so many ticks are as many nanoseconds since 1970, as in nearly every log.
    [[nodiscard]] bool isPlain(std::uint64_t ticks) const { return nanoseconds_ && ticks <= latest; }
    /// Empty when the moment is none that a log may carry (past 2261).
    [[nodiscard]] std::optional<Time> time(std::uint64_t ticks) const
    {
        std::uint64_t quick = 0;
        if (simple_ && offset_ == 0 && !__builtin_mul_overflow(ticks, multiplier_, &quick) && quick <= latest)
            return Time(static_cast<std::int64_t>(quick));
        unsigned __int128 scaled = static_cast<unsigned __int128>(ticks) * multiplier_;
        if (!simple_) {
            scaled = shift_ >= 127 ? 0 : scaled >> shift_;
            scaled = divisor_ == 0 ? 0 : scaled / divisor_;
        }
        const __int128 total = static_cast<__int128>(scaled) + offset_;
        if (total < earliestStamp.count() || total > latestStamp.count())
            return std::nullopt;
        return Time(static_cast<std::int64_t>(total));
    }

private:
    static constexpr std::uint64_t latest = static_cast<std::uint64_t>(latestStamp.count());

    std::uint64_t multiplier_ = 1;
    std::uint64_t divisor_ = 1;
    unsigned shift_ = 0;
    bool simple_ = true;
    bool nanoseconds_ = false;
    __int128 offset_ = 0;
};

}  // namespace wavetrope::formats
