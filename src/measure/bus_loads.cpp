// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/bus_loads.h"

#include <utility>

#include "measure/measures.h"

namespace wavetrope::measure {

BusLoads::BusLoads(const std::vector<can::BitRate>& rates, const std::string& folder)
{
    const auto memory = std::make_shared<FileMemory>(folder);
    for (const can::BitRate& rate : rates)
        bins_.emplace_back(rate, binSpan, memory);
}

void BusLoads::take(trace::Row, trace::IdentifierIndex identifier, const trace::TraceKey&, const can::FrameView& frame)
{
    if (frame.bus >= bins_.size() || !bins_[frame.bus].rate().known())
        return;
    const Time occupied = bins_[frame.bus].add(frame);
    if (occupied == Time{0})
        return;
    if (identifier >= busy_.size())
        busy_.resize(identifier + 1);
    if (busy_[identifier] == Time{0})
        busied_.push_back(identifier);
    busy_[identifier] += occupied;
}

void BusLoads::settle(MeasureState& state, Time)
{
    for (const trace::IdentifierIndex identifier : busied_)
        state.identifiers.addBusy(identifier, std::exchange(busy_[identifier], Time{0}));
    busied_.clear();
}

}  // namespace wavetrope::measure
