// SPDX-License-Identifier: GPL-3.0-or-later
// Replay of a log onto the buses of a running rig.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "bus/bus.h"
#include "clock/timer.h"
#include "database/catalog.h"
#include "drive/actor.h"
#include "drive/rewriting.h"
#include "filter/filter.h"
#include "trace/time_index.h"
#include "trace/trace.h"

namespace wavetrope::drive {

/// Which senders' frames of a log bus pass.
enum class Senders : std::uint8_t { all, only, except };

/// Which frames of a log pass, by the way they went; of frames that do not tell it, only `both` passes.
enum class Directions : std::uint8_t { both, sent, received };

/// What of one bus of the log goes where.
struct Route {
    int to = -1;                        ///< Bus of the rig, or -1 for nothing.
    Senders senders = Senders::all;
    std::vector<std::string> nodes;     ///< Whose frames `only` or `except` means.
    filter::Filter filter;              ///< Further condition, over the log's own buses.
    Directions directions = Directions::both;
};

/// How fast a log is played.
struct Pace {
    double factor = 1;                  ///< Of the recorded pace; 0 as fast as the bus takes frames.
    Time gap{};                         ///< Where it is not 0: beat k at the begin + k times it, whatever was recorded.
    friend bool operator==(const Pace&, const Pace&) = default;
};

/// Frames that were sent otherwise than the log has them; of them those of which a value was limited. Frames of which a formula had no number.
struct Rewritten {
    std::uint64_t changed = 0, limited = 0, failed = 0;
};

/// What playback tells besides its name.
struct PlaybackFacts {
    bool loaded = false;
    bool playing = false;
    bool loop = false;
    double factor = 1;  ///< Of the recorded pace.
    Time start{}, end{}, position{};  ///< Of the log.
    std::size_t chosen = 0;  ///< Frames.
    std::uint64_t sent = 0;  ///< Frames.
    std::vector<std::size_t> chosenByBus;  ///< By bus of the log.
    std::vector<Route> routes;  ///< By bus of the log.
    bool finished = false;
    Time gap{};  ///< From beat to beat, where it is fixed; 0: as recorded.
    std::vector<std::string> rewriting;  ///< What is changed on its way, as it was given.
    Rewritten rewritten;
};

/// Puts the chosen frames of a log on the buses of a rig, in the order of their time stamps, each at its distance from
/// the first. A stamp is the end of a frame: it is offered so much earlier as it takes on its bus, and the recorded
/// spacing comes back where nobody else wins arbitration. Each bus has a queue of its own, in which frames stand in line:
/// their order is kept at any pace. Frames carry the time of the run. A frame that its bus cannot take yet waits; none is
/// dropped. Error frames are not sent.
class Playback final : public Actor {
public:
    Playback(clock::Scheduler& scheduler, std::vector<bus::Bus*> buses, std::shared_ptr<const database::Catalog> rigCatalog);
    Playback(const Playback&) = delete;
    Playback& operator=(const Playback&) = delete;

    /// Takes a log; `logCatalog` explains its buses. Everything is routed nowhere until `route` is called. `order` is its
    /// order of time, for a caller that made it where nobody waits.
    void load(std::shared_ptr<const trace::Trace> log, std::shared_ptr<const database::Catalog> logCatalog, trace::TimeIndex order = {});
    [[nodiscard]] bool loaded() const { return log_ != nullptr; }
    [[nodiscard]] const trace::Trace* log() const { return log_.get(); }

    /// One route for each bus of the log. Stops playing.
    void route(std::vector<Route> routes);
    [[nodiscard]] const std::vector<Route>& routes() const { return routes_; }
    /// Frames that the routes choose, and by bus of the log.
    [[nodiscard]] std::size_t chosen() const { return chosen_; }
    /// Error frames of the buses that are played, which are left out: a bus makes its own.
    [[nodiscard]] std::size_t errorsLeftOut() const { return errorsLeftOut_; }
    [[nodiscard]] const std::vector<std::size_t>& chosenByBus() const { return chosenByBus_; }

    [[nodiscard]] const std::string& name() const override { return name_; }
    /// It is on from the start; off, it rests.
    void setOn(bool on) override;
    [[nodiscard]] bool on() const override { return on_; }
    /// Of the frames that are chosen, within the range.
    [[nodiscard]] std::vector<SentIdentifier> sends() const override;
    [[nodiscard]] std::uint64_t changes() const override;
    /// Its facts are `PlaybackFacts`.
    [[nodiscard]] ActorReport report() const override;

