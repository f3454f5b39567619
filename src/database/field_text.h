// SPDX-License-Identifier: GPL-3.0-or-later
// Fields of signals as a person reads and types them.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "base/error.h"
#include "database/database.h"

namespace wavetrope::database {

/// When a signal is present: nothing, "selector", "3", "1, 3 to 5", "Mode = 3", with ", selector" where it selects too.
[[nodiscard]] std::string muxText(const Signal& signal);
/// Takes such a text into a signal; on error the signal stays as it is.
[[nodiscard]] Expected<void> takeMuxText(Signal& signal, std::string_view text);

/// Texts of values and of ranges: "0 = off; 1 = on; 3 to 250 = reserved". A text with a semicolon, a quote or blanks at
/// its ends stands in quotes, with its own quotes doubled.
[[nodiscard]] std::string textsText(const std::vector<ValueText>& texts);
[[nodiscard]] Expected<std::vector<ValueText>> textsFromText(std::string_view text);

/// Words between commas or blanks.
[[nodiscard]] std::vector<std::string> wordsFromText(std::string_view text);

}  // namespace wavetrope::database
