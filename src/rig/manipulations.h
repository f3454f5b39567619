// SPDX-License-Identifier: GPL-3.0-or-later
// What is changed on purpose of what the nodes of a run send, and what goes wrong on its wires.
#pragma once

#include <string>
#include <vector>

#include "rig/session.h"

namespace wavetrope::rig {

/// What is asked for: those that a rig keeps under this name, or what the text itself says. Errors say that it is neither.
[[nodiscard]] Expected<std::vector<KeptManipulation>> manipulationsOf(const Rig& rig, const std::string& text);
/// Changes what its node sends, or has it go wrong on the wire; by the thread that drives the run. An error where the run has no such node, message,
/// bus or condition.
[[nodiscard]] Expected<void> manipulate(Session& session, const KeptManipulation& manipulation);
/// Takes back the newest that says so; by the thread that drives the run.
void lift(Session& session, const KeptManipulation& manipulation);
/// All that a text says, or that the rig keeps under this name; all or none of it.
[[nodiscard]] Expected<void> manipulateNamed(Session& session, const std::string& text);
[[nodiscard]] Expected<void> liftNamed(Session& session, const std::string& text);
/// Lifts what no longer acts and has act what now does, of what a rig keeps; by the thread that drives the run. Gives what could not be done.
std::vector<Error> follow(Session& session, const std::vector<KeptManipulation>& before, const std::vector<KeptManipulation>& now);

}  // namespace wavetrope::rig
