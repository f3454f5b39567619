// SPDX-License-Identifier: GPL-3.0-or-later
// What happens on the wire when transmitters disagree or misread, followed bit by bit.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "can/error_counters.h"
#include "can/wire_bits.h"

namespace wavetrope::bus {

/// Bits of an error flag and of an error delimiter (ISO 11898-1:2015, 10.4.4.2).
inline constexpr unsigned flagBits = 6, delimiterBits = 8;

/// One transmitter in a collision: its stuffed bits and its error state at the start.
struct Transmitter {
    std::vector<can::WireBit> bits;
    can::ErrorState state = can::ErrorState::active;
    /// Bit of its own that it misreads, as a disturbance near it would make it; none normally.
    std::optional<std::size_t> misreads;
};

/// Receivers of one kind: those that flag actively, or passively.
struct Listening {
    bool flagged = false;           ///< They found a stuff error and flagged (rule a).
    bool sawDominant = false;       ///< And the first bit behind their flag was dominant (rule b).
};

/// What of the first error that anybody found stands in the error frame.
enum class Fault : std::uint8_t { none, dominantUnsent, recessiveUnsent, stuff };

/// What became of it.
struct CollisionOutcome {
    std::vector<bool> survived;             ///< By transmitter: its frame went through.
    std::vector<bool> transmitterFlagged;   ///< Sent an error flag (active or passive).
    /// Flagged for a recessive stuff bit of the arbitration field that it read as dominant: rule c, exception B.
    std::vector<bool> exempt;
    std::vector<bool> lost;                 ///< Lost arbitration, which is no error; it receives from there on.
    Listening active;                       ///< Receivers by their state, transmitters that lost among them.
    Listening passive;
    Listening reader;                       ///< The receiver that misread, if there is one.
    std::vector<std::size_t> ends;  ///< By transmitter that flagged: bits up to the end of its own error delimiter, if all are destroyed.
    std::size_t dominantUntil = 0;  ///< Bits up to the last dominant one, if all are destroyed.
    std::size_t bits = 0;  ///< From start of frame to the end of the error delimiter, if destroyed.
    std::size_t flagAt = 0;  ///< The first bit that belongs to an error flag: all before are the frame's.
    Fault fault = Fault::none;
    can::Place place = can::Place::unknown;  ///< Of the first error.

    /// Whether any frame went through.
    [[nodiscard]] bool anySurvivor() const;
};

/// Which receivers listen.
struct Audience {
    bool active = false;
    bool passive = false;
};

/// A receiver that misreads a bit of the frame, and flags an error that nobody else has found.
struct Misreader {
    std::size_t at = 0;  ///< Bit of the frame, counted from start of frame.
    bool active = true;  ///< It flags actively.
};

/// Follows the wired-and of all bits, the flags of those that detect an error, and their superposition
/// (ISO 11898-1:2015, 10.4.4 error frame; 12.1.4 fault confinement).
/// `flipped` is a bit that a disturbance turns round on the wire, for all alike.
[[nodiscard]] CollisionOutcome followCollision(const std::vector<Transmitter>& transmitters, Audience audience,
    std::optional<std::size_t> flipped = std::nullopt, std::optional<Misreader> misreader = std::nullopt);

/// What is wrong behind the CRC of a frame whose bits came as they were sent.
enum class TailFault : std::uint8_t {
    form,  ///< The delimiter of the CRC is dominant: all flag behind it.
    checksum,  ///< Nobody acknowledges, and its senders flag behind the slot; receivers, who found the CRC wrong, a bit later.
    acknowledge,  ///< Nobody acknowledges; receivers flag where they see the flag of a sender in the delimiter of the acknowledge.
};
/// What became of such a frame. Bits count from the end of that in which its senders found the fault.
struct TailOutcome {
    std::vector<std::size_t> ends;  ///< By sender: up to the end of its own error delimiter.
    std::vector<bool> sawDominant;  ///< By sender: in its own flag.
    Listening active, passive;  ///< Receivers.
    std::size_t bits = 0;  ///< Up to the end of the last error delimiter.
    std::size_t dominantUntil = 0;  ///< Up to the last dominant one; 0 where there is none.
};
/// Follows the flags of senders in these states and of receivers (ISO 11898-1:2015, 10.4.4).
[[nodiscard]] TailOutcome followTail(TailFault fault, const std::vector<can::ErrorState>& senders, Audience audience);

}  // namespace wavetrope::bus
