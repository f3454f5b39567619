// SPDX-License-Identifier: GPL-3.0-or-later
// Manual page and completion of a program, made from the table that its own parser works by.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include <CLI/CLI.hpp>

namespace wavetrope::manual {

/// What a manual page says besides the parser's table.
struct About {
    std::string name;                                               ///< "wavetrope-cli".
    std::string version;
    std::string purpose;                                            ///< One line.
    std::vector<std::pair<std::string, std::string>> chapters;      ///< Heading and text, behind the options.
};

/// A page of section 1, in the form of man(7).
[[nodiscard]] std::string page(const CLI::App& program, const About& about);

/// A completion for bash: commands, their options, choices of an option, names of files.
[[nodiscard]] std::string completion(const CLI::App& program, const std::string& name);

/// Adds --manual and --completion, which print these and end the program. They stand in no help.
void addTo(CLI::App& program, const About& about);

}  // namespace wavetrope::manual
