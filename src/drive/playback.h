// SPDX-License-Identifier: GPL-3.0-or-later
// Replay of a log onto the buses of a running rig.
#pragma once

#include <deque>
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

/// Which kinds of frames of a log pass.
struct Kinds {
    bool data = true, fd = true, remote = true;
    [[nodiscard]] bool all() const { return data && fd && remote; }
    friend bool operator==(const Kinds&, const Kinds&) = default;
};

/// What of one bus of the log goes where. Several routes may begin at one bus, or lead to one: a frame goes to a bus once, whatever number of
/// routes brings it there.
struct Route {
    int from = 0;  ///< Bus of the log.
    int to = -1;  ///< Bus of the rig, or -1 for nothing.
    Senders senders = Senders::all;
    std::vector<std::string> nodes{};  ///< Whose frames `only` or `except` means.
    filter::Filter filter{};  ///< Further condition, over the log's own buses.
    Directions directions = Directions::both;
    Kinds kinds{};
};

/// Whenever a frame of an identifier has been on a bus of the rig so many times.
struct Beat {
    std::uint8_t bus = 0;
    can::Identifier id{};
    unsigned every = 1;
    friend bool operator==(const Beat&, const Beat&) = default;
};

/// How fast a log is played.
struct Pace {
    double factor = 1;  ///< Of the recorded pace; 0 as fast as the bus takes frames.
    Time gap{};  ///< Where it is not 0: beat k at the begin + k times it, whatever was recorded.
    std::optional<Beat> beat{};  ///< One frame at each of these, whatever was recorded; before both others.
    friend bool operator==(const Pace&, const Pace&) = default;
};

/// Reads "every 5 ms", or "every 2 BladeState", a message of the rig by its name or BUS.NAME, "every 0x181" the identifier on whichever bus
/// has a message of it; without a number it is each one. Gives a pace with a gap, or with a beat.
[[nodiscard]] Expected<Pace> paceFromText(std::string_view text, const database::Catalog& rig);
/// The same read back; empty where a pace is a factor.
[[nodiscard]] std::string toText(const Pace& pace, const database::Catalog& rig);

/// A frame that was on its bus later than its time.
struct LateFrame {
    Time log{};  ///< Its stamp in the log.
    Time by{};  ///< How much later its last bit was, than its stamp says at the pace.
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
    std::vector<std::size_t> chosenByRoute;  ///< Frames that each route passes.
    std::vector<Route> routes;
    bool finished = false;
    Time gap{};  ///< From beat to beat, where it is fixed; 0: as recorded.
    std::vector<std::string> rewriting;  ///< What is changed on its way, as it was given.
    Rewritten rewritten;
    std::optional<Beat> beat;  ///< At which one frame goes out.
    bool ontoViews = false;  ///< Onto no bus.
    Time loopPause{};
    std::optional<Time> playsAt;  ///< Instant of the run at which it is to begin.
    bool playsTo = false;  ///< It rests by itself where it was told to.
    std::uint64_t late = 0;  ///< Frames later than their time by more than `lateFrom`.
    std::vector<LateFrame> lateFrames;  ///< The newest of them.
};

/// Puts the chosen frames of a log on the buses of a rig, in the order of their time stamps, each at its distance from
/// the first. A stamp is the end of a frame: it is offered so much earlier as it takes on its bus, and the recorded
/// spacing comes back where nobody else wins arbitration. Each bus has a queue of its own, in which frames stand in line:
/// their order is kept at any pace. Frames carry the time of the run. A frame that its bus cannot take yet waits; none is
/// dropped. Error frames are not sent.
class Playback final : public Actor {
public:
    /// A frame is late whose last bit is more than this behind its time.
    static constexpr Time lateFrom = std::chrono::milliseconds(1);

    Playback(clock::Scheduler& scheduler, std::vector<bus::Bus*> buses, std::shared_ptr<const database::Catalog> rigCatalog);
    Playback(const Playback&) = delete;
    Playback& operator=(const Playback&) = delete;

    /// Takes a log; `logCatalog` explains its buses. Everything is routed nowhere until `route` is called. `order` is its
    /// order of time, for a caller that made it where nobody waits.
    void load(std::shared_ptr<const trace::Trace> log, std::shared_ptr<const database::Catalog> logCatalog, trace::TimeIndex order = {});
    [[nodiscard]] bool loaded() const { return log_ != nullptr; }
    [[nodiscard]] const trace::Trace* log() const { return log_.get(); }

