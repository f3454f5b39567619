// SPDX-License-Identifier: GPL-3.0-or-later
// Text of a filter into its tree.
#pragma once

#include <map>
#include <string>
#include <string_view>

#include "base/error.h"
#include "filter/expression.h"

namespace wavetrope::filter {

/// Filters that others may use by name.
struct NamedFilters {
    using Map = std::map<std::string, std::string, std::less<>>;
    const Map* filters = nullptr;   ///< Outlives the parsing; null where there are none.
    unsigned depth = 0;             ///< How many of them stand around what is parsed.
};

/// Parses a filter; names are looked up in the catalog. The error's column counts characters from 1 and says what was
/// expected there. Nesting is limited to 200 levels, a filter to 1000 conditions and 64 KiB of text, use of filters in
/// filters to 20 levels.
[[nodiscard]] Expected<Understood> parse(std::string_view text, const database::Catalog& catalog, const NamedFilters& named = {});

}  // namespace wavetrope::filter
