// SPDX-License-Identifier: GPL-3.0-or-later
// Whoever goes through a trace as it grows, and finds rows.
#pragma once

#include <atomic>

#include "filter/row_set.h"

namespace wavetrope::filter {

/// How far one call goes, and on how many threads.
struct ScanLimits {
    std::uint64_t rows = ~std::uint64_t{0};     ///< At least one segment is looked at.
    unsigned threads = 1;                       ///< 0: as many as the machine has cores.
    const std::atomic<bool>* cancel = nullptr;  ///< Looked at between segments.
};

/// One thread advances; others may read what was found.
class RowFinder {
public:
    virtual ~RowFinder() = default;

    /// Looks at further rows of a snapshot. True when it has looked at them all.
    virtual bool advance(const trace::Snapshot& snapshot, const ScanLimits& limits) = 0;
    /// Rows found so far.
    [[nodiscard]] virtual const RowSet& rows() const = 0;
    /// Rows below this one are decided.
    [[nodiscard]] virtual std::uint64_t seen() const = 0;
    /// Nothing comes any more: what waits for further rows is decided without them.
    virtual void finish(const trace::Snapshot& snapshot) { (void)snapshot; }
};

}  // namespace wavetrope::filter
