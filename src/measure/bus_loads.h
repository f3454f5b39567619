// SPDX-License-Identifier: GPL-3.0-or-later
// The load of every bus, and how long each identifier was on the wire.
#pragma once

#include <vector>

#include "measure/load_bins.h"
#include "measure/observer.h"

namespace wavetrope::measure {

/// By bus.
class BusLoads final : public Observer {
public:
    static constexpr Time binSpan = std::chrono::milliseconds(1);

    /// What grows with time goes to a file without a name in `folder`, or is kept in memory where that is empty.
    explicit BusLoads(const std::vector<can::BitRate>& rates = {}, const std::string& folder = {});

    void take(trace::Row row, trace::IdentifierIndex identifier, const trace::TraceKey& key, const can::FrameView& frame) override;
    /// Adds the times on the wire to the identifiers' own.
    void settle(MeasureState& state, Time newest) override;

    [[nodiscard]] std::size_t size() const { return bins_.size(); }
    [[nodiscard]] const LoadBins& operator[](std::size_t bus) const { return bins_[bus]; }
    [[nodiscard]] auto begin() const { return bins_.begin(); }
    [[nodiscard]] auto end() const { return bins_.end(); }

private:
    std::vector<LoadBins> bins_;
    std::vector<Time> busy_;                        // by identifier, since the last settling
    std::vector<trace::IdentifierIndex> busied_;    // those of them that are not zero
};

}  // namespace wavetrope::measure
