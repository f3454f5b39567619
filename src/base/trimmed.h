// SPDX-License-Identifier: GPL-3.0-or-later
// Texts without the blanks around them.
#pragma once

#include <string>
#include <string_view>

namespace wavetrope {

/// The text without blanks and tabs at either end.
[[nodiscard]] inline std::string trimmed(std::string_view text)
{
    const auto from = text.find_first_not_of(" \t");
    return from == std::string_view::npos ? std::string() : std::string(text.substr(from, text.find_last_not_of(" \t") - from + 1));
}

}  // namespace wavetrope
