// SPDX-License-Identifier: GPL-3.0-or-later
// What can be typed next in a filter.
#pragma once

#include <cstddef>
#include <string>
#include <string_view>
#include <vector>

#include "database/catalog.h"
#include "filter/parser.h"

namespace wavetrope::filter {

/// One thing to choose.
struct Completion {
    std::string text;       ///< What comes into the filter.
    std::string hint;       ///< What it is, in a few words.
};

/// What fits at a place, and what of the filter it takes the place of.
struct Completions {
    std::size_t from = 0;   ///< First byte that is replaced.
    std::size_t length = 0;
    std::vector<Completion> choices;    ///< The likeliest first; at most as many as were asked for.
};

/// What could stand at byte `cursor` of a filter: conditions, joining words, buses, nodes, messages, signals, units, texts
/// of values and filters by name, as the words before the place allow.
[[nodiscard]] Completions complete(std::string_view text, std::size_t cursor, const database::Catalog& catalog,
    const NamedFilters::Map& named = {}, std::size_t most = 50);

}  // namespace wavetrope::filter
