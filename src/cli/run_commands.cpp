// SPDX-License-Identifier: GPL-3.0-or-later
// run and replay.
#include <algorithm>
#include <charconv>

#include "base/nearest_name.h"
#include "base/time_text.h"
#include "bus/wire_fault_text.h"
#include "cli/command.h"
#include "cli/csv.h"
#include "database/codec.h"
#include "rig/manipulations.h"
#include "rig/scripts.h"
#include "rig/session.h"

namespace wavetrope::cli {

namespace {

struct RunOptions {
    std::string rig, log, span, recordFilter, speed = "1", filter;
    RecordOption record;
    std::vector<std::string> without, only, except, maps, outbox, manipulations, more, rewritings, scripts, faults;
    std::string gap, beat, begin, at, pause, direction, onto, stopAt;
    std::vector<std::string> kinds;
    bool sends = false;
    std::optional<std::uint64_t> seed;
    std::string spool;
    std::uint64_t memory = 0;
    bool isVirtual = false;
    bool states = false;
    bool scriptLog = false;
    bool loop = false;
};

constexpr Time settle = std::chrono::seconds(1);
constexpr Time longestWait = std::chrono::hours(1);     // of a run that plays once a condition holds

// Playback begins once a condition of the rig holds, or, where it is none by name, a frame passes it as a filter.
Expected<void> beginWith(rig::Rig& rig, const rig::LoadedDatabases& databases, const std::string& condition)
{
    std::vector<std::string> names;
    for (const rig::EventSpec& event : rig.events)
        names.push_back(event.name);
    rig.playback.start = condition;
    const auto terms = rules::Terms::parse(condition, names);
    if (terms)
        return {};
    const auto named = rig.namedFilters();
    if (!filter::Filter::compile(condition, rig::catalogOf(rig, databases), {&named})) {
        Error error = terms.error();
        error.where = "--begin '" + condition + "'" + (error.where.empty() ? "" : ", " + error.where);
        return tl::unexpected(error);
    }
    rig::EventSpec event;
    event.name = "PlaybackBegins";
    while (std::find(names.begin(), names.end(), event.name) != names.end())
        event.name += '_';
    event.when = condition;
    rig.events.push_back(event);
    rig.playback.start = event.name;
    return {};
}

Expected<void> manipulate(rig::Session& session, const std::vector<std::string>& texts)
{
    for (const std::string& text : texts) {
        const auto wanted = rig::manipulationsOf(session.rig(), text);
        if (!wanted)
            return tl::unexpected(wanted.error());
        for (const rig::KeptManipulation& one : *wanted)
            if (const auto done = rig::manipulate(session, one); !done) {
                Error error = done.error();
                error.where = "--manipulate '" + text + "'" + (error.where.empty() ? "" : ", " + error.where);
                return tl::unexpected(error);
            }
    }
    return {};
}

Expected<void> disturb(rig::Session& session, const std::vector<std::string>& texts)
{
    for (const std::string& text : texts) {
        const auto typed = bus::wireFaultFromText(text);
        if (!typed)
            return tl::unexpected(typed.error());
        if (const auto done = session.wireFaults().add(text, *typed); !done) {
            Error error = done.error();
            error.where = "--fault '" + text + "'";
            return tl::unexpected(error);
        }
    }
    return {};
}

// Scripts of nodes, in place of those of the rig.
Expected<void> takeScripts(rig::Rig& rig, const std::vector<std::string>& texts)
{
    for (const std::string& text : texts) {
        const auto at = text.find('=');
        if (at == std::string::npos || at == 0 || at + 1 == text.size())
            return fail("expected NODE=FILE.lua", "--script " + text);
        const std::string name = text.substr(0, at);
        const auto node = std::find_if(rig.nodes.begin(), rig.nodes.end(), [&](const auto& one) { return one.name == name; });
        if (node == rig.nodes.end()) {
            std::vector<std::string> names;
            for (const drive::NodeSpec& one : rig.nodes)
                names.push_back(one.name);
            return fail("the rig has no node '" + name + "'", "--script " + text, didYouMean(name, names));
        }
        auto script = rig::readScript(text.substr(at + 1));
        if (!script)
            return tl::unexpected(script.error());
        node->script = {"--script", text.substr(at + 1), std::move(*script)};
    }
    return {};
}

Expected<std::unique_ptr<rig::Session>> open(const RunOptions& options)
{
    if (const auto may = mayRecord(options.record); !may)
        return tl::unexpected(may.error());
    auto rig = rig::loadRig(options.rig);
    if (!rig)
        return tl::unexpected(rig.error());
    const auto databases = rig::loadDatabases(*rig);
    if (const auto taken = takeScripts(*rig, options.scripts); !taken)
        return tl::unexpected(taken.error());
    if (!options.begin.empty())
        if (const auto begins = beginWith(*rig, databases, options.begin); !begins)
            return tl::unexpected(begins.error());
    for (const Error& problem : databases.problems)
        warn(problem.text());
    rig::SessionOptions how;
    how.seed = options.seed;
    how.without = options.without;
    how.outbox = options.outbox;
    if (options.sends && options.outbox.empty())
        for (const drive::OutboxGroup& group : rig->outbox)
            how.outbox.push_back(group.name);
    if (options.sends && rig->outbox.empty())
        return fail("the rig has no outbox", options.rig, "Leave --outbox away, or write one: docs/sending.md");
    how.measured = false;
    if (!options.spool.empty() || options.memory > 0) {
        how.spool.emplace();
        how.spool->folder = options.spool.empty() ? spool::usualFolder() : options.spool;
        if (options.memory > 0)
            how.spool->memory = options.memory;
    }
    auto session = rig::Session::create(*rig, databases, how);
    if (session)
        for (const Error& problem : (*session)->leftOut())
            warn(problem.text());
    if (session && options.isVirtual && !(*session)->allSimulated())
        return fail("--virtual needs simulated buses alone, and this rig has an interface of the kernel", options.rig);
    if (session)
        for (const drive::Node* node : (*session)->all<drive::Node>())
            if (node->scriptProblem())
                return tl::unexpected(*node->scriptProblem());
    if (session)
        if (const auto done = manipulate(**session, options.manipulations); !done)
            return tl::unexpected(done.error());
    if (session && !options.stopAt.empty())
        if (const auto done = (*session)->stopAt(options.stopAt); !done) {
            Error error = done.error();
            error.where = "--stop-at '" + options.stopAt + "'";
            return tl::unexpected(error);
        }
    if (session)
        if (const auto done = disturb(**session, options.faults); !done)
            return tl::unexpected(done.error());
    return session;
}

/// Says how the keeping of a run on the disk goes, whenever that changes.
class KeepingLine {
public:
    void show(const rig::Session& session)
    {
        const auto report = session.keeping();
        if (report.words == said_)
            return;
        said_ = report.words;
        warn(said_.empty() ? "the disk takes the run again" : said_);
    }

private:
    std::string said_;
};

/// Says once that a recording has stopped taking frames.
class RecordingLine {
public:
    void show(const rig::Session& session)
    {
        const std::string problem = session.recording().problem;
        if (problem.empty() || said_)
            return;
        said_ = true;
        warn("the recording has ended early: " + problem);
    }

private:
    bool said_ = false;
};

int printStates(rig::Session& session)
{
    CsvWriter out(stdout);
    out.row({"time", "node", "state", "wrong", "why"});
    struct Line {
        Time time;
        std::string node;
        drive::StateChange change;
    };
    std::vector<Line> lines;
    for (const drive::Node* node : session.all<drive::Node>())
        for (const drive::StateChange& change : node->states())
            lines.push_back({change.time, node->name(), change});
    std::stable_sort(lines.begin(), lines.end(), [](const Line& a, const Line& b) { return a.time < b.time; });
    for (const Line& line : lines)
        out.row({secondsText(line.time), line.node, line.change.state, line.change.wrong ? "1" : "0", line.change.why});
    return out.finish() ? 0 : printed(false);
}

int printLog(rig::Session& session)
{
    CsvWriter out(stdout);
    out.row({"time", "node", "text"});
    std::vector<std::pair<const drive::LogLine*, const drive::Node*>> lines;
    for (const drive::Node* node : session.all<drive::Node>())
        if (node->script() != nullptr)
            for (const drive::LogLine& line : node->script()->log())
                lines.emplace_back(&line, node);
    std::stable_sort(lines.begin(), lines.end(), [](const auto& a, const auto& b) { return a.first->time < b.first->time; });
    for (const auto& [line, node] : lines)
        out.row({secondsText(line->time), node->name(), line->text});
    return out.finish() ? 0 : printed(false);
}

int finish(rig::Session& session, const RunOptions& options)
{
    session.endActors();
    int result = 0;
    if (const rig::RunPace pace = session.pace(); !pace.stoppedBy.empty())
        warn("stopped at " + spanText(session.now() - session.begins()) + " of the run: " + pace.stoppedBy);
    if (!options.record.path.empty()) {
        if (const auto written = session.finishRecording(); !written)
            result = report(written.error());
    }
    if (options.states)
        result = std::max(result, printStates(session));
    if (options.states && options.scriptLog)
        std::fputc('\n', stdout);
    if (options.scriptLog)
        result = std::max(result, printLog(session));
    for (const drive::Node* node : session.all<drive::Node>())
        if (node->script() != nullptr && node->script()->stopped())
            warn("the script of " + node->name() + " was stopped: " + node->script()->stopped()->text());
    std::uint64_t lost = 0;
    for (const bus::Health& health : session.health())
        lost += health.lost;
    for (const drive::Node* node : session.all<drive::Node>())
        for (const auto& [signal, refused] : node->refused())
            std::fprintf(stderr, "%s: %s refused %s, which its bits cannot hold; %llu times, last at %s s\n", node->name().c_str(),
                signal.c_str(), database::numberText(refused.value, 9).c_str(), static_cast<unsigned long long>(refused.count),
                secondsText(refused.time - session.begins()).c_str());
    std::fprintf(stderr, "%llu frames, %llu lost, %s s of run time\n", static_cast<unsigned long long>(session.trace().rows()),
        static_cast<unsigned long long>(lost), secondsText(session.now() - session.begins()).c_str());
    if (const auto kept = session.keeping(); kept.letGo > 0)
        std::fprintf(stderr, "%llu frames were let go\n", static_cast<unsigned long long>(kept.letGo));
    return result;
}

// Rows that something else sends, or that cannot be sent, are named before the first frame goes out; the others take part.
void readyOutbox(rig::Session& session)
{
    drive::Outbox& outbox = session.outbox();
    for (const rig::RowCollision& one : rig::collisionsOf(outbox, session.actors(), *session.catalog()))
        outbox.keepBack(one.row, one.with.words(*session.catalog()));
    for (std::size_t row = 0; row < outbox.rowCount(); ++row)
        if (!outbox.problem(row).empty())
            warn("a row of the outbox is held: " + outbox.problem(row));
}

int run(const RunOptions& options)
{
    const auto span = spanFromText(options.span);
    if (!span || span->count() <= 0)
        return report("--for '" + options.span + "': expected a time such as 120s");
    auto session = open(options);
    if (!session)
        return report(session.error());
    if (options.sends)
        readyOutbox(**session);
    if (!options.record.path.empty())
        if (const auto recording = (*session)->record(options.record.path, options.recordFilter); !recording)
            return report(recording.error());
    clock::SteadyClock wall;
    ProgressLine progress("running");
    KeepingLine keeping;
    RecordingLine recording;
    const Time begins = (*session)->begins();
    (*session)->runFor(*span, options.isVirtual ? nullptr : &wall, [&] {
        progress.show(static_cast<std::uint64_t>(((*session)->now() - begins).count()), static_cast<std::uint64_t>(span->count()));
        keeping.show(**session);
        recording.show(**session);
        return !interrupted;
    });
    return finish(**session, options);
}

Expected<std::vector<drive::Route>> routesOf(const RunOptions& options, rig::Session& session)
{
    std::vector<std::string> names;
    for (const trace::TraceBus& bus : session.playback().log()->buses())
        names.push_back(bus.name);
    std::vector<drive::Route> routes;
    if (!options.only.empty() && !options.except.empty())
        return fail("--only and --except exclude each other");
    for (const std::string& node : !options.only.empty() ? options.only : options.except)
        if (!session.catalog()->hasNode(node))
            return fail("no database of the rig has a node '" + node + "'", "--only/--except");
    if (options.maps.empty()) {
        for (std::size_t i = 0; i < names.size(); ++i)
            routes.push_back({static_cast<int>(i), session.catalog()->findBus(names[i])});
    }
    for (const std::string& map : options.maps) {
        const auto at = map.find('=');
        const std::string from = map.substr(0, at);
        if (at == std::string::npos || from.empty() || at + 1 == map.size())
            return fail("expected FROM=TO, a bus of the log and one of the rig", "--map " + map,
                "Such as --map " + (map.empty() || at == 0 ? "Implement" : from) + "="
                    + (at == 0         ? map.substr(1)
                        : from.empty() ? "Implement"
                                       : from));
        const std::string to = map.substr(at + 1);
        const auto found = std::find(names.begin(), names.end(), from);
        if (found == names.end())
            return fail("the log has no bus '" + from + "'", "--map " + map, didYouMean(from, names));
        const int target = session.catalog()->findBus(to);
        if (target < 0) {
            std::vector<std::string> ours;
            for (std::size_t i = 0; i < session.catalog()->busCount(); ++i)
                ours.push_back(session.catalog()->busName(static_cast<std::uint8_t>(i)));
            return fail("the rig has no bus '" + to + "'", "--map " + map, didYouMean(to, ours));
        }
        routes.push_back({static_cast<int>(found - names.begin()), target});
    }
    for (drive::Route& route : routes) {
        route.senders = !options.only.empty()     ? drive::Senders::only
                        : !options.except.empty() ? drive::Senders::except
                                                  : drive::Senders::all;
        route.nodes = !options.only.empty() ? options.only : options.except;
        route.directions = options.direction == "sent"       ? drive::Directions::sent
                           : options.direction == "received" ? drive::Directions::received
                                                             : drive::Directions::both;
        const auto wanted = [&](const char* kind) {
            return options.kinds.empty() || std::find(options.kinds.begin(), options.kinds.end(), kind) != options.kinds.end();
        };
        route.kinds = {wanted("data"), wanted("fd"), wanted("remote")};
    }
    if (!options.filter.empty()) {
        auto filter = session.compileForPlayback(options.filter);
        if (!filter)
            return tl::unexpected(filter.error());
        for (drive::Route& route : routes)
            route.filter = *filter;
    }
    return routes;
}

int replay(const RunOptions& options)
{
    char* end = nullptr;
    const double speed = std::strtod(options.speed.c_str(), &end);
    if (*end != '\0' || !(speed >= 0 && speed <= 1e6))
        return report("--speed '" + options.speed + "': expected a factor such as 10, or 0 for as fast as the bus allows");
    Time gap{};
    if (!options.gap.empty()) {
        const auto span = spanFromText(options.gap);
        if (!span || span->count() <= 0)
            return report("--gap '" + options.gap + "': expected a time from beat to beat, such as 5ms");
        gap = *span;
    }
    std::optional<Time> at, pause = Time{0};
    for (const auto& [text, name, to] : {std::tuple(&options.at, "--at", &at), std::tuple(&options.pause, "--pause", &pause)})
        if (!text->empty()) {
            *to = spanFromText(*text);
            if (!*to || (*to)->count() < 0)
                return report(std::string(name) + " '" + *text + "': expected a time such as 12s");
        }
    const auto parts = logParts(options.log, options.more);
    if (!parts)
        return report(parts.error());
    auto session = open(options);
    if (!session)
        return report(session.error());
    const auto reading = (*session)->loadPlayback(*parts);
    if (!reading)
        return report(reading.error());
    for (const Error& warning : reading->warnings)
        warn(warning.text());
    auto routes = routesOf(options, **session);
    if (!routes)
        return report(routes.error());
    auto rewriting = (*session)->rewritingFor(options.rewritings);
    if (!rewriting) {
        Error error = rewriting.error();
        error.where = "--rewrite" + (error.where.empty() ? "" : ", " + error.where);
        return report(error);
    }
    drive::Playback& playback = (*session)->playback();
    (*session)->playOntoViews(options.onto == "nothing");
    playback.route(std::move(*routes));
    playback.rewrite(std::move(*rewriting));
    if (playback.chosen() == 0)
        return report("no frame of the log is chosen. Check --map, --only, --except, --direction, --kind and --filter");
    const auto collisions = (*session)->collisions();
    if (!collisions.empty()) {
        std::string names;
        for (const rig::Collision& collision : collisions) {
            report("collision: " + collision.words(*(*session)->catalog()));
            if (names.find(collision.node) == std::string::npos)
                names += " --without " + collision.node;
        }
        return report("nothing was sent. Take the nodes out of the simulation:" + names);
    }
    if (!options.record.path.empty())
        if (const auto recording = (*session)->record(options.record.path, options.recordFilter); !recording)
            return report(recording.error());
    drive::Pace beats{speed, gap, {}};
    if (!options.beat.empty()) {
        const auto beat = drive::paceFromText("every " + options.beat, *(*session)->catalog());
        if (!beat || !beat->beat) {
            Error error = beat ? Error{"expected a message of the rig, with a number before it where not each one counts", {}, 0, 0,
                                     "Such as --beat '2 BladeState'"}
                               : beat.error();
            error.where = "--beat " + options.beat;
            return report(error);
        }
        beats.beat = beat->beat;
    }
    playback.setPace(beats);
    playback.setLoop(options.loop, *pause);
    if (at)
        playback.playAt((*session)->begins() + *at);
    const bool waits = !(*session)->rig().playback.start.empty() || at;
    if (waits && !at && options.span.empty() && options.begin.empty())
        return report(Error{"its playback begins when " + (*session)->rig().playback.start + ", which may never be", options.rig, 0, 0,
            "Say how long the run lasts: --for 60s"});
    if (!waits)
        playback.play();
    clock::SteadyClock wall;
    clock::WallClock* pace = options.isVirtual ? nullptr : &wall;
    ProgressLine progress("replaying");
    KeepingLine keeping;
    RecordingLine recording;
    bool began = !waits;
    const auto keepGoing = [&] {
        progress.show(playback.at(), playback.chosen());
        keeping.show(**session);
        recording.show(**session);
        began = began || playback.playing() || playback.sent() > 0;
        return !interrupted && (playback.playing() || !began);
    };
    if (!options.span.empty()) {
        const auto span = spanFromText(options.span);
        if (!span || span->count() <= 0)
            return report("--for '" + options.span + "': expected a time such as 120s");
        (*session)->runFor(*span, pace, [] { return !interrupted; });
    } else {
        if (!began) {
            (*session)->runFor(longestWait, pace, [&] { return keepGoing() && !began; });
            if (!began && !interrupted)
                return report("--begin " + options.begin + " did not come within " + spanText(longestWait));
        }
        (*session)->runFor(std::chrono::hours(24 * 365), pace, keepGoing);
        if (!interrupted)
            (*session)->runFor(settle, pace);
    }
    std::fprintf(stderr, "%llu frames replayed of %zu chosen\n", static_cast<unsigned long long>(playback.sent()), playback.chosen());
    if (playback.late() > 0)
        std::fprintf(stderr, "%llu frames were later than their time by more than %s, the newest %s at %s of the log\n",
            static_cast<unsigned long long>(playback.late()), spanText(drive::Playback::lateFrom).c_str(),
            spanText(playback.lateFrames().back().by).c_str(), spanText(playback.lateFrames().back().log - playback.logStart()).c_str());
    if (const auto& [changed, limited, failed] = playback.rewritten(); changed + limited + failed > 0) {
        std::fprintf(stderr, "%llu frames were rewritten\n", static_cast<unsigned long long>(changed));
        if (limited > 0)
            std::fprintf(stderr, "%llu frames: a value was limited to what its bits can hold\n", static_cast<unsigned long long>(limited));
        if (failed > 0)
            std::fprintf(
                stderr, "%llu frames: a formula had no number, and its signal went as it was\n", static_cast<unsigned long long>(failed));
    }
    if (playback.errorsLeftOut() > 0)
        std::fprintf(stderr, "%zu error frames of the log were left out: a bus makes its own\n", playback.errorsLeftOut());
    return finish(**session, options);
}

}  // namespace

namespace {

CLI::Validator isSeed()
{
    return {[](const std::string& text) {
                std::uint64_t seed = 0;
                const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), seed);
                return code == std::errc{} && end == text.data() + text.size() ? std::string()
                                                                               : "'" + text + "': expected a whole number of 0 to 2^64 - 1";
            },
        "", "seed"};
}

