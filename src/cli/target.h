// SPDX-License-Identifier: GPL-3.0-or-later
// What a command that sends goes to: an interface of the kernel, or a bus of a rig.
#pragma once

#include "cli/command.h"

namespace wavetrope::cli {

/// The rig that is sent to, which of its buses, and what else was said.
struct Target {
    rig::Rig rig;
    std::string bus;
    std::vector<std::string> words;
};
/// Where no interface is named the first of the words is the rig's file.
[[nodiscard]] Expected<Target> targetOf(
    const std::string& interface, const std::string& bus, bool isVirtual, std::vector<std::string> words);

}  // namespace wavetrope::cli
