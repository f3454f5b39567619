// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/samples.h"

#include <algorithm>
#include <optional>

#include "measure/coverage.h"
#include "measure/sample_feed.h"

namespace wavetrope::measure {

namespace {

constexpr trace::Row wholeAtOnce = 1U << 18U;        // between two questions whether to go on

Samples all(SampleFeed feed, const trace::Snapshot& snapshot, const GoesOn& goesOn)
{
    Samples out;
    if (snapshot.valid())
        while (feed.next() < snapshot.rows() && (!goesOn || goesOn()))
            feed.take(snapshot, feed.next() + wholeAtOnce, out);
    return out;
}

}  // namespace

Samples samplesOf(
    const trace::Snapshot& snapshot, const database::Catalog& catalog, const database::SignalRef& signal, const GoesOn& goesOn)
{
    return all(SampleFeed(catalog, signal), snapshot, goesOn);
}

Samples samplesBetween(const trace::Snapshot& snapshot, const database::Catalog& catalog, const database::SignalRef& signal, Time from,
    Time to, const GoesOn& goesOn)
{
    if (!snapshot.valid() || !snapshot.trace().monotone())
        return samplesOf(snapshot, catalog, signal, goesOn);
    const trace::Row first = firstRowWhere(snapshot, [from](Time time) { return time >= from; });
    const trace::Row end = firstRowWhere(snapshot, [to](Time time) { return time > to; });
    std::optional<trace::Row> holding;      // the newest in front of the stretch, of whatever identifier
    for (const trace::IdentifierIndex identifier : identifiersOf(snapshot.trace(), *signal.message)) {
        const trace::TraceKey& key = snapshot.trace().key(identifier);
        if (catalog.find(key.bus, key.id) != signal.message)
            continue;
        snapshot.eachBack(identifier, first, [&](trace::Row row, const can::FrameView& frame) {
            database::Decoded decoded;
            if (!signal.message->plan.decodeOne(frame, signal.index, decoded))
                return true;
            holding = std::max(holding.value_or(row), row);
            return false;
        });
    }
    Samples out;
    SampleFeed feed(catalog, signal);
    if (holding) {
        feed.seek(*holding);
        feed.take(snapshot, *holding + 1, out);
    }
    feed.seek(first);
    while (feed.next() < end && (!goesOn || goesOn()))
        feed.take(snapshot, std::min(end, feed.next() + wholeAtOnce), out);
    return out;
}

void evaluate(
    const formula::Formula& formula, const std::vector<const Samples*>& inputs, const std::function<bool(const SampleBlock&)>& take)
{
    FormulaFollower(formula).follow(inputs, take);
}

Samples derivedSamples(const trace::Snapshot& snapshot, const database::Catalog& catalog, std::uint32_t derived, const GoesOn& goesOn)
{
    return all(SampleFeed(catalog, derived), snapshot, goesOn);
}

}  // namespace wavetrope::measure
