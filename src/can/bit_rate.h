// SPDX-License-Identifier: GPL-3.0-or-later
// Bit rates of a bus, and the time that bits take at them.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "can/frame.h"
#include "can/wire_length.h"

namespace wavetrope::can {

/// Bits per second of the nominal phase and, for CAN FD with bit-rate switch, of the data phase (0: no faster phase).
struct BitRate {
    std::uint32_t nominal = 0;
    std::uint32_t data = 0;

    [[nodiscard]] bool known() const { return nominal > 0; }
    /// Whether both may be the rate of one bus: what both know is the same.
    [[nodiscard]] bool agreesWith(const BitRate& other) const
    {
        const auto alike = [](std::uint32_t a, std::uint32_t b) { return a == 0 || b == 0 || a == b; };
        return alike(nominal, other.nominal) && alike(data, other.data);
    }
    friend bool operator==(const BitRate&, const BitRate&) = default;
};

/// Time that so many bits take, rounded to the nearest nanosecond. `rate.nominal` must be greater than 0.
[[nodiscard]] Time duration(WireLength bits, BitRate rate);

/// Time for which a frame occupies the bus: its bits and the 3 bits of intermission (ISO 11898-1:2015, 10.4.6).
[[nodiscard]] Time occupancy(WireLength bits, BitRate rate);

/// The same durations looked up, for many frames at one rate.
class BitTimes {
public:
    explicit BitTimes(BitRate rate);
    /// As can::duration; the rate must be known.
    [[nodiscard]] Time duration(WireLength bits) const
    {
        if (bits.nominalBits >= mostBits || bits.dataBits >= mostBits)
            return can::duration(bits, rate_);
        return Time(nominal_[bits.nominalBits] + data_[bits.dataBits]);
    }
    [[nodiscard]] Time occupancy(WireLength bits) const
    {
        bits.nominalBits = static_cast<std::uint16_t>(bits.nominalBits + intermissionBits);
        return duration(bits);
    }

private:
    static constexpr std::uint16_t mostBits = 1024;
    BitRate rate_;
    std::vector<std::int64_t> nominal_, data_;     // nanoseconds by number of bits
};

/// "500k", "500k/2M", "83333".
[[nodiscard]] std::string toText(BitRate rate);

/// Reads "500k", "250000", "500k/2M", "83.333k". Empty when it is none, or outside 1 kbit/s to 20 Mbit/s.
[[nodiscard]] std::optional<BitRate> bitRateFromText(std::string_view text);

}  // namespace wavetrope::can
