// SPDX-License-Identifier: GPL-3.0-or-later
// A rig that captures without a display.
#pragma once

#include <cstdint>
#include <string>

#include "cli/command.h"

namespace wavetrope::cli {

struct RigCapture {
    std::string rig, span, out, spool, socket;
    std::uint64_t memory = 0;
    bool isVirtual = false;
};

/// Runs buses, conditions and recordings of a rig until its time is over or it is ended. SIGHUP reads its conditions and
/// recordings again. Gives the exit code.
int captureRig(const RigCapture& options);

/// Adds the command tell.
void addTell(CLI::App& program, int& result);

}  // namespace wavetrope::cli
