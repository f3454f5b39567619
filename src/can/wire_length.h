// SPDX-License-Identifier: GPL-3.0-or-later
// How many bits a frame takes on the wire.
#pragma once

#include <cstdint>

#include "can/frame.h"

namespace wavetrope::can {

/// Bits of one frame from start of frame to the last end-of-frame bit, stuff bits included.
struct WireLength {
    std::uint16_t nominalBits = 0;  ///< At the nominal bit rate (through the BRS bit, and from the CRC delimiter on).
    std::uint16_t dataBits = 0;     ///< At the data bit rate (ESI to the last CRC bit); 0 without bit-rate switch.
    std::uint16_t stuffBits = 0;    ///< Dynamic stuff bits among them; fixed stuff bits of CAN FD are not counted here.

    friend bool operator==(const WireLength&, const WireLength&) = default;
};

inline constexpr unsigned intermissionBits = 3;    ///< ISO 11898-1:2015, 10.4.6.2
inline constexpr unsigned errorFrameBits = 17;     ///< What an error frame of a log counts: flag, delimiter, intermission.

/// Exact length of a classic or FD frame (ISO 11898-1:2015, 10.4.2 frame formats, 10.5 bit stuffing).
/// An error frame counts so that, with its intermission, it takes 17 bits.
[[nodiscard]] WireLength wireLength(const FrameView& frame);

/// The longest that a frame of such a head can be, whatever it carries. A classic frame of g bits in front of its s bytes that may
/// be stuffed, the CRC among them (34, with an extended identifier 54): g + 8s + 10 + (g + 8s - 1) / 4 rounded down, which is that of
/// Davis, Burns, Bril and Lukkien, Controller Area Network (CAN) schedulability analysis, Real-Time Systems 35, 2007, without the
/// intermission. An FD frame: the longest of all payloads and both values of ESI, its identifier being what it is.
[[nodiscard]] WireLength longestLength(const FrameHead& head);

/// CRC-15 of a classic frame over so many leading bits, most significant first (ISO 11898-1:2015, 10.4.2.6).
[[nodiscard]] std::uint16_t crc15(const std::uint8_t* bits, unsigned count);

}  // namespace wavetrope::can
