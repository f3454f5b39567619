// SPDX-License-Identifier: GPL-3.0-or-later
// What a 29-bit identifier holds in networks of commercial and agricultural vehicles (SAE J1939-21, 5.2).
#pragma once

#include "can/frame.h"

namespace wavetrope::can {

/// The parts of such an identifier.
struct ParameterGroup {
    std::uint8_t priority = 0;          ///< 0, the highest, to 7.
    std::uint32_t group = 0;            ///< Extended data page, data page, PF, and PS where PF is 240 or more.
    std::uint8_t source = 0;
    std::uint8_t destination = 255;     ///< PS where PF is below 240; else 255, everybody.
    bool addressed = false;             ///< Whether PS is a destination.

    /// The parts of a 29-bit identifier.
    [[nodiscard]] static constexpr ParameterGroup of(Identifier id)
    {
        ParameterGroup parts;
        const std::uint32_t value = id.value;
        parts.priority = static_cast<std::uint8_t>(value >> 26 & 7U);
        parts.source = static_cast<std::uint8_t>(value);
        const std::uint32_t format = value >> 16 & 0xFFU;
        parts.addressed = format < 240;
        parts.group = value >> 8 & 0x3FFFFU;
        if (parts.addressed) {
            parts.destination = static_cast<std::uint8_t>(parts.group);
            parts.group &= 0x3FF00U;
        }
        return parts;
    }

    /// Whether it carries a piece of a longer message: connection management and data transfer of the transport
    /// protocol and of the extended one.
    [[nodiscard]] constexpr bool transport() const { return group == 0xEC00 || group == 0xEB00 || group == 0xC800 || group == 0xC700; }
};

}  // namespace wavetrope::can
