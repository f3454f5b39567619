// SPDX-License-Identifier: GPL-3.0-or-later
// What takes a bus, told apart as its protocols do.
#pragma once

#include <vector>

#include "can/frame.h"
#include "protocol/spoken.h"

namespace wavetrope::protocol {

/// The class of a frame by its identifier alone. Of objects: "process data", "service data", "emergency", "network" (heartbeats and states), "sync",
/// "time"; of vehicles: "parameter data", "transport" (that of ISO 11783-3, 5.11 too), "requests", "acknowledge", "diagnostics" (SAE J1939-73), "claim";
/// of the identifiers of testers and servers: "diagnostics". "plain" where no protocol of the bus has it.
[[nodiscard]] const char* trafficClass(const std::vector<Spoken>& spoken, can::Identifier id, can::FrameKind kind);

}  // namespace wavetrope::protocol