void addManipulations(CLI::App& command, RunOptions& options)
{
    command.add_option("--manipulate", options.manipulations,
        "Change what a node sends: 'NODE MESSAGE.SIGNAL = 3.5 from 10s to 12s'; may be given several times");
    command.add_option("--fault", options.faults,
        "A fault on a simulated wire: 'BUS crc 0x181 at 14s'; bit, stuff, crc, form, ack, error, rate, babble, short, counters; may be "
        "given several times");
}

void addScripts(CLI::App& command, RunOptions& options)
{
    command.add_option(
        "--script", options.scripts, "NODE=FILE.lua: a script for a node, in place of the rig's; may be given several times");
    command.add_flag("--log", options.scriptLog, "Print the lines that scripts logged as CSV");
}

void addKeeping(CLI::App& command, RunOptions& options)
{
    command.add_option(
        "--spool", options.spool, "Folder that keeps the run while it lasts: memory stays bounded, and a crash loses a second at most");
    command
        .add_option("--memory", options.memory,
            "How much of memory its frames may take, such as 512MB; the rest is read back from the spool folder")
        ->transform(CLI::AsSizeValue(true))
        ->check(CLI::Range(spool::leastMemory, std::size_t{1} << 46U));
}

}  // namespace

void addRunCommands(CLI::App& program, int& result)
{
    const auto options = std::make_shared<RunOptions>();
    CLI::App* command = program.add_subcommand("run", "Runs a rig");
    command->add_option("rig", options->rig, "The rig document")->required();
    command->add_option("--for", options->span, "How long, such as 120s")->required();
    command->add_option("--stop-at", options->stopAt, "Ends where this condition of the rig becomes true, on simulated buses alone");
    command->add_flag("--virtual", options->isVirtual, "As fast as it goes instead of real time");
    command->add_option("--seed", options->seed, "Instead of the rig's: 0 to 2^64 - 1")->check(isSeed());
    addKeeping(*command, *options);
    command->add_option("--without", options->without, "Leave a node out of the simulation");
    auto* record = addRecording(*command, options->record, "Record to a log");
    command->add_option("--record-filter", options->recordFilter, "Record only what passes; @name for a filter of the rig")->needs(record);
    auto* outbox =
        command->add_option("--outbox", options->outbox, "The rig's outbox takes part: these groups of it, or all")->expected(0, -1);
    addManipulations(*command, *options);
    addScripts(*command, *options);
    command->add_flag("--states", options->states, "Print the states that the nodes entered as CSV");
    command->callback([options, outbox, &result] {
        options->sends = outbox->count() > 0;
        std::erase(options->outbox, "");
        result = run(*options);
    });

    command = program.add_subcommand("replay", "Replays a log to the nodes of a rig");
    command->add_option("log", options->log, "The log")->required();
    command->add_option("--rig", options->rig, "The rig document")->required();
    command->add_option("--map", options->maps,
        "FROM=TO, bus of the log to bus of the rig; may be given several times, for one bus too; without, buses of one name");
    command->add_option("--only", options->only, "Only frames of this sender");
    command->add_option("--except", options->except, "All but frames of this sender");
    command->add_option("--filter", options->filter, "Only frames that pass");
    command->add_option("--direction", options->direction, "Only frames that were sent, or received, by who recorded them")
        ->check(CLI::IsMember({"sent", "received"}));
    command->add_option("--kind", options->kinds, "Only frames of this kind: data (classic), fd or remote; may be given several times")
        ->check(CLI::IsMember({"data", "fd", "remote"}));
    command->add_option("--with", options->more, "A further log, played as one with the first: LOG or LOG@OFFSET, added to its stamps");
    command->add_option("--rewrite", options->rewritings,
        "'MESSAGE.SIGNAL = EXPR' or 'id 0x181 = 0x281'; may be given several times, and applies in that order");
    command->add_option("--begin", options->begin, "Play once this holds: conditions of the rig, or a filter that a frame passes");
    command->add_option("--onto", options->onto, "'nothing': into the run's trace and --record alone, on no bus")
        ->check(CLI::IsMember({"nothing"}));
    command->add_option("--without", options->without, "Leave a node out of the simulation");
    addManipulations(*command, *options);
    addScripts(*command, *options);
    auto* gapped = command->add_option("--gap", options->gap, "A fixed time from beat to beat, such as 5ms, whatever was recorded");
    auto* beaten = command->add_option("--beat", options->beat,
        "One frame whenever a message of the rig has been on its bus, whatever was recorded: MESSAGE, or 'N MESSAGE' at each Nth");
    beaten->excludes(gapped);
    command->add_option("--at", options->at, "Play from this time of the run on, such as 12s")->excludes("--begin");
    gapped->excludes(command->add_option("--speed", options->speed, "Times the recorded pace; 0 as fast as the bus allows"));
    auto* span = command->add_option("--for", options->span, "How long; without, to the end of the log");
    auto* looped = command->add_flag("--loop", options->loop, "Start over at the end; needs --for")->needs(span);
    command->add_option("--pause", options->pause, "With --loop: how long it rests before it starts over, such as 2s")->needs(looped);
    command->add_flag("--virtual", options->isVirtual, "As fast as it goes instead of real time");
    command->add_option("--seed", options->seed, "Instead of the rig's: 0 to 2^64 - 1")->check(isSeed());
    addKeeping(*command, *options);
    record = addRecording(*command, options->record, "Record the run to a log");
    command->add_option("--record-filter", options->recordFilter, "Record only what passes; @name for a filter of the rig")->needs(record);
    command->add_flag("--states", options->states, "Print the states that the nodes entered as CSV");
    command->callback([options, &result] { result = replay(*options); });
}

}  // namespace wavetrope::cli
