// SPDX-License-Identifier: GPL-3.0-or-later
// Where the nodes of a run are: simulated, played back, outside, or not there.
#pragma once

#include <array>
#include <string>

#include "rig/session.h"

namespace wavetrope::rig {

/// "simulated", "played back", "outside", "off".
[[nodiscard]] const char* toText(NodePlace place);
inline constexpr std::array<NodePlace, 4> allPlaces{NodePlace::simulated, NodePlace::playedBack, NodePlace::outside, NodePlace::off};

/// Puts a node there; by the thread that drives the run. Played back, the log that playback holds sends its frames on the buses of the same name, beside
/// what it plays anyway, and goes on where it stood; in another place it sends them no longer, unless somebody has routed them by hand. Gives what the node was doing, in words. An error where
/// there is no such node, or no log has a bus of it.
[[nodiscard]] Expected<std::string> setPlace(Session& session, const std::string& node, NodePlace place);

}  // namespace wavetrope::rig
