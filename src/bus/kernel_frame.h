// SPDX-License-Identifier: GPL-3.0-or-later
// Frames in the form of the kernel's CAN sockets (linux/can.h).
#pragma once

#include <linux/can.h>

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

}  // namespace wavetrope::bus
