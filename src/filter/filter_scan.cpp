// SPDX-License-Identifier: GPL-3.0-or-later
#include "filter/filter_scan.h"

#include <algorithm>
#include <bit>
#include <cmath>

#include "base/in_parallel.h"

namespace wavetrope::filter {

namespace {

// Segments whose results are published together.
constexpr std::size_t segmentsAtOnce = 64;
// Groups whose lists one thread puts together.
constexpr std::size_t groupsAtOnce = 2000;

// A test of a byte as a stretch of numbers, so that the same two comparisons serve all of them.
struct ByteInterval {
    unsigned mask;
    unsigned low = 0;
    unsigned span = 255;    // up to low + span
    bool outside = false;

    explicit ByteInterval(const ByteTest& test) : mask(test.mask)
    {
        const auto n = static_cast<std::int64_t>(test.value);
        switch (test.comparison) {
        case Comparison::less: within(0, n - 1); break;
        case Comparison::lessOrEqual: within(0, n); break;
        case Comparison::greater: within(n + 1, 255); break;
        case Comparison::greaterOrEqual: within(n, 255); break;
        case Comparison::between: within(n, test.upper); break;
        case Comparison::notEqual: outside = true; [[fallthrough]];
        case Comparison::equal: within(n, n); break;
        }
    }
    [[nodiscard]] bool holds(std::uint8_t value) const { return ((value & mask) - low <= span) != outside; }

private:
    void within(std::int64_t from, std::int64_t to)
    {
        to = std::min<std::int64_t>(to, 255);
        low = from > to ? 256 : static_cast<unsigned>(from);     // 256: none
        span = from > to ? 0 : static_cast<unsigned>(to - from);
    }
};

// Sets the bits of the frames of a group whose payload passes a test; 64 are tested before any bit is set.
template <class Test>
void mark(const trace::Group& group, std::uint32_t limit, RowBits& bits, Test test)
{
    const std::size_t step = group.length();
    group.chunks(0, group.countBefore(limit), [&](const std::uint8_t* rows, const std::uint8_t* payloads, std::uint32_t count) {
        for (std::uint32_t from = 0; from < count; from += 64) {
            const std::uint32_t end = std::min(64U, count - from);
            const std::uint8_t* payload = payloads + step * from;
            std::uint64_t passed = 0;
            for (std::uint32_t i = 0; i < end; ++i, payload += step)
                passed |= std::uint64_t{test(payload)} << i;
            for (; passed != 0; passed &= passed - 1)
                bits.set(trace::Group::rowAt(rows, from + static_cast<unsigned>(std::countr_zero(passed))));
        }
    });
}

}  // namespace

FilterScan::FilterScan(Filter filter, std::optional<Time> origin) : filter_(std::move(filter)), given_(origin)
{
    const Understood* understood = filter_.understood();
    if (understood != nullptr && !understood->derived.empty()) {
        stream_ = std::make_unique<FilterStream>(filter_);
        rows_ = std::make_unique<RowSet>();     // thinned as it goes
        return;
    }
    rows_ = std::make_unique<RowSet>(understood == nullptr ? Thinning{} : understood->thinning);
    for (std::size_t slot = 0; understood != nullptr && slot < understood->soons.size(); ++slot)
        inner_.push_back(std::make_unique<RowSet>());
}

const Program& FilterScan::program(trace::IdentifierIndex identifier, int slot) const
{
    const Known& known = *known_[identifier];
    return slot < 0 ? known.whole : known.inner[static_cast<std::size_t>(slot)];
}

void FilterScan::learn(const trace::Snapshot& snapshot)
{
    const Understood& understood = *filter_.understood();
    const std::size_t count = snapshot.trace().identifierCount();
    for (std::size_t i = known_.size(); i < count; ++i) {
        const trace::TraceKey& key = snapshot.trace().key(static_cast<trace::IdentifierIndex>(i));
        auto known = std::make_unique<Known>(Known{Program(understood.tree.get(), understood, filter_.catalog(), key), {}});
        for (const SoonAfter* soon : understood.soons)
            known->inner.emplace_back(soon->inner.get(), understood, filter_.catalog(), key);
        known_.push_back(std::move(known));
    }
}

bool FilterScan::advance(const trace::Snapshot& snapshot, const ScanLimits& limits)
{
    const std::uint64_t seen = seen_.load(std::memory_order_relaxed);
    if (snapshot.rows() <= seen)
        return true;
    std::size_t from = static_cast<std::size_t>(seen / trace::segmentRows);
    const std::uint64_t wanted = snapshot.rows() - seen > limits.rows ? seen + std::max<std::uint64_t>(1, limits.rows) : snapshot.rows();
    const std::size_t end = static_cast<std::size_t>((wanted + trace::segmentRows - 1) / trace::segmentRows);
    if (seen == 0)
        origin_ = given_.value_or(snapshot.trace().origin());
    if (stream_ != nullptr && seen == 0)
        stream_->setOrigin(origin_);
    if (!filter_.passesEverything() && stream_ == nullptr)
        learn(snapshot);
    const auto cancelled = [&] { return limits.cancel != nullptr && limits.cancel->load(std::memory_order_relaxed); };
    while (from < end && !cancelled()) {
        const std::size_t to = std::min(end, from + (stream_ != nullptr ? 1 : segmentsAtOnce));
        if (stream_ != nullptr) {
            rows_->set(snapshot, from, follow(snapshot, from));
        } else if (filter_.passesEverything()) {
            for (std::size_t s = from; s < to; ++s)
                rows_->set(snapshot, s, RowPart::ofAll(snapshot.rowsIn(s)));
        } else {
            // What a `within` asks for is found first.
            for (std::size_t slot = 0; slot < inner_.size() && !cancelled(); ++slot)
                scan(snapshot, from, to, static_cast<int>(slot), *inner_[slot], limits);
            scan(snapshot, from, to, -1, *rows_, limits);
        }
        if (cancelled())
            return false;
        seen_.store(std::min<std::uint64_t>(snapshot.rows(), std::uint64_t{to} * trace::segmentRows), std::memory_order_release);
        from = to;
    }
    return seen_.load(std::memory_order_relaxed) == snapshot.rows();
}

RowPart FilterScan::follow(const trace::Snapshot& snapshot, std::size_t index)
{
    const trace::Row first = trace::Row{index} * trace::segmentRows;
    const trace::Row end = first + snapshot.rowsIn(index);
    if (streamed_ <= first)
        streamedBits_ = {};
    for (trace::Row row = std::max(first, streamed_); row < end; ++row)
        if (!snapshot.trace().isGone(row) && stream_->passes(snapshot.frame(row)))
            streamedBits_.set(static_cast<std::uint32_t>(row - first));
    streamed_ = end;
    RowBits bits = streamedBits_;
    return RowPart::ofBits(bits);
}

void FilterScan::scan(const trace::Snapshot& snapshot, std::size_t from, std::size_t to, int slot, RowSet& target, const ScanLimits& limits)
{
    // Where each identifier that can pass occurs in these segments.
    Candidates candidates(to - from);
    bool looks = false;     // whether payloads are looked at
    std::size_t groups = 0;
    for (std::size_t i = 0; i < known_.size(); ++i) {
        const auto identifier = static_cast<trace::IdentifierIndex>(i);
        if (program(identifier, slot).verdict() == Verdict::never)
            continue;
        looks = looks || program(identifier, slot).verdict() == Verdict::depends;
        snapshot.eachPresence(identifier, from, to, [&](const trace::Presence& presence) {
            candidates[presence.segment - from].push_back({identifier, presence.group});
            ++groups;
        });
    }
    // In the order in which their payloads lie.
    for (std::vector<Candidate>& of : candidates)
        std::sort(of.begin(), of.end(), [](const Candidate& a, const Candidate& b) { return a.group < b.group; });
    std::vector<RowPart> parts(to - from);
    // Lists of a few identifiers are put together in less time than a thread takes to start.
    inParallel(to - from, looks || groups > groupsAtOnce ? limits.threads : 1, [&](std::size_t i) {
        if (limits.cancel == nullptr || !limits.cancel->load(std::memory_order_relaxed))
            parts[i] = lookAt(snapshot, from + i, candidates[i], slot);
    });
    if (limits.cancel != nullptr && limits.cancel->load(std::memory_order_relaxed))
        return;
    const bool perIdentifier = slot < 0 && filter_.understood()->thinning.perIdentifier;
    for (std::size_t i = 0; i < parts.size(); ++i) {
        if (perIdentifier) {
            // The open segment is looked at again as it grows: its matches count from where it began.
            if (from + i >= counted_) {
                matchesBefore_ = matches_;
                counted_ = from + i + 1;
            } else {
                matches_ = matchesBefore_;
            }
            parts[i] = thinned(*snapshot.segment(from + i), parts[i]);
        }
        target.set(snapshot, from + i, std::move(parts[i]));
    }
}

RowPart FilterScan::lookAt(const trace::Snapshot& snapshot, std::size_t index, const std::vector<Candidate>& candidates, int slot)
{
    if (candidates.empty())
        return RowPart::ofAll(0);
    const trace::SegmentPin pin = snapshot.segment(index);
    const trace::Segment& segment = *pin;
    if (segment.lost())
        return RowPart::ofAll(0);
    const std::uint32_t limit = snapshot.rowsIn(index);
    const bool known = std::all_of(
        candidates.begin(), candidates.end(), [&](const Candidate& c) { return program(c.identifier, slot).verdict() == Verdict::always; });
    std::vector<std::uint16_t> groups;
    std::uint32_t count = 0;
    for (const Candidate& candidate : candidates) {
        if (program(candidate.identifier, slot).verdict() != Verdict::always)
            continue;
        for (std::uint32_t g = candidate.group; g != trace::noGroup; g = segment.group(g).next()) {
            const trace::Group& group = segment.group(g);
            groups.push_back(static_cast<std::uint16_t>(g));
            count += limit == trace::segmentRows ? group.size() : group.countBefore(limit);
        }
    }
    if (known)
        return count == limit ? RowPart::ofAll(limit) : RowPart::ofGroups(std::move(groups), count, limit);
    Earliers earlier;
    for (const Candidate& candidate : candidates)
        for (const unsigned soon : program(candidate.identifier, slot).soons())
            if (auto& of = earlier[soon]; of == nullptr) {
                of = std::make_unique<Earlier>();
                inner_[soon]->fill(index, of->bits, segment);
                of->before = inner_[soon]->previous(segment.firstRow());
            }
    RowBits bits;
    RowPart::ofGroups(std::move(groups), count, limit).fill(bits, segment);
    for (std::size_t i = 0; i < candidates.size(); ++i) {
        // The chunks of a group lie apart: those of the next one are asked for while this one is looked at.
        if (i + 1 < candidates.size())
            segment.group(candidates[i + 1].group).prefetch();
        if (program(candidates[i].identifier, slot).verdict() == Verdict::depends)
            lookAtIdentifier(snapshot, segment, limit, candidates[i], slot, earlier, bits);
    }
    return RowPart::ofBits(bits);
}

void FilterScan::lookAtIdentifier(const trace::Snapshot& snapshot, const trace::Segment& segment, std::uint32_t limit,
    const Candidate& candidate, int slot, const Earliers& earlier, RowBits& bits)
{
    const Program& of = program(candidate.identifier, slot);
    const auto set = [&](std::uint32_t row, bool passes) { bits.set(row, passes); };
    if (const auto plain = of.plain()) {
        // One comparison: straight through the payloads.
        const database::SignalPlan& plan = *plain->plan;
        const bool simple = plan.type == database::ValueType::integer && plan.spill == 0 && plan.length < 64;
        for (std::uint32_t g = candidate.group; g != trace::noGroup; g = segment.group(g).next()) {
            const trace::Group& group = segment.group(g);
            can::FrameHead head;
            trace::Segment::unpack(group.attributes(), head);
            if (group.length() <= plan.lastByte || head.kind == can::FrameKind::remote || head.kind == can::FrameKind::error)
                continue;
            if (simple)
                mark(group, limit, bits,
                    [test = *plain->test, byte = plan.byte, shift = plan.shift, mask = plan.mask, motorola = plan.motorola](
                        const std::uint8_t* payload) {
                        std::uint64_t word;
                        std::memcpy(&word, payload + byte, sizeof word);
                        return test.passesWhole((motorola ? __builtin_bswap64(word) : word) >> shift & mask);
                    });
            else
                mark(group, limit, bits, [&](const std::uint8_t* payload) { return plain->test->passes(plan.rawBits(payload)); });
        }
        return;
    }
    if (const ByteTest* test = of.byteTest()) {
        const ByteInterval wanted(*test);
        for (std::uint32_t g = candidate.group; g != trace::noGroup; g = segment.group(g).next())
            if (segment.group(g).length() > test->index)
                mark(segment.group(g), limit, bits,
                    [wanted, at = test->index](const std::uint8_t* payload) { return wanted.holds(payload[at]); });
        return;
    }
    const auto index = static_cast<std::size_t>(segment.firstRow() / trace::segmentRows);
    Past past = of.remembers() ? pastOf(snapshot, candidate.identifier, index, of, slot) : Past{};
    std::vector<std::optional<Time>> soon(inner_.size());
    // The newest row that each `within` passes before the one that is looked at, going along.
    struct Newest {
        const Earlier* of;
        unsigned slot;
        std::uint32_t at = 0;
    };
    std::vector<Newest> newest;
    for (const unsigned s : of.soons()) {
        const Earlier& found = *earlier.at(s);
        newest.push_back({&found, s});
        soon[s] = found.before == trace::noRow ? std::nullopt : std::optional(snapshot.time(found.before));
    }
    snapshot.eachOf(candidate.identifier, segment.firstRow(), [&](trace::Row row, const can::FrameView& frame) {
        if (row - segment.firstRow() >= limit)
            return false;
        const auto here = static_cast<std::uint32_t>(row - segment.firstRow());
        for (Newest& up : newest) {
            std::optional<std::uint32_t> last;
            while (up.at < here) {
                const std::uint32_t end = std::min(here, (up.at / 64 + 1) * 64);
                std::uint64_t word = up.of->bits.words[up.at / 64] >> (up.at % 64);
                if (end - up.at < 64)
                    word &= (std::uint64_t{1} << (end - up.at)) - 1;
                if (word != 0)
                    last = up.at + 63 - static_cast<unsigned>(std::countl_zero(word));
                up.at = end;
            }
            if (last)
                soon[up.slot] = snapshot.time(segment.firstRow() + *last);
        }
        set(static_cast<std::uint32_t>(row - segment.firstRow()), of.matches(frame, {&past, soon.data(), origin_}));
        if (of.remembers())
            of.remember(frame, past);
        return true;
    });
    if (of.remembers() && limit == trace::segmentRows) {
        const std::scoped_lock lock(pastMutex_);
        auto& kept = pasts_[{candidate.identifier, slot}];
        kept.insert_or_assign(index, std::move(past));
        while (kept.size() > 2 * segmentsAtOnce)
            kept.erase(kept.begin());
    }
}

Past FilterScan::pastOf(
    const trace::Snapshot& snapshot, trace::IdentifierIndex identifier, std::size_t segment, const Program& program, int slot)
{
    Past past = program.nothing();
    const auto complete = [&] {
        return past.time && std::none_of(program.changes().begin(), program.changes().end(), [&](const Program::Change& c) {
            return !past.values[c.slot];
        });
    };
    snapshot.eachPresenceBack(identifier, segment, [&](const trace::Presence& presence) {
        Past before = program.nothing();
        bool whole = false;
        {
            const std::scoped_lock lock(pastMutex_);
            if (const auto kept = pasts_.find({identifier, slot}); kept != pasts_.end())
                if (const auto found = kept->second.find(presence.segment); found != kept->second.end()) {
                    before = found->second;
                    whole = true;
                }
        }
        if (!whole) {
            const trace::Row first = trace::Row{presence.segment} * trace::segmentRows;
            snapshot.eachOf(identifier, first, [&](trace::Row row, const can::FrameView& frame) {
                if (row >= first + trace::segmentRows)
                    return false;
                program.remember(frame, before);
                return true;
            });
        }
        if (!past.time)
            past.time = before.time;
        for (std::size_t i = 0; i < past.values.size(); ++i)
            if (!past.values[i])
                past.values[i] = before.values[i];
        return !whole && !complete();
    });
    return past;
}

RowPart FilterScan::thinned(const trace::Segment& segment, const RowPart& part)
{
    RowBits bits;
    part.fill(bits, segment);
    for (std::size_t w = 0; w < bits.words.size(); ++w)
        for (std::uint64_t word = bits.words[w]; word != 0; word &= word - 1) {
            const auto row = static_cast<std::uint32_t>(w * 64 + static_cast<unsigned>(std::countr_zero(word)));
            if (!filter_.understood()->thinning.passes(matches_[segment.identifier(row)]++))
                bits.words[w] &= ~(std::uint64_t{1} << (row % 64));
        }
    return RowPart::ofBits(bits);
}

}  // namespace wavetrope::filter
