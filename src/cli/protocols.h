// SPDX-License-Identifier: GPL-3.0-or-later
// Messages of higher protocols on the command line.
#pragma once

#include "cli/command.h"

namespace wavetrope::cli {

/// `list LOG --messages`.
int listMessages(const Question& question, const std::vector<std::string>& protocols);
/// `count LOG --protocol ...`.
int countMessages(const Question& question, const std::vector<std::string>& protocols);
/// `decode LOG --protocol ...`.
int decodeMessages(const Question& question, const std::vector<std::string>& protocols, const std::string& glob);

void addProtocolCommands(CLI::App& program, int& result);
void addTalkCommands(CLI::App& program, int& result);
void addDictionaryCommands(CLI::App& program, int& result);

}  // namespace wavetrope::cli
