// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/samples.h"

#include <algorithm>
#include <limits>
#include <map>
#include <numeric>
#include <optional>

#include "formula/evaluator.h"
#include "measure/coverage.h"

namespace wavetrope::measure {

namespace {

constexpr std::size_t asked = 1U << 16U;        // samples between two questions whether to go on

// Puts samples that came by identifier into the order of the trace.
void orderByRow(Samples& samples)
{
    if (std::is_sorted(samples.rows.begin(), samples.rows.end()))
        return;
    std::vector<std::size_t> order(samples.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return samples.rows[a] < samples.rows[b]; });
    Samples sorted;
    sorted.rows.reserve(order.size());
    sorted.times.reserve(order.size());
    sorted.values.reserve(order.size());
    for (const std::size_t at : order) {
        sorted.rows.push_back(samples.rows[at]);
        sorted.times.push_back(samples.times[at]);
        sorted.values.push_back(samples.values[at]);
    }
    samples = std::move(sorted);
}

}  // namespace

Samples samplesOf(
    const trace::Snapshot& snapshot, const database::Catalog& catalog, const database::SignalRef& signal, const GoesOn& goesOn)
{
    Samples out;
    if (!snapshot.valid())
        return out;
    const database::MessagePlan& plan = signal.message->plan;
    bool goes = true;
    for (const trace::IdentifierIndex identifier : identifiersOf(snapshot.trace(), *signal.message)) {
        // A message of the whole identifier goes before one of its parameter group.
        const trace::TraceKey& key = snapshot.trace().key(identifier);
        if (catalog.find(key.bus, key.id) != signal.message)
            continue;
        snapshot.eachOf(identifier, 0, [&](trace::Row row, const can::FrameView& frame) {
            database::Decoded decoded;
            if (plan.decodeOne(frame, signal.index, decoded)) {
                out.rows.push_back(row);
                out.times.push_back(frame.time);
                out.values.push_back(decoded.value);
                goes = goes && (out.size() % asked != 0 || !goesOn || goesOn());
            }
            return goes;
        });
    }
    orderByRow(out);
    return out;
}

Samples samplesBetween(const trace::Snapshot& snapshot, const database::Catalog& catalog, const database::SignalRef& signal, Time from,
    Time to, const GoesOn& goesOn)
{
    if (!snapshot.valid() || !snapshot.trace().monotone())
        return samplesOf(snapshot, catalog, signal, goesOn);
    // The first row that is not in front of the stretch.
    trace::Row first = 0;
    for (trace::Row end = snapshot.rows(); first < end;) {
        const trace::Row middle = first + (end - first) / 2;
        if (snapshot.time(middle) < from)
            first = middle + 1;
        else
            end = middle;
    }
    Samples out;
    const database::MessagePlan& plan = signal.message->plan;
    const auto keep = [&](trace::Row row, const can::FrameView& frame) {
        database::Decoded decoded;
        if (!plan.decodeOne(frame, signal.index, decoded))
            return false;
        out.rows.push_back(row);
        out.times.push_back(frame.time);
        out.values.push_back(decoded.value);
        return true;
    };
    bool goes = true;
    std::optional<trace::Row> holding;      // the newest in front of the stretch, of whatever identifier
    for (const trace::IdentifierIndex identifier : identifiersOf(snapshot.trace(), *signal.message)) {
        const trace::TraceKey& key = snapshot.trace().key(identifier);
        if (catalog.find(key.bus, key.id) != signal.message)
            continue;
        snapshot.eachBack(identifier, first, [&](trace::Row row, const can::FrameView& frame) {
            database::Decoded decoded;
            if (!plan.decodeOne(frame, signal.index, decoded))
                return true;
            holding = std::max(holding.value_or(row), row);
            return false;
        });
        snapshot.eachOf(identifier, first, [&](trace::Row row, const can::FrameView& frame) {
            if (frame.time > to)
                return false;
            if (keep(row, frame))
                goes = goes && (out.size() % asked != 0 || !goesOn || goesOn());
            return goes;
        });
    }
    if (holding)
        keep(*holding, snapshot.frame(*holding));
    orderByRow(out);
    return out;
}

