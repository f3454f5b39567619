// SPDX-License-Identifier: GPL-3.0-or-later
// rehearse and conditions.
#include <algorithm>
#include <filesystem>
#include <set>

#include "base/time_text.h"
#include "cli/command.h"
#include "cli/csv.h"
#include "formats/log_file.h"
#include "record/file_pattern.h"
#include "rig/conditions.h"
#include "rules/near_miss.h"
#include "rules/rehearsal.h"

namespace wavetrope::cli {

namespace {

constexpr std::uint64_t mostRowsForReasons = 50'000'000;

struct RuleOptions {
    std::string log, layout, rig, recording, out;
    std::vector<std::string> more;
    bool overwrite = false;
};

// A log, and the rules of a rig over it.
struct RuledLog {
    std::unique_ptr<LoadedLog> log;
    rig::CompiledRules rules;
    std::vector<can::BitRate> rates;
};

Expected<RuledLog> open(const RuleOptions& options)
{
    const auto rig = rig::loadRig(options.rig);
    if (!rig)
        return tl::unexpected(rig.error());
    const auto databases = rig::loadDatabases(*rig);
    for (const Error& problem : databases.problems)
        warn(problem.text());
    std::vector<std::string> own;
    bool complete = true;
    for (const rig::BusSpec& bus : rig->buses) {
        own.push_back(bus.name);
        for (const std::string& file : bus.databases)
            complete = complete && databases.byPath.contains(file);
    }
    // What cannot be understood over the rig's own buses is a mistake; over a log that lacks some of them, it never is true.
    if (const auto mistakes = rig::rulesOf(*rig, rig::catalogOf(*rig, databases), own).unknown; complete && !mistakes.empty())
        return tl::unexpected(mistakes.front());
    RuledLog out;
    auto log = loadLog(options.log, options.layout, options.more);
    if (!log)
        return tl::unexpected(log.error());
    out.log = std::move(*log);
    std::vector<std::string> names;
    for (const trace::TraceBus& bus : out.log->buses) {
        names.push_back(bus.name);
        out.rates.push_back(bus.rate);
        for (const rig::BusSpec& of : rig->buses)
            if (of.name == bus.name && !bus.rate.known())
                out.rates.back() = of.rate;
    }
    out.rules = rig::rulesOf(*rig, rig::catalogFor(names, *rig, databases), names);
    for (const Error& error : out.rules.unknown)
        warn(error.text());
    for (const rules::ConditionRule& condition : out.rules.set.conditions)
        if (condition.kind == rules::ConditionKind::load && condition.bus >= 0
            && !out.rates[static_cast<std::size_t>(condition.bus)].known())
            warn("the condition " + condition.name + " is never true: the bit rate of its bus is not known");
    return out;
}

// Of a rehearsal whose takes are written.
class TakesInFolder final : public rules::TakeKeeper {
public:
    TakesInFolder(
        std::string folder, bool overwrite, std::vector<trace::TraceBus> buses, const std::vector<rules::RecordingRule>& recordings)
        : folder_(std::move(folder)), overwrite_(overwrite), buses_(std::move(buses)), files_(recordings.size())
    {
        std::set<std::string> used;
        for (const rules::RecordingRule& recording : recordings) {
            std::string name = record::fileNameOf(recording.name);
            while (!used.insert(name).second)
                name += '_';
            names_.push_back(std::move(name));
        }
    }
    void begins(const rules::Take& take) override { numbers_[take.recording] = take.number; }
    void keeps(std::size_t recording, const can::FrameView& frame) override
    {
        if (problem_)
            return;
        auto& file = files_[recording];
        if (!file)
            open(recording);
        if (file)
            file->write(frame);
    }
    void ends(const rules::Take& take) override
    {
        auto& file = files_[take.recording];
        if (!file)
            return;
        if (const auto finished = file->finish(); !finished && !problem_)
            problem_ = finished.error();
        file.reset();
    }
    [[nodiscard]] const std::optional<Error>& problem() const { return problem_; }

private:
    void open(std::size_t recording)
    {
        if (++opened_ > mostFiles) {
            problem_ = Error{
                "there are more than 100,000 takes to write", folder_, 0, 0, "Choose one with --recording, or leave --out out"};
            return;
        }
        const std::string path =
            (std::filesystem::path(folder_) / (names_[recording] + "-" + std::to_string(numbers_[recording]) + ".pcapng")).string();
        if (const auto may = mayRecord({path, overwrite_}); !may) {
            problem_ = may.error();
            return;
        }
        auto file = formats::LogFile::create(path, buses_);
        if (file)
            files_[recording] = std::move(*file);
        else
            problem_ = file.error();
    }

