// SPDX-License-Identifier: GPL-3.0-or-later
// Messages of higher protocols on the command line.
#pragma once

#include "cli/command.h"

namespace wavetrope::cli {

/// Adds --protocol to a command.
CLI::Option* addProtocolOption(CLI::App& command, std::vector<std::string>& protocols);

/// `list LOG --messages`.
int listMessages(const Question& question, const std::vector<std::string>& protocols);

void addProtocolCommands(CLI::App& program, int& result);

}  // namespace wavetrope::cli
