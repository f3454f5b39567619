// SPDX-License-Identifier: GPL-3.0-or-later
// A frame of a controller area network, as it is captured, stored and sent.
#pragma once

#include <array>
#include <cstdint>
#include <cstring>
#include <span>

#include "base/time.h"
#include "can/identifier.h"

namespace wavetrope::can {

/// What kind of frame it is (ISO 11898-1:2015, 10.4). An error frame carries the class bits of the kernel's
/// interface in its identifier.
enum class FrameKind : std::uint8_t { data, fd, remote, error };

/// Seen from this program: received from the bus, sent onto it, or not recorded.
enum class Direction : std::uint8_t { unknown, received, sent };

inline constexpr unsigned maxClassicLength = 8;
inline constexpr unsigned maxLength = 64;

/// Everything about a frame but its payload bytes.
struct FrameHead {
    Time time{};                ///< End of the last end-of-frame bit.
    Identifier id{};
    FrameKind kind = FrameKind::data;
    Direction direction = Direction::unknown;
    std::uint8_t bus = 0;       ///< Index of the bus in its trace or rig.
    bool brs = false;           ///< CAN FD bit-rate switch.
    bool esi = false;           ///< CAN FD error-state indicator: the sender was error-passive.
    std::uint8_t length = 0;    ///< Payload bytes present, 0 to 64; 0 for a remote frame.
    std::uint8_t dlc = 0;       ///< Data length code, 0 to 15 (ISO 11898-1:2015, table 5).
};

/// The bytes of a message: those of one frame, or of several put together.
using Payload = std::span<const std::uint8_t>;

/// A frame whose payload lies elsewhere and outlives the view.
struct FrameView : FrameHead {
    const std::uint8_t* data = nullptr;

    [[nodiscard]] Payload payload() const { return {data, length}; }
};

/// A frame that owns its payload.
struct Frame : FrameHead {
    std::array<std::uint8_t, maxLength> data{};

    Frame() = default;
    explicit Frame(const FrameView& view) : FrameHead(view)
    {
        if (view.length > 0)
            std::memcpy(data.data(), view.data, view.length);
    }
    [[nodiscard]] FrameView view() const
    {
        FrameView v;
        static_cast<FrameHead&>(v) = *this;
        v.data = data.data();
        return v;
    }
};

/// Payload bytes that a data length code stands for in a CAN FD frame (ISO 11898-1:2015, table 5).
[[nodiscard]] constexpr unsigned lengthOfDlc(unsigned dlc)
{
    constexpr unsigned lengths[16] = {0, 1, 2, 3, 4, 5, 6, 7, 8, 12, 16, 20, 24, 32, 48, 64};
    return lengths[dlc & 15U];
}

/// The smallest data length code that holds `length` bytes (0 to 64).
[[nodiscard]] constexpr std::uint8_t dlcOfLength(unsigned length)
{
    if (length <= maxClassicLength)
        return static_cast<std::uint8_t>(length);
    std::uint8_t dlc = 9;
    while (dlc < 15 && lengthOfDlc(dlc) < length)
        ++dlc;
    return dlc;
}

/// "data", "fd", "remote" or "error".
[[nodiscard]] constexpr const char* toText(FrameKind kind)
{
    constexpr const char* names[] = {"data", "fd", "remote", "error"};
    return names[static_cast<unsigned>(kind)];
}

/// "sent", "received", or "" when not recorded.
[[nodiscard]] constexpr const char* toText(Direction direction)
{
    constexpr const char* names[] = {"", "received", "sent"};
    return names[static_cast<unsigned>(direction)];
}

}  // namespace wavetrope::can
