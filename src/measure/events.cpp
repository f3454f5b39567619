// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/events.h"

#include <algorithm>
#include <array>
#include <cstdio>

#include "measure/measures.h"

namespace wavetrope::measure {

namespace {

constexpr std::size_t nothing = ~std::size_t{0};
constexpr Time errorsTogether = std::chrono::milliseconds(100);

std::string missedWords(std::uint32_t beats) { return "missed " + std::to_string(beats) + (beats == 1 ? " beat" : " beats"); }

// How many beats of a cycle a gap between two frames leaves out; none where it is late by less than three fifths.
std::uint32_t beatsMissed(Time gap, Time cycle)
{
    if (cycle.count() == 0 || gap <= cycle * 8 / 5)
        return 0;
    return static_cast<std::uint32_t>(std::min<std::int64_t>(1'000'000'000, (gap + cycle / 2) / cycle - 1));
}

}  // namespace

const char* toText(EventKind kind)
{
    static constexpr std::array<const char*, eventKindCount> words = {
        "condition", "range", "beat", "burst", "error", "state", "note", "mark", "dialogue", "protocol"};
    return words[static_cast<std::size_t>(kind)];
}

// Conditions of other kinds, followed as recordings do.
class EventFinder::RuleWatch final : public rules::RuleSink {
public:
    RuleWatch(EventFinder& finder, rules::RuleSet rules, std::vector<can::BitRate> rates)
        : finder_(finder), events_(rules.conditions.size(), nothing), rules_(std::move(rules), std::move(rates), *this)
    {
        // Those that come due all the time, over stamps that lie years apart, would go on for as long.
        rules_.askEvery(instantsTogether, [this] { return (instants_ += instantsTogether) < mostInstants; });
    }
    void take(trace::Row row, trace::IdentifierIndex identifier, const trace::TraceKey& key, const can::FrameView& frame)
    {
        row_ = row;
        if (!rules_.gaveUp())
            rules_.frame(row, frame, identifier, key);
    }
    void became(std::size_t condition, Time at, bool now) override
    {
        const rules::ConditionRule& rule = rules_.rules().conditions[condition];
        const Time began = rule.kind == rules::ConditionKind::silent ? at - rule.span : at;
        if (now)
            events_[condition] = finder_.note(
                {EventKind::condition, began, at, static_cast<std::uint8_t>(std::max(0, rule.bus)), row_, rule.name, 1});
        else if (events_[condition] != nothing)
            finder_.events_[events_[condition]].until = at;
    }
    void takeBegins(std::size_t, Time, const std::string&) override {}
    void keepsEarlier(std::size_t, trace::Row) override {}
    void keeps(std::size_t, trace::Row, const can::FrameView&) override {}
    void takeEnds(std::size_t, Time, const std::string&) override {}
    Time stampOf(trace::Row) override { return {}; }

private:
    static constexpr std::uint64_t instantsTogether = 1U << 16U, mostInstants = 10'000'000;
    EventFinder& finder_;
    std::vector<std::size_t> events_;   // the newest of each condition
    rules::Rules rules_;
    trace::Row row_ = trace::noRow;
    std::uint64_t instants_ = 0;
};

EventFinder::EventFinder(std::vector<filter::ConditionSpec> conditions, std::shared_ptr<const database::Catalog> catalog, std::size_t buses,
    BurstRule rule, std::vector<rules::ConditionRule> rules, std::vector<can::BitRate> rates, std::size_t most)
    : catalog_(std::move(catalog)), rule_(rule), bursts_(buses), lastError_(buses, nothing), most_(most)
{
    if (!rules.empty())
        watch_ = std::make_unique<RuleWatch>(*this, rules::RuleSet{std::move(rules), {}}, std::move(rates));
    for (filter::ConditionSpec& spec : conditions)
        conditions_.push_back({filter::Condition(std::move(spec)), nothing});
}

EventFinder::~EventFinder() = default;

std::size_t EventFinder::note(Event event)
{
    if (events_.size() >= most_) {
        ++notKept_;
        return nothing;
    }
    events_.push_back(std::move(event));
    return events_.size() - 1;
}

void EventFinder::take(trace::Row row, trace::IdentifierIndex identifier, const trace::TraceKey& key, const can::FrameView& frame)
{
    if (row == 0)
        for (Watched& watched : conditions_)
            watched.condition.setOrigin(frame.time);
    if (frame.kind == can::FrameKind::error && frame.bus < lastError_.size()) {
        const std::size_t last = lastError_[frame.bus];
        if (last != nothing && frame.time - events_[last].until < errorsTogether) {
            events_[last].until = frame.time;
            events_[last].text = std::to_string(++events_[last].count) + " error frames";
        } else {
            lastError_[frame.bus] = note({EventKind::errorFrame, frame.time, frame.time, frame.bus, row, "error frame", 1});
        }
    }
    watchConditions(row, identifier, key, frame);
    if (watch_)
        watch_->take(row, identifier, key, frame);
    watchBeats(row, identifier, frame);
}

void EventFinder::watchConditions(
    trace::Row row, trace::IdentifierIndex identifier, const trace::TraceKey& key, const can::FrameView& frame)
{
    for (Watched& watched : conditions_) {
        const filter::ConditionStep step = watched.condition.next(frame, identifier, key);
        if (step.began)
            watched.event = note({EventKind::condition, step.from - watched.condition.spec().hold, frame.time, frame.bus, row,
                watched.condition.spec().name, 1});
        else if (step.holds && watched.event != nothing && step.says)
            events_[watched.event].until = frame.time;
    }
}

void EventFinder::settle(MeasureState& state, Time newest)
{
    for (std::size_t bus = 0; bus < state.loads.size(); ++bus)
        findBursts(static_cast<std::uint8_t>(bus), state.loads[bus], newest);
}

void EventFinder::watchBeats(trace::Row row, trace::IdentifierIndex identifier, const can::FrameView& frame)
{
    while (beats_.size() <= identifier)
        beats_.emplace_back();
    Beat& beat = beats_[identifier];
    if (!beat.known) {
        beat.known = true;
        if (const auto* message = catalog_->find(frame)) {
            beat.cycle = message->message->cycleTime;
            beat.name = &message->message->name;
        }
    }
    if (beat.cycle.count() == 0)
        return;
    if (beat.any) {
        if (const std::uint32_t missed = beatsMissed(frame.time - beat.last, beat.cycle); missed > 0)
            note({EventKind::missedBeats, beat.last + beat.cycle, frame.time, frame.bus, row, *beat.name + ' ' + missedWords(missed),
                missed, *beat.name, missedWords(missed)});
    }
    beat.any = true;
    beat.last = frame.time;
    beat.bus = frame.bus;
}

std::vector<Event> EventFinder::stillMissing(Time now) const
{
    std::vector<Event> out;
    for (const Beat& beat : beats_)
        if (const std::uint32_t missed = beat.any ? beatsMissed(now - beat.last, beat.cycle) : 0; missed > 0)
            out.push_back({EventKind::missedBeats, beat.last + beat.cycle, now, beat.bus, trace::noRow,
                *beat.name + ' ' + missedWords(missed), missed, *beat.name, missedWords(missed) + " and did not come back", true});
    return out;
}

void EventFinder::findBursts(std::uint8_t bus, const LoadBins& bins, Time now)
{
    if (bins.empty() || bus >= bursts_.size())
        return;
    Burst& burst = bursts_[bus];
    const std::int64_t perBin = std::max<std::int64_t>(1, rule_.span / bins.span());
    const std::int64_t firstBin = bins.first() / perBin;
    if (!burst.started) {
        burst.started = true;
        burst.nextBin = firstBin;
    }
    const std::int64_t end = std::min(bins.indexOf(now), bins.last() + 1) / perBin;
    if (end - burst.nextBin > 50'000'000)
        burst.nextBin = end - 50'000'000;
    for (; burst.nextBin < end; ++burst.nextBin) {
        const std::int64_t base = burst.nextBin * perBin;
        const double percent = 100.0 * static_cast<double>(bins.busy(base, base + perBin - 1))
                               / static_cast<double>((bins.span() * perBin).count());
        if (percent < rule_.percent) {
            burst.open = false;
            continue;
        }
        const Time from = bins.startOf(base);
        const Time until = bins.startOf(base + perBin);
        if (!burst.open) {
            burst.event = note({EventKind::burst, from, until, bus, trace::noRow, "burst", 1});
            burst.open = true;
        }
        if (burst.event != nothing)
            events_[burst.event].until = until;
    }
}

}  // namespace wavetrope::measure