void evaluate(
    const formula::Formula& formula, const std::vector<const Samples*>& inputs, const std::function<bool(const SampleBlock&)>& take)
{
    constexpr std::size_t block = formula::Evaluator::blockSize;
    constexpr trace::Row none = std::numeric_limits<trace::Row>::max();
    struct Cursor {
        trace::Row next;            // its next sample, or none
        double holds;
        std::uint64_t bit;
        double* column;
        const Samples* input;
        std::size_t at;
    };
    formula::Evaluator evaluator(formula);
    std::vector<std::vector<double>> columns(inputs.size(), std::vector<double>(block));
    std::vector<const double*> places;
    std::vector<Cursor> cursors;
    for (std::size_t k = 0; k < inputs.size(); ++k) {
        places.push_back(columns[k].data());
        cursors.push_back({inputs[k]->size() > 0 ? inputs[k]->rows[0] : none, 0, std::uint64_t{1} << k, columns[k].data(), inputs[k], 0});
    }
    std::vector<Time> times(block);
    std::vector<trace::Row> rows(block);
    std::vector<std::uint64_t> touched(block);
    std::vector<double> values(block);
    for (;;) {
        std::size_t count = 0;
        for (; count < block; ++count) {
            trace::Row row = none;
            for (const Cursor& cursor : cursors)
                row = std::min(row, cursor.next);
            if (row == none)
                break;
            std::uint64_t bits = 0;
            for (Cursor& cursor : cursors) {
                if (cursor.next == row) {
                    const Samples& input = *cursor.input;
                    bits |= cursor.bit;
                    cursor.holds = input.values[cursor.at];
                    times[count] = input.times[cursor.at];
                    cursor.next = ++cursor.at < input.size() ? input.rows[cursor.at] : none;
                }
                cursor.column[count] = cursor.holds;
            }
            rows[count] = row;
            touched[count] = bits;
        }
        if (count == 0)
            return;
        const std::size_t from = evaluator.evaluate({times.data(), count}, places, {touched.data(), count}, values.data());
        if (from < count
            && !take({{rows.data() + from, count - from}, {times.data() + from, count - from}, {values.data() + from, count - from}}))
            return;
    }
}

namespace {

// Keeps what is handed on.
Samples evaluated(const formula::Formula& formula, const std::vector<const Samples*>& inputs, const GoesOn& goesOn)
{
    Samples out;
    std::size_t sinceAsked = 0;
    evaluate(formula, inputs, [&](const SampleBlock& block) {
        out.rows.insert(out.rows.end(), block.rows.begin(), block.rows.end());
        out.times.insert(out.times.end(), block.times.begin(), block.times.end());
        out.values.insert(out.values.end(), block.values.begin(), block.values.end());
        sinceAsked += block.rows.size();
        return sinceAsked < asked || (sinceAsked = 0, !goesOn || goesOn());
    });
    return out;
}

}  // namespace

Samples derivedSamples(const trace::Snapshot& snapshot, const database::Catalog& catalog, std::uint32_t derived, const GoesOn& goesOn)
{
    if (catalog.derived()[derived].problem)
        return {};
    // Each that is looked at once, whoever does.
    std::map<std::uint32_t, Samples> known;
    std::vector<bool> needed(catalog.derived().size());
    needed[derived] = true;
    const std::vector<std::uint32_t>& order = catalog.derivedOrder();
    for (auto at = order.rbegin(); at != order.rend(); ++at)
        if (needed[*at])
            for (const database::DerivedSignal::Input& input : catalog.derived()[*at].inputs)
                if (input.signal.message == nullptr)
                    needed[input.derived] = true;
    for (const std::uint32_t d : order) {
        if (!needed[d])
            continue;
        std::vector<Samples> own;
        own.reserve(catalog.derived()[d].inputs.size());
        std::vector<const Samples*> inputs;
        for (const database::DerivedSignal::Input& input : catalog.derived()[d].inputs) {
            if (input.signal.message == nullptr) {
                inputs.push_back(&known[input.derived]);
                continue;
            }
            own.push_back(samplesOf(snapshot, catalog, input.signal, goesOn));
            inputs.push_back(&own.back());
        }
        Samples samples = evaluated(catalog.derived()[d].formula, inputs, goesOn);
        if (d == derived)
            return samples;
        known[d] = std::move(samples);
    }
    return {};
}

}  // namespace wavetrope::measure
