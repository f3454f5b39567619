// SPDX-License-Identifier: GPL-3.0-or-later
// Which higher protocol the traffic of a bus looks like.
#pragma once

#include <string>
#include <vector>

#include "protocol/spoken.h"

namespace wavetrope::protocol {

/// What was found, and by what.
struct Recognised {
    Spoken spoken;
    std::string why;    ///< "recognised by heartbeats and service pairs".
};

/// By the identifiers that a bus has carried; each in any order, once.
[[nodiscard]] std::vector<Recognised> recognise(const std::string& bus, const std::vector<can::Identifier>& seen);

}  // namespace wavetrope::protocol
