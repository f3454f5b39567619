// SPDX-License-Identifier: GPL-3.0-or-later
// Which higher protocols a bus speaks.
#pragma once

#include <cstdint>
#include <optional>
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

/// The identifiers of one tester and one server. With extended and mixed addressing (ISO 15765-2:2016, 10.3.4 and 10.3.5) a byte of address stands in
/// front of what a frame carries, and several servers may share an identifier.
struct DiagnosticPair {
    can::Identifier request, answer;
    std::optional<std::uint8_t> requestAddress{}, answerAddress{};
    friend bool operator==(const DiagnosticPair&, const DiagnosticPair&) = default;
};
/// As `spokenFromText` reads it.
[[nodiscard]] std::string toText(const DiagnosticPair& pair);

/// What a bus speaks.
struct Spoken {
    std::string bus;
    Protocol protocol = Protocol::vehicle;
    std::vector<DiagnosticPair> pairs{};  ///< Of `diagnostics`.
};
/// Reads `BUS=vehicle`, `BUS=objects`, `BUS=diagnostics:0x7E0/0x7E8,0x18DA00F1/0x18DAF100`; with a byte of address `0x6F1+12/0x612+F1`. Errors name what was expected.
[[nodiscard]] Expected<Spoken> spokenFromText(std::string_view text);

}  // namespace wavetrope::protocol
