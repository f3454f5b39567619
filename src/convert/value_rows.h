// Signal values as CSV, a row each.
#pragma once

#include "convert/frames.h"
#include "formats/log_format.h"

namespace wavetrope::convert {

/// Writes a head and a row for each value that the frames carry: time, bus, id, message, signal, raw, value, unit and
/// label. Numbers read back as the same ones. False where progress asked for an end.
bool writeValueRows(const Frames& frames, const database::Catalog& catalog, const Conversion& conversion, formats::ByteTarget& target, Outcome& outcome, const Progress& progress);

}  // namespace wavetrope::convert
