// SPDX-License-Identifier: GPL-3.0-or-later
// A curve with its levels of detail against all of its samples.
#include <QTest>

#include <algorithm>
#include <atomic>
#include <functional>
#include <map>
#include <thread>

#include "made_traffic.h"
#include "measure/recent_curve.h"
#include "measure/series_keeper.h"
#include "sanitized.h"

using namespace wavetrope;
using namespace wavetrope::measure;
using test::fill, test::inputNames, test::madeCatalog, test::start;

namespace {

bool alike(double a, double b)
{
    return a == b || std::abs(a - b) <= 1e-9 * std::max({1.0, std::abs(a), std::abs(b)}) || (std::isnan(a) && std::isnan(b));
}

bool alike(const std::optional<double>& a, const std::optional<double>& b)
{
    return a.has_value() == b.has_value() && (!a || alike(*a, *b));
}

// All samples by time, and what is told of them by looking at each.
struct Plain {
    std::vector<Time> times;
    std::vector<double> values;

    explicit Plain(const Samples& samples)
    {
        std::vector<std::size_t> order(samples.size());
        for (std::size_t i = 0; i < order.size(); ++i)
            order[i] = i;
        std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return samples.times[a] < samples.times[b]; });
        for (const std::size_t at : order) {
            if (times.empty() && !std::isfinite(samples.values[at]))
                continue;       // in front of the first value there is nothing to break
            times.push_back(samples.times[at]);
            values.push_back(samples.values[at]);
        }
    }
    [[nodiscard]] std::optional<double> at(Time moment) const
    {
        std::optional<double> out;
        for (std::size_t i = 0; i < times.size() && times[i] <= moment; ++i)
            out = std::isfinite(values[i]) ? std::optional(values[i]) : std::nullopt;
        return out;
    }
    [[nodiscard]] std::optional<Time> next(SignalSeries::Place place, Time moment, bool back, Time from, Time to, Time silent) const
    {
        using Place = SignalSeries::Place;
        std::optional<Time> found;
        std::optional<double> best;
        std::optional<std::size_t> before;
        for (std::size_t i = 0; i < times.size(); ++i) {
            if (!std::isfinite(values[i])) {
                if (place != Place::gap)
                    before.reset();
                continue;
            }
            if (place == Place::smallest || place == Place::largest) {
                const double value = place == Place::smallest ? -values[i] : values[i];
                if (times[i] >= from && times[i] <= to && (!best || value > *best)) {
                    best = value;
                    found = times[i];
                }
                continue;
            }
            const bool is = before
                            && (place == Place::change ? values[i] != values[*before]
                                : place == Place::rise ? values[i] > values[*before]
                                : place == Place::fall ? values[i] < values[*before]
                                                       : silent != Time::max() && times[i] - times[*before] > silent);
            const Time at = is ? (place == Place::gap ? times[*before] : times[i]) : Time{};
            before = i;
            if (is && (back ? at < moment : at > moment) && (!found || back))
                found = at;
        }
        return found;
    }
};

}  // namespace

class SeriesTest : public QObject {
    Q_OBJECT

