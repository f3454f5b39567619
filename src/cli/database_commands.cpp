// SPDX-License-Identifier: GPL-3.0-or-later
// database info, check, convert, diff and coverage.
#include <filesystem>
#include <nlohmann/json.hpp>

#include "base/replace_file.h"
#include "base/time_text.h"
#include "can/bit_rate.h"
#include "cli/command.h"
#include "cli/csv.h"
#include "database/dbc_writer.h"
#include "database/diff.h"
#include "database/export.h"
#include "database/review.h"
#include "measure/coverage.h"

namespace wavetrope::cli {

namespace {

constexpr int exitFindings = 1;

// A database with its reading, where it has one.
struct Loaded {
    database::Database database;
    std::optional<database::DbcReading> reading;
};

Expected<Loaded> loadWithReading(const std::string& path)
{
    Loaded loaded;
    if (std::filesystem::path(path).extension() == ".json") {
        auto database = database::readDatabase(path);
        if (!database)
            return tl::unexpected(database.error());
        loaded.database = std::move(*database);
        return loaded;
    }
    auto reading = database::readDbcFile(path);
    if (!reading)
        return tl::unexpected(reading.error());
    loaded.database = reading->database;
    loaded.reading = std::move(*reading);
    return loaded;
}

void print(const nlohmann::ordered_json& json)
{
    std::printf("%s\n", json.dump(2, ' ', false, nlohmann::json::error_handler_t::replace).c_str());
}

int info(const std::string& path, bool asJson)
{
    const auto loaded = loadWithReading(path);
    if (!loaded)
        return report(loaded.error());
    const database::Database& db = loaded->database;
    const std::size_t problems = loaded->reading ? loaded->reading->problems.size() : 0;
    std::size_t multiplexed = 0;
    std::size_t fd = 0;
    for (const database::Message& message : db.messages) {
        fd += message.fd ? 1 : 0;
        for (const database::Signal& signal : message.signals)
            multiplexed += signal.mux == database::MuxRole::multiplexed ? 1 : 0;
    }
    if (asJson) {
        nlohmann::ordered_json out{{"database", path}, {"version", db.network.version}, {"nodes", db.nodes.size()},
            {"messages", db.messages.size()}, {"signals", db.signalCount()}, {"multiplexed_signals", multiplexed}, {"fd_messages", fd},
            {"value_tables", db.tables.size()}, {"variables", db.variables.size()}, {"signal_types", db.signalTypes.size()},
            {"attribute_definitions", db.definitions.size()}};
        if (loaded->reading) {
            out["encoding"] = loaded->reading->source.utf8 ? "UTF-8" : "code page 1252";
            out["problems"] = problems;
            out["warnings"] = loaded->reading->warnings.size();
        }
        print(out);
        return 0;
    }
    std::printf("%s\n%zu nodes, %zu messages, %zu signals\n", path.c_str(), db.nodes.size(), db.messages.size(), db.signalCount());
    if (!db.network.version.empty())
        std::printf("version %s\n", db.network.version.c_str());
    for (const database::Node& node : db.nodes) {
        std::size_t sends = 0;
        for (const database::Message& message : db.messages)
            sends += message.sender == node.name ? 1 : 0;
        std::printf("  %-32s sends %zu%s%s\n", node.name.c_str(), sends, node.comment.empty() ? "" : "  ", node.comment.c_str());
    }
    if (problems > 0)
        warn(std::to_string(problems) + " statements could not be understood: see database check");
    return 0;
}

// Time on the wire of each identifier.
std::vector<Time> busyOf(const LoadedLog& log)
{
    const auto snapshot = log.trace.snapshot();
    std::vector<Time> busy(log.trace.identifierCount());
    for (trace::Row row = 0; row < snapshot.rows() && !interrupted; ++row) {
        const can::FrameView frame = snapshot.frame(row);
        if (frame.bus < log.buses.size() && log.buses[frame.bus].rate.known())
            busy[snapshot.identifier(row)] += can::occupancy(can::wireLength(frame), log.buses[frame.bus].rate);
    }
    return busy;
}

int check(const std::vector<std::string>& paths, const std::string& logPath)
{
    std::unique_ptr<LoadedLog> log;
    if (!logPath.empty()) {
        auto loaded = loadLog(logPath);
        if (!loaded)
            return report(loaded.error());
        log = std::move(*loaded);
    }
    std::vector<std::pair<std::string, Loaded>> all;
    for (const std::string& option : paths) {
        const BusOption split = splitBusOption(option);
        auto loaded = loadWithReading(split.value);
        if (!loaded)
            return report(loaded.error());
        all.emplace_back(option, std::move(*loaded));
    }
    CsvWriter out(stdout);
    out.row({"file", "line", "column", "severity", "kind", "object", "finding", "remedy"});
    bool errors = false;
    const auto write = [&](const std::string& path, const std::vector<database::Finding>& findings) {
        for (const database::Finding& finding : findings) {
            errors = errors || finding.severity == database::Severity::error;
            out.row({path, finding.line > 0 ? std::to_string(finding.line) : std::string(),
                finding.column > 0 ? std::to_string(finding.column) : std::string(), database::toText(finding.severity),
                database::toText(finding.kind), finding.object, finding.what, finding.remedy});
        }
    };
    for (const auto& [option, loaded] : all) {
        const BusOption split = splitBusOption(option);
        write(split.value, database::review(loaded.database, loaded.reading ? &*loaded.reading : nullptr));
        if (log) {
            const auto catalog = catalogFromOptions(log->buses, {option});
            if (!catalog)
                return report(catalog.error());
            write(split.value, measure::reviewTraffic(measure::coverageOf(log->trace.snapshot(), **catalog), loaded.database));
        }
    }
    out.flush();
    return errors ? exitFindings : 0;
}

int convert(const std::string& from, const std::string& to, bool overwrite)
{
    std::error_code code;
    if (!overwrite && std::filesystem::is_symlink(to, code) && !std::filesystem::exists(to, code))
        return report(to + ": this is a link that leads nowhere, and is left as it is. Say --overwrite to put the file in its place");
    const auto loaded = loadWithReading(from);
    if (!loaded)
        return report(loaded.error());
    if (loaded->reading)
        for (const Error& problem : loaded->reading->problems)
            warn(problem.text());
    // What is not changed stays byte for byte where the form is the same.
    const auto written = [&]() -> Expected<void> {
        if (!loaded->reading || std::filesystem::path(to).extension() != ".dbc")
            return database::exportDatabase(loaded->database, to);
        const auto text = database::writeDbc(loaded->database, loaded->database, loaded->reading->source);
        return text ? replaceFile(to, *text) : Expected<void>(tl::unexpected(text.error()));
    }();
    return written ? 0 : report(written.error());
}

int diff(const std::string& older, const std::string& newer)
{
    const auto a = database::readDatabase(older, [](const Error& problem) { warn(problem.text()); });
    if (!a)
        return report(a.error());
    const auto b = database::readDatabase(newer, [](const Error& problem) { warn(problem.text()); });
    if (!b)
        return report(b.error());
    CsvWriter out(stdout);
    out.row({"change", "object", "id", "field", "before", "after"});
    for (const database::Change& change : database::diff(*a, *b))
        out.row({database::toText(change.kind), change.object, change.ofMessage ? can::toText(change.id) : std::string(), change.field,
            change.before, change.after});
    return 0;
}

int coverage(const std::string& path, const std::vector<std::string>& databases, database::Match match, bool asJson)
{
    const auto log = loadLog(path);
    if (!log)
        return report(log.error());
    const auto catalog = catalogFromOptions((*log)->buses, databases, match);
    if (!catalog)
        return report(catalog.error());
    using measure::CoverageClass;
    const measure::Coverage found = measure::coverageOf((*log)->trace.snapshot(), **catalog, busyOf(**log));
    const auto busName = [&](std::uint8_t bus) { return (*log)->buses[bus].name; };
    if (asJson) {
        nlohmann::ordered_json out;
        out["log"] = path;
        out["identifiers"] = found.identifiers.size();
        out["identifiers_explained"] = found.count(CoverageClass::explained);
        out["identifiers_transport"] = found.count(CoverageClass::transport);
        out["frames"] = found.allFrames();
        out["frames_explained"] = found.frames(CoverageClass::explained);
        out["frames_transport"] = found.frames(CoverageClass::transport);
        out["busy_ns"] = found.allBusy().count();
        out["busy_ns_explained"] = found.busy(CoverageClass::explained).count();
        out["unexplained"] = nlohmann::ordered_json::array();
        out["transport"] = nlohmann::ordered_json::array();
        out["lengths"] = nlohmann::ordered_json::array();
        for (const measure::CoveredIdentifier& entry : found.identifiers) {
            if (entry.kind != CoverageClass::explained)
                out[entry.kind == CoverageClass::transport ? "transport" : "unexplained"].push_back(
                    {{"bus", busName(entry.bus)}, {"id", can::toText(entry.id)}, {"frames", entry.frames}});
            else if (entry.shorter + entry.longer > 0)
                out["lengths"].push_back({{"bus", busName(entry.bus)}, {"id", can::toText(entry.id)},
                    {"message", entry.message->message->name}, {"shorter", entry.shorter}, {"longer", entry.longer}});
        }
        out["never_seen"] = nlohmann::ordered_json::array();
        for (const auto* message : found.neverSeen)
            out["never_seen"].push_back(
                {{"bus", busName(message->bus)}, {"message", message->message->name}, {"id", can::toText(message->message->id)}});
        out["defined_differently"] = nlohmann::ordered_json::array();
        for (const database::Conflict& conflict : found.conflicts)
            out["defined_differently"].push_back(
                {{"bus", busName(conflict.bus)}, {"id", can::toText(conflict.hidden->id)}, {"used", conflict.winner->message->name},
                    {"hidden", conflict.hidden->name}, {"hidden_in", (*catalog)->databases(conflict.bus)[conflict.file]->path}});
        print(out);
        return 0;
    }
    CsvWriter out(stdout);
    out.row({"bus", "id", "class", "message", "frames", "share_percent", "shorter", "longer"});
    for (const measure::CoveredIdentifier& entry : found.identifiers) {
        char share[32];
        std::snprintf(share, sizeof share, "%.3f",
            100.0 * static_cast<double>(entry.frames) / static_cast<double>(std::max<std::uint64_t>(1, found.allFrames())));
        out.row({busName(entry.bus), can::toText(entry.id), measure::toText(entry.kind),
            entry.message != nullptr ? entry.message->message->name : std::string(), std::to_string(entry.frames), share,
            std::to_string(entry.shorter), std::to_string(entry.longer)});
    }
    for (const auto* message : found.neverSeen)
        out.row({busName(message->bus), can::toText(message->message->id), "never seen", message->message->name, "0", "0.000", "0", "0"});
    return 0;
}

}  // namespace

void addDatabaseCommands(CLI::App& program, int& result)
{
    struct Options {
        std::string a, b, log;
        std::vector<std::string> files;
        bool json = false;
        bool overwrite = false;
        database::Match match = database::Match::full;
    };
    const auto options = std::make_shared<Options>();
    CLI::App* room = program.add_subcommand("database", "Signal databases: what is in them, what is wrong with them, what they explain");
    room->require_subcommand(1);

    CLI::App* command = room->add_subcommand("info", "What a database holds");
    command->add_option("file", options->a, "The database: .dbc or .json")->required();
    command->add_flag("--json", options->json, "As JSON");
    command->callback([options, &result] { result = info(options->a, options->json); });

    command = room->add_subcommand("check", "Findings as CSV; exit code 1 when one is an error");
    command->add_option("files", options->files, "[BUS=]FILE ...")->required();
    command->add_option("--log", options->log, "Recorded traffic to hold cycle times and lengths against");
    command->callback([options, &result] { result = check(options->files, options->log); });

    command = room->add_subcommand("convert", "Writes a database in another form, by the ending: .dbc, .json, .csv or .html");
    command->add_option("in", options->a, "The database")->required();
    command->add_option("out", options->b, "The file to write")->required();
    command->add_flag("--overwrite", options->overwrite, "Replace a link that leads nowhere, too");
    command->callback([options, &result] { result = convert(options->a, options->b, options->overwrite); });

    command = room->add_subcommand("diff", "What differs between two versions, as CSV");
    command->add_option("old", options->a, "The older one")->required();
    command->add_option("new", options->b, "The newer one")->required();
    command->callback([options, &result] { result = diff(options->a, options->b); });

    command = room->add_subcommand("coverage", "What of a log the databases explain");
    command->add_option("log", options->log, "The log")->required();
    command->add_option("--database", options->files, "[BUS=]FILE")->required();
    command->add_flag("--json", options->json, "As JSON");
    addMatchOption(*command, options->match);
    command->callback([options, &result] { result = coverage(options->log, options->files, options->match, options->json); });
}

}  // namespace wavetrope::cli
