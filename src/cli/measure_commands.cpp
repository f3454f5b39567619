// SPDX-License-Identifier: GPL-3.0-or-later
// measure.
#include <algorithm>
#include <tuple>

#include "base/in_parallel.h"
#include "base/number_text.h"
#include "base/time_text.h"
#include "cli/command.h"
#include "cli/csv.h"
#include "filter/signal_pattern.h"
#include "measure/interval_measures.h"

namespace wavetrope::cli {

namespace {

struct MeasureOptions {
    std::string log, layout, rig, signals, from, to;
    std::vector<std::string> more;
    unsigned threads = 0;
};

// A signal, or a derived one, of the table.
struct Measured {
    std::string bus, message, signal, unit;
    database::SignalRef ref;
    std::uint32_t derived = 0;
    measure::IntervalMeasures measures;
};

std::string shortest(const std::optional<double>& value)
{
    std::string out;
    if (value)
        appendNumber(out, *value);
    return out;
}

Expected<std::vector<Measured>> chosenSignals(const UsedRig& used, const database::Catalog& catalog, const filter::SignalPattern& pattern)
{
    std::vector<Measured> rows;
    for (const database::CatalogMessage& message : catalog.messages()) {
        const std::string& bus = catalog.busName(message.bus);
        if (std::none_of(used.rig.buses.begin(), used.rig.buses.end(), [&](const rig::BusSpec& spec) { return spec.name == bus; }))
            continue;
        for (std::uint32_t i = 0; i < message.message->signals.size(); ++i) {
            const database::Signal& signal = message.message->signals[i];
            if (pattern.fits(message.message->name, signal.name))
                rows.push_back({bus, message.message->name, signal.name, signal.unit, {&message, i}, 0, {}});
        }
    }
    for (std::uint32_t d = 0; d < catalog.derived().size(); ++d) {
        const database::DerivedSignal& derived = catalog.derived()[d];
        if (!pattern.fits({}, derived.spec.name))
            continue;
        if (derived.problem)
            return tl::unexpected(*derived.problem);
        if (!derived.finding.empty())
            warn("derived signal '" + derived.spec.name + "': " + derived.finding);
        rows.push_back({{}, {}, derived.spec.name, derived.spec.unit, {}, d, {}});
    }
    std::stable_sort(rows.begin(), rows.end(),
        [](const Measured& a, const Measured& b) { return std::tie(a.bus, a.message, a.signal) < std::tie(b.bus, b.message, b.signal); });
    return rows;
}

int measure(const MeasureOptions& options)
{
    const auto pattern = filter::SignalPattern::compile(options.signals);
    if (!pattern)
        return report(pattern.error());
    for (const auto& [text, name] : {std::pair{&options.from, "--from"}, std::pair{&options.to, "--to"}})
        if (!text->empty() && !momentFromText(*text, Time{0}))
            return report(std::string(name) + " '" + *text + "': expected seconds since 1970, or +12.5s from the first frame");
    const auto used = useRig(options.rig);
    if (!used)
        return report(used.error());
    const auto log = loadLog(options.log, options.layout, options.more, options.threads);
    if (!log)
        return report(log.error());
    // The buses of the log, and behind them those that only the rig has.
    std::vector<std::string> names;
    for (const trace::TraceBus& bus : (*log)->buses)
        names.push_back(bus.name);
    for (const rig::BusSpec& bus : (*used)->rig.buses)
        if (std::find(names.begin(), names.end(), bus.name) == names.end())
            names.push_back(bus.name);
    const auto catalog = rig::catalogFor(names, (*used)->rig, (*used)->databases);
    auto rows = chosenSignals(**used, *catalog, *pattern);
    if (!rows)
        return report(rows.error());
    const trace::Snapshot snapshot = (*log)->trace.snapshot();
    const Time origin = snapshot.rows() > 0 ? (*log)->trace.origin() : Time{0};
    const Time from = options.from.empty() ? Time::min() : *momentFromText(options.from, origin);
    const Time to = !options.to.empty() ? *momentFromText(options.to, origin) : snapshot.rows() > 0 ? snapshot.latest() : Time{0};
    if (!options.from.empty() && !options.to.empty() && from > to)
        return report("--from lies behind --to");
    ProgressLine progress("measuring");
    std::atomic<std::size_t> done = 0;
    inParallel(rows->size(), options.threads, [&](std::size_t i) {
        Measured& row = (*rows)[i];
        const measure::GoesOn goesOn = [] { return !interrupted.load(); };
        if (!interrupted)
            row.measures = measure::measured(row.ref.message != nullptr ? measure::samplesOf(snapshot, *catalog, row.ref, goesOn)
                                                                        : measure::derivedSamples(snapshot, *catalog, row.derived, goesOn),
                from, to);
        ++done;
    });
    progress.show(done, rows->size());
    if (interrupted)
        return report("interrupted; nothing was printed");
    CsvWriter out(stdout);
    out.row({"bus", "message", "signal", "unit", "samples", "first", "last", "smallest", "largest", "mean", "rms", "deviation", "integral",
        "slope"});
    for (const Measured& row : *rows) {
        const measure::IntervalMeasures& m = row.measures;
        const auto ofSamples = [&](double value) { return m.samples > 0 ? shortest(value) : std::string(); };
        out.row({row.bus, row.message, row.signal, row.unit, std::to_string(m.samples), ofSamples(m.first), ofSamples(m.last),
            ofSamples(m.smallest), ofSamples(m.largest), shortest(m.mean), shortest(m.rms), shortest(m.deviation), shortest(m.integral),
            shortest(m.slope)});
    }
    return printed(out.finish());
}

}  // namespace

void addMeasureCommands(CLI::App& program, int& result)
{
    const auto options = std::make_shared<MeasureOptions>();
    CLI::App* command = program.add_subcommand("measure", "What the signals of a log do, exact over their samples, as CSV");
    command->add_option("log", options->log, "The log")->required();
    command->add_option("--with", options->more, "A further log that is read with it as one, LOG or LOG@OFFSET");
    addLayoutOption(*command, options->layout);
    command->add_option("--rig", options->rig, "A rig whose databases explain frames, by the names of buses, with its derived signals")
        ->required();
    command->add_option("--signals", options->signals,
        "Only signals whose name, or Message.Signal, fits a pattern with * and ?, or a regular expression between slashes");
    command->add_option("--from", options->from, "Seconds since 1970, or +12.5s from the first frame");
    command->add_option("--to", options->to, "The same; the last frame where it is not given");
    command->add_option("--threads", options->threads, "Threads that work; as many as there are cores where it is not given")
        ->check(CLI::Range(0, 256));
    command->callback([options, &result] { result = measure(*options); });
}

}  // namespace wavetrope::cli
