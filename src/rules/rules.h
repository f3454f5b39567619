// SPDX-License-Identifier: GPL-3.0-or-later
// Follows conditions and recordings over the frames of a run or log.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <queue>
#include <string>
#include <vector>

#include "can/bit_rate.h"
#include "can/wire_length.h"
#include "filter/filter_stream.h"
#include "rules/load_window.h"
#include "rules/recording_rule.h"

namespace wavetrope::rules {

/// Is told what becomes of the rules. Calls come in the order of time; an instant is that of the rules, which never goes
/// back, while the stamp of a frame may.
class RuleSink {
public:
    virtual ~RuleSink() = default;
    RuleSink() = default;
    RuleSink(const RuleSink&) = delete;
    RuleSink& operator=(const RuleSink&) = delete;

    /// A condition became true, or false; without `stays`.
    virtual void became(std::size_t condition, Time at, bool now) = 0;
    /// A take of a recording begins; `why` names the conditions that changed.
    virtual void takeBegins(std::size_t recording, Time at, const std::string& why) = 0;
    /// It has a frame from before its start. All of these come before its other frames.
    virtual void keepsEarlier(std::size_t recording, trace::Row row) = 0;
    /// It has the frame that was given just now.
    virtual void keeps(std::size_t recording, trace::Row row, const can::FrameView& frame) = 0;
    /// It ends: frames up to that instant belong to it.
    virtual void takeEnds(std::size_t recording, Time at, const std::string& why) = 0;
    /// Stamp of a frame that was given before.
    [[nodiscard]] virtual Time stampOf(trace::Row row) = 0;
};

/// Each frame once, in the order of the run. At one instant come first what time begins, all at once; then the frames, each
/// a step; then what time ends. Rehearsal, live recording and the command line are this.
class Rules {
public:
    /// `rates` are those of the trace's buses, by index.
    Rules(RuleSet rules, std::vector<can::BitRate> rates, RuleSink& sink);
    Rules(const Rules&) = delete;
    Rules& operator=(const Rules&) = delete;

    /// The run begins. A log's run begins with its first stamp.
    void begin(Time origin);
    /// The next frame, with its identifier in the trace.
    void frame(trace::Row row, const can::FrameView& frame, trace::IdentifierIndex identifier, const trace::TraceKey& key);
    /// All frames up to an instant, it included, have come.
    void settle(Time until);
    /// The run or log ends: so do its takes.
    void end(const std::string& why);

    /// @name What comes from elsewhere, at the newest instant or behind it
    ///@{
    void press(const std::string& key, Time at) { say(ConditionKind::key, key, at); }
    void tell(const std::string& word, Time at) { say(ConditionKind::word, word, at); }
    void lose(int bus, Time at);
    void gone(int bus, bool is, Time at);
    void diskNearlyFull(bool is, Time at);
    ///@}
    /// @name By hand, at the newest instant or behind it
    ///@{
    void startByHand(std::size_t recording, Time at);
    void stopByHand(std::size_t recording, Time at);
    ///@}

    /// Asked before every so many instants at which something comes by itself; false ends the following for good. Rules
    /// that come due all the time, over stamps that lie years apart, would otherwise go on for as long.
    void askEvery(std::uint64_t instants, std::function<bool()> goesOn)
    {
        askEvery_ = instants;
        goesOn_ = std::move(goesOn);
    }
    /// Whether it was ended so.
    [[nodiscard]] bool gaveUp() const { return gaveUp_; }

    [[nodiscard]] Time instant() const { return instant_; }
    /// The next instant at which something may come by itself, or `Time::max()`.
    [[nodiscard]] Time next() const
    {
        const Time timers = std::min(beginning_.empty() ? never : beginning_.top().at, ending_.empty() ? never : ending_.top().at);
        return begun_ && open_ ? std::min(instant_, timers) : timers;
    }
    [[nodiscard]] const RuleSet& rules() const { return rules_; }
    /// Whether a condition is true now, without `stays`.
    [[nodiscard]] bool isTrue(std::size_t condition) const { return conditions_[condition].raw; }

