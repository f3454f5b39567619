// SPDX-License-Identifier: GPL-3.0-or-later
// events.
#include <algorithm>
#include <array>
#include <filesystem>
#include <set>

#include "base/in_parallel.h"
#include "base/number_text.h"
#include "base/time_text.h"
#include "can/error_words.h"
#include "cli/command.h"
#include "cli/csv.h"
#include "measure/bus_loads.h"
#include "measure/events.h"
#include "measure/range_events.h"
#include "rig/conditions.h"
#include "rig/notes.h"
#include "rules/rehearsal.h"

namespace wavetrope::cli {

namespace {

constexpr std::array<const char*, 7> eventKinds = {"condition", "range", "beat", "burst", "error", "state", "note"};
constexpr std::size_t mostEventsListed = 50'000'000;
constexpr Time errorsApart = std::chrono::milliseconds(100);

struct EventOptions {
    std::string log, layout, rig;
    std::vector<std::string> more, kinds;
};

struct EventRow {
    Time from{};
    std::optional<Time> to;
    int bus = -1;               // of the log; -1 for none
    unsigned kind = 0;          // place in eventKinds
    std::string what, why;
};

// A log with all that is needed to find what happened in it.
struct Happenings {
    std::unique_ptr<LoadedLog> log;
    std::shared_ptr<const UsedRig> used;
    std::shared_ptr<const database::Catalog> catalog;
    std::vector<std::string> names;
    std::vector<can::BitRate> rates;
    std::vector<EventRow> rows;
    [[nodiscard]] trace::Snapshot snapshot() const { return log->trace.snapshot(); }
};

std::string numberWords(double value, const std::string& unit)
{
    std::string out;
    appendNumber(out, value);
    return unit.empty() ? out : out + " " + unit;
}

Expected<void> addConditions(Happenings& all)
{
    rig::CompiledRules rules = rig::rulesOf(all.used->rig, all.catalog, all.names);
    for (const Error& error : rules.unknown)
        warn(error.text());
    const std::vector<rules::ConditionRule> conditions = rules.set.conditions;
    rules.set.recordings.clear();
    rules::RehearsalOptions how;
    how.goesOn = [](std::uint64_t) { return !interrupted; };
    const rules::Rehearsed rehearsed = rules::rehearse(all.snapshot(), std::move(rules.set), all.rates, how);
    if (!rehearsed.problem.empty())
        return fail(rehearsed.problem);
    for (const rules::TrueStretch& stretch : rehearsed.stretches) {
        const rules::ConditionRule& rule = conditions[stretch.condition];
        const bool frames = rule.kind == rules::ConditionKind::frames;
        // It is told when it began: a hold time, or a silence, counts from its beginning.
        const Time before = frames || rule.kind == rules::ConditionKind::silent ? rule.span : Time{0};
        all.rows.push_back({stretch.from - before, stretch.to, frames ? stretch.bus : rule.bus, 0, rule.name, rule.words()});
    }
    return {};
}

void addRanges(Happenings& all)
{
    struct Ranged {
        database::SignalRef ref;
        std::uint32_t derived = 0;
        double low = 0, high = 0;
        std::vector<measure::OutOfRange> out;
    };
    std::vector<Ranged> ranged;
    for (const database::CatalogMessage& message : all.catalog->messages())
        for (std::uint32_t i = 0; i < message.message->signals.size(); ++i)
            if (const database::Signal& signal = message.message->signals[i];
                signal.minimum && signal.maximum && *signal.minimum <= *signal.maximum)
                ranged.push_back({{&message, i}, 0, *signal.minimum, *signal.maximum, {}});
    for (std::uint32_t d = 0; d < all.catalog->derived().size(); ++d)
        if (const database::DerivedSpec& spec = all.catalog->derived()[d].spec; spec.minimum && spec.maximum)
            ranged.push_back({{}, d, *spec.minimum, *spec.maximum, {}});
    inParallel(ranged.size(), 0, [&](std::size_t i) {
        Ranged& one = ranged[i];
        const measure::GoesOn goesOn = [] { return !interrupted.load(); };
        if (!interrupted)
            one.out = measure::outOfRange(one.ref.message != nullptr
                                              ? measure::samplesOf(all.snapshot(), *all.catalog, one.ref, goesOn)
                                              : measure::derivedSamples(all.snapshot(), *all.catalog, one.derived, goesOn),
                one.low, one.high);
    });
    for (const Ranged& one : ranged) {
        const bool derived = one.ref.message == nullptr;
        const database::DerivedSpec* spec = derived ? &all.catalog->derived()[one.derived].spec : nullptr;
        const std::string what = derived ? spec->name : one.ref.message->message->name + "." + one.ref.signal().name;
        const std::string& unit = derived ? spec->unit : one.ref.signal().unit;
        for (const measure::OutOfRange& out : one.out)
            all.rows.push_back({out.from, out.to, derived ? -1 : one.ref.message->bus, 1, what,
                (out.below ? "below " + numberWords(one.low, unit) : "above " + numberWords(one.high, unit)) + ", as far as "
                    + numberWords(out.farthest, unit)});
    }
}

void addBeatsAndBursts(Happenings& all)
{
    measure::EventFinder finder({}, all.catalog, all.names.size(), {}, {}, {}, mostEventsListed);
    measure::BusLoads loads(all.rates);
    const trace::Snapshot snapshot = all.snapshot();
    for (trace::Row row = 0; row < snapshot.rows() && !(row % 65'536 == 0 && interrupted); ++row) {
        const trace::IdentifierIndex identifier = snapshot.identifier(row);
        const trace::TraceKey& key = snapshot.trace().key(identifier);
        const can::FrameView frame = snapshot.frame(row);
        finder.take(row, identifier, key, frame);
        loads.take(row, identifier, key, frame);
    }
    for (std::size_t bus = 0; bus < loads.size(); ++bus)
        finder.findBursts(static_cast<std::uint8_t>(bus), loads[bus], Time::max());
    const auto missed = [](std::uint32_t beats) { return "missed " + std::to_string(beats) + (beats == 1 ? " beat" : " beats"); };
    for (const measure::Event& event : finder.events()) {
        if (event.kind == measure::EventKind::missedBeats)
            all.rows.push_back(
                {event.time, event.until, event.bus, 2, event.text.substr(0, event.text.rfind(" missed ")), missed(event.count)});
        else if (event.kind == measure::EventKind::burst) {
            const auto& bins = loads[event.bus];
            const double busy = static_cast<double>(bins.busy(bins.indexOf(event.time), bins.indexOf(event.until) - 1));
            char words[60];
            std::snprintf(words, sizeof words, "load of %.0f %%", 100 * busy / static_cast<double>((event.until - event.time).count()));
            all.rows.push_back({event.time, event.until, event.bus, 3, "burst", words});
        }
    }
    if (snapshot.rows() > 0)
        for (const measure::Event& event : finder.stillMissing(snapshot.latest()))
            all.rows.push_back({event.time, std::nullopt, event.bus, 2, event.text, missed(event.count) + " and did not come back"});
}

void addErrors(Happenings& all)
{
    struct Bunch {
        std::size_t row;
        Time last;
        std::uint64_t count;
    };
    std::map<std::pair<unsigned, std::uint32_t>, Bunch> open;
    const trace::Snapshot snapshot = all.snapshot();
    const auto told = [&](const Bunch& bunch) {
        all.rows[bunch.row].to = bunch.last;
        all.rows[bunch.row].why = std::to_string(bunch.count) + (bunch.count == 1 ? " error frame" : " error frames");
    };
    for (trace::Row row = 0; row < snapshot.rows() && !(row % 65'536 == 0 && interrupted); ++row) {
        if (!snapshot.trace().key(snapshot.identifier(row)).error)
            continue;
        const can::FrameView frame = snapshot.frame(row);
        const std::uint32_t classes = can::errorClasses(frame);
        const auto found = open.find({frame.bus, classes});
        if (found != open.end() && frame.time - found->second.last < errorsApart) {
            found->second.last = frame.time;
            ++found->second.count;
            continue;
        }
        if (found != open.end())
            told(found->second);
        open[{frame.bus, classes}] = {all.rows.size(), frame.time, 1};
        all.rows.push_back({frame.time, frame.time, frame.bus, 4, can::errorClassWords(classes), {}});
    }
    for (const auto& [key, bunch] : open)
        told(bunch);
}

Expected<void> addStates(Happenings& all)
{
    rules::RuleSet set;
    for (std::size_t bus = 0; bus < all.names.size(); ++bus)
        for (const rules::BusState state : {rules::BusState::errorPassive, rules::BusState::busOff}) {
            rules::ConditionRule rule;
            rule.name = rules::toText(state);
            rule.kind = rules::ConditionKind::state;
            rule.bus = static_cast<int>(bus);
            rule.busName = all.names[bus];
            rule.state = state;
            set.conditions.push_back(std::move(rule));
        }
    const std::vector<rules::ConditionRule> conditions = set.conditions;
    rules::RehearsalOptions how;
    how.goesOn = [](std::uint64_t) { return !interrupted; };
    const rules::Rehearsed rehearsed = rules::rehearse(all.snapshot(), std::move(set), all.rates, how);
    if (!rehearsed.problem.empty())
        return fail(rehearsed.problem);
    for (const rules::TrueStretch& stretch : rehearsed.stretches)
        all.rows.push_back(
            {stretch.from, stretch.to, conditions[stretch.condition].bus, 5, conditions[stretch.condition].name, "an error frame said so"});
    return {};
}

Expected<void> addNotes(Happenings& all, const EventOptions& options)
{
    std::error_code code;
    if (!options.more.empty() || !std::filesystem::exists(rig::Notes::fileOf(options.log), code))
        return {};
    auto notes = rig::Notes::load(options.log);
    if (!notes)
        return tl::unexpected(notes.error());
    const trace::Snapshot snapshot = all.snapshot();
    notes->settle(snapshot);
    for (const rig::Note& note : notes->all())
        all.rows.push_back(
            {note.time, note.time, note.row != trace::noRow && note.row < snapshot.rows() ? snapshot.frame(note.row).bus : -1, 6, note.text,
                note.row != trace::noRow ? "on row " + std::to_string(note.row) : "on a moment"});
    return {};
}

int events(const EventOptions& options)
{
    const auto wants = [&](const char* kind) {
        return options.kinds.empty() || std::find(options.kinds.begin(), options.kinds.end(), kind) != options.kinds.end();
    };
    Happenings all;
    auto used = useRig(options.rig);
    if (!used)
        return report(used.error());
    all.used = std::move(*used);
    auto log = loadLog(options.log, options.layout, options.more);
    if (!log)
        return report(log.error());
    all.log = std::move(*log);
    for (const trace::TraceBus& bus : all.log->buses) {
        all.names.push_back(bus.name);
        all.rates.push_back(bus.rate);
        for (const rig::BusSpec& spec : all.used->rig.buses)
            if (spec.name == bus.name && !bus.rate.known())
                all.rates.back() = spec.rate;
    }
    all.catalog = rig::catalogFor(all.names, all.used->rig, all.used->databases);
    for (const database::DerivedSignal& derived : all.catalog->derived())
        if (derived.problem)
            warn(derived.problem->text());
        else if (!derived.finding.empty())
            warn("derived signal '" + derived.spec.name + "': " + derived.finding);
    Expected<void> good;
    if (wants("condition"))
        good = addConditions(all);
    if (good && wants("state"))
        good = addStates(all);
    if (good && wants("note"))
        good = addNotes(all, options);
    if (!good)
        return report(good.error());
    if (wants("range"))
        addRanges(all);
    if (wants("beat") || wants("burst")) {
        const std::size_t before = all.rows.size();
        addBeatsAndBursts(all);
        all.rows.erase(std::remove_if(all.rows.begin() + static_cast<std::ptrdiff_t>(before), all.rows.end(),
                           [&](const EventRow& row) { return !wants(eventKinds[row.kind]); }),
            all.rows.end());
    }
    if (wants("error"))
        addErrors(all);
    if (interrupted)
        return report("interrupted; nothing was printed");
    std::stable_sort(all.rows.begin(), all.rows.end(), [](const EventRow& a, const EventRow& b) {
        return a.from != b.from ? a.from < b.from : a.kind != b.kind ? a.kind < b.kind : a.bus != b.bus ? a.bus < b.bus : a.what < b.what;
    });
    CsvWriter out(stdout);
    out.row({"from", "to", "bus", "kind", "what", "why"});
    for (const EventRow& row : all.rows)
        out.row({secondsText(row.from), row.to ? secondsText(*row.to) : std::string(),
            row.bus >= 0 ? all.names[static_cast<std::size_t>(row.bus)] : std::string(), eventKinds[row.kind], row.what, row.why});
    return printed(out.finish());
}

}  // namespace

void addEventCommand(CLI::App& program, int& result)
{
    const auto options = std::make_shared<EventOptions>();
    CLI::App* command = program.add_subcommand("events", "All that happened in a log, as CSV");
    command->add_option("log", options->log, "The log")->required();
    command->add_option("--with", options->more, "A further log that is read with it as one, LOG or LOG@OFFSET");
    addLayoutOption(*command, options->layout);
    command->add_option("--rig", options->rig, "A rig with the databases, by the names of buses, conditions and derived signals")
        ->required();
    command->add_option("--kind", options->kinds, "Only these: condition, range, beat, burst, error, state, note; may be given again")
        ->check(CLI::IsMember(std::vector<std::string>(eventKinds.begin(), eventKinds.end())))
        ->allow_extra_args(false);
    command->callback([options, &result] { result = events(*options); });
}

}  // namespace wavetrope::cli
