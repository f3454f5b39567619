// SPDX-License-Identifier: GPL-3.0-or-later
// What the commands of the command line share.
#pragma once

#include <CLI/CLI.hpp>

#include <atomic>
#include <map>
#include <memory>
#include <set>
#include <string>
#include <vector>

#include "base/error.h"
#include "base/time.h"
#include "convert/frame_stream.h"
#include "database/catalog.h"
#include "filter/filter_scan.h"
#include "formats/log_format.h"
#include "formats/merged_logs.h"
#include "protocol/dictionary.h"
#include "rig/rig.h"
#include "trace/trace.h"

namespace wavetrope::cli {

inline constexpr int exitBad = 2;

/// Set by Ctrl+C: long work ends cleanly.
extern std::atomic<bool> interrupted;

/// Prints an error to stderr and gives the exit code 2.
int report(const Error& error);
int report(const std::string& what);
void warn(const std::string& what);

/// The exit code of a command that has printed: 2, with words, where standard output is full or closed or Ctrl+C ended it.
[[nodiscard]] int printed(bool good = true);

/// How long a run goes on, from --for; without it, until it is ended.
[[nodiscard]] Expected<Time> spanOfRun(const std::string& text);

/// Where a command records to.
struct RecordOption {
    std::string path;
    bool overwrite = false;
};
/// Adds --record and --overwrite; gives the former.
CLI::Option* addRecording(CLI::App& command, RecordOption& recording, const std::string& what);
/// An error where a file of that name is there and shall stay.
[[nodiscard]] Expected<void> mayRecord(const RecordOption& recording);

/// Progress on stderr, where that is a terminal and the work takes longer than half a second.
class ProgressLine {
public:
    explicit ProgressLine(std::string what) : what_(std::move(what)) {}
    ~ProgressLine();
    ProgressLine(const ProgressLine&) = delete;
    ProgressLine& operator=(const ProgressLine&) = delete;
    void show(std::uint64_t done, std::uint64_t total);

private:
    std::string what_;
    std::int64_t startedAt_ = 0;
    std::int64_t shownAt_ = 0;
    bool shown_ = false;
};

/// A log in memory. Warnings of the reading have been printed.
struct LoadedLog {
    trace::Trace trace;
    std::vector<trace::TraceBus> buses;
};
/// `layout` is a kept layout's name or a file with one, for logs of text; where it is empty, a kept one that fits is used,
/// or what is recognised. `more` are logs that are read with it as one, each as LOG or LOG@OFFSET.
[[nodiscard]] Expected<std::unique_ptr<LoadedLog>> loadLog(
    const std::string& path, const std::string& layout = {}, const std::vector<std::string>& more = {}, unsigned threads = 0);
/// The parts of a log that is read as one with others, each LOG or LOG@OFFSET.
[[nodiscard]] Expected<std::vector<formats::LogPart>> logParts(const std::string& path, const std::vector<std::string>& more);
/// Adds --layout.
void addLayoutOption(CLI::App& command, std::string& layout);

/// Builds the catalog of a log's buses from options of the form [BUS=]FILE; without a bus, for all of them. `match` is
/// how frames find messages that do not say so themselves.
[[nodiscard]] Expected<std::shared_ptr<const database::Catalog>> catalogFromOptions(
    const std::vector<trace::TraceBus>& buses, const std::vector<std::string>& options, database::Match match = database::Match::full);

/// A rig that a command goes by, with the databases that it names; what could not be read of these was warned of.
struct UsedRig {
    rig::Rig rig;
    rig::LoadedDatabases databases;
};
[[nodiscard]] Expected<std::shared_ptr<const UsedRig>> useRig(const std::string& path);

/// Which frames of a log a command takes, as its options say.
struct Narrowing {
    std::string filter;
    std::string rig;                ///< Document whose named filters may be used; empty for none.
    unsigned threads = 0;           ///< 0: as many as the machine has cores.
};

/// A log, what explains it, and which of its frames.
struct Question {
    std::string log;
    std::vector<std::string> more;  ///< Further logs, LOG or LOG@OFFSET.
    std::string layout;             ///< Of a log of text.
    std::vector<std::string> databases;
    database::Match match = database::Match::full;
    std::string rig;                ///< Whose databases explain frames, and whose named filters may be used; empty for none.
    std::vector<std::string> dictionaries{};    ///< BUS.NODE=FILE.
    Narrowing narrowing;
};
/// What explains a log: the databases of options [BUS=]FILE, each read once, behind them those of a rig, by the names of buses, and the process data of
/// dictionaries.
class Databases {
public:
    Databases(std::vector<std::string> options, database::Match match, std::string rig = {})
        : options_(std::move(options)), match_(match), rigPath_(std::move(rig))
    {}
    explicit Databases(const Question& question) : Databases(question.databases, question.match, question.rig)
    {
        dictionaries_ = question.dictionaries;
    }
    /// Frames of a bus find messages by parameter group, whatever else was said.
    void matchByGroup(const std::string& bus) { byGroup_.insert(bus); }
    /// The dictionary of a node, or null. Behind `explain`.
    [[nodiscard]] const protocol::Dictionary* dictionaryOf(const std::string& bus, std::uint8_t node) const;
    /// A catalog for the buses of a log, by name.
    [[nodiscard]] Expected<std::shared_ptr<const database::Catalog>> explain(const std::vector<trace::TraceBus>& buses);

private:
    [[nodiscard]] Expected<void> attachDictionary(database::Catalog& catalog, const std::string& option);

