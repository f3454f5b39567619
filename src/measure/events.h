// SPDX-License-Identifier: GPL-3.0-or-later
// Moments worth a flag: conditions that came true, missed beats, bursts, error frames.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "filter/condition.h"
#include "measure/load_bins.h"
#include "measure/observer.h"
#include "rules/rules.h"

namespace wavetrope::measure {

/// In the order of the documents; notes and marks are somebody's own.
enum class EventKind : std::uint8_t { condition, range, missedBeats, burst, errorFrame, state, note, mark, dialogue, protocol };
inline constexpr std::size_t eventKindCount = 10;
/// "condition", "range", "beat", "burst", "error", "state", "note", "mark", "dialogue", "protocol".
[[nodiscard]] const char* toText(EventKind kind);

/// Of an event that is on no bus.
inline constexpr std::uint8_t noBus = 255;

struct Event {
    EventKind kind = EventKind::condition;
    Time time{};                        ///< When it began: a hold time, or a silence, counts from its beginning.
    Time until{};                       ///< When it was last seen to hold.
    std::uint8_t bus = 0;
    trace::Row row = trace::noRow;      ///< The frame that showed it.
    std::string text;                   ///< A few words.
    std::uint32_t count = 1;            ///< Beats missed, error frames in a row.
    std::string what{};                 ///< Its name: of a condition, a message, a signal.
    std::string why{};                  ///< What makes it one, in words.
    bool open = false;                  ///< It goes on: `until` is not its end.
};

/// A bus load at or above which a stretch is a burst.
struct BurstRule {
    Time span = std::chrono::milliseconds(20);
    double percent = 80;
};

/// Finds events as frames come, in one pass.
class EventFinder final : public Observer {
public:
    /// `rules` are conditions of other kinds than frames that a filter passes, of buses with these rates; those about which
    /// frames say nothing are noted by whoever knows.
    EventFinder(std::vector<filter::ConditionSpec> conditions, std::shared_ptr<const database::Catalog> catalog, std::size_t buses,
        BurstRule rule = {}, std::vector<rules::ConditionRule> rules = {}, std::vector<can::BitRate> rates = {},
        std::size_t most = mostEvents());
    ~EventFinder() override;

    void take(trace::Row row, trace::IdentifierIndex identifier, const trace::TraceKey& key, const can::FrameView& frame) override;
    /// Looks for bursts in the load of each bus.
    void settle(MeasureState& state, Time newest) override;
    /// Looks for bursts in the bins that are complete at `now`.
    void findBursts(std::uint8_t bus, const LoadBins& bins, Time now);

    /// Messages whose beats have been missing since, each with the beat that came first; they have not come back by `now`.
    [[nodiscard]] std::vector<Event> stillMissing(Time now) const;
    /// Keeps an event, and gives its place; ~0 where there are too many.
    std::size_t note(Event event);
    [[nodiscard]] const std::vector<Event>& events() const { return events_; }
    /// Events that were not kept because there are too many.
    [[nodiscard]] std::uint64_t notKept() const { return notKept_; }
    [[nodiscard]] static constexpr std::size_t mostEvents() { return 100'000; }

private:
    struct Watched {
        filter::Condition condition;
        std::size_t event = 0;
    };
    struct Beat {
        bool known = false;
        Time cycle{};
        const std::string* name = nullptr;
        Time last{};
        bool any = false;
        std::uint8_t bus = 0;
    };
    struct Burst {
        std::int64_t nextBin = 0;
        bool started = false;
        bool open = false;
        std::size_t event = 0;
    };
    class RuleWatch;
    void watchConditions(trace::Row row, trace::IdentifierIndex identifier, const trace::TraceKey& key, const can::FrameView& frame);
    void watchBeats(trace::Row row, trace::IdentifierIndex identifier, const can::FrameView& frame);

    std::vector<Watched> conditions_;
    std::unique_ptr<RuleWatch> watch_;
    std::shared_ptr<const database::Catalog> catalog_;
    BurstRule rule_;
    std::vector<Beat> beats_;
    std::vector<Burst> bursts_;
    std::vector<std::size_t> lastError_;
    std::vector<Event> events_;
    std::uint64_t notKept_ = 0;
    std::size_t most_;
};

}  // namespace wavetrope::measure
