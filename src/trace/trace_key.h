// SPDX-License-Identifier: GPL-3.0-or-later
// What frames are told apart by in a trace: bus and identifier.
#pragma once

#include <cstdint>

#include "can/frame.h"

namespace wavetrope::trace {

/// Index of an identifier of a trace, in the order of first appearance.
using IdentifierIndex = std::uint32_t;

/// Row of a trace, in the order of arrival.
using Row = std::uint64_t;
inline constexpr Row noRow = ~Row{0};

/// One identifier of one bus. Error frames are told apart by their class bits.
struct TraceKey {
    std::uint8_t bus = 0;
    bool error = false;
    can::Identifier id{};

    [[nodiscard]] static TraceKey of(const can::FrameHead& frame)
    {
        const bool error = frame.kind == can::FrameKind::error;
        return {frame.bus, error, frame.id};
    }
    /// One number for hashing.
    [[nodiscard]] std::uint64_t packed() const
    {
        return static_cast<std::uint64_t>(bus) << 40 | static_cast<std::uint64_t>(error ? 1 : 0) << 32 | id.key();
    }
    friend bool operator==(const TraceKey&, const TraceKey&) = default;
};

}  // namespace wavetrope::trace
