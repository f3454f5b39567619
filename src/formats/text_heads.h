// SPDX-License-Identifier: GPL-3.0-or-later
// What the words over the columns of a text log promise.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "formats/text_layout.h"

namespace wavetrope::formats {

/// What a word at the head of a column promises; Meaning::nothing for one that says nothing.
[[nodiscard]] Meaning promised(std::string_view head);
/// The unit that a head names: "[ms]", "(us)", "time_ns", "in seconds".
/// Whether a head says that times count from the line before.
[[nodiscard]] bool sincePrevious(std::string_view head);
[[nodiscard]] std::optional<TimeForm> unitOf(std::string_view head);
/// The base that it names.
[[nodiscard]] std::optional<Base> baseOf(std::string_view head);
/// In small letters.
[[nodiscard]] std::string lowered(std::string_view text);

}  // namespace wavetrope::formats
