// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/command.h"

#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <iterator>

#include "base/time_text.h"
#include "database/export.h"
#include "formats/text_layout.h"
#include "formats/log_loading.h"
#include "protocol/process_data.h"
#include "rig/rig.h"

namespace wavetrope::cli {

std::atomic<bool> interrupted{false};

namespace {

std::int64_t milliseconds()
{
    return std::chrono::duration_cast<std::chrono::milliseconds>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

constexpr std::size_t badLinesShown = 10;

}  // namespace

int report(const Error& error) { return report(error.text()); }

int report(const std::string& what)
{
    std::fprintf(stderr, "wavetrope-cli: %s\n", what.c_str());
    return exitBad;
}

int printed(bool good)
{
    const bool flushed = std::fflush(stdout) == 0 && std::ferror(stdout) == 0;
    if (!good || !flushed)
        return report("standard output is closed or full; what was printed is incomplete");
    return interrupted ? report("interrupted; what was printed is incomplete") : 0;
}

void warn(const std::string& what) { std::fprintf(stderr, "wavetrope-cli: warning: %s\n", what.c_str()); }

ProgressLine::~ProgressLine()
{
    if (shown_)
        std::fprintf(stderr, "\r\033[K");
}

void ProgressLine::show(std::uint64_t done, std::uint64_t total)
{
    const std::int64_t now = milliseconds();
    if (startedAt_ == 0)
        startedAt_ = now;
    if (now - startedAt_ < 500 || now - shownAt_ < 100 || isatty(STDERR_FILENO) == 0)
        return;
    shownAt_ = now;
    shown_ = true;
    std::fprintf(stderr, "\r%s %3.0f %%", what_.c_str(), total == 0 ? 0.0 : 100.0 * static_cast<double>(done) / static_cast<double>(total));
}

Expected<std::vector<formats::LogPart>> logParts(const std::string& path, const std::vector<std::string>& more)
{
    std::vector<formats::LogPart> parts = {{path, Time{0}, false, {}}};
    for (const std::string& option : more) {
        const auto at = option.rfind('@');
        formats::LogPart part{option.substr(0, at), Time{0}, false, {}};
        if (at != std::string::npos) {
            const auto offset = spanFromText(option.substr(at + 1));
            if (!offset)
                return fail("--with " + option + ": expected LOG or LOG@OFFSET, such as rear.pcapng@-1.5s");
            part.offset = *offset;
        }
        parts.push_back(std::move(part));
    }
    return parts;
}

namespace {

// Logs as the options of a command name them, with what their reading goes by.
struct LogRequest {
    std::vector<formats::LogPart> parts;
    formats::KeptLayouts kept{formats::KeptLayouts::usualFolder()};
    formats::TextLayout given;
    formats::ReadOptions options;
};

Expected<std::unique_ptr<LogRequest>> requestOf(
    const std::string& path, const std::string& layout, const std::vector<std::string>& more, unsigned threads)
{
    auto request = std::make_unique<LogRequest>();
    auto parts = logParts(path, more);
    if (!parts)
        return tl::unexpected(parts.error());
    request->parts = std::move(*parts);
    const std::vector<formats::TextLayout>& kept = request->kept.all();
    request->options.kept = &kept;
    request->options.threads = threads;
    if (layout.empty())
        return request;
    const auto found = std::find_if(kept.begin(), kept.end(), [&](const formats::TextLayout& one) { return one.name == layout; });
    if (found != kept.end()) {
        request->given = *found;
    } else {
        std::ifstream file(layout, std::ios::binary);
        if (!file)
            return fail(
                "no layout is kept under this name, and there is no such file", layout, "wavetrope-cli layout FILE --json prints one");
        auto read = formats::layoutFromJson(std::string(std::istreambuf_iterator<char>(file), {}), layout);
        if (!read)
            return tl::unexpected(read.error());
        request->given = std::move(*read);
    }
    request->options.layout = &request->given;
    return request;
}

}  // namespace

Expected<formats::ReadReport> readInto(
    formats::LogSink& sink, const std::string& path, const std::string& layout, const std::vector<std::string>& more, unsigned threads)
{
    const auto request = requestOf(path, layout, more, threads);
    if (!request)
        return tl::unexpected(request.error());
    return formats::readParts((*request)->parts, sink, (*request)->options);
}

void warnOf(const formats::ReadReport& reading)
{
    for (const Error& warning : reading.warnings)
        warn(warning.text());
    for (std::size_t i = 1; i < reading.badLines.size() && i < badLinesShown; ++i)
        warn(reading.badLines[i].text());
}

Expected<std::unique_ptr<LoadedLog>> loadLog(
    const std::string& path, const std::string& layout, const std::vector<std::string>& more, unsigned threads)
{
    const auto request = requestOf(path, layout, more, threads);
    if (!request)
        return tl::unexpected(request.error());
    auto log = std::make_unique<LoadedLog>();
    ProgressLine progress("reading " + path);
    formats::LoadHooks hooks;
    hooks.progress = [&](std::uint64_t done, std::uint64_t total) {
        progress.show(done, total);
        return !interrupted;
    };
    const auto reading = formats::loadLogs((*request)->parts, log->trace, hooks, (*request)->options);
    if (!reading)
        return tl::unexpected(reading.error());
    if (reading->full)
        warn(reading->full->text());
    else if (reading->cancelled || interrupted)
        return fail("reading was cancelled", path);
    warnOf(*reading);
    log->buses = log->trace.buses();
    return log;
}

void addLayoutOption(CLI::App& command, std::string& layout)
{
    command.add_option("--layout", layout, "Of a log of text: a kept layout's name, or a file with one; see the command layout");
}

void addRigOption(CLI::App& command, std::string& rig)
{
    command.add_option(
        "--rig", rig, "A rig whose databases explain frames, by the names of buses, and whose filters and signals have names");
}

void addDictionaryOption(CLI::App& command, Question& question)
{
    command
        .add_option("--dictionary", question.dictionaries,
            "BUS.NODE=FILE: the EDS or DCF of a node whose process data explain frames; may be given several times")
        ->allow_extra_args(false);
}

void addQuestion(CLI::App& command, Question& question)
{
    command.add_option("log", question.log, "The log")->required();
    command.add_option(
        "--with", question.more, "A further log, read with it as one in the order of time: LOG, or LOG@OFFSET such as rear.pcapng@-1.5s");
    addLayoutOption(command, question.layout);
    command.add_option("--filter", question.narrowing.filter, "Only what passes, see docs/filter-language.md");
    command.add_option("--filters-of", question.narrowing.rig, "A rig whose named filters may be used as @name");
    command.add_option("--threads", question.narrowing.threads, "Threads that work; as many as there are cores where it is not given")
        ->check(CLI::Range(0, 256));
    addMatchOption(command, question.match);
    addRigOption(command, question.rig);
    command.add_option("--database", question.databases, "[BUS=]FILE that explains frames; the bus may be left out");
}

Expected<filter::Filter> filterOf(const Question& question, const std::shared_ptr<const database::Catalog>& catalog)
{
    filter::NamedFilters::Map named;
    const std::string& path = question.narrowing.rig.empty() ? question.rig : question.narrowing.rig;
    if (!path.empty()) {
        const auto rig = rig::loadRig(path);
        if (!rig)
            return tl::unexpected(rig.error());
        named = rig->namedFilters();
    }
    return filter::Filter::compile(question.narrowing.filter, catalog, {&named});
}

Expected<std::shared_ptr<const UsedRig>> useRig(const std::string& path)
{
    auto rig = rig::loadRig(path);
    if (!rig)
        return tl::unexpected(rig.error());
    auto used = std::make_shared<UsedRig>();
    used->databases = rig::loadDatabases(*rig);
    used->rig = std::move(*rig);
    for (const Error& problem : used->databases.problems)
        warn(problem.text());
    return used;
}

namespace {

// Whether a log can be read a second time.
bool again(const Question& question)
{
    struct stat info{};
    return question.log != "-" && ::stat(question.log.c_str(), &info) == 0 && S_ISREG(info.st_mode);
}

}  // namespace

Expected<Streamed> streamLog(const Question& question, convert::StreamWork work, const std::string& doing)
{
    ProgressLine progress(doing.empty() ? "reading " + question.log : doing);
    Streamed streamed;
    Databases databases(question);
    work.goesOn = [&](std::uint64_t done, std::uint64_t total) {
        progress.show(done, total);
        return !interrupted.load();
    };
    work.explain = [&](const std::vector<trace::TraceBus>& buses) {
        auto catalog = databases.explain(buses);
        streamed.buses = buses;
        if (catalog)
            streamed.catalog = *catalog;
        return catalog;
    };
    work.compile = [&](const std::shared_ptr<const database::Catalog>& catalog) { return filterOf(question, catalog); };
    std::vector<trace::TraceBus> known;
    for (const bool second : {false, true}) {
        convert::FrameStream stream(work, known);
        const auto reading = readInto(stream, question.log, question.layout, question.more, question.narrowing.threads);
        if (!reading)
            return tl::unexpected(reading.error());
        stream.finish();
        if (stream.failure() && !second && again(question)) {
            // A bus that is named may come behind the first frames.
            convert::BusGatherer gatherer(work.goesOn);
            if (const auto all = readInto(gatherer, question.log, question.layout, question.more, question.narrowing.threads);
                all && !interrupted) {
                known = std::move(gatherer.buses);
                continue;
            }
        }
        if (stream.failure())
            return tl::unexpected(*stream.failure());
        streamed.good = stream.good();
        if (streamed.good && !interrupted)
            warnOf(*reading);
        return streamed;
    }
    return streamed;
}

BusOption splitBusOption(const std::string& option)
{
    const auto at = option.find('=');
    if (at == std::string::npos)
        return {{}, option};
    return {option.substr(0, at), option.substr(at + 1)};
}

Expected<std::shared_ptr<const database::Catalog>> Databases::explain(const std::vector<trace::TraceBus>& buses)
{
    if (!rigPath_.empty() && rig_ == nullptr) {
        auto used = useRig(rigPath_);
        if (!used)
            return tl::unexpected(used.error());
        rig_ = std::move(*used);
    }
    auto catalog = std::make_shared<database::Catalog>();
    const auto specOf = [&](const std::string& name) -> const rig::BusSpec* {
        if (rig_ != nullptr)
            for (const rig::BusSpec& bus : rig_->rig.buses)
                if (bus.name == name)
                    return &bus;
        return nullptr;
    };
    for (const trace::TraceBus& bus : buses) {
        const rig::BusSpec* spec = specOf(bus.name);
        catalog->addBus(bus.name, byGroup_.count(bus.name) != 0                        ? database::Match::group
                                  : spec != nullptr && match_ == database::Match::full ? spec->match
                                                                                       : match_);
    }
    for (const std::string& option : options_) {
        const BusOption split = splitBusOption(option);
        std::shared_ptr<const database::Database>& shared = read_[split.value];
        if (shared == nullptr) {
            auto loaded = database::readDatabase(split.value, [](const Error& problem) { warn(problem.text()); });
            if (!loaded)
                return tl::unexpected(loaded.error());
            shared = std::make_shared<const database::Database>(std::move(*loaded));
        }
        if (split.bus.empty()) {
            for (std::size_t bus = 0; bus < buses.size(); ++bus)
                catalog->attach(static_cast<std::uint8_t>(bus), shared);
            continue;
        }
        const int bus = catalog->findBus(split.bus);
        if (bus < 0)
            return fail("the log has no bus '" + split.bus + "'", "--database " + option);
        catalog->attach(static_cast<std::uint8_t>(bus), shared);
    }
    if (rig_ != nullptr)
        for (std::size_t bus = 0; bus < buses.size(); ++bus)
            for (const rig::BusSpec& spec : rig_->rig.buses)
                if (spec.name == buses[bus].name)
                    rig::attachDatabases(*catalog, static_cast<std::uint8_t>(bus), spec, rig_->databases);
    for (const std::string& option : dictionaries_)
        if (const auto attached = attachDictionary(*catalog, option); !attached)
            return tl::unexpected(attached.error());
    if (rig_ != nullptr)
        catalog->derive(rig_->rig.derived);
    return catalog;
}

const protocol::Dictionary* Databases::dictionaryOf(const std::string& bus, std::uint8_t node) const
{
    if (const auto found = nodes_.find({bus, node}); found != nodes_.end())
        return found->second.get();
    if (rig_ != nullptr)
        if (const auto found = rig_->databases.dictionaries.find({bus, node}); found != rig_->databases.dictionaries.end())
            return found->second.get();
    return nullptr;
}

Expected<void> Databases::attachDictionary(database::Catalog& catalog, const std::string& option)
{
    std::shared_ptr<const database::Database>& shared = read_["dictionary " + option];
    const auto dictionary = protocol::dictionaryOptionFromText(option);
    if (!dictionary)
        return tl::unexpected(dictionary.error());
    if (shared == nullptr) {
        auto read = protocol::readDictionary(dictionary->path);
        if (!read)
            return tl::unexpected(read.error());
        for (const Error& problem : read->problems)
            warn(problem.text());
        nodes_[{dictionary->bus, dictionary->node}] = std::make_shared<const protocol::Dictionary>(*read);
        auto data = protocol::processDataOf(*read, dictionary->node, "Node" + std::to_string(dictionary->node));
        for (const std::string& finding : data.findings)
            warn(dictionary->path + ": " + finding);
        shared = std::make_shared<const database::Database>(std::move(data.database));
    }
    const int bus = catalog.findBus(dictionary->bus);
    if (bus < 0)
        return fail("the log has no bus '" + dictionary->bus + "'", "--dictionary " + option);
    rig::attachBehind(catalog, static_cast<std::uint8_t>(bus), shared);
    return {};
}

Expected<std::shared_ptr<const database::Catalog>> catalogFromOptions(
    const std::vector<trace::TraceBus>& buses, const std::vector<std::string>& options, database::Match match)
{
    return Databases(options, match).explain(buses);
}

void addMatchOption(CLI::App& command, database::Match& match)
{
    static const std::map<std::string, database::Match> words = {{"full", database::Match::full}, {"group", database::Match::group}};
    command.add_option("--match", match, "How frames find messages that do not say so: full identifier, or parameter group of 29 bits")
        ->transform(CLI::CheckedTransformer(words, CLI::ignore_case).description(""))
        ->type_name("full|group");
}

Expected<Time> spanOfRun(const std::string& text)
{
    if (text.empty())
        return std::chrono::hours(24 * 365 * 100);
    const auto read = spanFromText(text);
    if (!read || read->count() <= 0)
        return fail("--for '" + text + "': expected a time such as 10s");
    return *read;
}

CLI::Option* addRecording(CLI::App& command, RecordOption& recording, const std::string& what)
{
    auto* record = command.add_option("--record", recording.path, what);
    command.add_flag("--overwrite", recording.overwrite, "Replace a log of that name");
    return record;
}

Expected<void> mayRecord(const RecordOption& recording)
{
    std::error_code error;
    if (recording.path.empty() || recording.overwrite || !std::filesystem::exists(std::filesystem::symlink_status(recording.path, error)))
        return {};
    return fail("a file of this name exists", recording.path, "Choose another name, or say --overwrite");
}

}  // namespace wavetrope::cli
