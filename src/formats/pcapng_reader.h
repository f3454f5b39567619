// SPDX-License-Identifier: GPL-3.0-or-later
// Reads logs in the pcapng layout.
#pragma once

#include "formats/log_format.h"

namespace wavetrope::formats {

/// Goes from block to block and has the packets taken apart by the workers.
[[nodiscard]] Expected<ReadReport> readPcapng(ByteSource& source, LogSink& sink, Workers& workers, const ReadOptions& options);

}  // namespace wavetrope::formats
