// SPDX-License-Identifier: GPL-3.0-or-later
// The scripts of a rig's nodes, in the rig and in files beside it.
#pragma once

#include <string>

#include "rig/rig.h"

namespace wavetrope::rig {

/// The text of a script's file. A file without a byte is a script that does nothing.
[[nodiscard]] Expected<std::string> readScript(const std::string& path);
/// What a node's script says now: of one in a file that was not read yet, what stands there. Empty where it has none.
[[nodiscard]] Expected<std::string> scriptOf(const Rig& rig, const std::string& node);
/// Gives a node's script another text, in the document as well; that of a file stands in its file once `saveScript` was called.
/// An empty text takes a script away that stands in the rig itself. False where the rig has no such node.
bool setScript(Rig& rig, const std::string& node, const std::string& text);
/// Whether a script in a file is no longer as it stands there.
[[nodiscard]] bool scriptDiffersFromFile(const Rig& rig, const std::string& node);
/// Writes a script that stands in a file into it.
[[nodiscard]] Expected<void> saveScript(const Rig& rig, const std::string& node);

}  // namespace wavetrope::rig
