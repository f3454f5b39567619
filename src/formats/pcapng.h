// SPDX-License-Identifier: GPL-3.0-or-later
// Logs in the pcapng layout.
#pragma once

#include "formats/log_format.h"

namespace wavetrope::formats {

/// Reads and writes pcapng (draft-ietf-opsawg-pcapng): both byte orders, any time resolution and offset, several
/// sections and interfaces; blocks of other kinds are stepped over.
[[nodiscard]] LogFormat pcapngFormat();

}  // namespace wavetrope::formats
