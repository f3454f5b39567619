// SPDX-License-Identifier: GPL-3.0-or-later
// events.
#include <algorithm>
#include <array>
#include <filesystem>

#include "base/time_text.h"
#include "cli/command.h"
#include "cli/csv.h"
#include "cli/protocols.h"
#include "measure/happenings.h"
#include "rig/conditions.h"
#include "rig/notes.h"

namespace wavetrope::cli {

namespace {

constexpr std::array<const char*, 8> eventKinds = {"condition", "range", "beat", "burst", "error", "state", "note", "protocol"};
constexpr std::size_t mostEventsListed = 50'000'000;

struct EventOptions {
    std::string log, layout, rig;
    std::vector<std::string> more, kinds, protocols;
};

Expected<std::vector<measure::Event>> notesOf(const EventOptions& options, const trace::Snapshot& snapshot)
{
    std::vector<measure::Event> out;
    std::error_code code;
    if (!options.more.empty() || !std::filesystem::exists(rig::Notes::fileOf(options.log), code))
        return out;
    auto notes = rig::Notes::load(options.log);
    if (!notes)
        return tl::unexpected(notes.error());
    notes->settle(snapshot);
    for (const rig::Note& note : notes->all()) {
        const bool onRow = note.row != trace::noRow && note.row < snapshot.rows();
        out.push_back({measure::EventKind::note, note.time, note.time, onRow ? snapshot.frame(note.row).bus : measure::noBus, note.row,
            note.text, 1, note.text, note.row != trace::noRow ? "on row " + std::to_string(note.row) : "on a moment"});
    }
    return out;
}

int events(const EventOptions& options)
{
    const auto speaking = speakingOf(options.protocols, options.rig);
    if (!speaking)
        return report(speaking.error());
    if (options.rig.empty() && speaking->all.empty())
        return report("events needs a --rig, or a --protocol that says what a bus speaks");
    auto used = options.rig.empty() ? Expected<std::shared_ptr<const UsedRig>>(std::make_shared<const UsedRig>()) : useRig(options.rig);
    if (!used)
        return report(used.error());
    auto log = loadLog(options.log, options.layout, options.more);
    if (!log)
        return report(log.error());
    if (const auto missing = speaking->missing((*log)->buses, options.log))
        return report(*missing);
    measure::Happenings::Options wanted;
    wanted.most = mostEventsListed;
    for (const trace::TraceBus& bus : (*log)->buses) {
        wanted.buses.push_back(bus.name);
        wanted.rates.push_back(bus.rate);
        wanted.spoken.push_back(speaking->on(bus.name));
        for (const rig::BusSpec& spec : (*used)->rig.buses)
            if (spec.name == bus.name && !bus.rate.known())
                wanted.rates.back() = spec.rate;
    }
    if (!options.kinds.empty())
        for (std::size_t kind = 0; kind < wanted.kinds.size(); ++kind)
            wanted.kinds[kind] = std::find(options.kinds.begin(), options.kinds.end(), toText(static_cast<measure::EventKind>(kind)))
                                 != options.kinds.end();
    const auto wants = [&](measure::EventKind kind) { return wanted.kinds[static_cast<std::size_t>(kind)]; };
    const auto catalog = rig::catalogFor(wanted.buses, (*used)->rig, (*used)->databases);
    for (const database::DerivedSignal& derived : catalog->derived())
        if (derived.problem)
            warn(derived.problem->text());
        else if (!derived.finding.empty())
            warn("derived signal '" + derived.spec.name + "': " + derived.finding);
    if (wants(measure::EventKind::condition)) {
        rig::CompiledRules rules = rig::rulesOf((*used)->rig, catalog, wanted.buses);
        for (const Error& error : rules.unknown)
            warn(error.text());
        wanted.conditions = std::move(rules.set.conditions);
    }
    const trace::Snapshot snapshot = (*log)->trace.snapshot();
    std::vector<measure::Event> notes;
    if (wants(measure::EventKind::note)) {
        auto found = notesOf(options, snapshot);
        if (!found)
            return report(found.error());
        notes = std::move(*found);
    }
    const std::vector<std::string> names = wanted.buses;
    measure::Happenings happenings(catalog, std::move(wanted));
    if (!happenings.advance(snapshot, [] { return !interrupted.load(); }))
        return report(happenings.problem().empty() ? "interrupted; nothing was printed" : happenings.problem());
    if (!happenings.problem().empty())
        return report(happenings.problem());
    happenings.finish(snapshot);
    if (happenings.notKept() > 0)
        return report("there are more than " + std::to_string(mostEventsListed) + " events of one condition, message or signal");
    std::vector<measure::Event> all = happenings.all(snapshot.rows() > 0 ? snapshot.latest() : Time{0});
    all.insert(all.end(), notes.begin(), notes.end());
    std::stable_sort(all.begin(), all.end(), measure::inOrder);
    CsvWriter out(stdout);
    out.row({"from", "to", "bus", "kind", "what", "why"});
    for (const measure::Event& event : all)
        out.row({secondsText(event.time), event.open ? std::string() : secondsText(event.until),
            event.bus < names.size() ? names[event.bus] : std::string(), toText(event.kind), event.what, event.why});
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
        ->type_name("RIG");
    addProtocolOption(*command, options->protocols);
    command
        ->add_option(
            "--kind", options->kinds, "Only these: condition, range, beat, burst, error, state, note, protocol; may be given again")
        ->check(CLI::IsMember(std::vector<std::string>(eventKinds.begin(), eventKinds.end())))
        ->allow_extra_args(false);
    command->callback([options, &result] { result = events(*options); });
}

}  // namespace wavetrope::cli
