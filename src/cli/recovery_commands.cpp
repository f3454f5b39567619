// SPDX-License-Identifier: GPL-3.0-or-later
// runs: those that a crash left behind.
#include <ctime>
#include <filesystem>

#include "cli/command.h"
#include "cli/csv.h"
#include "spool/spool.h"
#include "spool/unfinished.h"

namespace wavetrope::cli {

namespace {

struct RecoveryOptions {
    std::string folder, save, to, discard;
};

std::string dateText(std::int64_t seconds)
{
    const auto time = static_cast<std::time_t>(seconds);
    std::tm parts{};
    ::gmtime_r(&time, &parts);
    char text[40];
    std::strftime(text, sizeof text, "%Y-%m-%d %H:%M:%S", &parts);
    return text;
}

int list(const std::string& folder)
{
    CsvWriter out(stdout);
    out.row({"run", "rig", "started", "frames", "bytes", "problem"});
    for (const spool::UnfinishedRun& run : spool::unfinishedRuns(folder))
        out.row({run.path, run.about.title, run.problem.empty() ? dateText(run.about.startedAt) : std::string(), std::to_string(run.rows),
            std::to_string(run.bytes), run.problem});
    return 0;
}

int runs(const RecoveryOptions& options)
{
    const std::string folder = options.folder.empty() ? spool::usualFolder() : options.folder;
    if (!options.discard.empty()) {
        const auto gone = spool::discardRun(options.discard);
        return gone ? 0 : report(gone.error());
    }
    if (options.save.empty())
        return list(folder);
    if (options.to.empty())
        return report("--save needs --to with the name of the log");
    if (std::error_code error; std::filesystem::exists(options.to, error))
        return report("'" + options.to + "' exists; choose another name, or remove it first");
    const auto extent = formats::runExtent(options.save);
    if (!extent)
        return report(extent.error());
    ProgressLine progress("saving");
    const auto saved = spool::saveRun(
        {options.save, extent->about, extent->rows, extent->bytes, {}}, options.to, [&](std::uint64_t done, std::uint64_t total) {
            progress.show(done, total);
            return !interrupted;
        });
    if (!saved)
        return report(saved.error());
    for (const Error& warning : saved->warnings)
        warn(warning.text());
    std::fprintf(stderr, "%llu frames saved to %s\n", static_cast<unsigned long long>(saved->frames), options.to.c_str());
    return 0;
}

}  // namespace

void addRecoveryCommands(CLI::App& program, int& result)
{
    const auto options = std::make_shared<RecoveryOptions>();
    CLI::App* command = program.add_subcommand("runs", "Lists runs that a crash left in a spool folder; saves or discards one");
    command->add_option("--spool", options->folder, "The spool folder; without, the usual one");
    auto* save = command->add_option("--save", options->save, "Save this run as a log, whatever its size");
    command->add_option("--to", options->to, "Name of that log")->needs(save);
    command->add_option("--discard", options->discard, "Remove this run for good")->excludes(save);
    command->callback([options, &result] { result = runs(*options); });
}

}  // namespace wavetrope::cli
