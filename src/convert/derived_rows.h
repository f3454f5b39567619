// SPDX-License-Identifier: GPL-3.0-or-later
// Values of derived signals that a conversion writes.
#pragma once

#include <span>
#include <string>
#include <vector>

#include "database/catalog.h"
#include "protocol/spoken.h"
#include "trace/trace.h"

namespace wavetrope::convert {

/// The derived signals of a catalog whose names fit a pattern, all where it is empty; those with a problem have no values and are left out.
[[nodiscard]] std::vector<std::uint32_t> chooseDerived(const database::Catalog& catalog, const std::string& pattern);

/// Their values by the rows that gave them. All rows of a trace are followed, whichever of them are written.
class DerivedRows {
public:
    struct Value {
        trace::Row row = 0;
        std::uint32_t place = 0;  ///< Among those that are chosen.
        double value = 0;  ///< What is not finite is a gap.
    };
    /// The catalog outlives it. Where buses speak, it goes by messages.
    DerivedRows(const trace::Snapshot& snapshot, const database::Catalog& catalog, const std::string& pattern,
        const std::vector<std::vector<protocol::Spoken>>& spoken = {});

    [[nodiscard]] std::size_t count() const { return chosen_.size(); }
    [[nodiscard]] const database::DerivedSpec& spec(std::size_t place) const { return catalog_->derived()[chosen_[place]].spec; }
    /// Of the catalog.
    [[nodiscard]] std::uint32_t derived(std::size_t place) const { return chosen_[place]; }
    /// Those that a row gave.
    [[nodiscard]] std::span<const Value> of(trace::Row row) const;
    [[nodiscard]] const std::vector<Value>& all() const { return values_; }

private:
    const database::Catalog* catalog_;
    std::vector<std::uint32_t> chosen_;
    std::vector<Value> values_;  // by row
};

}  // namespace wavetrope::convert
