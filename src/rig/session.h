// SPDX-License-Identifier: GPL-3.0-or-later
// A running rig: buses, nodes, playback, recorder and trace wired together.
#pragma once

#include <atomic>
#include <condition_variable>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <thread>
#include <vector>

#include "bus/arrivals.h"
#include "bus/bus.h"
#include "clock/pacer.h"
#include "clock/scheduler.h"
#include "clock/timer.h"
#include "drive/node.h"
#include "drive/outbox.h"
#include "drive/playback.h"
#include "drive/wire_faults.h"
#include "formats/merged_logs.h"
#include "measure/measures.h"
#include "rig/actors.h"
#include "rig/live_rules.h"
#include "rig/playback_log.h"
#include "rig/recordings.h"
#include "rig/rig.h"
#include "spool/spool.h"
#include "trace/trace.h"

namespace wavetrope::rig {

/// How a rig is brought to life.
struct SessionOptions {
    std::optional<std::uint64_t> seed;          ///< Instead of the rig's.
    std::vector<std::string> without;           ///< Nodes left out of the simulation.
    std::vector<std::string> outbox{};          ///< Groups of the rig's outbox that go out from the beginning.
    bool measured = true;                       ///< Keep measures up while running.
    bool searched = true;                       ///< Somebody asks where identifiers occur: a capture of weeks takes less memory without.
    std::optional<TakesOptions> takes{};        ///< Arms the rig's recordings; without, conditions alone are followed.
    bool onTime = false;  ///< Wakes when something is due, as a run with real buses does, and not a few milliseconds later.
    std::optional<spool::SpoolOptions> spool;  ///< Keep the run on the disk; none for memory alone, within what the machine allows.
};

/// Where a node is.
enum class NodePlace : std::uint8_t {
    simulated,                      ///< Here.
    playedBack,                     ///< In the log that playback holds.
    outside,                        ///< On the bench, or in another room: somebody else sends for it.
    off,                            ///< Nowhere: nobody is to send for it.
};

/// What a node is doing, for people.
struct NodeReport : drive::NodeFacts {
    std::string name;
    std::vector<std::uint8_t> buses;
    bool on = true;
    NodePlace place = NodePlace::simulated;
};

/// What playback is doing, for people.
struct PlaybackReport : drive::PlaybackFacts {
    std::vector<Collision> collisions;  ///< With those who act now.
};

/// How the time of a run goes on.
struct RunPace {
    double factor = 1;          ///< Of the wall clock's; 0: as fast as the machine can.
    bool held = false;          ///< It stands still.
    std::string stopsAt;        ///< It is held when this condition becomes true; empty: it goes on.
    std::string stoppedBy;      ///< The condition that holds it; empty: somebody does.
    std::string bound;          ///< Why it is that of the wall, and cannot be another; empty: it can.
};

/// Owns everything of a run. One thread drives it: the caller's (`runFor`) or its own (`start`, paced). Requests from
/// other threads are posted and carried out between events.
class Session {
public:
    /// Opens the buses and builds the nodes. Errors name the bus or node.
    [[nodiscard]] static Expected<std::unique_ptr<Session>> create(
        const Rig& rig, const LoadedDatabases& databases, const SessionOptions& options = {});
    ~Session();
    Session(const Session&) = delete;
    Session& operator=(const Session&) = delete;

    [[nodiscard]] const trace::Trace& trace() const { return trace_; }
    [[nodiscard]] const Rig& rig() const { return rig_; }
    [[nodiscard]] const std::shared_ptr<const database::Catalog>& catalog() const { return catalog_; }
    /// Nodes and events that a missing database leaves out.
    [[nodiscard]] const std::vector<Error>& leftOut() const { return leftOut_; }
    [[nodiscard]] const measure::Measures& measures() const { return *measures_; }
    /// Instant at which the run began; times on screen count from here.
    [[nodiscard]] Time begins() const { return begins_; }
    /// Whether every bus is simulated, so that time may run unpaced.
    [[nodiscard]] bool allSimulated() const { return allSimulated_; }

