// SPDX-License-Identifier: GPL-3.0-or-later
// Signal values as CSV, a column for each signal.
#pragma once

#include "convert/frames.h"
#include "formats/log_format.h"

namespace wavetrope::convert {

/// Writes a head with names and units, and rows in the order of time: one whenever a value changes (frames of one instant
/// share a row), or one at each step from the first frame, or from the beginning that the conversion gives. A signal has
/// its last value, or one between its neighbours in time; it is empty before its first. An error where no signal is
/// chosen or a step would make more than a thousand million rows; nothing is written then. `cancelled` tells whether
/// progress asked for an end.
[[nodiscard]] Expected<void> writeValueTable(const Frames& frames, const database::Catalog& catalog, const Conversion& conversion,
    formats::ByteTarget& target, Outcome& outcome, const Progress& progress, bool& cancelled);

}  // namespace wavetrope::convert
