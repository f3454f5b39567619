// What happens on the wire when transmitters disagree, followed bit by bit.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "can/error_counters.h"

namespace wavetrope::bus {

/// One transmitter in a collision: its stuffed bits and its error state at the start.
struct Transmitter {
    std::vector<std::uint8_t> bits;
    can::ErrorState state = can::ErrorState::active;
    /// Bit of its own that it misreads, as a disturbance near it would make it; none normally.
    std::optional<std::size_t> misreads;
};

/// What became of it.
struct CollisionOutcome {
    std::optional<std::size_t> survivor;    ///< The transmitter whose frame went through.
    std::vector<bool> transmitterFlagged;   ///< Sent an error flag (active or passive).
    bool receiversFlagged = false;          ///< Receivers found a stuff error and flagged.
    bool receiversSawDominant = false;      ///< And saw a dominant bit behind their flag.
    std::size_t bits = 0;                   ///< From start of frame to the end of the error delimiter, if destroyed.
};

/// Follows the wired-and of all bits, the flags of those that detect an error, and their superposition
/// (ISO 11898-1:2015, 10.4.4 error frame; 12.1.4 fault confinement). `receiversActive` tells whether any
/// error-active receiver listens.
[[nodiscard]] CollisionOutcome followCollision(const std::vector<Transmitter>& transmitters, bool receiversActive);

}  // namespace wavetrope::bus
