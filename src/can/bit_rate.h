// Bit rates of a bus, and the time that bits take at them.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "can/frame.h"
#include "can/wire_length.h"

namespace wavetrope::can {

/// Bits per second of the nominal phase and, for CAN FD with bit-rate switch, of the data phase (0: no faster phase).
struct BitRate {
    std::uint32_t nominal = 0;
    std::uint32_t data = 0;

    [[nodiscard]] bool known() const { return nominal > 0; }
    friend bool operator==(const BitRate&, const BitRate&) = default;
};

/// Time that so many bits take, rounded to the nearest nanosecond. `rate.nominal` must be greater than 0.
[[nodiscard]] Time duration(WireLength bits, BitRate rate);

/// Time for which a frame occupies the bus: its bits and the 3 bits of intermission (ISO 11898-1:2015, 10.4.6).
[[nodiscard]] Time occupancy(WireLength bits, BitRate rate);

/// "500k", "500k/2M", "83333".
[[nodiscard]] std::string toText(BitRate rate);

/// Reads "500k", "250000", "500k/2M", "83.333k". Empty when it is none, or outside 1 kbit/s to 20 Mbit/s.
[[nodiscard]] std::optional<BitRate> bitRateFromText(std::string_view text);

}  // namespace wavetrope::can
