// SPDX-License-Identifier: GPL-3.0-or-later
// Logs in the older pcap layout.
#pragma once

#include "formats/log_format.h"

namespace wavetrope::formats {

/// Reads and writes pcap (draft-ietf-opsawg-pcap) of link type 227: both byte orders, micro- and nanoseconds.
[[nodiscard]] LogFormat pcapFormat();

}  // namespace wavetrope::formats