    /// Runs a span of virtual time on the caller's thread: unpaced, or following a wall clock. `keepGoing` is asked
    /// every slice; false ends it. Real buses can only be paced.
    void runFor(Time span, clock::WallClock* paceBy, const std::function<bool()>& keepGoing = {});

    /// Runs on a thread of its own, paced by the wall clock times a factor, until `stop`.
    void start(clock::WallClock& wall, double factor = 1.0);
    void stop();
    [[nodiscard]] bool running() const { return running_; }

    /// Has something done on the driving thread between events; done at once while nothing runs.
    void post(std::function<void(Session&)> request);
    /// The same, and waits for it.
    void call(const std::function<void(Session&)>& request);

    // For the driving thread (inside post or call, or while nothing runs):
    /// Everybody who acts, in the order of their kinds.
    [[nodiscard]] std::span<const std::unique_ptr<drive::Actor>> actors() const { return actors_; }
    /// The one of that name, or null.
    [[nodiscard]] drive::Actor* actor(std::string_view name);
    /// Those of one kind.
    template <class Kind>
    [[nodiscard]] std::vector<Kind*> all() const
    {
        std::vector<Kind*> out;
        for (const auto& actor : actors_)
            if (auto* of = dynamic_cast<Kind*>(actor.get()); of != nullptr)
                out.push_back(of);
        return out;
    }
    [[nodiscard]] drive::Playback& playback() { return *playback_; }
    [[nodiscard]] drive::Outbox& outbox() { return *outbox_; }
    [[nodiscard]] drive::WireFaults& wireFaults() { return *wireFaults_; }
    /// Tells everybody who acts that the run is over, once; without, they are told when it goes.
    void endActors();
    /// @name Time of simulated buses
    /// While a thread of its own drives the run; errors say what binds it to the wall.
    ///@{
    static constexpr double slowest = 0.1, fastest = 100;
    /// Time goes on so many times as fast as the wall's; 0: as fast as the machine can.
    [[nodiscard]] Expected<void> setPace(double factor);
    /// Time stands still, or goes on.
    [[nodiscard]] Expected<void> holdTime(bool held);
    /// Held, it goes on to the next instant at which something acts, so many times. Gives how many there were.
    [[nodiscard]] Expected<std::uint64_t> step(std::uint64_t instants = 1);
    /// Held, it goes on to the end of the next frame; gives whether there was one within a minute of the run.
    [[nodiscard]] Expected<bool> stepToFrame();
    /// Time is held when a condition of the rig becomes true, at that instant; a run that nobody drives ends there. Empty: it goes on.
    [[nodiscard]] Expected<void> stopAt(const std::string& condition);
    ///@}
    /// Ends the run at this instant, whatever slice it is in: `runFor` comes back. Called by those who act.
    void endHere() { scheduler_.halt(); }
    [[nodiscard]] clock::Scheduler& scheduler() { return scheduler_; }
    [[nodiscard]] bus::Bus& bus(std::size_t index) { return *buses_[index]; }
    /// Records what comes from now on, or of it what a filter passes; the rig's named filters may be used in it. Any number
    /// of recordings go on side by side, each to a file of its own.
    [[nodiscard]] Expected<void> record(const std::string& path, const std::string& filter = {});
    /// Ends the recording to that file, or all of them. The first error is given; they end all the same.
    [[nodiscard]] Expected<void> finishRecording(const std::string& path = {}) { return recordings_.finish(path); }
    /// Loads a log into playback; its buses take the rig's databases by name.
    [[nodiscard]] Expected<formats::ReadReport> loadPlayback(const std::string& path) { return loadPlayback({{path, Time{0}, false, {}}}); }
    /// Several logs as one, in the order of time.
    [[nodiscard]] Expected<formats::ReadReport> loadPlayback(const std::vector<formats::LogPart>& parts)
    {
        return playbackLog_->load(parts);
    }
    /// Compiles what is changed of the frames of the log that playback holds.
    [[nodiscard]] Expected<drive::Rewriting> rewritingFor(std::span<const std::string> texts) const
    {
        return playbackLog_->rewriting(texts);
    }
    /// Frames of playback go to the run's trace and recordings alone, and to no bus; or to their buses again.
    void playOntoViews(bool on);
    /// Several logs as one, without waiting: they are read on a thread of its own while the run goes on, and `done` is called on
    /// either thread once they are in playback or have failed.
    void readForPlayback(const std::vector<formats::LogPart>& parts, PlaybackLog::Done done);
    /// Compiles a filter over the buses of the log that playback holds.
    [[nodiscard]] Expected<filter::Filter> compileForPlayback(const std::string& text) const { return playbackLog_->filter(text); }
    /// The rig's conditions and recordings, or null where it has none.
    [[nodiscard]] LiveRules* rules() { return rules_.get(); }
    /// Nodes that are off, and nodes that playback sends for since they were put there.
    [[nodiscard]] std::set<std::string>& absent() { return absent_; }
    [[nodiscard]] std::set<std::string>& routed() { return routed_; }
    /// Ends the takes that go on, and with them their files.
    void endTakes();
    /// Puts other conditions and recordings in place of the present ones, between two frames: takes that go on end, and the
    /// new recordings are armed. An error leaves all as it is.
    [[nodiscard]] Expected<void> takeRules(const Rig& from);
    /// Identifiers that playback and others who are on both send.
    [[nodiscard]] std::vector<Collision> collisions() const { return collisionsOf(*playback_, actors_, *catalog_); }