    enum class Phase : std::uint8_t { armed, keeps, behind, done };
    /// What a recording is doing.
    struct RecordingState {
        Phase phase = Phase::armed;
        std::uint64_t takes = 0;        ///< Begun so far.
        Time since{};                   ///< Start of the take that goes on.
        Time ends{};                    ///< Of one that is behind its stop, by time.
        std::uint64_t framesLeft = 0;   ///< Of one that is behind its stop, by frames.
        std::uint64_t waiting = 0;      ///< Frames held from before the start.
        Time waitingSince{};
    };
    /// The bus of the frame that made what a condition of frames asks for true last.
    [[nodiscard]] std::uint8_t madeOn(std::size_t condition) const { return conditions_[condition].bus; }
    [[nodiscard]] RecordingState stateOf(std::size_t recording) const;

private:
    static constexpr Time never = Time::max();

    // Something that comes by itself: queued once, and looked at again when that is over.
    struct Due {
        Time at = never;
        Time queued = never;
    };
    enum class What : std::uint8_t { begins, stays, falls, take };
    struct Entry {
        Time at;
        std::uint32_t index;
        What what;
        friend bool operator>(const Entry& a, const Entry& b) { return a.at > b.at; }
    };
    using Queue = std::priority_queue<Entry, std::vector<Entry>, std::greater<>>;

    struct Followed {
        const ConditionRule* rule = nullptr;
        std::unique_ptr<filter::FilterStream> stream;
        std::unique_ptr<LoadWindow> load;
        bool momentary = false;
        bool base = false;          // what the last frame said
        std::uint8_t bus = 0;       // of the frame that made it true
        bool raw = false;           // and for as long as it has to
        bool counts = false;        // or did, not longer ago than it stays
        Due begins;                 // hold time over, silence, after, every
        Due stays;                  // no longer counts
        Due falls;                  // the load
        std::vector<std::uint32_t> recordings;      // that name it
        bool changed = false;       // in this step
    };
    struct Recording {
        explicit Recording(const RecordingRule& of) : rule(&of), keep(of.keep), earlier(of.before) {}
        const RecordingRule* rule;
        filter::FilterStream keep;
        KeptRows earlier;
        bool start = false, stop = false;           // what the expressions said last
        bool running = false, stopping = false, done = false, byHand = false;
        bool dirty = false;
        std::uint64_t framesLeft = 0;               // behind its stop
        std::uint64_t stoppedIn = 0;                // the step
        std::string why{};                          // it is to end
        Due end;
        std::uint64_t takes = 0;
        Time since{};
    };
    // What a frame of an identifier and kind says.
    struct Told {
        std::uint32_t index;
        filter::Verdict verdict;
    };
    struct OfIdentifier {
        bool known = false;
        std::vector<Told> conditions;
        std::vector<filter::Verdict> keep;          // of each recording
    };

    void arrive(Time at);
    void timeBegins();
    void timeEnds();
    void runTimers(Time before);
    void say(ConditionKind kind, const std::string& word, Time at);
    void tellFrame(const Told& told, const can::FrameView& frame);
    void followState(Followed& condition, const can::FrameView& frame);
    void set(std::size_t condition, bool now);
    void moment(std::size_t condition);
    void change(std::size_t condition);
    void evaluate();
    void evaluate(std::size_t recording);
    void beginTake(std::size_t recording, std::string why);
    void stopTake(std::size_t recording, std::string why);
    void endTake(std::size_t recording, const std::string& why);
    [[nodiscard]] Due& dueOf(const Entry& entry);
    void schedule(std::size_t index, What what, Time at);
    template <class Do>
    void popDue(Queue& queue, Do act);
    [[nodiscard]] std::string changesIn(const Terms& terms) const;
    [[nodiscard]] const OfIdentifier& toldBy(trace::IdentifierIndex identifier, const trace::TraceKey& key, can::FrameKind kind);

    RuleSet rules_;
    RuleSink& sink_;
    std::vector<std::optional<can::BitTimes>> times_;   // of each bus, where its rate is known
    std::optional<std::pair<Time, Time>> occupies_;     // the bus, by the frame of this step, once it was asked for
    std::vector<Followed> conditions_;
    std::vector<Recording> recordings_;
    std::vector<OfIdentifier> identifiers_;         // by identifier and kind
    Queue beginning_, ending_;
    std::vector<std::uint32_t> moments_;            // true at this instant alone
    std::vector<std::uint32_t> changed_;            // in this step
    std::vector<std::uint32_t> dirty_;              // recordings whose expressions may say something else
    Time instant_{};
    std::uint64_t step_ = 0;
    std::uint64_t askEvery_ = 0, byItself_ = 0;     // instants
    std::function<bool()> goesOn_;
    bool gaveUp_ = false;
    bool begun_ = false;
    bool open_ = false;                             // what time ends at this instant has not been done
};

}  // namespace wavetrope::rules
