// SPDX-License-Identifier: GPL-3.0-or-later
// What can be typed next in the formula of a derived signal.
#pragma once

#include <cstddef>
#include <string>
#include <string_view>
#include <vector>

#include "database/catalog.h"

namespace wavetrope::database {

/// Something to choose, and what it is in a few words.
struct FormulaChoice {
    std::string text;
    std::string hint;
};

/// What fits at a place, and what of the formula it takes the place of.
struct FormulaChoices {
    std::size_t from = 0, length = 0;       ///< In bytes.
    std::vector<FormulaChoice> choices;     ///< What begins with the typed word first; at most as many as were asked for.
};

/// Derived signals, signals and functions of the language that have the word at byte `cursor` in them, whatever the case of letters.
/// A signal is named by its message, and its bus, where others have its name. Where no word is begun: all of the functions.
[[nodiscard]] FormulaChoices completeFormula(std::string_view formula, std::size_t cursor, const Catalog& catalog, std::size_t most = 50);

/// How a formula names a signal: as short as it is the only one, in quotes where it must be.
[[nodiscard]] std::string formulaName(const Catalog& catalog, const SignalRef& signal);

}  // namespace wavetrope::database