    // For any thread:
    /// Of everybody who acts, in the order of `actors`.
    [[nodiscard]] std::vector<drive::ActorReport> reports() const;
    /// Of the nodes and of playback among them.
    [[nodiscard]] std::vector<NodeReport> nodeReports() const;
    [[nodiscard]] PlaybackReport playbackReport() const;
    [[nodiscard]] std::vector<bus::Health> health() const;
    /// How long frames took from their offer, by bus; as far as it is known.
    [[nodiscard]] std::vector<bus::MeasuredResponse> responses(std::size_t bus) const;
    /// Log that was loaded into playback, or null.
    [[nodiscard]] std::shared_ptr<const trace::Trace> playbackLog() const { return playbackLog_->log(); }
    /// What explains it.
    [[nodiscard]] std::shared_ptr<const database::Catalog> playbackCatalog() const { return playbackLog_->catalog(); }
    [[nodiscard]] RunPace pace() const;
    [[nodiscard]] Time now() const { return Time(now_.load(std::memory_order_acquire)); }
    /// The recordings that go on, the oldest first.
    [[nodiscard]] std::vector<RecordingReport> recordings() const;
    /// The oldest of them; none: off, with what ended the last one early.
    [[nodiscard]] RecordingReport recording() const;
    /// The rig's conditions, in its order.
    [[nodiscard]] std::vector<ConditionReport> conditionReports() const;
    /// The rig's recordings that are armed, in its order.
    [[nodiscard]] std::vector<TakingReport> takingReports() const;
    /// What conditions and recordings did so far; shared, and not changed any more.
    struct RulesHistory {
        std::vector<rules::TrueStretch> stretches;
        std::vector<rules::Take> takes;     ///< Their recording is an index among those that are armed.
        std::vector<std::vector<std::string>> files;    ///< Of each take that has ended; some may have been taken away since.
    };
    [[nodiscard]] std::shared_ptr<const RulesHistory> rulesHistory() const;
    /// Where the takes go; empty where no recording is armed.
    [[nodiscard]] std::string takesFolder() const { return options_.takes ? options_.takes->folder : std::string(); }
    /// How the run is kept.
    [[nodiscard]] spool::SpoolReport keeping() const { return spool_->report(); }
    [[nodiscard]] spool::Spool* spool() { return spool_.get(); }

private:
    class Ingest;
    Session(const Rig& rig, const LoadedDatabases& databases, const SessionOptions& options);
    Expected<void> build();
    void slice(Time until);
    [[nodiscard]] Time pausePaced(const clock::Pacer& pacer) const;
    /// Reports a few hundred times a second at most.
    void publishNow(clock::WallClock& wall, Time& published);
    void carryOutRequests();
    void publish();
    void drive(clock::WallClock& wall, double factor);
    [[nodiscard]] Expected<void> ownTime() const;
    void becameTrue(const std::string& condition);
    [[nodiscard]] Expected<void> knownCondition(const std::string& condition) const;
    void hasStopped(clock::WallClock& wall, Time& published);

