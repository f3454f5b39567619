// SPDX-License-Identifier: GPL-3.0-or-later
// One signal over the whole trace, with levels of detail.
#pragma once

#include <deque>
#include <memory>
#include <mutex>
#include <optional>
#include <vector>

#include "measure/interval_measures.h"
#include "measure/sample_feed.h"
#include "measure/stretch.h"

namespace wavetrope::measure {

/// A signal of a message, or a derived signal, of a growing trace. What is kept of it are stretches of samples, each summed up, and sums of
/// sixteen of them, and of sixteen of these; its samples are read from the trace where they are looked at. One thread brings it up, others
/// may look meanwhile. Moments of points are seconds since an origin.
///
/// Samples stand in the order of time; those of one stamp in the order of the trace. Where stamps go back among them they are kept, since
/// their order is not that of the trace.
class SignalSeries {
public:
    static constexpr std::size_t usualStretch = 96;  ///< Samples of a stretch: one and a half bytes are kept of each.

    SignalSeries(std::shared_ptr<const database::Catalog> catalog, const database::SignalRef& signal, Time origin);
    SignalSeries(std::shared_ptr<const database::Catalog> catalog, std::uint32_t derived, Time origin);
    /// Of a message of a network of vehicles that is too long for a frame: as the messages of the trace have it.
    SignalSeries(std::shared_ptr<const database::Catalog> catalog, const database::SignalRef& signal, Time origin,
        std::shared_ptr<const MessageIndex> messages);
    /// Of a message that is in no catalog, and outlives it.
    SignalSeries(const database::SignalRef& signal, Time origin);
    SignalSeries(const SignalSeries&) = delete;
    SignalSeries& operator=(const SignalSeries&) = delete;

    /// Brings in the frames that a newer snapshot has, of at most `budget` rows. Whether any samples came. For one thread at a time.
    bool update(const trace::Snapshot& snapshot, std::uint64_t budget = ~std::uint64_t{0});
    [[nodiscard]] bool derived() const { return derived_; }
    /// Up to which row samples were brought in.
    [[nodiscard]] trace::Row rows() const;
    /// Whether it has all that can be told of a snapshot by now.
    [[nodiscard]] bool complete(const trace::Snapshot& snapshot) const { return rows() >= reach_.reach(snapshot); }
    /// Samples that have a value.
    [[nodiscard]] std::uint64_t size() const;
    /// Bytes that are kept.
    [[nodiscard]] std::size_t bytes() const;
    /// Sums up twice as many samples to a stretch, so that half as much is kept. What is exact stays so.
    void coarsen();

    /// Samples of a stretch of time as they are, with one in front of it and one behind; NaN where a line through them breaks.
    struct Detail {
        Time from{}, to{};  ///< What it covers.
        std::vector<Time> times;
        std::vector<double> values;
        trace::Row rows = 0;  ///< Of the trace that it is of.
        bool open = false;  ///< What comes behind these rows may lie in it.
        bool whole = true;  ///< Else frames of it were let go: some are missing.
    };
    /// Whether nothing came into what a detail covers that is more than so much newer than all of it.
    [[nodiscard]] bool fresh(const Detail& detail, Time within) const;
    /// Samples in a stretch of time, to within two stretches.
    [[nodiscard]] std::uint64_t about(Time from, Time to) const;
    /// Reads them from the trace; null where `goesOn` ended it.
    [[nodiscard]] std::shared_ptr<const Detail> detail(
        const trace::Snapshot& snapshot, Time from, Time to, const GoesOn& goesOn = {}) const;

    /// The value that holds at a moment: that of the newest sample at or before it; none where that one is not a number.
    [[nodiscard]] std::optional<double> at(const trace::Snapshot& snapshot, Time moment) const;
    /// Whether one came by a moment, and no more than three periods before it: later the value is a thing of the past.
    [[nodiscard]] bool holds(const trace::Snapshot& snapshot, Time moment) const;
    /// Smallest and largest value in a stretch of time. At its ends, those of whole stretches.
    [[nodiscard]] std::optional<std::pair<double, double>> range(Time from, Time to) const;
    /// The same of all that there is.
    [[nodiscard]] std::optional<std::pair<double, double>> range() const;
    /// What lies between two moments, exact.
    [[nodiscard]] IntervalMeasures between(const trace::Snapshot& snapshot, Time from, Time to) const;

    /// What one may want to see of a curve.
    enum class Place : std::uint8_t { change, rise, fall, smallest, largest, gap };
    /// The next such place behind a moment, or with `back` the one before it. Smallest and largest are those of [from, to], the first that
    /// is so. A gap is where nothing came for more than three periods: the value before it. Empty where there is none.
    /// Nothing too where `goesOn` ended it.
    [[nodiscard]] std::optional<Time> next(
        const trace::Snapshot& snapshot, Place place, Time moment, bool back, Time from, Time to, const GoesOn& goesOn = {}) const;
    /// Between two values: what the database promises, else the usual distance; 0 where there are too few.
    [[nodiscard]] Time period() const;
    /// From how long behind a value on it no longer holds: three periods.
    [[nodiscard]] Time silentAfter() const;

