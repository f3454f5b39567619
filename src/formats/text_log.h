// SPDX-License-Identifier: GPL-3.0-or-later
// Logs of text, line by line.
#pragma once

#include "formats/log_format.h"
#include "formats/text_layout.h"

namespace wavetrope::formats {

/// Reads a log by a layout. Lines that do not fit are in the report, with what is wrong; those before the first frame
/// are its head.
[[nodiscard]] ReadReport readTextLog(ByteSource& source, LogSink& sink, const TextLayout& layout);

/// The layout that a log is read by: the given one, a kept one that fits, or the one that its lines show. An error where
/// they leave something open, which says what.
[[nodiscard]] Expected<TextLayout> layoutFor(ByteSource& source, const ReadOptions& options);

}  // namespace wavetrope::formats