    static constexpr std::size_t mostFiles = 100'000;
    std::size_t opened_ = 0;
    std::string folder_;
    bool overwrite_;
    std::vector<trace::TraceBus> buses_;
    std::vector<std::string> names_;
    std::map<std::size_t, std::uint64_t> numbers_;
    std::vector<std::unique_ptr<formats::LogFile>> files_;
    std::optional<Error> problem_;
};

// On stderr, as far as that does not take longer than what was asked for: why conditions were never true.
void sayWhyNever(const trace::Snapshot& snapshot, const std::vector<rules::ConditionRule>& all,
    const std::vector<rules::TrueStretch>& stretches, const std::vector<can::BitRate>& rates)
{
    std::vector<bool> met(all.size());
    for (const rules::TrueStretch& stretch : stretches)
        met[stretch.condition] = true;
    std::uint64_t rows = mostRowsForReasons;
    for (std::size_t i = 0; i < all.size() && rows >= snapshot.rows() && !interrupted; ++i) {
        if (met[i])
            continue;
        rows -= snapshot.rows();
        const auto miss = rules::nearMiss(snapshot, all[i], rates, [] { return !interrupted; });
        if (miss)
            std::fprintf(stderr, "%s was never true: %s%s\n", all[i].name.c_str(), miss->words.c_str(),
                miss->more.empty() ? "" : (". " + miss->more).c_str());
    }
}

int conditions(const RuleOptions& options)
{
    auto opened = open(options);
    if (!opened)
        return report(opened.error());
    const trace::Snapshot snapshot = opened->log->trace.snapshot();
    const std::vector<rules::ConditionRule> all = opened->rules.set.conditions;
    opened->rules.set.recordings.clear();
    ProgressLine progress("following");
    rules::RehearsalOptions how;
    how.goesOn = [&](std::uint64_t rows) {
        progress.show(rows, snapshot.rows());
        return !interrupted;
    };
    const rules::Rehearsed rehearsed = rules::rehearse(snapshot, std::move(opened->rules.set), opened->rates, how);
    if (!rehearsed.problem.empty())
        return report(rehearsed.problem);
    CsvWriter out(stdout);
    out.row({"name", "from", "to", "why"});
    for (const rules::TrueStretch& stretch : rehearsed.stretches) {
        const rules::ConditionRule& condition = all[stretch.condition];
        out.row({condition.name, secondsText(stretch.from), stretch.to ? secondsText(*stretch.to) : std::string(), condition.words()});
    }
    sayWhyNever(snapshot, all, rehearsed.stretches, opened->rates);
    return printed(out.finish());
}

int rehearse(const RuleOptions& options)
{
    auto opened = open(options);
    if (!opened)
        return report(opened.error());
    auto& set = opened->rules.set;
    if (!options.recording.empty()) {
        std::erase_if(set.recordings, [&](const rules::RecordingRule& recording) { return recording.name != options.recording; });
        if (set.recordings.empty())
            return report("the rig has no recording '" + options.recording + "'");
    }
    if (set.recordings.empty())
        warn("the rig has no recordings");
    for (const rules::RecordingRule& recording : set.recordings)
        if (const std::string words = rules::neverWords(recording, set.conditions); !words.empty())
            warn("recording " + recording.name + ": " + words);
    const trace::Snapshot snapshot = opened->log->trace.snapshot();
    const std::vector<rules::RecordingRule> recordings = set.recordings;
    std::optional<TakesInFolder> keeper;
    ProgressLine progress("rehearsing");
    rules::RehearsalOptions how;
    how.stretches = false;
    how.goesOn = [&](std::uint64_t rows) {
        progress.show(rows, snapshot.rows());
        return !interrupted && !(keeper && keeper->problem());
    };
    if (!options.out.empty()) {
        std::error_code code;
        std::filesystem::create_directories(options.out, code);
        if (code)
            return report(Error{"the folder cannot be made: " + code.message(), options.out, 0, 0, {}});
        keeper.emplace(options.out, options.overwrite, opened->log->buses, recordings);
        how.keeper = &*keeper;
    }
    const rules::Rehearsed rehearsed = rules::rehearse(snapshot, std::move(set), opened->rates, how);
    if (keeper && keeper->problem())
        return report(*keeper->problem());
    if (!rehearsed.problem.empty())
        return report(rehearsed.problem);
    struct Line {
        Time time;
        const rules::Take* take;
        bool ends;
    };
    std::vector<Line> lines;
    for (const rules::Take& take : rehearsed.takes) {
        lines.push_back({take.begins, &take, false});
        lines.push_back({take.ends, &take, true});
    }
    std::stable_sort(lines.begin(), lines.end(), [](const Line& a, const Line& b) {
        const auto key = [](const Line& line) { return std::tuple(line.time, line.take->recording, line.take->number, line.ends); };
        return key(a) < key(b);
    });
    CsvWriter out(stdout);
    out.row({"recording", "take", "what", "time", "frames", "why"});
    for (const Line& line : lines)
        out.row({recordings[line.take->recording].name, std::to_string(line.take->number), line.ends ? "ends" : "begins",
            secondsText(line.time), line.ends ? std::to_string(line.take->frames) : std::string(),
            line.ends ? line.take->whyEnds : line.take->why});
    return printed(out.finish());
}

void addRuled(CLI::App& command, RuleOptions& options)
{
    command.add_option("log", options.log, "The log")->required();
    command.add_option("--rig", options.rig, "The rig document whose conditions and recordings are followed")->required();
    command.add_option("--with", options.more, "A further log that is read with it as one, LOG or LOG@OFFSET");
    addLayoutOption(command, options.layout);
}

}  // namespace

void addRuleCommands(CLI::App& program, int& result)
{
    auto options = std::make_shared<RuleOptions>();
    CLI::App* command = program.add_subcommand("rehearse", "What the recordings of a rig would take of a log, as CSV");
    addRuled(*command, *options);
    command->add_option("--recording", options->recording, "This one alone");
    auto* out = command->add_option("--out", options->out, "Folder to which the takes are written, as RECORDING-TAKE.pcapng");
    command->add_flag("--overwrite", options->overwrite, "Replace files that are there")->needs(out);
    command->callback([options, &result] { result = rehearse(*options); });

    options = std::make_shared<RuleOptions>();
    command = program.add_subcommand("conditions", "When the conditions of a rig are true over a log, as CSV");
    addRuled(*command, *options);
    command->callback([options, &result] { result = conditions(*options); });
}

}  // namespace wavetrope::cli
