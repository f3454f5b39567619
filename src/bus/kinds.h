// SPDX-License-Identifier: GPL-3.0-or-later
// The kinds of buses, in one table.
#pragma once

#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "bus/bus.h"
#include "clock/scheduler.h"

namespace wavetrope::bus {

/// What a bus is opened with.
struct Wanted {
    std::uint8_t index = 0;             ///< Of the run: what its frames carry.
    can::BitRate rate;
    std::string address;                ///< What its kind says that it means; empty where it has none.
    std::optional<Time> restartAfter;   ///< A simulated controller that is bus off takes part again after so long.
};

/// Something of a kind that is there and can be opened.
struct Listed {
    std::string address;
    std::string kind;                   ///< "vcan", "vxcan", or "can" for hardware.
    std::string state;                  ///< "up", "down", or the controller's error state.
    can::BitRate rate;                  ///< As far as it tells.
};

/// One kind. A new one is a file with a bus and a line in kinds.cpp.
struct BusKind {
    const char* name;                   ///< "simulated".
    const char* field;                  ///< Of a rig's bus, whose text is the address; empty for the kind that has none.
    const char* address;                ///< What the address means: "an interface of the kernel, such as can0".
    bool ofTheWorld;                    ///< Frames come by themselves, with the machine's time: it can only be paced.
    Time handOver;                      ///< Such frames come to hand so long behind their stamps, as a rule.
    /// Whether an address can be one at all, whatever is there now. An error says what is wrong with it.
    Expected<void> (*check)(const std::string& address);
    /// An error says what is wrong with this address now; the rest of a rig runs all the same.
    Expected<std::unique_ptr<Bus>> (*open)(clock::Scheduler& scheduler, const Wanted& wanted);
    /// What is there. An error where it cannot be found out.
    Expected<std::vector<Listed>> (*list)();
};

/// All kinds; the first is what a bus is that says nothing else.
[[nodiscard]] std::span<const BusKind> busKinds();

}  // namespace wavetrope::bus