    /// Stops playing. Routes from buses that the log has not lead nowhere.
    void route(std::vector<Route> routes);
    [[nodiscard]] const std::vector<Route>& routes() const { return routes_; }
    /// Frames that the routes choose; one that goes to two buses counts twice.
    [[nodiscard]] std::size_t chosen() const { return chosen_; }
    /// Error frames of the buses that are played, which are left out: a bus makes its own.
    [[nodiscard]] std::size_t errorsLeftOut() const { return errorsLeftOut_; }
    [[nodiscard]] const std::vector<std::size_t>& chosenByRoute() const { return chosenByRoute_; }

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
    /// At its end it begins anew, this much later.
    void setLoop(bool loop, Time pause = {})
    {
        loop_ = loop;
        loopPause_ = pause;
        ++changes_;
    }
    [[nodiscard]] bool loop() const { return loop_; }
    /// Limits playing to a stretch of the log; without limits, all of it.
    void setRange(std::optional<Time> from, std::optional<Time> to);

    void play();
    void rest();
    [[nodiscard]] bool playing() const { return playing_; }
    /// Plays from an instant of the run on; one that is past: at once. Nothing: no longer.
    void playAt(std::optional<Time> instant);
    /// Plays, and rests behind the next frame that passes a filter over the log's buses. False where none comes: nothing is done.
    [[nodiscard]] bool playTo(const filter::Filter& filter);
    /// Plays, and rests behind the last frame up to a moment of the log. False where no frame is left up to there.
    [[nodiscard]] bool playTo(Time logTime);
    [[nodiscard]] std::uint64_t late() const { return late_; }
    [[nodiscard]] const std::deque<LateFrame>& lateFrames() const { return lateFrames_; }
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
    // A frame that its bus has taken: when its last bit is due, and its place in the log.
    struct Offered {
        can::Identifier id;
        Time due{}, log{};
    };
    // Hears one bus.
    class Ear final : public bus::Listener {
    public:
        Ear(Playback& playback, std::size_t lane) : playback_(playback), lane_(lane) {}
        void onFrame(const can::FrameView& frame, bus::Port sender) override { playback_.heard(lane_, frame, sender); }

    private:
        Playback& playback_;
        std::size_t lane_;
    };
    using Place = std::pair<Time, trace::Row>;  // of a frame in the order of the log
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
        std::deque<Offered> offered;  // not yet seen on the bus
    };
    [[nodiscard]] const can::Frame& nextFrame(const Lane& lane) const;
    // Whether frames go out one behind the other, whatever their bus.
    [[nodiscard]] bool oneByOne() const { return !byStamp() || views_ != nullptr; }
    [[nodiscard]] bool byStamp() const { return pace_.factor > 0 && pace_.gap.count() == 0 && !pace_.beat; }
    void choose();
    void heard(std::size_t lane, const can::FrameView& frame, bus::Port sender);
    void begin();
    [[nodiscard]] Time dueOf(const Lane& lane) const;
    [[nodiscard]] Place placeOf(const Lane& lane) const { return {nextTime(lane), lane.rows[lane.next]}; }
    // It has come to where it was to rest.
    [[nodiscard]] bool there() const;
    void goTo(Place place);
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
    std::vector<std::unique_ptr<Ear>> ears_;
    const std::string name_ = "playback";
    bool on_ = true;
    std::uint64_t changes_ = 1;  // but for where it stands
    mutable std::optional<std::vector<SentIdentifier>> sends_;  // once somebody asked, until the rows are others
    std::size_t chosen_ = 0;
    std::size_t errorsLeftOut_ = 0;
    std::vector<std::size_t> chosenByRoute_;
    Pace pace_;
    bool loop_ = false;
    Time loopPause_{};
    std::optional<Time> playsAt_;
    clock::Timer begins_;
    std::optional<Place> restsBehind_;
    unsigned beats_ = 0;  // heard since a frame went out by one
    std::uint64_t late_ = 0;
    std::deque<LateFrame> lateFrames_;
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
