// SPDX-License-Identifier: GPL-3.0-or-later
// Frames in the form of the kernel's CAN sockets (linux/can.h).
#pragma once

#include <linux/can.h>
#include <sys/socket.h>

#include <optional>

#include "can/frame.h"

namespace wavetrope::bus {

/// The kernel's form of a frame, and its size (CAN_MTU or CANFD_MTU) in `size`.
struct KernelFrame {
    canfd_frame frame{};
    std::size_t size = CAN_MTU;
};

[[nodiscard]] KernelFrame toKernel(const can::Frame& frame);

/// Takes a received frame apart; `size` tells classic from FD. Empty when the size is neither. Time, bus and direction
/// are left to the caller.
[[nodiscard]] std::optional<can::Frame> fromKernel(const canfd_frame& frame, std::size_t size);

/// What the kernel tells beside a frame.
struct KernelFacts {
    std::optional<Time> kernel;             ///< When it took the frame, by its clock.
    std::optional<Time> hardware;           ///< When the interface had it, by the clock of that.
    std::optional<std::uint32_t> dropped;   ///< Frames that the socket has not had for want of room, so far.
};
[[nodiscard]] KernelFacts factsOf(msghdr& message);

/// The stamp of a frame: the interface's own where its clock goes by the time of day, and how far that is behind the
/// kernel's; else the kernel's.
struct Stamp {
    Time time{};
    bool ofHardware = false;
    Time apart{};           ///< The kernel's, less that of the hardware where it has one.
};
/// A clock further from the kernel's than this goes by a time of its own.
inline constexpr Time mostApart = std::chrono::seconds(1);
[[nodiscard]] Stamp stampOf(const KernelFacts& facts);

}  // namespace wavetrope::bus
