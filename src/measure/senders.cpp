// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/senders.h"

#include <algorithm>

#include "measure/coverage.h"

namespace wavetrope::measure {

std::vector<SenderMoment> sendersAt(const trace::Snapshot& snapshot, const trace::TimeIndex& order, const database::Catalog& catalog,
    trace::Row limit, Time from, Time to, unsigned stretches)
{
    std::vector<SenderMoment> senders;
    // The first row of each stretch, and of what comes behind the last.
    std::vector<trace::Row> starts;
    for (unsigned i = 0; i <= stretches; ++i) {
        const std::uint64_t position = order.lowerBound(from + (to - from) * i / std::max(1U, stretches));
        starts.push_back(std::min(limit, position < order.rows() ? order.rowAt(position) : snapshot.rows()));
    }
    for (const database::CatalogMessage& message : catalog.messages()) {
        if (message.message->sender.empty())
            continue;
        auto entry = std::find_if(senders.begin(), senders.end(),
            [&](const SenderMoment& s) { return s.bus == message.bus && s.node == message.message->sender; });
        if (entry == senders.end()) {
            senders.push_back({message.message->sender, message.bus, 0, 0, 0, trace::noRow, std::vector<bool>(stretches, false)});
            entry = senders.end() - 1;
        }
        ++entry->messages;
        const trace::Row newest = newestOf(snapshot, message, limit);
        if (newest == trace::noRow)
            continue;
        ++entry->seen;
        if (entry->newest == trace::noRow || newest > entry->newest)
            entry->newest = newest;
        for (const trace::IdentifierIndex identifier : identifiersOf(snapshot.trace(), message)) {
            entry->frames += snapshot.countOf(identifier, limit);
            for (unsigned i = 0; i < stretches; ++i)
                if (!entry->heard[i] && starts[i] < starts[i + 1]) {
                    const trace::Row last = snapshot.previousOf(identifier, starts[i + 1]);
                    entry->heard[i] = last != trace::noRow && last >= starts[i];
                }
        }
    }
    std::stable_sort(senders.begin(), senders.end(), [](const SenderMoment& a, const SenderMoment& b) { return a.bus < b.bus; });
    return senders;
}

}  // namespace wavetrope::measure