    Rig rig_;
    LoadedDatabases databases_;
    SessionOptions options_;
    std::shared_ptr<const database::Catalog> catalog_;
    std::shared_ptr<const database::Catalog> rulesCatalog_;     // with the derived signals that the armed rules speak of; null: the same
    std::vector<Error> leftOut_;
    Time begins_;
    clock::Scheduler scheduler_;
    trace::Trace trace_;
    std::unique_ptr<spool::Spool> spool_;
    std::unique_ptr<measure::Measures> measures_;
    std::vector<std::unique_ptr<bus::Bus>> buses_;
    std::vector<bus::Bus*> arriving_;  // those of the world
    Time handOver_{0};                 // what their frames take, as a rule
    Time patience_{0};  // of frames that have arrived, where nothing is simulated that would run ahead
    std::unique_ptr<Ingest> ingest_;
    std::vector<std::unique_ptr<drive::Actor>> actors_;
    drive::Playback* playback_ = nullptr;  // one of them
    drive::Outbox* outbox_ = nullptr;      // and another
    drive::WireFaults* wireFaults_ = nullptr;
    Recordings recordings_{trace_};
    [[nodiscard]] Expected<std::unique_ptr<LiveRules>> makeRules();
    void watchBuses();
    void armRules();
    void settleRules();
    void drivePlayback(bool plays);
    void watchClock();
    Time clockWasSet_{0};                       // since the run began
    std::optional<Time> clockApart_;            // the machine's time of day, less its clock that is never set
    std::unique_ptr<LiveRules> rules_;
    std::vector<EventSpec> measuredEvents_;     // the conditions that the measures follow
    std::vector<std::uint64_t> lostBefore_;     // of each bus
    std::vector<bool> goneBefore_;
    bool incomplete_ = false;                   // a database is missing
    bool allSimulated_ = true;
    bool rulesAsked_ = false;                   // by those who act, or for where to stop
    clock::Timer rulesTimer_;                   // when the rules have something to say by themselves,
    Time rulesDue_ = Time::max();               // and for when it is set
    std::vector<std::pair<std::string, std::function<void()>>> heeding_;    // those who act by conditions
    std::set<std::string> absent_, routed_;     // nodes
    RunPace pace_;
    std::uint64_t pacings_ = 0;                 // goes up when time goes on in another way
    bool started_ = false;
    bool ended_ = false;                        // those who act were told

    // Whoever owns the run: one thread at a time carries out requests or a slice.
    void own();
    void disown();
    void carryOut();  // by the owner

    std::thread thread_;
    std::atomic<bool> running_{false};
    std::atomic<std::int64_t> now_{0};

    mutable std::mutex mutex_;  // requests, reports and who owns the run; never frames
    std::condition_variable free_;
    bool owned_ = false;
    std::thread::id owner_;
    std::vector<std::function<void(Session&)>> requests_;
    std::vector<drive::ActorReport> reports_;
    std::vector<Collision> collisions_;
    std::vector<bus::Health> health_;
    std::vector<std::vector<bus::MeasuredResponse>> responses_;
    RunPace paceReport_;
    std::set<std::string> absentReport_;
    std::vector<RecordingReport> recordingReports_;
    std::string recordingProblem_;
    std::vector<ConditionReport> conditionReports_;
    std::vector<TakingReport> takingReports_;
    std::shared_ptr<const RulesHistory> rulesHistory_ = std::make_shared<RulesHistory>();
    std::uint64_t historyOf_ = 0;           // the driving thread's: the changes that it was made for
    std::uint64_t rulesChanges_ = ~0ULL;    // the driving thread's: the requests that they were made behind
    unsigned publishings_ = 0;
    // The driving thread's: what the reports were made for.
    std::vector<std::uint64_t> reportedActors_;
    std::uint64_t reportedChanges_ = ~0ULL;  // the requests that the collisions were looked for behind
    std::uint64_t changes_ = 0;
    std::unique_ptr<PlaybackLog> playbackLog_;
};

}  // namespace wavetrope::rig
