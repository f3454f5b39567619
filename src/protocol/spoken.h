// SPDX-License-Identifier: GPL-3.0-or-later
// Which higher protocols a bus speaks.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "base/error.h"
#include "can/identifier.h"

namespace wavetrope::protocol {

/// What a bus speaks: networks of commercial, agricultural and municipal vehicles (SAE J1939, ISO 11783), machines with object dictionaries
/// (CiA 301), diagnostics over given identifiers (ISO 15765-2, ISO 14229-1).
enum class Protocol : std::uint8_t { vehicle, objects, diagnostics };
[[nodiscard]] const char* toText(Protocol protocol);

/// The identifiers of one tester and one server.
struct DiagnosticPair {
    can::Identifier request, answer;
};

/// What a bus speaks.
struct Spoken {
    std::string bus;
    Protocol protocol = Protocol::vehicle;
    std::vector<DiagnosticPair> pairs{};  ///< Of `diagnostics`.
};
/// Reads `BUS=vehicle`, `BUS=objects`, `BUS=diagnostics:0x7E0/0x7E8,0x18DA00F1/0x18DAF100`. Errors name what was expected.
[[nodiscard]] Expected<Spoken> spokenFromText(std::string_view text);

}  // namespace wavetrope::protocol