    // Everything that is told, beside what all samples say.
    static void compare(
        const SignalSeries& series, const trace::Snapshot& snapshot, const Samples& samples, std::mt19937& random, int looks)
    {
        const Plain plain(samples);
        const auto finite = static_cast<std::uint64_t>(
            std::count_if(plain.values.begin(), plain.values.end(), [](double value) { return std::isfinite(value); }));
        QCOMPARE(series.size(), finite);
        const auto all = series.range();
        QCOMPARE(all.has_value(), finite > 0);
        const Time span = snapshot.latest() - start + std::chrono::milliseconds(40);
        const auto moment = [&] {
            // Often a stamp itself, since ends are included.
            if (!plain.times.empty() && random() % 2 == 0)
                return plain.times[random() % plain.times.size()];
            return start - std::chrono::milliseconds(20) + Time(static_cast<std::int64_t>(random()) * 997 % span.count());
        };
        for (int look = 0; look < looks; ++look) {
            const Time a = moment();
            const Time b = moment();
            const Time from = std::min(a, b);
            const Time to = std::max(a, b);
            QVERIFY(alike(series.at(snapshot, a), plain.at(a)));
            const IntervalMeasures found = series.between(snapshot, from, to);
            const IntervalMeasures wanted = measured(samples, from, to);
            QCOMPARE(found.samples, wanted.samples);
            QCOMPARE(found.changes, wanted.changes);
            QCOMPARE(found.counted, wanted.counted);
            if (wanted.samples > 0) {
                QCOMPARE(found.first, wanted.first);
                QCOMPARE(found.last, wanted.last);
                QCOMPARE(found.smallest, wanted.smallest);
                QCOMPARE(found.largest, wanted.largest);
                QVERIFY(found.firstAt == wanted.firstAt && found.lastAt == wanted.lastAt);
            }
            QVERIFY(alike(found.mean, wanted.mean) && alike(found.rms, wanted.rms) && alike(found.integral, wanted.integral));
            QVERIFY(alike(found.slope, wanted.slope) && alike(found.atFrom, wanted.atFrom) && alike(found.atTo, wanted.atTo));
            // A deviation is a difference of what is as large as the values are.
            const double size = wanted.samples > 0 ? std::max(std::abs(wanted.smallest), std::abs(wanted.largest)) : 0;
            QVERIFY(alike(found.deviation, wanted.deviation) || std::abs(*found.deviation - *wanted.deviation) <= 1e-7 * size);
            // What is drawn of it: nothing hidden, nothing made up.
            const auto detail = series.detail(snapshot, from, to);
            const auto first = std::lower_bound(plain.times.begin(), plain.times.end(), from) - plain.times.begin();
            const auto last = std::upper_bound(plain.times.begin(), plain.times.end(), to) - plain.times.begin();
            const auto behind = std::min<std::ptrdiff_t>(last + 1, static_cast<std::ptrdiff_t>(plain.times.size()));
            const auto begins = std::lower_bound(detail->times.begin(), detail->times.end(), from) - detail->times.begin();
            QVERIFY(first == 0 ? begins == 0 : begins == 1 && detail->times[0] == plain.times[static_cast<std::size_t>(first - 1)]);
            std::size_t at = static_cast<std::size_t>(begins);
            for (auto i = static_cast<std::size_t>(first); i < static_cast<std::size_t>(last); ++i, ++at)
                QVERIFY(at < detail->times.size() && detail->times[at] == plain.times[i]
                        && (detail->values[at] == plain.values[i] || (std::isnan(detail->values[at]) && !std::isfinite(plain.values[i]))));
            QCOMPARE(detail->times.size() - at, static_cast<std::size_t>(behind - last));
            if (to == from)
                continue;
            for (const bool fine : {true, false}) {
                const unsigned columns = 1 + static_cast<unsigned>(random() % 200);
                const auto points = series.points(from, to, columns, snapshot.latest(), fine ? detail.get() : nullptr);
                QVERIFY(points.times.size() <= 13UL * columns + 20);
                QCOMPARE(points.times.size(), points.values.size());
                double low = HUGE_VAL;
                double high = -HUGE_VAL;
                for (const double value : points.values)
                    if (!std::isnan(value)) {
                        low = std::min(low, value);
                        high = std::max(high, value);
                    }
                if (wanted.samples > 0)
                    QVERIFY(low <= wanted.smallest && high >= wanted.largest);
                QVERIFY(points.values.empty() || (low >= all->first && high <= all->second));
                if (fine)
                    QVERIFY(points.exact && std::is_sorted(points.times.begin(), points.times.end()));
            }
            using Place = SignalSeries::Place;
            for (const Place place : {Place::change, Place::rise, Place::fall, Place::smallest, Place::largest, Place::gap}) {
                const bool back = random() % 2 == 0;
                const auto there = series.next(snapshot, place, a, back, from, to);
                const auto wantedThere = plain.next(place, a, back, from, to, series.silentAfter());
                QVERIFY2(there == wantedThere, qPrintable(QStringLiteral("place %1, back %2: %3 and not %4")
                                                       .arg(static_cast<int>(place))
                                                       .arg(back)
                                                       .arg(there ? (*there - start).count() : -1)
                                                       .arg(wantedThere ? (*wantedThere - start).count() : -1)));
            }
        }
    }

private Q_SLOTS:
    void agreesWithAllSamples_data()
    {
        QTest::addColumn<int>("frames");
        QTest::addColumn<int>("rounds");
        QTest::newRow("few") << 300 << test::some(80, 15);
        QTest::newRow("some") << 6'000 << test::some(15, 3);
        QTest::newRow("many") << test::some(220'000, 40'000) << 1;
    }
    void agreesWithAllSamples()
    {
        QFETCH(int, frames);
        QFETCH(int, rounds);
        std::mt19937 random(71);
        for (int round = 0; round < rounds; ++round) {
            trace::Trace trace;
            const bool disorder = round % 3 == 2;
            auto catalog = madeCatalog();
            catalog->derive({{"Error", "Front.Two.A - mean(Front.Two.B, 300 ms)", "mm", {}, {}, ""},
                {"Way", "integral(Error) / round(Rear.Two.A / 60)", "", {}, {}, ""}});
            std::vector<std::unique_ptr<SignalSeries>> all;
            for (const std::string& name : inputNames)
                all.push_back(std::make_unique<SignalSeries>(catalog, *catalog->findSignal(name), start));
            for (const std::uint32_t derived : {0U, 1U})
                all.push_back(std::make_unique<SignalSeries>(catalog, derived, start));
            // Brought in as the trace grows, in pieces.
            fill(trace, random, frames, disorder);
            for (trace::Row row = 0; row < trace.rows();) {
                row = std::min<trace::Row>(trace.rows(), row + 1 + random() % (static_cast<unsigned>(frames) / 3));
                for (const auto& series : all)
                    series->update(trace::Snapshot(trace, row), 1 + random() % static_cast<unsigned>(frames));
            }
            const trace::Snapshot snapshot = trace.snapshot();
            for (std::size_t i = 0; i < all.size(); ++i) {
                while (!all[i]->complete(snapshot))
                    all[i]->update(snapshot, 50'000);
                if (random() % 4 == 0)
                    all[i]->coarsen();
                const Samples samples = i < inputNames.size()
                                            ? samplesOf(snapshot, *catalog, *catalog->findSignal(inputNames[i]))
                                            : derivedSamples(snapshot, *catalog, static_cast<std::uint32_t>(i - inputNames.size()));
                QVERIFY(frames < 1000 || samples.size() > 100);
                compare(*all[i], snapshot, samples, random, frames > 100'000 ? 40 : 12);
                if (QTest::currentTestFailed()) {
                    qWarning("round %d, signal %zu, disorder %d", round, i, disorder);
                    return;
                }
            }
        }
    }

    // Brought up step by step while the series lags behind, it says what all samples of its span say.
    void theLastWhileIsKeptUp()
    {
        std::mt19937 random(23);
        const auto catalog = madeCatalog();
        for (int round = 0; round < 12; ++round) {
            trace::Trace trace;
            fill(trace, random, 3000, false);
            const trace::Snapshot snapshot = trace.snapshot();
            const database::SignalRef ref = *catalog->findSignal(inputNames[3 + random() % 2]);
            SignalSeries series(catalog, ref, start);
            const Plain plain(samplesOf(snapshot, *catalog, ref));
            const Time span = std::chrono::milliseconds(500 + random() % 4000), width = std::chrono::milliseconds(1 + random() % 60);
            const double limit = static_cast<double>(static_cast<int>(random() % 100) - 50);
            const auto side = [limit](double value) { return value < limit ? 0.0 : 1.0; };
            RecentCurve curve(span, width, side);
            for (trace::Row row = 0; row < snapshot.rows();) {
                row = std::min<trace::Row>(snapshot.rows(), row + 1 + random() % 200);
                while (row < snapshot.rows() && snapshot.time(row) == snapshot.time(row - 1))
                    ++row;      // frames of one stamp come together
                (void)series.update(snapshot, row - series.rows());
                // The cursor is ahead of what was brought in, or goes back now and then.
                const Time to = snapshot.time(row - 1) + std::chrono::milliseconds(random() % 30);
                if (random() % 15 == 0)
                    curve.follow(series, snapshot, to - std::chrono::milliseconds(300));
                curve.follow(series, snapshot, to);
                const Time known = snapshot.time(row - 1);
                std::vector<std::size_t> in;        // of the span, with the one before it
                for (std::size_t i = 0; i < plain.times.size() && plain.times[i] <= known; ++i)
                    if (std::isfinite(plain.values[i])) {
                        if (plain.times[i] <= to - span)
                            in.clear();
                        in.push_back(i);
                    }
                const auto range = curve.range(to - span);
                QCOMPARE(range.has_value(), !in.empty());
                if (in.empty())
                    continue;
                // To within a column in front of the span.
                double low = plain.values[in.front()], high = low;
                for (const std::size_t i : in) {
                    low = std::min(low, plain.values[i]);
                    high = std::max(high, plain.values[i]);
                }
                double widerLow = low, widerHigh = high;
                for (std::size_t i = 0; i < plain.times.size() && plain.times[i] <= known; ++i)
                    if (plain.times[i] > plain.times[in.front()] - width && std::isfinite(plain.values[i])) {
                        widerLow = std::min(widerLow, plain.values[i]);
                        widerHigh = std::max(widerHigh, plain.values[i]);
                    }
                QVERIFY(range->first <= low && range->first >= widerLow && range->second >= high && range->second <= widerHigh);
                // Since when it is on this side of the limit.
                const double now = side(plain.values[in.back()]);
                std::size_t first = in.back();
                bool other = false;
                for (std::size_t i = first + 1; i-- > 0 && !other;)
                    if (std::isfinite(plain.values[i])) {
                        other = side(plain.values[i]) != now;
                        first = other ? first : i;
                    }
                const auto [from, open] = curve.since();
                if (plain.times[first] > to - span) {
                    QVERIFY(!open || !other);
                    QCOMPARE(from, plain.times[first]);
                } else {
                    QVERIFY(from <= to - span + width);
                }
                // What is drawn ends with the newest value, in the order of time, and shows the smallest and the largest.
                std::vector<std::pair<Time, double>> points;
                curve.points(series, to - span, points);
                QVERIFY(!points.empty());
                double drawnLow = 1e9, drawnHigh = -1e9;
                for (std::size_t i = 0; i < points.size(); ++i) {
                    QVERIFY(i == 0 || points[i].first >= points[i - 1].first);
                    if (std::isfinite(points[i].second)) {
                        drawnLow = std::min(drawnLow, points[i].second);
                        drawnHigh = std::max(drawnHigh, points[i].second);
                    }
                }
                QVERIFY(drawnLow <= low && drawnHigh >= high && drawnLow >= widerLow && drawnHigh <= widerHigh);
            }
        }
    }

    // Who looks may have a snapshot that is older than what was brought in meanwhile.
    void anOlderSnapshotIsNoTrap()
    {
        std::mt19937 random(79);
        const auto catalog = madeCatalog()->withDerived({{"Error", "Front.Two.A - mean(Front.Two.B, 300 ms)", "mm", {}, {}, ""}});
        for (int round = 0; round < test::some(60, 4); ++round) {
            trace::Trace trace;
            fill(trace, random, 3000, false);
            const trace::Snapshot whole = trace.snapshot();
            const trace::Snapshot older(trace, 1 + random() % trace.rows());
            SignalSeries plain(catalog, *catalog->findSignal("Front.Two.A"), start);
            SignalSeries derived(catalog, 0U, start);
            for (SignalSeries* series : {&plain, &derived}) {
                series->update(whole);
                const Time last = older.latest();
                for (int look = 0; look < 20; ++look) {
                    const Time a = start + Time(static_cast<std::int64_t>(random() % 1000) * (last - start).count() / 1000);
                    const Time b = start + Time(static_cast<std::int64_t>(random() % 1000) * (last - start).count() / 1000);
                    const Time from = std::min(a, b), to = std::max(a, b);
                    for (const bool back : {false, true})
                        for (const auto place : {SignalSeries::Place::rise, SignalSeries::Place::fall, SignalSeries::Place::change,
                                 SignalSeries::Place::gap, SignalSeries::Place::smallest, SignalSeries::Place::largest}) {
                            const auto found = series->next(older, place, a, back, from, to);
                            const auto wanted = series->next(whole, place, a, back, from, to);
                            // Of what the older one has, the same; where a gap ends may lie behind it.
                            QVERIFY(!found || *found >= start);
                            if (place != SignalSeries::Place::gap && wanted && *wanted < last
                                && (back || place == SignalSeries::Place::smallest || place == SignalSeries::Place::largest))
                                QVERIFY(found == wanted);
                        }
                    QCOMPARE(series->between(older, from, to).samples, series->between(whole, from, to).samples);
                    QVERIFY(alike(series->at(older, from), series->at(whole, from)));
                    (void)series->points(from, to, 100, last, series->detail(older, from, to).get());
                }
                // What is told to end ends.
                int asked = 0;
                (void)series->next(whole, SignalSeries::Place::gap, start, false, start, last, [&asked] { return ++asked < 2; });
                QVERIFY(asked <= 2);
            }
        }
    }

    // Where stamps are in order, two bytes are kept of a sample at most, and half as much behind each coarsening.
    void littleIsKept()
    {
        const auto catalog = madeCatalog();
        trace::Trace trace;
        trace.addBus({"Front", {500'000, 0}});
        can::Frame frame;
        frame.id = {258, false};
        frame.length = frame.dlc = 2;
        constexpr int samples = 500'000;
        for (int i = 0; i < samples; ++i) {
            frame.time = start + std::chrono::milliseconds(i);
            frame.data[0] = static_cast<std::uint8_t>(i % 251);
            trace.append(frame.view());
        }
        auto derivedCatalog = madeCatalog();
        derivedCatalog->derive({{"Mean", "mean(Front.Two.A, 200 ms)", "", {}, {}, ""}});
        SignalSeries series(catalog, *catalog->findSignal("Front.Two.A"), start);
        SignalSeries mean(derivedCatalog, 0U, start);
        series.update(trace.snapshot());
        mean.update(trace.snapshot());
        QCOMPARE(series.size(), std::uint64_t{samples});
        QVERIFY2(series.bytes() < 2 * std::size_t{samples}, qPrintable(QString::number(series.bytes())));
        QVERIFY2(mean.bytes() < 3 * std::size_t{samples}, qPrintable(QString::number(mean.bytes())));
        const std::size_t before = series.bytes();
        const Time from = start + std::chrono::milliseconds(12'345);
        const Time to = start + std::chrono::milliseconds(456'789);
        const IntervalMeasures exact = series.between(trace.snapshot(), from, to);
        series.coarsen();
        QVERIFY(series.bytes() < before * 6 / 10);
        const IntervalMeasures coarse = series.between(trace.snapshot(), from, to);
        QCOMPARE(coarse.samples, exact.samples);
        QVERIFY(alike(coarse.mean, exact.mean) && alike(coarse.deviation, exact.deviation));
    }

    // What was let go is no longer read; what was summed up of it stays.
    void rowsThatWereLetGo()
    {
        struct Nowhere final : trace::SegmentStore {
            std::unique_ptr<trace::Segment> load(std::size_t) override { return nullptr; }
        } nowhere;
        const auto catalog = madeCatalog();
        const auto ref = *catalog->findSignal("Front.Two.A");
        trace::Trace trace;
        trace.boundTo(1U << 30U, nowhere);
        std::mt19937 random(73);
        fill(trace, random, 300'000, false);
        SignalSeries series(catalog, ref, start);
        series.update(trace.snapshot());
        const Samples samples = samplesOf(trace.snapshot(), *catalog, ref);
        const Plain plain(samples);
        const Time from = start + std::chrono::seconds(1);
        const IntervalMeasures wanted = measured(samples, from, trace.snapshot().latest());
        QVERIFY(trace.residence()->letGoOldest() == 0 && trace.residence()->letGoOldest() == 1);
        QVERIFY(trace.isGone(0) && trace.isGone(trace::segmentRows) && !trace.isGone(2 * trace::segmentRows));
        // As far as whole stretches go.
        const auto points = series.points(from, trace.snapshot().latest(), 300, trace.snapshot().latest(), nullptr);
        QVERIFY(*std::max_element(points.values.begin(), points.values.end()) >= wanted.largest);
        const auto all = series.range();
        QVERIFY(all && all->first <= wanted.smallest && all->second >= wanted.largest);
        for (int look = 0; look < 200; ++look) {
            const trace::Row row = random() % trace.rows();
            const Time moment = trace.isGone(row) ? start + Time(static_cast<std::int64_t>(random() % 1'000'000'000))
                                                  : trace.snapshot().time(row);
            const auto value = series.at(trace.snapshot(), moment);
            if (value || moment > trace.snapshot().time(2 * trace::segmentRows + 3000))
                QVERIFY(alike(value, plain.at(moment)));
        }
        const Time kept = trace.snapshot().time(2 * trace::segmentRows + 3000);
        const IntervalMeasures found = series.between(trace.snapshot(), kept, trace.snapshot().latest());
        QCOMPARE(found.samples, measured(samples, kept, trace.snapshot().latest()).samples);
    }

    // A run that goes on while the oldest of it is let go: what is told is exact or says that it is not whole, never less in silence.
    void aRunThatGoesOnWhileRowsAreLetGo_data()
    {
        QTest::addColumn<int>("inOrder");       // segments
        if (!test::sanitized) {
            QTest::newRow("in order") << 6;
            QTest::newRow("out of order") << 0;
        }
        QTest::newRow("out of order later on") << 4;
    }
    void aRunThatGoesOnWhileRowsAreLetGo()
    {
        QFETCH(int, inOrder);
        const bool disorder = inOrder < 6;
        struct Nowhere final : trace::SegmentStore {
            std::unique_ptr<trace::Segment> load(std::size_t) override { return nullptr; }
        } nowhere;
        std::mt19937 random(90 + static_cast<unsigned>(inOrder));
        const auto catalog = madeCatalog()->withDerived({{"Error", "Front.Two.A - mean(Front.Two.B, 300 ms)", "mm", {}, {}, ""},
            {"Way", "integral(Error) / round(Rear.Two.A / 60)", "", {}, {}, ""}, {"Often", "count(Front.Two.A > 100)", "", {}, {}, ""}});
        trace::Trace source;        // nothing of it is let go
        if (inOrder > 0)
            fill(source, random, inOrder * static_cast<int>(trace::segmentRows) - 30'000, false);
        if (inOrder < 6) {
            trace::Trace behind;
            fill(behind, random, (6 - inOrder) * static_cast<int>(trace::segmentRows) - 30'000, true);
            const Time by = inOrder > 0 ? source.snapshot().latest() - start : Time{0};
            if (inOrder == 0)
                for (const char* bus : {"Front", "Rear"})
                    source.addBus({bus, {500'000, 2'000'000}});
            for (trace::Row row = 0; row < behind.rows(); ++row) {
                can::FrameView frame = behind.snapshot().frame(row);
                frame.time += by;
                source.append(frame);
            }
        }
        trace::Trace live;
        live.boundTo(1, nowhere);
        for (const char* bus : {"Front", "Rear"})
            live.addBus({bus, {500'000, 2'000'000}});

        struct Curve {
            std::unique_ptr<SignalSeries> series;
            std::function<Samples(const trace::Snapshot&)> samples;     // all of a snapshot's
            bool derived = false;
        };
        const auto curves = [&] {
            std::vector<Curve> out;
            for (const char* name : {"Front.Two.A", "Front.Real.Temperature", "Front.Flows.Left"})
                out.push_back({std::make_unique<SignalSeries>(catalog, *catalog->findSignal(name), start),
                    [&catalog, name = std::string(name)](
                        const trace::Snapshot& all) { return samplesOf(all, *catalog, *catalog->findSignal(name)); },
                    false});
            for (std::uint32_t derived = 0; derived < 3; ++derived)
                out.push_back({std::make_unique<SignalSeries>(catalog, derived, start),
                    [&catalog, derived](const trace::Snapshot& all) { return derivedSamples(all, *catalog, derived); }, true});
            return out;
        };
        std::vector<Curve> early = curves(), late;
        std::unique_ptr<trace::Trace> tail;         // what those that come late can know
        trace::Row tailFrom = 0;
        std::map<std::string, std::size_t> told;

        const auto look = [&](const Curve& curve, const trace::Snapshot& all, trace::Row firstRow, trace::Row gone) {
            const SignalSeries& series = *curve.series;
            const trace::Snapshot snapshot = live.snapshot();
            const Samples samples = curve.samples(all);
            const Plain plain(samples);
            // From here on nothing is let go; of a derived one, it is followed from the next place on.
            Time lost = Time::min();
            if (firstRow > 0)
                lost = all.time(0) - Time(1);       // before it was begun
            for (std::size_t i = 0; i < samples.size(); ++i)
                if (samples.rows[i] + firstRow < gone)
                    lost = std::max(lost, samples.times[i]);
            constexpr std::size_t placesApart = 4 * 8192;         // as many as its functions remember bytes, at most
            const auto after = static_cast<std::size_t>(
                std::upper_bound(plain.times.begin(), plain.times.end(), lost) - plain.times.begin());
            const std::size_t from0 = after + (curve.derived && lost != Time::min() ? placesApart : 0);
            const Time readable = lost == Time::min() ? lost : from0 < plain.times.size() ? plain.times[from0] : Time::max();
            const Time last = snapshot.latest();
            const Time span = last - start;
            for (int i = 0; i < test::some(10, 2); ++i) {
                const auto moment = [&] {
                    return random() % 3 == 0 && lost > start && lost < last
                               ? lost + Time(static_cast<std::int64_t>(random() % 2'000'000'000) - 300'000'000)
                               : start + Time(static_cast<std::int64_t>(random()) * 997 % span.count());
                };
                const Time a = moment(), b = moment();
                const Time from = std::min(a, b), to = std::max(a, b);
                if (const auto value = series.at(snapshot, a); value || a >= readable)
                    QVERIFY2(alike(value, plain.at(a)), "at");
                const IntervalMeasures found = series.between(snapshot, from, to);
                QVERIFY(found.whole || from < readable);
                if (!found.whole) {
                    ++told["not whole"];
                } else {
                    ++told[from > lost ? "whole of what is there" : "whole of what was let go"];
                    const IntervalMeasures wanted = measured(samples, from, to);
                    if (found.samples != wanted.samples)
                        qWarning() << curve.derived << firstRow << gone << (from - start).count() << (lost - start).count() << series.size()
                                   << samples.size();
                    QCOMPARE(found.samples, wanted.samples);
                    QCOMPARE(found.changes, wanted.changes);
                    QVERIFY(found.firstAt == wanted.firstAt && found.lastAt == wanted.lastAt);
                    QVERIFY(alike(found.smallest, wanted.smallest) && alike(found.largest, wanted.largest));
                    QVERIFY(alike(found.mean, wanted.mean) && alike(found.integral, wanted.integral) && alike(found.atTo, wanted.atTo));
                }
                const auto detail = series.detail(snapshot, from, to);
                QVERIFY(detail->whole || from < readable);
                if (detail->whole) {
                    const auto inside = [&](const std::vector<Time>& times) {
                        return std::upper_bound(times.begin(), times.end(), to) - std::lower_bound(times.begin(), times.end(), from);
                    };
                    QCOMPARE(inside(detail->times), inside(plain.times));
                }
                // Nothing that was summed up is hidden, whether it can still be read or not.
                if (!disorder && to > from) {
                    const auto points = series.points(from, to, 100, last, detail.get());
                    const IntervalMeasures wanted = measured(samples, from, to);
                    double low = HUGE_VAL, high = -HUGE_VAL;
                    for (const double value : points.values)
                        if (!std::isnan(value)) {
                            low = std::min(low, value);
                            high = std::max(high, value);
                        }
                    if (wanted.samples > 0)
                        QVERIFY(low <= wanted.smallest && high >= wanted.largest);
                }
                if (a >= readable)
                    for (const auto where : {SignalSeries::Place::change, SignalSeries::Place::rise, SignalSeries::Place::fall})
                        QVERIFY(series.next(snapshot, where, a, false, from, to)
                                == plain.next(where, a, false, from, to, series.silentAfter()));
            }
            // All of it is summed up, unless it had to be sorted behind that.
            const IntervalMeasures everything = series.between(snapshot, start - std::chrono::seconds(1), last);
            QVERIFY(firstRow > 0 ? !everything.whole : disorder || everything.whole);
            if (everything.whole)
                QCOMPARE(everything.samples, measured(samples, start - std::chrono::seconds(1), last).samples);
        };

        trace::Row gone = 0;
        trace::Row sinceLook = 0;
        while (live.rows() < source.rows()) {
            const trace::Row end = std::min<trace::Row>(source.rows(), live.rows() + 1 + random() % 40'000);
            sinceLook += end - live.rows();
            for (trace::Row row = live.rows(); row < end; ++row) {
                const can::FrameView frame = source.snapshot().frame(row);
                live.append(frame);
                if (tail)
                    tail->append(frame);
            }
            for (std::vector<Curve>* all : {&early, &late})
                for (Curve& curve : *all)
                    while (!curve.series->complete(live.snapshot()))
                        curve.series->update(live.snapshot(), 1 + random() % 60'000);
            while (random() % 2 == 0 && gone + 2 * trace::segmentRows < live.rows())
                if (live.residence()->letGoOldest() * trace::segmentRows == gone)
                    gone += trace::segmentRows;
            if (random() % 2 == 0)
                live.residence()->relieve();        // some time later they leave memory
            if (!tail && gone > 0) {
                tail = std::make_unique<trace::Trace>();
                for (const char* bus : {"Front", "Rear"})
                    tail->addBus({bus, {500'000, 2'000'000}});
                for (tailFrom = gone; tail->rows() + tailFrom < live.rows();)
                    tail->append(source.snapshot().frame(tailFrom + tail->rows()));
                late = curves();
                for (Curve& curve : late)
                    while (!curve.series->complete(live.snapshot()))
                        curve.series->update(live.snapshot(), 50'000);
            }
            if (sinceLook < trace::segmentRows && live.rows() < source.rows())
                continue;
            sinceLook = 0;
            for (const Curve& curve : early) {
                look(curve, trace::Snapshot(source, live.rows()), 0, gone);
                if (QTest::currentTestFailed())
                    return;
            }
            for (const Curve& curve : late) {
                look(curve, tail->snapshot(), tailFrom, gone);
                if (QTest::currentTestFailed())
                    return;
            }
        }
        QVERIFY(gone >= 2 * trace::segmentRows && !late.empty());
        QVERIFY2(told["not whole"] > 0 && told["whole of what is there"] > 10 && (told["whole of what was let go"] > 5 || inOrder == 4),
            qPrintable(QStringLiteral("%1 %2 %3")
                    .arg(told["not whole"])
                    .arg(told["whole of what is there"])
                    .arg(told["whole of what was let go"])));
    }

    // Others look while it is brought up.
    void manyLookWhileOneBringsItUp()
    {
        const auto catalog = madeCatalog();
        trace::Trace trace;
        std::mt19937 random(79);
        fill(trace, random, 60'000, true);
        SignalSeries series(catalog, *catalog->findSignal("Front.Two.A"), start);
        std::atomic<bool> over{false};
        std::vector<std::thread> others;
        std::atomic<unsigned> looked{0};
        for (int i = 0; i < 2; ++i)
            others.emplace_back([&, i] {
                std::mt19937 own(static_cast<unsigned>(i));
                while (!over) {
                    const Time at = start + std::chrono::milliseconds(own() % 300'000);
                    const trace::Snapshot snapshot = trace.snapshot();
                    (void)series.at(snapshot, at);
                    (void)series.between(snapshot, at, at + std::chrono::seconds(10));
                    const auto detail = series.detail(snapshot, at, at + std::chrono::seconds(2));
                    (void)series.points(at, at + std::chrono::seconds(2), 100, at, detail.get());
                    ++looked;
                }
            });
        while (!series.complete(trace.snapshot()))
            series.update(trace.snapshot(), 500);
        while (looked < 50)
            std::this_thread::yield();
        over = true;
        for (std::thread& other : others)
            other.join();
        compare(series, trace.snapshot(), samplesOf(trace.snapshot(), *catalog, *catalog->findSignal("Front.Two.A")), random, 20);
    }

    // Those that are looked at come up, with the samples of a window that needs them; nobody looks: it rests. Within their bound.
    void curvesComeUpWhileSomebodyLooks()
    {
        const auto catalog = madeCatalog();
        trace::Trace trace;
        std::mt19937 random(83);
        fill(trace, random, test::some(400'000, 60'000), false);
        const trace::Snapshot snapshot = trace.snapshot();
        std::atomic<unsigned> news{0};
        SeriesKeeper keeper(2, [&news] { ++news; });
        QVERIFY(keeper.idle());
        std::vector<std::shared_ptr<SignalSeries>> all;
        std::vector<SeriesKeeper::Look> looks;
        const Time from = start + std::chrono::seconds(10);
        const Time to = snapshot.latest() - std::chrono::seconds(10);
        for (const std::string& name : inputNames) {
            all.push_back(std::make_shared<SignalSeries>(catalog, *catalog->findSignal(name), start));
            looks.push_back({all.back(), from, to, 5'000});
        }
        const auto resting = std::make_shared<SignalSeries>(catalog, *catalog->findSignal(inputNames[0]), start);
        keeper.look(&looks, snapshot, looks);
        for (const auto& series : all)
            keeper.waitFor(*series, snapshot.rows(), [] { return true; });
        while (!keeper.idle())
            std::this_thread::yield();
        QVERIFY(news >= all.size());
        QCOMPARE(resting->rows(), trace::Row{0});
        for (std::size_t i = 0; i < all.size(); ++i) {
            QVERIFY(all[i]->complete(snapshot));
            const auto detail = keeper.detail(*all[i], from, to);
            QVERIFY(detail != nullptr || all[i]->fineEnough(from, to, 5'000) || all[i]->about(from, to) <= SeriesKeeper::fewSamples);
            if (detail) {
                const Samples samples = samplesOf(snapshot, *catalog, *catalog->findSignal(inputNames[i]));
                const auto inside = std::count_if(samples.times.begin(), samples.times.end(), [&](Time t) { return t >= from && t <= to; });
                const auto found = std::count_if(detail->times.begin(), detail->times.end(), [&](Time t) { return t >= from && t <= to; });
                QCOMPARE(found, inside);
            }
        }
        // No longer looked at: it is let go, and details with it.
        keeper.forget(&looks);
        QVERIFY(keeper.idle() && keeper.detail(*all[0], from, to) == nullptr);
        QCOMPARE(keeper.bytes(), std::size_t{0});
        keeper.waitFor(*resting, 1, [] { return true; });      // nobody looks at it: no wait
    }

    void aMillionSamplesInOneMillisecond()
    {
        const auto catalog = madeCatalog();
        trace::Trace trace;
        trace.addBus({"Front", {500'000, 0}});
        can::Frame frame;
        frame.id = {258, false};
        frame.length = frame.dlc = 2;
        for (int i = 0; i < 1'000'000; ++i) {
            frame.time = start + Time(i);
            frame.data[0] = static_cast<std::uint8_t>(i == 777'777 ? 127 : i % 5);
            trace.append(frame.view());
        }
        SignalSeries series(catalog, *catalog->findSignal("Front.Two.A"), start);
        series.update(trace.snapshot());
        const auto points = series.points(
            start - std::chrono::hours(24 * 3650), start + std::chrono::hours(24 * 3650), 1000, trace.snapshot().latest(), nullptr);
        QCOMPARE(*std::max_element(points.values.begin(), points.values.end()), 127.0);
        QCOMPARE(series.next(trace.snapshot(), SignalSeries::Place::largest, start, false, start, start + std::chrono::milliseconds(1)),
            std::optional(start + Time(777'777)));
        const auto single = series.detail(trace.snapshot(), start + Time(777'777), start + Time(777'778));
        QCOMPARE(single->times.size(), std::size_t{4});
        const auto fine = series.points(start + Time(777'777), start + Time(777'778), 1000, trace.snapshot().latest(), single.get());
        QVERIFY(fine.single && fine.values[1] == 127);
    }
};

QTEST_APPLESS_MAIN(SeriesTest)
#include "series_test.moc"
