// SPDX-License-Identifier: GPL-3.0-or-later
// The conditions and recordings of a rig in a run.
#pragma once

#include <deque>
#include <memory>
#include <string>
#include <unordered_map>
#include <utility>
#include <vector>

#include "record/take_writer.h"
#include "rig/conditions.h"
#include "rules/rehearsal.h"

namespace wavetrope::rig {

/// Where the takes of a run go.
struct TakesOptions {
    std::string folder;                                 ///< Made where it is missing.
    std::uint64_t leaveFree = std::uint64_t{1} << 30;   ///< The disk is nearly full below so many free bytes.
    std::function<std::uint64_t(const std::string& folder)> freeSpace;  ///< Asks for the free bytes; empty asks the system.
};

/// A condition in a run, for people.
struct ConditionReport {
    std::string name;
    std::string words;              ///< How it reads.
    bool now = false;
    std::uint64_t met = 0;          ///< How often it became true.
    std::optional<Time> last;       ///< When it last was true; while it is: since when.
    bool known = true;
};

/// A recording in a run, for people.
struct TakingReport {
    std::size_t index = 0;          ///< Among the recordings of the rig.
    std::string name;
    rules::Rules::RecordingState state;
    record::WriterReport files;
    std::string words;              ///< "armed: waits for chatter", "keeps: 12.4 s, 41230 frames", "behind the stop for 3.1 s", "done".
    std::string never;              ///< Why it can never start or stop, or empty.
};

/// Follows the rules as frames come, on the thread that drives the run.
class LiveRules final : public rules::RuleSink {
public:
    /// The trace outlives it. Without takes conditions alone are followed.
    /// A recording whose files cannot be written says so, and the run goes on.
    [[nodiscard]] static std::unique_ptr<LiveRules> create(const Rig& rig, CompiledRules compiled, const trace::Trace& trace,
        std::vector<can::BitRate> rates, const std::optional<TakesOptions>& takes);

    /// Is told when playback is to play or to rest. To be set before the rules begin.
    void drivePlayback(std::function<void(bool plays)> driven) { driven_ = std::move(driven); }
    /// Is told of each condition that becomes true, at that instant.
    void heed(std::function<void(const std::string& condition)> heeded) { heeded_ = std::move(heeded); }
    /// Whether they say when playback plays or rests.
    [[nodiscard]] bool drivesPlayback() const { return compiled_.plays || compiled_.rests; }
    /// The next instant at which something may come by itself, or `Time::max()`.
    [[nodiscard]] Time next() const { return rules_->next(); }

    void begin(Time origin);
    /// A frame that the trace has just taken.
    void frame(trace::Row row, const can::FrameView& frame);
    /// The machine's clock was set by so much, forward or back, between the frames so far and those to come. The time of the
    /// rules goes on as it did: a silence is no longer for it, nor does anything come due at once.
    void clockSet(Time by);
    /// All frames up to an instant have come.
    void settle(Time until) { rules_->settle(until); }
    /// Hands what was taken to the system, and looks after the disk. Several times a second.
    void flush(Time now);
    /// The run ends; what was kept stands whole on the disk.
    void end(const std::string& why);

    void press(const std::string& key, Time at) { rules_->press(key, at); }
    void tell(const std::string& word, Time at) { rules_->tell(word, at); }
    void lose(int bus, Time at) { rules_->lose(bus, at); }
    void gone(int bus, bool is, Time at) { rules_->gone(bus, is, at); }
    void start(std::size_t recording, Time at) { rules_->startByHand(recording, at); }
    void stop(std::size_t recording, Time at) { rules_->stopByHand(recording, at); }

    /// Whether a condition holds now; nothing where there is none of that name.
    [[nodiscard]] std::optional<bool> holds(const std::string& name) const;
    [[nodiscard]] std::vector<ConditionReport> conditions() const;
    [[nodiscard]] std::vector<TakingReport> recordings(Time now) const;
    /// Takes that have ended or go on, the newest last; the oldest are forgotten behind many.
    [[nodiscard]] const std::deque<rules::Take>& takes() const { return takes_; }
    /// Their files, of each take those that there were when it ended; some may have been taken away since.
    [[nodiscard]] const std::deque<std::vector<std::string>>& takeFiles() const { return takeFiles_; }
    /// When conditions were true, in the order in which that began; the oldest are forgotten behind many.
    [[nodiscard]] const std::deque<rules::TrueStretch>& stretches() const { return stretches_; }
    /// A condition that became true, for those who list events.
    struct Noted {
        std::string name;
        Time began{};                   ///< A hold time, or a silence, counts from its beginning.
        Time at{};
        std::uint8_t bus = 0;
    };
    /// Which conditions are noted.
    void setNoted(std::vector<bool> which) { noted_ = std::move(which); }
    /// What was noted since it was asked last; the oldest are left out behind many.
    [[nodiscard]] std::vector<Noted> takeNoted() { return std::exchange(fresh_, {}); }
    /// Goes up whenever takes or stretches change.
    [[nodiscard]] std::uint64_t changes() const { return changes_; }

private:
    LiveRules(CompiledRules compiled, const trace::Trace& trace) : compiled_(std::move(compiled)), trace_(trace) {}
    void became(std::size_t condition, Time at, bool now) override;
    void takeBegins(std::size_t recording, Time at, const std::string& why) override;
    void keepsEarlier(std::size_t recording, trace::Row row) override;
    void keeps(std::size_t recording, trace::Row row, const can::FrameView& frame) override;
    void takeEnds(std::size_t recording, Time at, const std::string& why) override;
    Time stampOf(trace::Row row) override;
    [[nodiscard]] Time runTime(trace::Row row, Time stamp);
    [[nodiscard]] Time setBefore(trace::Row row) const;
    rules::Take* current(std::size_t recording);
    // Behind the recordings stand what drives playback.
    [[nodiscard]] bool drives(std::size_t recording) const { return recording >= writers_.size(); }

    struct Facts {
        std::uint64_t met = 0;
        std::optional<Time> last;
        std::uint64_t open = 0;         // its newest stretch, among all
    };
    CompiledRules compiled_;
    const trace::Trace& trace_;
    // From which row on the machine's clock is how far from that of the rules, for it was set.
    std::vector<std::pair<trace::Row, Time>> settings_;
    Time set_{0};                   // the newest of these
    std::vector<trace::Row> late_;  // behind such a row, but stamped before
    TakesOptions options_;
    std::function<void(bool plays)> driven_;
    std::function<void(const std::string& condition)> heeded_;
    std::unique_ptr<rules::Rules> rules_;
    std::unordered_map<std::uint64_t, trace::IdentifierIndex> identifiers_;
    std::vector<Facts> facts_;
    std::vector<bool> noted_;
    std::vector<Noted> fresh_;
    Workers workers_{2};                            // make files whole
    std::vector<std::unique_ptr<record::TakeWriter>> writers_;      // of each recording
    std::vector<std::string> never_;
    std::deque<rules::Take> takes_;
    std::deque<std::vector<std::string>> takeFiles_;    // of each of these
    std::uint64_t forgotten_ = 0;                   // takes, from the front
    std::vector<std::uint64_t> newest_;             // of each recording: the number of its newest take among all
    std::deque<rules::TrueStretch> stretches_;
    std::uint64_t stretchesForgotten_ = 0, changes_ = 0;
    std::vector<std::string> problems_;             // of each recording, where it has no writer
    bool nearlyFull_ = false;
    int untilDisk_ = 0;
};

}  // namespace wavetrope::rig
