// SPDX-License-Identifier: GPL-3.0-or-later
// "Did you mean ...?"
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace wavetrope {

/// The one of several names that a mistyped word was most likely meant for, capitals aside; empty where none is near.
[[nodiscard]] std::string nearestName(std::string_view word, const std::vector<std::string>& names);
/// "Did you mean X?", or empty.
[[nodiscard]] std::string didYouMean(std::string_view word, const std::vector<std::string>& names);

}  // namespace wavetrope
