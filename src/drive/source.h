// SPDX-License-Identifier: GPL-3.0-or-later
// What gives a value again and again: one implementation for all who send.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "database/database.h"
#include "drive/node_spec.h"
#include "formula/formula.h"

namespace wavetrope::drive {

/// A source of values at work.
struct Source {
    SourceSpec spec;
    formula::Formula formula;       ///< Of a `FormulaSpec`.
    std::uint64_t count = 0;        ///< Of a counter.

    /// Its value at a moment of the story, `t` in seconds; formulas read `slots`. Counters and noise go on with each.
    double evaluate(double t, const std::vector<double>& slots, formula::Random& random);
};

/// Compiles a formula of a source; the place is for its errors.
using CompileFormula = std::function<Expected<formula::Formula>(const std::string& text, const std::string& place)>;
/// Looks up what a source speaks of. `signal` is what it gives values to; null for a byte.
[[nodiscard]] Expected<Source> sourceFor(
    const SourceSpec& spec, const database::Signal* signal, const std::string& place, const CompileFormula& compile);

}  // namespace wavetrope::drive
