// SPDX-License-Identifier: GPL-3.0-or-later
// Faults on the wire as they are typed.
#pragma once

#include <string>
#include <string_view>

#include "base/error.h"
#include "bus/simulated_bus.h"

namespace wavetrope::bus {

/// A fault of a bus that is named. Its moment counts from the run's begin.
struct TypedFault {
    std::string bus;
    WireFault fault;
};

/// Reads `BUS KIND [ID] [3 times] [at 14s]`, KIND one of bit, stuff, crc, form, ack. A name with blanks stands in quotes.
[[nodiscard]] Expected<TypedFault> wireFaultFromText(std::string_view text);

}  // namespace wavetrope::bus
