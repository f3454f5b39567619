// SPDX-License-Identifier: GPL-3.0-or-later
// The CAN interfaces that the kernel has.
#pragma once

#include <string>
#include <vector>

#include "base/error.h"
#include "can/bit_rate.h"

namespace wavetrope::bus {

/// One interface as the kernel describes it over its route socket.
struct KernelInterface {
    std::string name;
    std::string kind;           ///< "vcan", "vxcan", or "can" for hardware.
    bool up = false;
    unsigned mtu = 0;           ///< 16 classic, 72 CAN FD.
    int index = 0;
    can::BitRate rate;          ///< Unknown (0) for virtual interfaces.
    std::string state;          ///< "up", "down", or the controller's error state.
};

/// Lists all CAN interfaces by name. An error when the kernel does not answer.
[[nodiscard]] Expected<std::vector<KernelInterface>> kernelInterfaces();

}  // namespace wavetrope::bus