    /// A curve as it is drawn.
    struct Points {
        std::vector<double> times, values;  ///< What is not a number breaks the line.
        std::vector<std::pair<double, double>> gaps;  ///< Where nothing came for more than three periods.
        bool single = false;  ///< Each is a sample.
        bool exact = false;  ///< Nothing finer would look otherwise.
    };
    /// Points to draw [from, to] in about `columns` columns: all samples where they are few, else first, smallest, largest and last of
    /// each column, in the order in which a line through them shows all. One value before and behind included. Where none came for more
    /// than three periods, a value holds for one, and a point that is not a number breaks the line. The newest value holds until `now`.
    /// From `detail` where that covers it, else from stretches.
    [[nodiscard]] Points points(Time from, Time to, unsigned columns, Time now, const Detail* detail) const;
    /// Whether stretches are fine enough for so many columns, and no detail is needed.
    [[nodiscard]] bool fineEnough(Time from, Time to, unsigned columns) const;

private:
    using Level = std::deque<Stretch>;
    SignalSeries(std::shared_ptr<const database::Catalog> catalog, SampleFeed feed, Time origin, Time promised);

    void add(std::uint64_t place, Time time, double value);
    void sumUp();
    void tellPeriod();
    void sort(const trace::Snapshot& snapshot, const Samples& newest);
    void merge(const Samples& samples);
    void rebuildFrom(std::size_t place);
    void keepPlace();
    [[nodiscard]] Time usualOrPromised() const { return promised_.count() > 0 ? promised_ : usual_; }
    [[nodiscard]] std::size_t count() const { return levels_[0].size() + (open_.samples > 0 ? 1 : 0); }
    [[nodiscard]] const Stretch& stretch(std::size_t index) const { return index < levels_[0].size() ? levels_[0][index] : open_; }
    [[nodiscard]] std::size_t firstBehind(Time moment) const;
    [[nodiscard]] std::size_t firstAtOrBehind(Time moment) const;
    /// Some stretches summed up; as much of them as one that draws wants.
    [[nodiscard]] Stretch over(std::size_t first, std::size_t last) const;
    [[nodiscard]] Stretch outline(std::size_t first, std::size_t last) const;
    template <class Visit>
    void eachSum(std::size_t first, std::size_t last, Visit visit) const;
    /// Samples of some stretches, with `oneBehind` the first of the next one too; the lock is given back while they are read. `whole` becomes
    /// false where frames that they are of were let go.
    [[nodiscard]] Samples samplesIn(std::unique_lock<std::mutex>& lock, const trace::Snapshot& snapshot, std::size_t first,
        std::size_t last, bool oneBehind, bool& whole, const GoesOn& goesOn = {}) const;
    [[nodiscard]] const SampleFeed* placeFor(trace::Row row, trace::Row gone) const;
    [[nodiscard]] std::optional<std::pair<Time, double>> newestAt(const trace::Snapshot& snapshot, Time moment) const;
    [[nodiscard]] double seconds(Time time) const { return static_cast<double>((time - origin_).count()) * 1e-9; }

    const std::shared_ptr<const database::Catalog> catalog_;
    const Time origin_;
    const bool derived_;
    const Time promised_;  // between two, by the database
    const SampleFeed reach_;  // as it was: up to where can be asked at any time
    SampleFeed feed_;  // of the thread that brings it up
    mutable std::mutex mutex_;  // of all that follows
    SampleFeed reading_;  // at the beginning
    trace::Row rows_ = 0;
    Time lostUpTo_ = Time::min();  // of what was let go before it was begun, or before it was sorted
    std::size_t most_ = usualStretch;  // samples of a stretch
    std::vector<Level> levels_;  // stretches, sums of sixteen of them, and so on
    Stretch open_;  // that goes on
    std::uint64_t size_ = 0;
    std::uint64_t brokenOff_ = 0;  // stretches, by silence or what is not a number
    std::vector<SampleFeed> checkpoints_;  // of a derived one, so that it need not be followed from the beginning
    std::size_t checkpointBytes_ = 0;
    std::uint64_t sinceCheckpoint_ = 0;
    bool sorted_ = false;  // samples_ are all that there are, by time
    Samples samples_;
    Time newest_ = Time::min();  // stamp
    std::vector<Time> firstTimes_;  // of as many as tell the usual distance
    Time usual_{};
};

}  // namespace wavetrope::measure
