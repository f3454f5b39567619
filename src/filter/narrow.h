// SPDX-License-Identifier: GPL-3.0-or-later
// Filters made from what is on the screen.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

namespace wavetrope::filter {

/// How a condition joins a filter.
enum class Narrow : std::uint8_t { onlyThis, notThis, alsoThis };

/// The filter with the condition taken in: both, the filter without it, or either. A thinning stays last. A condition
/// that the filter holds already is not taken in twice.
[[nodiscard]] std::string narrowed(std::string_view filter, std::string_view condition, Narrow how);

}  // namespace wavetrope::filter
