// SPDX-License-Identifier: GPL-3.0-or-later
// info, list, decode and load.
#include <algorithm>
#include <array>
#include <map>
#include <nlohmann/json.hpp>

#include "base/time_text.h"
#include "can/bit_rate.h"
#include "cli/command.h"
#include "cli/csv.h"
#include "cli/message_rows.h"
#include "cli/protocols.h"
#include "convert/value_rows.h"
#include "measure/load_bins.h"
#include "measure/load_shares.h"
#include "protocol/traffic_class.h"

namespace wavetrope::cli {

namespace {

// Bins in which no bus has anything: longer stretches of them are left out of the load.
constexpr std::int64_t longestSilence = 100'000;

int info(const std::string& path, const std::string& layout, bool asJson)
{
    const auto log = loadLog(path, layout);
    if (!log)
        return report(log.error());
    const auto snapshot = (*log)->trace.snapshot();
    struct PerBus {
        std::uint64_t frames = 0;
    };
    std::vector<PerBus> buses((*log)->buses.size());
    std::array<std::uint64_t, 4> kinds{};
    std::map<std::pair<trace::IdentifierIndex, can::FrameKind>, std::uint64_t> identifiers;
    for (trace::Row row = 0; row < snapshot.rows(); ++row) {
        const can::FrameView frame = snapshot.frame(row);
        ++buses[frame.bus].frames;
        ++kinds[static_cast<unsigned>(frame.kind)];
        ++identifiers[{snapshot.identifier(row), frame.kind}];
    }
    const Time first = snapshot.earliest();
    const Time last = snapshot.latest();
    if (asJson) {
        nlohmann::ordered_json out;
        out["log"] = path;
        out["frames"] = snapshot.rows();
        out["first"] = secondsText(first);
        out["last"] = secondsText(last);
        out["duration"] = secondsText(last - first);
        out["steps_back"] = (*log)->trace.disorders();
        out["buses"] = nlohmann::ordered_json::array();
        for (std::size_t i = 0; i < buses.size(); ++i)
            out["buses"].push_back({{"name", (*log)->buses[i].name}, {"bit_rate", (*log)->buses[i].rate.nominal},
                {"data_bit_rate", (*log)->buses[i].rate.data}, {"frames", buses[i].frames}});
        for (unsigned kind = 0; kind < kinds.size(); ++kind)
            out["kinds"][can::toText(static_cast<can::FrameKind>(kind))] = kinds[kind];
        out["identifiers"] = nlohmann::ordered_json::array();
        for (const auto& [key, count] : identifiers) {
            const trace::TraceKey& which = snapshot.trace().key(key.first);
            out["identifiers"].push_back({{"bus", (*log)->buses[which.bus].name}, {"id", can::toText(which.id)},
                {"kind", can::toText(key.second)}, {"frames", count}});
        }
        std::printf("%s\n", out.dump(2, ' ', false, nlohmann::json::error_handler_t::replace).c_str());
        return 0;
    }
    std::printf("log      %s\nframes   %llu\nfrom     %s\nto       %s\nlasts    %s s\n", path.c_str(),
        static_cast<unsigned long long>(snapshot.rows()), secondsText(first).c_str(), secondsText(last).c_str(),
        secondsText(last - first).c_str());
    for (std::size_t i = 0; i < buses.size(); ++i)
        std::printf("bus      %-14s %10llu frames  %s\n", (*log)->buses[i].name.empty() ? "(no name)" : (*log)->buses[i].name.c_str(),
            static_cast<unsigned long long>(buses[i].frames), can::toText((*log)->buses[i].rate).c_str());
    for (unsigned kind = 0; kind < kinds.size(); ++kind)
        std::printf(
            "kind     %-14s %10llu frames\n", can::toText(static_cast<can::FrameKind>(kind)), static_cast<unsigned long long>(kinds[kind]));
    for (const auto& [key, count] : identifiers) {
        const trace::TraceKey& which = snapshot.trace().key(key.first);
        std::printf("id       %-14s %10llu frames  %s %s\n", can::toText(which.id).c_str(), static_cast<unsigned long long>(count),
            (*log)->buses[which.bus].name.c_str(), can::toText(key.second));
    }
    return 0;
}

using Column = void (*)(CsvText&, const can::FrameView&, const convert::LogFacts&, const database::Catalog&);

const std::vector<std::pair<std::string, Column>>& listColumns()
{
    using F = const can::FrameView&;
    using L = const convert::LogFacts&;
    using C = const database::Catalog&;
    static const std::vector<std::pair<std::string, Column>> columns = {
        {"time", [](CsvText& out, F f, L, C) { out.field(secondsText(f.time)); }},
        {"bus", [](CsvText& out, F f, L log, C) { out.field(log.buses[f.bus].name); }},
        {"dir", [](CsvText& out, F f, L, C) { out.field(can::toText(f.direction)); }},
        {"kind", [](CsvText& out, F f, L, C) { out.field(can::toText(f.kind)); }},
        {"id", [](CsvText& out, F f, L, C) { out.field(can::toText(f.id)); }},
        {"brs", [](CsvText& out, F f, L, C) { out.field(f.brs ? "1" : "0"); }},
        {"esi", [](CsvText& out, F f, L, C) { out.field(f.esi ? "1" : "0"); }},
        {"length", [](CsvText& out, F f, L,
                       C) { out.field(std::to_string(f.kind == can::FrameKind::remote ? std::min<unsigned>(f.dlc, 8) : f.length)); }},
        {"data", [](CsvText& out, F f, L, C) { out.field(hexOf(f.payload())); }},
        {"dlc", [](CsvText& out, F f, L, C) { out.field(std::to_string(f.dlc)); }},
        {"name", [](CsvText& out, F f, L,
                     C catalog) { out.field(catalog.find(f) != nullptr ? catalog.find(f)->message->name : std::string()); }},
        {"sender", [](CsvText& out, F f, L,
                       C catalog) { out.field(catalog.find(f) != nullptr ? catalog.find(f)->message->sender : std::string()); }},
        {"nominal_bits", [](CsvText& out, F f, L, C) { out.field(std::to_string(can::wireLength(f).nominalBits)); }},
        {"data_bits", [](CsvText& out, F f, L, C) { out.field(std::to_string(can::wireLength(f).dataBits)); }},
        {"stuff_bits", [](CsvText& out, F f, L, C) { out.field(std::to_string(can::wireLength(f).stuffBits)); }},
    };
    return columns;
}

// Rows that come as text, behind a head: it is printed with the first of them, at the latest at the end, but not where
// what was asked for turns out to be a mistake.
class RowsBehindHead {
public:
    explicit RowsBehindHead(std::string head) : head_(std::move(head)) {}
    bool put(std::string_view rows)
    {
        out_.raw(std::exchange(head_, {}));
        out_.raw(rows);
        out_.flush();
        return out_.good();
    }
    int finish()
    {
        put({});
        return printed(out_.finish());
    }

private:
    CsvWriter out_{stdout};
    std::string head_;
};

int list(const Question& question, const std::string& columnText)
{
    std::vector<Column> columns;
    std::string rest = columnText;
    std::vector<std::string> names;
    while (!rest.empty()) {
        const auto comma = rest.find(',');
        const std::string name = rest.substr(0, comma);
        rest = comma == std::string::npos ? "" : rest.substr(comma + 1);
        const auto& known = listColumns();
        const auto found = std::find_if(known.begin(), known.end(), [&](const auto& c) { return c.first == name; });
        if (found == known.end()) {
            std::string all;
            for (const auto& [text, column] : known)
                all += (all.empty() ? "" : ", ") + text;
            return report("there is no column '" + name + "'. Columns are: " + all);
        }
        columns.push_back(found->second);
        names.push_back(name);
    }
    if (columns.empty())
        return report("--columns '" + columnText + "': expected names of columns between commas, such as time,id,data");
    CsvText head;
    for (const std::string& name : names)
        head.field(name);
    head.endRow();
    RowsBehindHead out(head.take());
    convert::StreamWork work;
    work.render = [&](const convert::LogFacts& facts, std::span<const can::FrameView> frames, std::span<const convert::DerivedValue>) {
        CsvText rows;
        for (const can::FrameView& frame : frames) {
            for (const Column column : columns)
                column(rows, frame, facts, *facts.catalog);
            rows.endRow();
        }
        return rows.take();
    };
    work.write = [&](std::string_view text) { return out.put(text); };
    const auto streamed = streamLog(question, std::move(work));
    return streamed ? out.finish() : report(streamed.error());
}

int decode(const Question& question, const std::string& glob)
{
    if (question.rig.empty() && question.databases.empty())
        return report("nothing says what the signals are. Give --database [BUS=]FILE, or --rig RIG");
    RowsBehindHead out{std::string(convert::ValueRows::head)};
    convert::ValueStream values(glob);
    convert::StreamWork work;
    work.render = [&](const convert::LogFacts& facts, std::span<const can::FrameView> frames,
                      std::span<const convert::DerivedValue> derived) { return values.render(facts.catalog, Time{0}, frames, derived); };
    work.derive = [&](const database::Catalog& catalog) { return values.derive(catalog); };
    work.write = [&](std::string_view text) { return out.put(text); };
    const auto streamed = streamLog(question, std::move(work));
    if (!streamed)
        return report(streamed.error());
    const int result = out.finish();
    if (result == 0)
        for (const std::string& words : values.shortcomings(streamed->catalog))
            warn(words);
    return result;
}

int count(const Question& question)
{
    std::atomic<std::uint64_t> counted = 0;
    convert::StreamWork work;
    work.render = [&](const convert::LogFacts&, std::span<const can::FrameView> frames, std::span<const convert::DerivedValue>) {
        counted += frames.size();
        return std::string();
    };
    work.write = [](std::string_view) { return true; };
    const auto streamed = streamLog(question, std::move(work));
    if (!streamed)
        return report(streamed.error());
    if (interrupted)
        return report("interrupted; not all frames were counted");
    std::printf("%llu\n", static_cast<unsigned long long>(counted.load()));
    return printed();
}

struct LoadOptions {
    std::string log, layout, rig, span = "100ms", by, from, to;
    std::vector<std::string> rates, databases, protocols;
    database::Match match = database::Match::full;
};

// The bit rates of a log's buses: those that are given, its own, those of a rig.
Expected<void> completeRates(std::vector<trace::TraceBus>& buses, const LoadOptions& options)
{
    if (!options.rig.empty()) {
        const auto rig = rig::loadRig(options.rig);
        if (!rig)
            return tl::unexpected(rig.error());
        for (trace::TraceBus& bus : buses)
            for (const rig::BusSpec& spec : rig->buses)
                if (spec.name == bus.name && !bus.rate.known())
                    bus.rate = spec.rate;
    }
    for (const std::string& option : options.rates) {
        const BusOption split = splitBusOption(option);
        const auto rate = can::bitRateFromText(split.value);
        if (!rate)
            return fail("--bit-rate '" + option + "': expected a bit rate such as 500k or Scanner=500k/2M");
        bool found = false;
        for (trace::TraceBus& bus : buses)
            if (split.bus.empty() || bus.name == split.bus) {
                bus.rate = *rate;
                found = true;
            }
        if (!found)
            return fail("--bit-rate " + option + ": the log has no bus '" + split.bus + "'");
    }
    return {};
}

// Nothing where the rates of all buses that have frames are known; else which is not.
Expected<void> ratesKnown(const trace::Snapshot& snapshot, const std::vector<trace::TraceBus>& buses)
{
    std::vector<bool> used(buses.size());
    std::vector<std::uint64_t> switched(buses.size(), 0);
    for (trace::Row row = 0; row < snapshot.rows(); ++row) {
        const trace::IdentifierIndex identifier = snapshot.identifier(row);
        const unsigned bus = snapshot.trace().key(identifier).bus;
        used[bus] = true;
        if (buses[bus].rate.data == 0) {
            const can::FrameView frame = snapshot.frame(row);
            switched[bus] += frame.brs && frame.kind == can::FrameKind::fd ? 1 : 0;
        }
    }
    for (std::size_t i = 0; i < buses.size(); ++i)
        if (used[i] && !buses[i].rate.known())
            return fail("the bit rate of bus '" + buses[i].name + "' is not known", {},
                "Give it: --bit-rate " + (buses[i].name.empty() ? "" : buses[i].name + "=") + "500k");
    for (std::size_t i = 0; i < buses.size(); ++i)
        if (switched[i] > 0)
            warn(std::to_string(switched[i]) + " frames of bus '" + buses[i].name
                 + "' switch to a faster bit rate, which is not known: all of their bits are counted at the nominal rate of "
                 + can::toText(buses[i].rate) + ". Give both: --bit-rate " + (buses[i].name.empty() ? "" : buses[i].name + "=")
                 + can::toText(buses[i].rate) + "/2M");
    return {};
}

std::string decimals(double value)
{
    char text[40];
    std::snprintf(text, sizeof text, "%.6f", value);
    return text;
}

int printShares(const trace::Snapshot& snapshot, const std::vector<trace::TraceBus>& buses, const LoadOptions& options)
{
    const auto by = measure::shareByFromText(options.by);
    const auto catalog = Databases(options.databases, options.match, options.rig).explain(buses);
    if (!catalog)
        return report(catalog.error());
    measure::ShareRange range;
    for (const auto& [text, name, end] : {std::tuple(&options.from, "--from", &range.from), std::tuple(&options.to, "--to", &range.to)})
        if (!text->empty()) {
            *end = momentFromText(*text, snapshot.rows() > 0 ? snapshot.trace().origin() : Time{0});
            if (!*end)
                return report(std::string(name) + " '" + *text + "': expected seconds since 1970, or +12.5s from the first frame");
        }
    if (range.from && range.to && *range.from > *range.to)
        return report("--from lies behind --to");
    std::vector<can::BitRate> rates;
    for (const trace::TraceBus& bus : buses)
        rates.push_back(bus.rate);
    const auto speaking = speakingOf(options.protocols, options.rig);
    if (!speaking)
        return report(speaking.error());
    if (const auto missing = speaking->missing(buses, options.log))
        return report(*missing);
    std::vector<std::vector<protocol::Spoken>> spoken;
    for (const trace::TraceBus& bus : buses)
        spoken.push_back(speaking->on(bus.name));
    ProgressLine progress("counting");
    const auto shares = measure::loadShares(
        snapshot, **catalog, rates, *by, range,
        [&](trace::Row row) {
            progress.show(row, snapshot.rows());
            return !interrupted;
        },
        [&](const trace::TraceKey& key, can::FrameKind kind) -> std::string {
            return protocol::trafficClass(spoken[key.bus], key.id, kind);
        });
    if (!shares)
        return report("interrupted; nothing was printed");
    const double seconds = static_cast<double>((shares->to - shares->from).count()) * 1e-9;
    CsvWriter out(stdout);
    out.row({"bus", "what", "frames", "bits", "load_percent", "frames_per_s"});
    for (const measure::LoadShare& share : shares->shares)
        out.row({buses[share.bus].name, share.what, std::to_string(share.frames), std::to_string(share.bits),
            seconds > 0 ? decimals(100e-9 * static_cast<double>(share.busy.count()) / seconds) : std::string(),
            seconds > 0 ? decimals(static_cast<double>(share.frames) / seconds) : std::string()});
    return printed(out.finish());
}

int load(const LoadOptions& options)
{
    const auto span = spanFromText(options.span);
    if (!span || span->count() < 1000 || *span > std::chrono::seconds(4))
        return report("--span '" + options.span + "': expected a time of 1 us to 4 s, such as 100ms");
    const auto log = loadLog(options.log, options.layout);
    if (!log)
        return report(log.error());
    auto buses = (*log)->buses;
    if (const auto complete = completeRates(buses, options); !complete)
        return report(complete.error());
    if (const auto known = ratesKnown((*log)->trace.snapshot(), buses); !known)
        return report(known.error());
    if (!options.by.empty())
        return printShares((*log)->trace.snapshot(), buses, options);
    const auto snapshot = (*log)->trace.snapshot();
    std::vector<measure::LoadBins> bins;
    for (const trace::TraceBus& bus : buses)
        bins.emplace_back(bus.rate, *span);
    for (trace::Row row = 0; row < snapshot.rows(); ++row) {
        const can::FrameView frame = snapshot.frame(row);
        bins[frame.bus].add(frame);
    }
    CsvWriter out(stdout);
    out.row({"time", "bus", "load_percent", "frames"});
    if (snapshot.rows() == 0)
        return printed(out.finish());
    // From the bin of the first bit on; what is silent for long is left out.
    std::int64_t index = bins.front().indexOf(snapshot.earliest());
    const std::int64_t last = bins.front().indexOf(snapshot.latest());
    for (std::size_t i = 0; i < buses.size(); ++i)
        if (!bins[i].empty())
            index = std::min(index, bins[i].first());
    std::string silences;
    std::int64_t silent = 0;
    std::uint64_t leftOut = 0;
    while (index <= last && !interrupted) {
        std::optional<std::int64_t> next;
        for (const measure::LoadBins& of : bins)
            if (const auto touched = of.nextTouched(index); touched && (!next || *touched < *next))
                next = touched;
        if (next && *next - index >= longestSilence) {
            index = *next;
            silent = longestSilence;
        }
        bool any = false;
        for (std::size_t i = 0; i < buses.size(); ++i)
            any = any || bins[i].bin(index).busy > 0 || bins[i].bin(index).frames > 0;
        // Held back until it is known whether the silence is a long one.
        leftOut += any && silent > longestSilence ? 1 : 0;
        silent = any ? 0 : silent + 1;
        if (silent > longestSilence) {
            silences.clear();
            ++index;
            continue;
        }
        if (any && !silences.empty()) {
            out.raw(silences);
            silences.clear();
        }
        for (std::size_t i = 0; i < buses.size(); ++i) {
            const measure::LoadBin bin = bins[i].bin(index);
            const std::string percent = decimals(100.0 * static_cast<double>(bin.busy) / static_cast<double>(span->count()));
            if (any) {
                out.row({secondsText(bins[i].startOf(index)), buses[i].name, percent, std::to_string(bin.frames)});
                continue;
            }
            silences += secondsText(bins[i].startOf(index)) + ',';
            appendCsvField(silences, buses[i].name);
            silences += ",0.000000,0\n";
        }
        ++index;
    }
    if (leftOut > 0)
        warn(std::to_string(leftOut) + (leftOut == 1 ? " silence of" : " silences of") + " more than 100,000 bins without a bit on any bus "
             + (leftOut == 1 ? "was" : "were") + " left out");
    return printed(out.finish());
}

}  // namespace

void addLogCommands(CLI::App& program, int& result)
{
    struct Options {
        Question question;
        std::string log, layout, columns = "time,bus,dir,kind,id,brs,esi,length,data", glob;
        LoadOptions load;
        bool json = false, messages = false;
        std::vector<std::string> protocols;
    };
    const auto options = std::make_shared<Options>();

    CLI::App* command = program.add_subcommand("info", "What a log holds: frames, buses, times, identifiers");
    command->add_option("log", options->log, "The log")->required();
    addLayoutOption(*command, options->layout);
    command->add_flag("--json", options->json, "As JSON");
    command->callback([options, &result] { result = info(options->log, options->layout, options->json); });

    command = program.add_subcommand("list", "The frames of a log as CSV");
    addQuestion(*command, options->question);
    auto* columns = command->add_option(
        "--columns", options->columns, "Comma-separated; also name, sender, dlc, nominal_bits, data_bits, stuff_bits");
    auto* messages = command
                         ->add_flag(
                             "--messages", options->messages, "Messages of higher protocols in place of frames: what is whole is one row")
                         ->excludes(columns);
    addProtocolOption(*command, options->protocols)->needs(messages);
    addDictionaryOption(*command, options->question);
    command->callback([options, &result] {
        result = options->messages ? listMessages(options->question, options->protocols) : list(options->question, options->columns);
    });

    command = program.add_subcommand("decode", "The signals of a log as CSV, a row a value");
    addQuestion(*command, options->question);
    command->add_option("--signals", options->glob, "Only signals whose name, or Message.Signal, fits a pattern with * and ?");
    addProtocolOption(*command, options->protocols);
    addDictionaryOption(*command, options->question);
    command->callback([options, &result] {
        result = !speaks(options->question, options->protocols) ? decode(options->question, options->glob)
                                                                : decodeMessages(options->question, options->protocols, options->glob);
    });

    command = program.add_subcommand("count", "How many frames of a log pass a filter");
    addQuestion(*command, options->question);
    addProtocolOption(*command, options->protocols);
    addDictionaryOption(*command, options->question);
    command->callback([options, &result] {
        result = !speaks(options->question, options->protocols) ? count(options->question)
                                                                : countMessages(options->question, options->protocols);
    });

    command = program.add_subcommand("load", "The bus load of a log, over time or by who takes it, as CSV");
    LoadOptions& load = options->load;
    command->add_option("log", load.log, "The log")->required();
    addLayoutOption(*command, load.layout);
    command->add_option("--bit-rate", load.rates, "[BUS=]500k[/2M]; the log's own, or the rig's, where there is one");
    auto* span = command->add_option("--span", load.span, "Averaged over, 1us to 4s");
    auto* by = command->add_option("--by", load.by, "Who takes the bus, in place of the load over time")
                   ->check(CLI::IsMember({"message", "sender", "kind", "class"}))
                   ->excludes(span);
    command->add_option("--from", load.from, "Seconds since 1970, or +12.5s from the first frame")->needs(by);
    command->add_option("--to", load.to, "The same")->needs(by);
    addProtocolOption(*command, load.protocols);
    addRigOption(*command, load.rig);
    command->add_option("--database", load.databases, "[BUS=]FILE that names messages and senders; the bus may be left out");
    addMatchOption(*command, load.match);
    command->callback([options, &result] { result = wavetrope::cli::load(options->load); });
}

}  // namespace wavetrope::cli
