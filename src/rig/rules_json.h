// SPDX-License-Identifier: GPL-3.0-or-later
// Conditions and recordings as they stand in a rig document.
#pragma once

#include "base/json_reader.h"
#include "rig/rig.h"

namespace wavetrope::rig {

/// Reads /events and /recordings into a rig that has its buses. Throws JsonFailure.
void readRules(const JsonReader& in, Rig& rig);

/// Bytes as a text with its unit, "200 MB"; 1 MB is a million bytes. Empty where the text is none.
[[nodiscard]] std::optional<std::uint64_t> sizeFromText(std::string_view text);
/// "2 s" or "200 frames".
[[nodiscard]] std::optional<rules::Margin> marginFromText(std::string_view text);
[[nodiscard]] std::string marginText(const rules::Margin& margin);

}  // namespace wavetrope::rig
