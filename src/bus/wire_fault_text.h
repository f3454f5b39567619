// SPDX-License-Identifier: GPL-3.0-or-later
// Faults on the wire as they are typed.
#pragma once

#include <string>
#include <string_view>

#include "base/error.h"
#include "bus/simulated_bus.h"

namespace wavetrope::bus {

/// A fault of a bus that is named. Its moments count from the run's begin.
struct TypedFault {
    std::string bus;
    WireFault fault;                ///< Its end is not known yet where it lasts.
    bool dated = false;             ///< Its moment is told.
    std::string condition;          ///< Of the rig, with which it begins; empty: by its moment.
    std::optional<Time> span;       ///< For so long; of what lasts.
};

/// Reads `BUS KIND [ID] [3 times]` with a KIND of bit, stuff, crc, form or ack; `BUS error NODE [ID] [3 times]`; `BUS babble NODE [ID]`, `BUS rate NODE` and
/// `BUS short`, which last; `BUS counters NODE TRANSMIT RECEIVE`. Behind it `at 14s` or `when CONDITION`, and of what lasts `for 200ms`. A name with blanks
/// stands in quotes.
[[nodiscard]] Expected<TypedFault> wireFaultFromText(std::string_view text);

}  // namespace wavetrope::bus
