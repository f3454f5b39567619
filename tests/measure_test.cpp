// SPDX-License-Identifier: GPL-3.0-or-later
// What is computed from a trace: load, levels of detail, periods, events.
#include <QTemporaryDir>
#include <QTest>

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <random>
#include <set>

#include "database/dbc_reader.h"
#include "measure/load_series.h"
#include "measure/measures.h"
#include "measure/senders.h"
#include "measure/signal_series.h"
#include "measure/standing.h"
#include "vector_file.h"

using namespace wavetrope;
using namespace wavetrope::measure;

namespace {

constexpr can::BitRate rate{500'000, 0};
constexpr Time start = std::chrono::seconds(1'800'000'000);

can::Frame frameAt(Time time, std::uint32_t id = 0x100, unsigned length = 8)
{
    can::Frame frame;
    frame.time = time;
    frame.id = {id, false};
    frame.length = frame.dlc = static_cast<std::uint8_t>(length);
    frame.data.fill(0x55);
    return frame;
}

std::shared_ptr<const database::Catalog> smallCatalog()
{
    auto catalog = std::make_shared<database::Catalog>();
    catalog->attach(catalog->addBus("Test"),
        std::make_shared<const database::Database>(database::readDbcFile(dataPath("small.dbc").toStdString())->database));
    return catalog;
}

}  // namespace

class MeasureTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void binsInAFileAreThoseInMemory()
    {
        QTemporaryDir folder;
        const auto file = std::make_shared<FileMemory>(folder.path().toStdString());
        LoadBins inFile(rate, std::chrono::milliseconds(1), file), other(rate, std::chrono::milliseconds(1), file),
            inMemory(rate, std::chrono::milliseconds(1));
        LoadBins nowhere(rate, std::chrono::milliseconds(1), std::make_shared<FileMemory>("/no/such/folder"));
        std::mt19937_64 random(6);
        Time time = start;
        // Hours, with pauses and stamps that run backwards: more than stays mapped in.
        for (int i = 0; i < 60'000; ++i) {
            time += std::chrono::microseconds(static_cast<std::int64_t>(random() % 200'000) - 10'000);
            const can::Frame frame = frameAt(time);
            const Time occupied = inMemory.add(frame.view());
            QCOMPARE(inFile.add(frame.view()), occupied);
            nowhere.add(frame.view());
            if (i % 3 == 0)
                other.add(frame.view());
        }
        QVERIFY2(file->inFile() > 8 * FileMemory::chunkBytes, std::to_string(file->inFile()).c_str());
        QVERIFY(QDir(folder.path()).isEmpty());     // the file has no name
        QCOMPARE(inFile.first(), inMemory.first());
        QCOMPARE(inFile.last(), inMemory.last());
        for (std::int64_t index = inMemory.first(); index <= inMemory.last(); ++index)
            if (inFile.bin(index).busy != inMemory.bin(index).busy || inFile.bin(index).frames != inMemory.bin(index).frames
                || nowhere.bin(index).busy != inMemory.bin(index).busy)
                QFAIL(std::to_string(index).c_str());
        QCOMPARE(inFile.busy(inMemory.first(), inMemory.last()), inMemory.busy(inMemory.first(), inMemory.last()));
        QVERIFY(other.busy(other.first(), other.last()) < inMemory.busy(inMemory.first(), inMemory.last()));
    }

    void durationsLookedUpAreThoseThatAreComputed()
    {
        for (const can::BitRate of :
            {can::BitRate{500'000, 0}, {500'000, 2'000'000}, {83'333, 0}, {1'000, 0}, {1, 0}, {1'000'000, 8'000'000}}) {
            const can::BitTimes times(of);
            for (std::uint16_t bits = 0; bits < 1200; bits = static_cast<std::uint16_t>(bits + 7))
                for (const std::uint16_t data : {0, 1, 333, 1023, 1024, 5000}) {
                    QCOMPARE(times.duration({bits, data, 0}), can::duration({bits, data, 0}, of));
                    QCOMPARE(times.occupancy({bits, data, 0}), can::occupancy({bits, data, 0}, of));
                }
        }
    }

    void aFrameIsSpreadOverTheBinsThatItTouches()
    {
        LoadBins bins(rate, std::chrono::microseconds(100));
        const can::Frame frame = frameAt(start + std::chrono::microseconds(250));
        const can::WireLength bits = can::wireLength(frame.view());
        bins.add(frame.view());
        const std::int64_t before = bits.nominalBits * 2000;
        std::int64_t sum = 0;
        for (std::int64_t i = bins.first(); i <= bins.last(); ++i)
            sum += bins.bin(i).busy;
        QCOMPARE(sum, before + 6000);
        QCOMPARE(bins.bin(bins.indexOf(frame.time)).frames, 1U);
        QCOMPARE(bins.bin(bins.indexOf(frame.time)).busy, 50'000U + 6'000U);
        QCOMPARE(bins.bin(bins.indexOf(frame.time) - 1).busy, 100'000U);
    }

    void binsLieOnWholeMultiplesOfTheSpan()
    {
        LoadBins bins(rate, std::chrono::milliseconds(100));
        QCOMPARE(bins.indexOf(Time(-1)), -1);
        QCOMPARE(bins.indexOf(Time(99'999'999)), 0);
        QCOMPARE(bins.startOf(bins.indexOf(start + Time(150'000'000))), start + Time(100'000'000));
    }

    void burstOfReadsShowsAsPeakAtShortSpanAndNotAtLong()
    {
        LoadBins bins(rate, std::chrono::milliseconds(1));
        const std::int64_t each = (can::wireLength(frameAt(start).view()).nominalBits + 3) * 2000;
        for (std::int64_t i = 0; i < 60'000'000 / each; ++i)  // 60 ms full, then a second of silence
            bins.add(frameAt(start + Time((i + 1) * each)).view());
        bins.add(frameAt(start + std::chrono::seconds(1)).view());
        const LoadSeries fast(bins, std::chrono::milliseconds(20));
        const LoadSeries slow(bins, std::chrono::seconds(1));
        QVERIFY(fast.over(start, start + std::chrono::seconds(1)).high > 99);
        QVERIFY(slow.over(start, start + std::chrono::seconds(1)).high < 8);
        const Time peak = fast.peakIn(start, start + std::chrono::seconds(1));
        QVERIFY(peak >= start && peak < start + std::chrono::milliseconds(60));
    }

    void thePeakIsKeptAtEveryZoom()
    {
        std::mt19937 random(31);
        LoadBins bins(rate, std::chrono::milliseconds(1));
        std::vector<double> slow;
        Time time = start;
        for (int i = 0; i < 30000; ++i) {
            time += std::chrono::microseconds(300 + random() % 3000);
            bins.add(frameAt(time).view());
        }
        const Time span = std::chrono::milliseconds(20);
        const LoadSeries series(bins, span);
        for (int k = 0; k < 300; ++k) {
            const Time from = start + Time(static_cast<std::int64_t>(random() % 50'000) * 1'000'000);
            const Time to = from + Time(static_cast<std::int64_t>(1 + random() % 20'000) * 1'000'000);
            double highest = 0;
            double lowest = 1e9;
            const std::int64_t first = from.count() / span.count();
            const std::int64_t last = std::max(first, (to.count() - 1) / span.count());
            for (std::int64_t bin = first; bin <= last && bin * span.count() < bins.startOf(bins.last() + 1).count(); ++bin) {
                std::int64_t busy = 0;
                for (std::int64_t ms = 0; ms < 20; ++ms)
                    busy += bins.bin(bin * 20 + ms).busy;
                highest = std::max(highest, static_cast<double>(busy) / 2e5);
                lowest = std::min(lowest, static_cast<double>(busy) / 2e5);
            }
            QCOMPARE(series.over(from, to).high, highest);
            QCOMPARE(series.over(from, to).low, lowest);
        }
    }

    void levelsOfDetailAgreeWithEachNumber()
    {
        std::mt19937 random(32);
        std::vector<double> values;
        RangeLevels levels;
        for (int round = 0; round < 20; ++round) {
            const std::size_t from = values.size();
            for (unsigned i = 0; i < random() % 3000; ++i)
                values.push_back(static_cast<double>(random() % 10000));
            levels.update(values, from);
            for (int k = 0; k < 50 && !values.empty(); ++k) {
                const std::size_t a = random() % values.size();
                const std::size_t b = a + random() % (values.size() - a) + 1;
                const RangeSummary summary = levels.over(values, a, b);
                QCOMPARE(summary.low, *std::min_element(values.begin() + static_cast<long>(a), values.begin() + static_cast<long>(b)));
                QCOMPARE(summary.high, *std::max_element(values.begin() + static_cast<long>(a), values.begin() + static_cast<long>(b)));
                QCOMPARE(summary.count, b - a);
            }
        }
    }

    void aSignalIsReadAcrossTheTraceAndDrawnWithItsExtremes()
    {
        const auto catalog = smallCatalog();
        const auto refs = catalog->findSignals("Blade.Depth");
        QCOMPARE(refs.size(), 1U);
        trace::Trace trace;
        SignalSeries series(catalog, refs[0], start);
        for (int i = 0; i < 100'000; ++i) {
            can::Frame frame = frameAt(start + Time(i * 1'000'000LL), 291);
            const double value = i == 77'777 ? 99.5 : std::sin(i * 0.001);
            refs[0].message->plan.encode(frame.data, 0, value);
            trace.append(frame.view());
            trace.append(frameAt(frame.time, 0x700).view());
            if (i % 9999 == 0)
                series.update(trace.snapshot(), 3000);  // in pieces, as views do
        }
        while (!series.complete(trace.snapshot()))
            series.update(trace.snapshot(), 50'000);
        QCOMPARE(series.size(), 100'000U);
        const trace::Snapshot snapshot = trace.snapshot();
        QCOMPARE(series.at(snapshot, start + std::chrono::milliseconds(77'777)).value(), 99.5);
        QVERIFY(!series.at(snapshot, start - Time(1)));
        const Time end = start + std::chrono::seconds(100);
        const auto points = series.points(start, end, 500, end, nullptr);
        QVERIFY(points.exact && points.values.size() <= 4 * 500 + 1);
        QCOMPARE(*std::max_element(points.values.begin(), points.values.end()), 99.5);
        QVERIFY(std::is_sorted(points.times.begin(), points.times.end()));
        const Time from = start + std::chrono::milliseconds(77'700);
        const Time to = from + std::chrono::milliseconds(100);
        const auto detail = series.detail(snapshot, from, to);
        const auto fine = series.points(from, to, 500, end, detail.get());
        QVERIFY(fine.single && fine.values.size() >= 100 && fine.values.size() <= 104);
    }

    void silenceBreaksTheLineAndTheNewestValueHolds()
    {
        const auto catalog = smallCatalog();
        const auto refs = catalog->findSignals("Blade.Depth");
        trace::Trace trace;
        SignalSeries series(catalog, refs[0], start);
        for (const int at : {0, 20, 40, 60, 80, 500, 520, 540}) {
            can::Frame frame = frameAt(start + Time(at * 1'000'000LL), 291);
            refs[0].message->plan.encode(frame.data, 0, at);
            trace.append(frame.view());
        }
        series.update(trace.snapshot(), 1000);
        QCOMPARE(series.period(), std::chrono::milliseconds(20));
        const auto drawn = [&](int from, int to, int now) {
            const auto at = [](int milliseconds) { return start + std::chrono::milliseconds(milliseconds); };
            const auto detail = series.detail(trace.snapshot(), at(from), at(to));
            return series.points(at(from), at(to), 1000, at(now), detail.get());
        };
        const auto broken = [](double value) { return std::isnan(value); };
        const auto whole = drawn(0, 2000, 2000);
        const auto gap = std::find_if(whole.values.begin(), whole.values.end(), broken);
        QVERIFY(gap != whole.values.end());
        QCOMPARE(whole.times[static_cast<std::size_t>(gap - whole.values.begin())], 0.1);  // one period behind the last
        QCOMPARE(std::count_if(whole.values.begin(), whole.values.end(), broken), 1);
        QVERIFY(whole.gaps.size() == 1 && std::abs(whole.gaps[0].first - 0.1) < 1e-9 && std::abs(whole.gaps[0].second - 0.5) < 1e-9);
        QCOMPARE(whole.times.back(), 0.56);  // silent since: it holds for one period only
        QCOMPARE(drawn(0, 2000, 555).times.back(), 0.555);  // still fresh: it holds until now
        const auto inside = drawn(200, 400, 2000);  // a window within the silence shows no line across it
        QVERIFY(std::any_of(inside.values.begin(), inside.values.end(), broken));
    }

    // Whoever follows the frames sees each once, in order, and hears of a batch when all have taken it.
    void anObserverSeesEveryFrameOnceWhicheverThreadsWork()
    {
        struct Follower final : Observer {
            void take(trace::Row row, trace::IdentifierIndex identifier, const trace::TraceKey& key, const can::FrameView& frame) override
            {
                good = good && row == rows++ && key.id == frame.id && identifier < 3 && frame.data[0] == static_cast<std::uint8_t>(row);
                newest = frame.time;
            }
            void settle(MeasureState& state, Time last) override
            {
                std::uint64_t counted = 0;
                Time busy{0};
                for (const IdentifierStats& stats : state.identifiers) {
                    counted += stats.count;
                    busy += stats.busy;
                }
                good = good && state.rows == rows && counted == rows && last == newest && busy > wired;
                wired = busy;
                ++batches;
            }
            trace::Row rows = 0;
            bool good = true;
            Time newest{}, wired{0};
            unsigned batches = 0;
        };
        trace::Trace trace;
        const auto follower = std::make_shared<Follower>();
        Measures measures(smallCatalog(), {rate}, {}, {}, {follower});
        const auto append = [&](int count) {
            for (int i = 0; i < count; ++i) {
                can::Frame frame = frameAt(start + Time(static_cast<std::int64_t>(trace.rows()) * 200'000), 0x100 + trace.rows() % 3);
                frame.data[0] = static_cast<std::uint8_t>(trace.rows());
                trace.append(frame.view());
            }
        };
        for (const int count : {1, 4096, 5000, 200'000, 10}) {      // the fourth is much to catch up with
            append(count);
            QVERIFY(measures.advance(trace.snapshot()));
            QCOMPARE(follower->rows, trace.rows());
            QVERIFY(follower->good);
        }
        QVERIFY(follower->batches > 10);
    }

    void countsAndPeriodsFollowEachIdentifier()
    {
        trace::Trace trace;
        const auto catalog = smallCatalog();
        Measures measures(catalog, {rate}, {});
        for (int i = 0; i < 10; ++i) {
            can::Frame frame = frameAt(start + Time(i * 20'000'000LL + (i == 5 ? 1'000'000 : 0)), 291);
            frame.data[2] = static_cast<std::uint8_t>(i & 1);
            trace.append(frame.view());
        }
        QVERIFY(measures.advance(trace.snapshot()));
        measures.read([&](const MeasureState& state) {
            const IdentifierStats& stats = state.identifiers[0];
            if (stats.count != 10 || stats.shortest != Time(19'000'000) || stats.longest != Time(21'000'000)
                || stats.period != Time(20'000'000))
                QTest::qFail("periods", __FILE__, __LINE__);
            if (!stats.changed.test(2, 0) || stats.changed.test(2, 1) || stats.changed.test(0, 0))
                QTest::qFail("changed bits", __FILE__, __LINE__);
            return 0;
        });
        const IdentifierMoment moment = momentOf(trace.snapshot(), 0, 6, 3);
        QCOMPARE(moment.row, trace::Row{5});
        QCOMPARE(moment.beats.size(), 3U);
        QCOMPARE(moment.period, Time(21'000'000));
        QVERIFY(moment.changedLately.test(2, 0));
    }

    void aMomentIsWhatGoingThroughAllRowsFinds()
    {
        std::mt19937 random(31);
        trace::Trace trace;
        std::vector<can::Frame> frames;
        for (int i = 0; i < 150'000; ++i) {
            can::Frame frame = frameAt(start + Time(i * 100'000LL), 0x100 + random() % 5);
            frame.length = random() % 9 == 0 ? static_cast<std::uint8_t>(random() % 9) : std::uint8_t{8};
            frame.data[random() % 8] = static_cast<std::uint8_t>(random());
            trace.append(frame.view());
            frames.push_back(frame);
        }
        const auto snapshot = trace.snapshot();
        for (const std::vector<std::uint32_t>& ids : {std::vector<std::uint32_t>{0x101}, {0x100, 0x103}, {0x104, 0x100, 0x102}}) {
            std::vector<trace::IdentifierIndex> indexes;
            for (const std::uint32_t id : ids)
                indexes.push_back(*trace.find({0, false, {id, false}}));
            for (const unsigned beats : {1U, 2U, 25U, 700U})
                for (const trace::Row limit : {trace::Row{0}, trace::Row{1}, trace::Row{40}, trace::Row{65'540},
                         static_cast<trace::Row>(random() % 150'000), trace::Row{150'000}}) {
                    const IdentifierMoment moment = momentOf(snapshot, indexes, limit, beats);
                    IdentifierMoment wanted;
                    const can::Frame* newer = nullptr;
                    for (trace::Row row = limit; row-- > 0;) {
                        const can::Frame& frame = frames[row];
                        if (std::find(ids.begin(), ids.end(), frame.id.value) == ids.end())
                            continue;
                        ++wanted.count;
                        if (wanted.beats.size() == beats)
                            continue;
                        if (newer == nullptr)
                            wanted.row = row;
                        else
                            wanted.changedLately.addDifference(frame.data.data(), frame.length, newer->data.data(), newer->length);
                        wanted.beats.insert(wanted.beats.begin(), frame.time);
                        newer = &frame;
                    }
                    QCOMPARE(moment.row, wanted.row);
                    QCOMPARE(moment.count, wanted.count);
                    QVERIFY(moment.beats == wanted.beats);
                    QVERIFY(moment.changedLately.bytes == wanted.changedLately.bytes);
                }
        }
    }

    void howOldAValueIs()
    {
        std::mt19937 random(47);
        trace::Trace trace;
        std::vector<Time> came;     // of 0x101, at rows below
        std::vector<trace::Row> rows;
        for (int i = 0; i < 4000; ++i) {
            const bool ours = random() % 7 == 0;
            const can::Frame frame = frameAt(start + Time(i * 1'000'000LL + random() % 999'999), ours ? 0x101 : 0x102);
            if (ours) {
                came.push_back(frame.time);
                rows.push_back(static_cast<trace::Row>(i));
            }
            trace.append(frame.view());
        }
        const auto snapshot = trace.snapshot();
        const trace::TraceKey key{0, false, {0x101, false}};
        for (int round = 0; round < 300; ++round) {
            const auto limit = static_cast<trace::Row>(random() % 4001);
            const auto until = static_cast<std::size_t>(std::lower_bound(rows.begin(), rows.end(), limit) - rows.begin());
            const auto age = ageOf(snapshot, key, limit, Time{});
            QCOMPARE(age.has_value(), until > 0);
            if (!age)
                continue;
            QCOMPARE(age->came, came[until - 1]);
            const std::size_t beats = std::min<std::size_t>(until, 12);
            const Time mean = beats < 2 ? Time{} : (came[until - 1] - came[until - beats]) / static_cast<std::int64_t>(beats - 1);
            QCOMPARE(age->after, 3 * mean);
            QVERIFY(!age->oldAt(age->came + age->after));
            QCOMPARE(age->oldAt(age->came + age->after + Time{1}), mean.count() > 0);
            // What a database promises, and what somebody says, count for more.
            QCOMPARE(ageOf(snapshot, key, limit, Time{5'000'000})->after, Time{15'000'000});
            QCOMPARE(ageOf(snapshot, key, limit, Time{5'000'000}, Time{7})->after, Time{7});
        }
        QVERIFY(!ageOf(snapshot, {1, false, {0x101, false}}, 4000, Time{}));
        QVERIFY(!ageOf(trace::Snapshot(), key, 4000, Time{}));
    }

    void sinceWhenAValueIsBeyondItsLimits()
    {
        QVERIFY(sideOf(2, 2.0, 5.0) == Side::inside && sideOf(5, 2.0, 5.0) == Side::inside);
        QVERIFY(sideOf(1.9, 2.0, 5.0) == Side::under && sideOf(5.1, 2.0, 5.0) == Side::over);
        QVERIFY(sideOf(-1e9, {}, 5.0) == Side::inside && sideOf(1e9, 2.0, {}) == Side::inside);
        std::mt19937 random(5);
        for (int round = 0; round < 500; ++round) {
            SignalSeries::Points points;
            const std::size_t count = random() % 30;
            for (std::size_t i = 0; i < count; ++i) {
                points.times.push_back(static_cast<double>(i));
                points.values.push_back(random() % 6 == 0 ? std::numeric_limits<double>::quiet_NaN() : static_cast<double>(random() % 3));
            }
            const double now = static_cast<double>(count) + 0.5;
            const auto one = [](double value) { return value == 1; };
            const Since since = sinceOf(points, now, one);
            // Nothing but it from there on; in front of that something else, unless it is open.
            double first = now;
            bool other = false;
            for (std::size_t i = 0; i < count; ++i)
                if (std::isfinite(points.values[i])) {
                    if (!one(points.values[i])) {
                        other = true;
                        first = now;
                    } else if (first == now) {
                        first = points.times[i];
                    }
                }
            QCOMPARE(since.from, first);
            QCOMPARE(since.open, !other);
        }
    }

    void catchingUpWithTwoThreadsMeasuresTheSame()
    {
        std::mt19937 random(41);
        trace::Trace trace;
        Time time = start;
        for (int i = 0; i < 300'000; ++i) {
            time += Time(i % 40'000 < 2'000 ? 230'000 : 300'000 + static_cast<std::int64_t>(random() % 2'000'000));  // now and then a burst
            can::Frame frame = frameAt(time, random() % 3 == 0 ? 291 : 0x100 + random() % 30);
            frame.bus = static_cast<std::uint8_t>(random() % 3);
            frame.data[random() % 8] = static_cast<std::uint8_t>(random());
            if (random() % 500 == 0) {
                frame.kind = can::FrameKind::error;
                frame.id = {1, false};
            }
            trace.append(frame.view());
        }
        const auto catalog = smallCatalog();
        const std::vector<can::BitRate> rates{rate, {250'000, 0}, {}};
        auto deep = filter::Filter::compile("Depth > 4 mm", catalog);
        QVERIFY(deep.has_value());
        Measures atOnce(catalog, rates, {{"deep", *deep, std::chrono::milliseconds(5)}});
        QVERIFY(atOnce.advance(trace.snapshot()));
        Measures bitByBit(catalog, rates, {{"deep", *deep, std::chrono::milliseconds(5)}});
        for (std::uint64_t rows = 0; rows < trace.rows();) {
            rows = std::min<std::uint64_t>(trace.rows(), rows + 1 + random() % 50'000);
            QVERIFY(bitByBit.advance({trace, rows}));
        }
        atOnce.read([&](const MeasureState& a) {
            return bitByBit.read([&](const MeasureState& b) {
                if (a.rows != b.rows || a.loads.size() != b.loads.size() || a.identifiers.size() != b.identifiers.size())
                    QTest::qFail("sizes", __FILE__, __LINE__);
                for (std::size_t bus = 0; bus < a.loads.size(); ++bus) {
                    if (a.loads[bus].empty() != b.loads[bus].empty() || a.loads[bus].empty() != (bus == 2))
                        QTest::qFail("loads", __FILE__, __LINE__);
                    if (a.loads[bus].empty())
                        continue;
                    if (a.loads[bus].first() != b.loads[bus].first() || a.loads[bus].last() != b.loads[bus].last())
                        QTest::qFail("bins", __FILE__, __LINE__);
                    for (std::int64_t bin = a.loads[bus].first(); bin <= a.loads[bus].last(); ++bin)
                        if (a.loads[bus].bin(bin).busy != b.loads[bus].bin(bin).busy
                            || a.loads[bus].bin(bin).frames != b.loads[bus].bin(bin).frames)
                            QTest::qFail(std::to_string(bin).c_str(), __FILE__, __LINE__);
                }
                for (std::size_t i = 0; i < a.identifiers.size(); ++i) {
                    const IdentifierStats& x = a.identifiers[i];
                    const IdentifierStats& y = b.identifiers[i];
                    if (x.count != y.count || x.busy != y.busy || x.shortest != y.shortest || x.longest != y.longest || x.first != y.first
                        || x.last != y.last || x.lastRow != y.lastRow || x.changed.bytes != y.changed.bytes)
                        QTest::qFail(std::to_string(i).c_str(), __FILE__, __LINE__);
                    const trace::TraceKey& key = trace.key(static_cast<trace::IdentifierIndex>(i));
                    if ((x.busy > Time{0}) != (key.bus < 2))
                        QTest::qFail("busy", __FILE__, __LINE__);
                }
                const auto words = [](const MeasureState& state) {
                    std::multiset<std::string> all;  // bursts are told behind a batch, whatever its size
                    for (const Event& event : state.events.events())
                        all.insert(std::to_string(static_cast<int>(event.kind)) + " " + std::to_string(event.time.count()) + " "
                                   + std::to_string(event.until.count()) + " " + std::to_string(event.row) + " " + event.text);
                    return all;
                };
                if (words(a) != words(b) || words(a).size() < 100)
                    QTest::qFail("events", __FILE__, __LINE__);
                return 0;
            });
        });
    }

    void missedBeatsBecomeAnEventWithTheirNumber()
    {
        trace::Trace trace;
        Measures measures(smallCatalog(), {rate}, {});
        for (int i = 0; i < 50; ++i)
            if (i < 20 || i > 22)
                trace.append(frameAt(start + Time(i * 20'000'000LL), 291).view());
        measures.advance(trace.snapshot());
        const auto events = measures.read([](const MeasureState& s) { return s.events.events(); });
        QCOMPARE(events.size(), 1U);
        QCOMPARE(events[0].kind, EventKind::missedBeats);
        QCOMPARE(events[0].count, 3U);
        QCOMPARE(events[0].time, start + Time(20 * 20'000'000LL));
    }

    void aConditionCountsOnceItHasHeld()
    {
        const auto catalog = smallCatalog();
        auto filter = filter::Filter::compile("Depth > 4 mm", catalog);
        QVERIFY(filter.has_value());
        Measures measures(catalog, {rate}, {{"deep", *filter, std::chrono::milliseconds(100)}, {"deep at once", *filter, Time{0}}});
        trace::Trace trace;
        const auto plan = catalog->messages().front();
        for (int i = 0; i < 100; ++i) {
            can::Frame frame = frameAt(start + Time(i * 20'000'000LL), 291);
            const bool deep = (i >= 10 && i < 13) || (i >= 40 && i < 60);  // 40 ms, then 400 ms
            plan.plan.encode(frame.data, 0, deep ? 5 : 1);
            trace.append(frame.view());
            trace.append(frameAt(frame.time, 0x124).view());  // says nothing about it
        }
        measures.advance(trace.snapshot());
        std::vector<Time> held;
        int atOnce = 0;
        for (const Event& event : measures.read([](const MeasureState& s) { return s.events.events(); })) {
            if (event.text == "deep")
                held.push_back(event.time);
            atOnce += event.text == "deep at once" ? 1 : 0;
        }
        QCOMPARE(held, (std::vector<Time>{start + Time(40 * 20'000'000LL)}));
        QCOMPARE(atOnce, 2);
    }

    void conditionsMayLookAtWhatCameBefore()
    {
        const auto catalog = smallCatalog();
        const filter::NamedFilters::Map named = {{"deep", "Depth > 4 mm"}};
        const auto compile = [&](const char* text) {
            auto filter = filter::Filter::compile(text, catalog, {&named});
            if (!filter)
                qFatal("%s", filter.error().text().c_str());
            return *filter;
        };
        Measures measures(catalog, {rate},
            {{"rises", compile("Depth rises above 4 mm"), Time{0}}, {"jump", compile("Depth changes by 3"), Time{0}},
                {"late", compile("id 0x123 and gap > 30 ms"), Time{0}},
                {"soon", compile("id 0x124 and within 5 ms after (@deep)"), Time{0}},
                {"second second", compile("id 0x123 and time 1 s .. 1.01 s"), Time{0}}});
        trace::Trace trace;
        const auto plan = catalog->messages().front();
        for (int i = 0; i < 100; ++i) {
            if (i == 70)
                continue;  // a gap
            can::Frame frame = frameAt(start + Time(i * 20'000'000LL), 291);
            plan.plan.encode(frame.data, 0, i >= 40 && i < 60 ? 5 : i == 80 ? 3.5 : 1);
            trace.append(frame.view());
            trace.append(frameAt(frame.time + Time(1'000'000), 0x124).view());
        }
        measures.advance(trace.snapshot());
        std::map<std::string, std::vector<int>> at;
        for (const Event& event : measures.read([](const MeasureState& s) { return s.events.events(); }))
            at[event.text].push_back(static_cast<int>((event.time - start).count() / 20'000'000));
        QCOMPARE(at["rises"], std::vector<int>{40});
        QCOMPARE(at["jump"], (std::vector<int>{40, 60}));
        QCOMPARE(at["late"], std::vector<int>{71});
        QCOMPARE(at["soon"], std::vector<int>{40});  // it holds on through the following ones
        QCOMPARE(at["second second"], std::vector<int>{50});
    }

    void burstsAndErrorFramesBecomeEvents()
    {
        trace::Trace trace;
        Measures measures(smallCatalog(), {rate}, {});
        const std::int64_t each = (can::wireLength(frameAt(start).view()).nominalBits + 3) * 2000;
        for (std::int64_t i = 0; i < 80'000'000 / each; ++i)
            trace.append(frameAt(start + Time((i + 1) * each), 0x333).view());
        for (int i = 0; i < 3; ++i) {
            can::Frame error = frameAt(start + std::chrono::milliseconds(500 + i));
            error.kind = can::FrameKind::error;
            error.id = {8, false};
            trace.append(error.view());
        }
        trace.append(frameAt(start + std::chrono::seconds(1), 0x333).view());
        measures.advance(trace.snapshot());
        const auto events = measures.read([](const MeasureState& s) { return s.events.events(); });
        int bursts = 0;
        int errors = 0;
        for (const Event& event : events) {
            bursts += event.kind == EventKind::burst ? 1 : 0;
            if (event.kind == EventKind::errorFrame) {
                ++errors;
                QCOMPARE(event.count, 3U);
            }
        }
        QCOMPARE(bursts, 1);
        QCOMPARE(errors, 1);
    }

    void aSenderIsHeardWhereItsFramesLie()
    {
        const auto catalog = smallCatalog();
        const database::CatalogMessage* mine = nullptr;
        for (const auto& message : catalog->messages())
            if (!message.message->sender.empty())
                mine = &message;
        QVERIFY(mine != nullptr);
        trace::Trace trace;
        // Frames in the first and the third of four seconds, beside others that are nobody's.
        for (int ms = 0; ms < 4000; ms += 10) {
            trace.append(frameAt(start + std::chrono::milliseconds(ms), 0x7FE).view());
            if (ms / 1000 % 2 == 0) {
                can::Frame frame = frameAt(start + std::chrono::milliseconds(ms));
                frame.id = mine->message->id;
                trace.append(frame.view());
            }
        }
        const trace::Snapshot snapshot = trace.snapshot();
        const trace::TimeIndex order(snapshot);
        const auto of = [&](trace::Row limit) {
            for (const SenderMoment& sender : sendersAt(snapshot, order, *catalog, limit, start, start + std::chrono::seconds(4), 4))
                if (sender.node == mine->message->sender)
                    return sender;
            return SenderMoment{};
        };
        const SenderMoment whole = of(snapshot.rows());
        QCOMPARE(whole.heard, (std::vector<bool>{true, false, true, false}));
        QCOMPARE(whole.frames, 200U);
        QCOMPARE(whole.seen, 1U);
        const SenderMoment half = of(order.newestAt(start + std::chrono::milliseconds(1500)) + 1);
        QCOMPARE(half.heard, (std::vector<bool>{true, false, false, false}));
        QCOMPARE(half.frames, 100U);
        QCOMPARE(of(0).newest, trace::noRow);
    }
};

QTEST_APPLESS_MAIN(MeasureTest)
#include "measure_test.moc"
