// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/coverage.h"

#include <algorithm>
#include <map>
#include <set>

#include "database/codec.h"

namespace wavetrope::measure {

namespace {

// Fewer frames than these say little about a period.
constexpr std::uint64_t framesForPeriod = 8;
constexpr double periodTolerance = 0.2;

template <class Value, class Take>
Value sumOf(const Coverage& coverage, CoverageClass kind, Take take)
{
    Value sum{};
    for (const CoveredIdentifier& entry : coverage.identifiers)
        if (entry.kind == kind)
            sum += take(entry);
    return sum;
}

// Whether two definitions of one identifier say the same about the payload.
bool sameMeaning(const database::Message& a, const database::Message& b)
{
    if (a.name != b.name || a.length != b.length || a.signals.size() != b.signals.size())
        return false;
    return std::all_of(a.signals.begin(), a.signals.end(), [&](const database::Signal& x) {
        const database::Signal* y = b.find(x.name);
        return y != nullptr && x.startBit == y->startBit && x.length == y->length && x.order == y->order && x.isSigned == y->isSigned
               && x.type == y->type && x.factor == y->factor && x.offset == y->offset && x.unit == y->unit && x.texts == y->texts
               && x.mux == y->mux && x.muxValue == y->muxValue && x.muxRanges == y->muxRanges;
    });
}

}  // namespace

const char* toText(CoverageClass kind)
{
    static constexpr const char* words[] = {"explained", "transport protocol", "unexplained"};
    return words[static_cast<unsigned>(kind)];
}

std::uint64_t Coverage::count(CoverageClass kind) const
{
    return sumOf<std::uint64_t>(*this, kind, [](const auto&) { return 1U; });
}
std::uint64_t Coverage::frames(CoverageClass kind) const
{
    return sumOf<std::uint64_t>(*this, kind, [](const auto& e) { return e.frames; });
}
Time Coverage::busy(CoverageClass kind) const
{
    return sumOf<Time>(*this, kind, [](const auto& e) { return e.busy; });
}
std::uint64_t Coverage::allFrames() const
{
    return frames(CoverageClass::explained) + frames(CoverageClass::transport) + frames(CoverageClass::unexplained);
}
Time Coverage::allBusy() const
{
    return busy(CoverageClass::explained) + busy(CoverageClass::transport) + busy(CoverageClass::unexplained);
}

Coverage coverageOf(const trace::Snapshot& snapshot, const database::Catalog& catalog, const std::vector<Time>& busyOf)
{
    Coverage coverage;
    std::set<const database::CatalogMessage*> seen;
    if (snapshot.valid()) {
        const trace::Trace& trace = snapshot.trace();
        const std::size_t count = trace.identifierCount();
        std::vector<std::map<std::uint8_t, std::uint64_t>> lengths(count);
        for (std::size_t s = 0; s < snapshot.segmentCount(); ++s) {
            const trace::SegmentPin pin = snapshot.segment(s);
            const trace::Segment& segment = *pin;
            if (segment.lost())
                continue;
            const std::uint32_t rows = snapshot.rowsIn(s);
            for (std::uint32_t g = 0; g < segment.groupCount(); ++g) {
                const trace::Group& group = segment.group(g);
                if (group.identifier() < count)
                    lengths[group.identifier()][group.length()] += group.countBefore(rows);
            }
        }
        for (trace::IdentifierIndex i = 0; i < count; ++i) {
            const trace::TraceKey& key = trace.key(i);
            CoveredIdentifier entry;
            for (const auto& [length, frames] : lengths[i])
                entry.frames += frames;
            if (key.error || entry.frames == 0)
                continue;
            entry.bus = key.bus;
            entry.id = key.id;
            entry.identifier = i;
            entry.message = catalog.find(key.bus, key.id);
            entry.busy = i < busyOf.size() ? busyOf[i] : Time{0};
            entry.first = snapshot.nextOf(i, 0);
            const trace::Row last = snapshot.previousOf(i, snapshot.rows());
            if (entry.frames > 1)
                entry.meanPeriod = (snapshot.time(last) - snapshot.time(entry.first)) / static_cast<std::int64_t>(entry.frames - 1);
            if (entry.message != nullptr) {
                entry.kind = CoverageClass::explained;
                seen.insert(entry.message);
                for (const auto& [length, frames] : lengths[i]) {
                    entry.shorter += length < entry.message->message->length ? frames : 0;
                    entry.longer += length > entry.message->message->length ? frames : 0;
                }
            } else if (key.id.extended && can::ParameterGroup::of(key.id).transport()) {
                entry.kind = CoverageClass::transport;
            }
            coverage.identifiers.push_back(entry);
        }
    }
    std::stable_sort(coverage.identifiers.begin(), coverage.identifiers.end(),
        [](const CoveredIdentifier& a, const CoveredIdentifier& b) { return std::pair(b.kind, b.frames) < std::pair(a.kind, a.frames); });
    for (const database::CatalogMessage& message : catalog.messages())
        if (!seen.contains(&message))
            coverage.neverSeen.push_back(&message);
    for (const database::Conflict& conflict : catalog.conflicts())
        if (!sameMeaning(*conflict.winner->message, *conflict.hidden))
            coverage.conflicts.push_back(conflict);
    return coverage;
}

std::vector<database::Finding> reviewTraffic(const Coverage& coverage, const database::Database& database)
{
    std::vector<database::Finding> findings;
    for (const CoveredIdentifier& entry : coverage.identifiers) {
        const database::Message* message = entry.message != nullptr ? database.find(entry.message->message->id) : nullptr;
        if (message == nullptr)
            continue;
        const auto promised = static_cast<double>(message->cycleTime.count());
        const auto measured = static_cast<double>(entry.meanPeriod.count());
        if (promised > 0 && entry.frames >= framesForPeriod
            && (measured < promised * (1 - periodTolerance) || measured > promised * (1 + periodTolerance))) {
            database::Finding finding{
                database::Severity::warning, database::FindingKind::cycleTime, {}, message->name, message->uid, 0, 0, 0, {}, {}};
            finding.what = message->name + " comes every " + database::numberText(measured * 1e-6, 4) + " ms; the database promises "
                           + database::numberText(promised * 1e-6, 6) + " ms";
            const Time rounded = std::chrono::milliseconds(std::max<std::int64_t>(1, (entry.meanPeriod.count() + 500'000) / 1'000'000));
            finding.remedy = "Promise " + std::to_string(rounded / std::chrono::milliseconds(1)) + " ms";
            finding.mend = [uid = message->uid, rounded](
                               const database::Editor& editor) -> Expected<database::Edit> { return editor.setCycleTime(uid, rounded); };
            findings.push_back(std::move(finding));
        }
        if (entry.shorter > 0) {
            database::Finding finding{
                database::Severity::warning, database::FindingKind::seenLength, {}, message->name, message->uid, 0, 0, 0, {}, {}};
            finding.what = std::to_string(entry.shorter) + " of " + std::to_string(entry.frames) + " frames of " + message->name
                           + " are shorter than its " + std::to_string(message->length) + " bytes";
            findings.push_back(std::move(finding));
        }
    }
    return findings;
}

std::vector<trace::IdentifierIndex> identifiersOf(const trace::Trace& trace, const database::CatalogMessage& message)
{
    std::vector<trace::IdentifierIndex> identifiers;
    if (message.match == database::Match::full) {
        if (const auto found = trace.find({message.bus, false, message.message->id}))
            identifiers.push_back(*found);
        return identifiers;
    }
    for (trace::IdentifierIndex i = 0; i < trace.identifierCount(); ++i)
        if (const trace::TraceKey& key = trace.key(i); !key.error && key.bus == message.bus && message.fits(key.id))
            identifiers.push_back(i);
    return identifiers;
}

trace::Row newestOf(const trace::Snapshot& snapshot, const database::CatalogMessage& message, trace::Row limit)
{
    trace::Row newest = trace::noRow;
    for (const trace::IdentifierIndex identifier : identifiersOf(snapshot.trace(), message))
        if (const trace::Row row = snapshot.previousOf(identifier, limit); row != trace::noRow && (newest == trace::noRow || row > newest))
            newest = row;
    return newest;
}

}  // namespace wavetrope::measure
