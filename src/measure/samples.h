// SPDX-License-Identifier: GPL-3.0-or-later
// All samples of a signal, or of a derived one, in a trace.
#pragma once

#include <functional>
#include <span>
#include <vector>

#include "database/catalog.h"
#include "trace/trace.h"

namespace wavetrope::measure {

/// Samples by row. A value that is not finite is a gap: nothing holds from there to the next.
struct Samples {
    std::vector<trace::Row> rows;       ///< Ascending.
    std::vector<Time> times;            ///< Their stamps.
    std::vector<double> values;

    [[nodiscard]] std::size_t size() const { return rows.size(); }
    void clear()
    {
        rows.clear();
        times.clear();
        values.clear();
    }
};

/// Asked now and then while one works; false ends it.
using GoesOn = std::function<bool()>;

/// The frames of a snapshot that carry a signal, in the order of the trace.
[[nodiscard]] Samples samplesOf(
    const trace::Snapshot& snapshot, const database::Catalog& catalog, const database::SignalRef& signal, const GoesOn& goesOn = {});
/// The same of a stretch of time alone: those in it, both ends included, and in front of them the one that holds at its beginning. Where
/// stamps go back, all of them.
[[nodiscard]] Samples samplesBetween(const trace::Snapshot& snapshot, const database::Catalog& catalog, const database::SignalRef& signal,
    Time from, Time to, const GoesOn& goesOn = {});
/// The samples of a derived signal of the catalog, in blocks: one wherever one of its inputs has one, in the order of the trace, from where
/// all that it looks at has a value. None where it has a problem.
[[nodiscard]] Samples derivedSamples(
    const trace::Snapshot& snapshot, const database::Catalog& catalog, std::uint32_t derived, const GoesOn& goesOn = {});

/// The first row whose stamp is so, where stamps never go back and all behind it are so too; as many as there are rows where none is.
template <class IsSo>
[[nodiscard]] trace::Row firstRowWhere(const trace::Snapshot& snapshot, IsSo isSo)
{
    trace::Row first = 0;
    for (trace::Row end = snapshot.rows(); first < end;)
        if (const trace::Row middle = first + (end - first) / 2; isSo(snapshot.time(middle)))
            end = middle;
        else
            first = middle + 1;
    return first;
}

/// Some samples in a row.
struct SampleBlock {
    std::span<const trace::Row> rows;
    std::span<const Time> times;
    std::span<const double> values;
};
/// Follows a formula over samples of its inputs, merged by row, and hands on what comes of it block by block, until `take` gives false.
/// `inputs` by slot.
void evaluate(
    const formula::Formula& formula, const std::vector<const Samples*>& inputs, const std::function<bool(const SampleBlock&)>& take);

}  // namespace wavetrope::measure