    std::vector<std::string> options_;
    database::Match match_;
    std::string rigPath_;
    std::vector<std::string> dictionaries_;
    std::set<std::string> byGroup_;
    std::shared_ptr<const UsedRig> rig_;
    std::map<std::string, std::shared_ptr<const database::Database>> read_;
    std::map<std::pair<std::string, std::uint8_t>, std::shared_ptr<const protocol::Dictionary>> nodes_;
};

/// Compiles its filter.
[[nodiscard]] Expected<filter::Filter> filterOf(const Question& question, const std::shared_ptr<const database::Catalog>& catalog);
/// Adds the log, --rig, --database, --match, --filter, --filters-of and --threads.
void addQuestion(CLI::App& command, Question& question);
/// Adds --dictionary.
void addDictionaryOption(CLI::App& command, Question& question);
/// Adds --rig.
void addRigOption(CLI::App& command, std::string& rig);

/// Reads logs into a sink, as the options of a question say.
[[nodiscard]] Expected<formats::ReadReport> readInto(
    formats::LogSink& sink, const std::string& path, const std::string& layout, const std::vector<std::string>& more, unsigned threads);
/// Prints the warnings of a reading.
void warnOf(const formats::ReadReport& reading);

/// What came of printing a log while it was read.
struct Streamed {
    std::vector<trace::TraceBus> buses;
    std::shared_ptr<const database::Catalog> catalog;
    bool good = true;  ///< Whether all could be written.
};
/// Reads the log of a question and has the work done on its frames that pass as they come: nothing is kept. What explains
/// the log, chooses frames and ends it comes from the question.
[[nodiscard]] Expected<Streamed> streamLog(const Question& question, convert::StreamWork work, const std::string& doing = {});

/// Splits "[BUS=]VALUE"; the bus is empty where none is named.
struct BusOption {
    std::string bus;
    std::string value;
};
[[nodiscard]] BusOption splitBusOption(const std::string& option);

/// Shortens an option list: commands add themselves to the program; their result is left in `result`.
void addLogCommands(CLI::App& program, int& result);
void addConvertCommands(CLI::App& program, int& result);
void addRunCommands(CLI::App& program, int& result);
void addRuleCommands(CLI::App& program, int& result);
void addLayoutCommands(CLI::App& program, int& result);
void addRecoveryCommands(CLI::App& program, int& result);
void addBusCommands(CLI::App& program, int& result);
void addShareCommand(CLI::App& program, int& result);
void addDatabaseCommands(CLI::App& program, int& result);
void addEventCommand(CLI::App& program, int& result);
void addMeasureCommands(CLI::App& program, int& result);
void addTimingCommands(CLI::App& program, int& result);
void addSendCommands(CLI::App& program, int& result);
void addDialogueCommands(CLI::App& program, int& result);

/// Adds "--match full|group" to a command.
void addMatchOption(CLI::App& command, database::Match& match);

}  // namespace wavetrope::cli