    void setPace(Pace pace);
    [[nodiscard]] Pace pace() const { return pace_; }
    void setLoop(bool loop)
    {
        loop_ = loop;
        ++changes_;
    }
    [[nodiscard]] bool loop() const { return loop_; }
    /// Limits playing to a stretch of the log; without limits, all of it.
    void setRange(std::optional<Time> from, std::optional<Time> to);

    void play();
    void rest();
    [[nodiscard]] bool playing() const { return playing_; }
    /// Sends the next `count` frames at once, then rests.
    void step(std::size_t count);
    /// What is changed of its frames on their way; counts begin anew. Stops playing.
    void rewrite(Rewriting rewriting);
    [[nodiscard]] const Rewriting& rewriting() const { return rewriting_; }
    [[nodiscard]] const Rewritten& rewritten() const { return rewritten_; }
    /// Frames are on no bus, and shown to `views` alone, as they stand in the log, error frames too: each at its stamp. Null: on their buses.
    void ontoViews(bus::Listener* views);

    /// Goes to a moment of the log.
    void seek(Time logTime);
    /// Where in the log playing stands.
    [[nodiscard]] Time position() const;
    [[nodiscard]] std::uint64_t sent() const { return sent_; }
    /// Chosen frames in front of the position.
    [[nodiscard]] std::size_t at() const;
    [[nodiscard]] Time logStart() const { return start_; }
    [[nodiscard]] Time logEnd() const { return end_; }
    /// All chosen frames have been handed to their buses.
    [[nodiscard]] bool finished() const { return front() == nullptr && !loop_; }

private:
    // What goes to one bus of the rig.
    struct Lane {
        std::size_t bus = 0;
        bus::Port port = 0;
        can::BitRate rate;
        std::vector<trace::Row> rows;  // chosen, by time
        std::size_t first = 0;
        std::size_t last = 0;
        std::size_t next = 0;
        clock::Timer wake;
        mutable can::Frame frame;  // the one that `next` is, rewritten
        mutable std::size_t frameOf = ~std::size_t{0};
        mutable Rewriting::Outcome outcome;
    };
    [[nodiscard]] const can::Frame& nextFrame(const Lane& lane) const;
    // Whether frames go out one behind the other, whatever their bus.
    [[nodiscard]] bool oneByOne() const { return pace_.factor <= 0 || pace_.gap.count() > 0 || views_ != nullptr; }
    [[nodiscard]] bool byStamp() const { return pace_.factor > 0 && pace_.gap.count() == 0; }
    void choose();
    void schedule();
    void schedule(std::size_t lane);
    void due(std::uint32_t lane);
    [[nodiscard]] bool ended();
    bool send(Lane& lane);
    void wake(std::size_t lane, Time when) { lanes_[lane].wake.at(when, static_cast<std::uint32_t>(lane)); }
    // The lane whose next frame is the earliest, or null.
    [[nodiscard]] const Lane* front() const;
    [[nodiscard]] Lane* front() { return const_cast<Lane*>(std::as_const(*this).front()); }
    [[nodiscard]] Time nextTime(const Lane& lane) const { return snapshot_.time(lane.rows[lane.next]); }
    // Where the log stands in front of the next frame.
    [[nodiscard]] Time logTime() const;
    // How long the run has to wait so that the first frames can be offered before their stamps.
    [[nodiscard]] Time lead() const;
    [[nodiscard]] Time duration(const Lane& lane) const;
    void anchor();

    clock::Scheduler& scheduler_;
    std::vector<bus::Bus*> buses_;
    std::shared_ptr<const database::Catalog> rigCatalog_;
    std::shared_ptr<const trace::Trace> log_;
    std::shared_ptr<const database::Catalog> logCatalog_;
    trace::Snapshot snapshot_;
    trace::TimeIndex order_;
    std::vector<Route> routes_;
    std::vector<Lane> lanes_;  // one for each bus of the rig
    const std::string name_ = "playback";
    bool on_ = true;
    std::uint64_t changes_ = 1;  // but for where it stands
    mutable std::optional<std::vector<SentIdentifier>> sends_;  // once somebody asked, until the rows are others
    std::size_t chosen_ = 0;
    std::size_t errorsLeftOut_ = 0;
    std::vector<std::size_t> chosenByBus_;
    Pace pace_;
    bool loop_ = false;
    bool playing_ = false;
    bus::Listener* views_ = nullptr;
    mutable Rewriting rewriting_;  // draws chance
    Rewritten rewritten_;
    std::uint64_t sent_ = 0;
    std::uint64_t beat_ = 0;  // since the anchor, at a gap
    Time anchorRun_{0};  // run time and log time that belong together
    Time anchorLog_{0};
    Time start_{0};
    Time end_{0};
    std::optional<Time> from_;
    std::optional<Time> to_;
};

}  // namespace wavetrope::drive
