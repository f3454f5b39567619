// SPDX-License-Identifier: GPL-3.0-or-later
// How often each bit of an identifier's payload changed.
#pragma once

#include <array>
#include <cstdint>

#include "trace/trace.h"

namespace wavetrope::measure {

/// Counts over the newest frames of one identifier.
struct BitToggles {
    std::array<std::uint32_t, can::maxLength * 8> changes{};    ///< Byte times eight plus bit.
    std::uint64_t frames = 0;                                   ///< That were looked at.
    unsigned length = 0;                                        ///< Longest payload seen.

    /// Of any bit; no frame has those behind its payload.
    [[nodiscard]] std::uint32_t of(unsigned bit) const { return bit < changes.size() ? changes[bit] : 0; }
};

/// Looks at up to `most` frames in front of row `limit`.
[[nodiscard]] BitToggles bitToggles(
    const trace::Snapshot& snapshot, trace::IdentifierIndex identifier, trace::Row limit, std::uint64_t most = 20'000);

}  // namespace wavetrope::measure
