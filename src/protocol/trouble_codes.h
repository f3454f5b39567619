// SPDX-License-Identifier: GPL-3.0-or-later
// The trouble codes that a unit of a vehicle tells (SAE J1939-73, 5.7.1).
#pragma once

#include <string>
#include <vector>

#include "can/frame.h"
#include "protocol/names.h"

namespace wavetrope::protocol {

inline constexpr std::uint32_t groupActiveTrouble = 0xFECA, groupFormerTrouble = 0xFECB;

/// One trouble code.
struct TroubleCode {
    std::uint32_t parameter = 0;    ///< 19 bits: what is suspected.
    std::uint8_t failure = 0;       ///< 0 to 31: in which way.
    std::uint8_t count = 0;         ///< How often it occurred; 127: not known.
    friend bool operator==(const TroubleCode&, const TroubleCode&) = default;
    [[nodiscard]] std::uint32_t key() const { return parameter << 5 | failure; }
};

/// Of a lamp: what is asked of it.
struct TroubleMessage {
    bool protect = false, amber = false, red = false, malfunction = false;  ///< Lamps that are on.
    std::vector<TroubleCode> codes;
    /// "amber lamp", "red and amber lamps"; empty where none is on.
    [[nodiscard]] std::string lamps() const;
};

/// Takes the bytes of such a message apart: two of lamps, four of each code, in the conversion method that is not deprecated. A single code of zeros means
/// that there is none.
[[nodiscard]] TroubleMessage troubleOf(can::Payload bytes);
/// What a failure mode says (SAE J1939-73, annex A).
[[nodiscard]] std::string failureWords(std::uint8_t failure);
/// "parameter 520201: below the normal range, severe (1)"; the parameter with its name where there is one.
[[nodiscard]] std::string words(const TroubleCode& code, const Names* names = nullptr);

}  // namespace wavetrope::protocol
