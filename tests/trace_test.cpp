// SPDX-License-Identifier: GPL-3.0-or-later
// The append-only trace: rows, groups, snapshots while it grows, time order, memory.
#include <QTest>

#include <atomic>
#include <map>
#include <random>
#include <thread>

#include "same_frame.h"
#include "trace/time_index.h"
#include "trace/row_source.h"
#include "trace/trace.h"

using namespace wavetrope;
using namespace wavetrope::trace;

namespace {

can::Frame frameAt(std::int64_t time, std::uint32_t id, unsigned length, std::uint8_t bus = 0)
{
    can::Frame frame;
    frame.time = Time(time);
    frame.id = {id, id > 0x7FF};
    frame.bus = bus;
    frame.length = static_cast<std::uint8_t>(length);
    frame.dlc = can::dlcOfLength(length);
    frame.kind = length > 8 ? can::FrameKind::fd : can::FrameKind::data;
    for (unsigned i = 0; i < length; ++i)
        frame.data[i] = static_cast<std::uint8_t>(time * 7 + i);
    return frame;
}

}  // namespace

class TraceTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    // What a view shows is asked of its source: all frames, or messages put together from several.
    void rowsOfAViewComeFromTheirSource()
    {
        Trace trace;
        for (int i = 0; i < 60; ++i) {
            can::Frame frame = frameAt(i * 1000, i % 3 == 0 ? 0x100 : 0x200, 8);
            frame.data.fill(static_cast<std::uint8_t>(i));
            trace.append(frame.view());
        }
        const Snapshot snapshot = trace.snapshot();
        const AllRows all;
        QCOMPARE(all.count(snapshot), 60U);
        QCOMPARE(all.nearest(17), 17U);
        const RowEntry entry = all.entry(snapshot, 33);
        QCOMPARE(entry.row, Row{33});
        QCOMPARE(entry.frames, 1U);
        QCOMPARE(entry.head.id.value, 0x100U);
        QCOMPARE(entry.payload.size(), std::size_t{8});
        QCOMPARE(unsigned{entry.payload[7]}, 33U);
        QCOMPARE(all.previous(snapshot, 33).row, Row{30});
        QCOMPARE(all.previous(snapshot, 1).row, noRow);

        // Ten frames of 0x200 make one message of eighty bytes.
        struct Joined final : RowSource {
            explicit Joined(const Snapshot& snapshot)
            {
                std::vector<std::uint8_t> bytes;
                for (Row row = 0; row < snapshot.rows(); ++row) {
                    const can::FrameView frame = snapshot.frame(row);
                    if (frame.id.value != 0x200)
                        continue;
                    bytes.insert(bytes.end(), frame.data, frame.data + frame.length);
                    if (bytes.size() == 80) {
                        rows.push_back(row);
                        payloads.push_back(std::exchange(bytes, {}));
                    }
                }
            }
            std::uint64_t count(const Snapshot&) const override { return rows.size(); }
            Row row(std::uint64_t index) const override { return rows[index]; }
            std::uint64_t nearest(Row row) const override
            {
                const auto behind = std::upper_bound(rows.begin(), rows.end(), row) - rows.begin();
                return static_cast<std::uint64_t>(std::max<std::ptrdiff_t>(0, behind - 1));
            }
            RowEntry entry(const Snapshot& snapshot, std::uint64_t index) const override
            {
                return {rows[index], 10, snapshot.frame(rows[index]), payloads[index]};
            }
            RowEntry previous(const Snapshot& snapshot, std::uint64_t index) const override
            {
                return index == 0 ? RowEntry{} : entry(snapshot, index - 1);
            }
            std::vector<Row> rows;
            std::vector<std::vector<std::uint8_t>> payloads;
        };
        const Joined joined(snapshot);
        const RowSource& source = joined;
        QCOMPARE(source.count(snapshot), 4U);
        QCOMPARE(source.row(0), Row{14});
        QCOMPARE(source.nearest(28), 0U);
        QCOMPARE(source.nearest(29), 1U);
        QCOMPARE(source.entry(snapshot, 1).payload.size(), std::size_t{80});
        QCOMPARE(source.entry(snapshot, 1).head.time, Time(29'000));
        QCOMPARE(source.previous(snapshot, 1).row, Row{14});
        QCOMPARE(unsigned{source.entry(snapshot, 3).payload[79]}, 59U);
    }

    void theNthFrameOfAnIdentifierIsFoundWhateverItsLength()
    {
        std::mt19937 random(31);
        Trace trace;
        std::map<std::uint32_t, std::vector<Row>> wanted;
        std::vector<Time> times;
        for (Row row = 0; row < 150'000; ++row) {
            can::Frame frame;
            frame.id = {static_cast<std::uint32_t>(0x100 + random() % 5 * (random() % 300 == 0 ? 7U : 1U)), false};
            frame.length = static_cast<std::uint8_t>(random() % 20 == 0 ? random() % 9 : 8);
            frame.direction = static_cast<can::Direction>(random() % 50 == 0 ? 1 : 0);
            frame.time = Time(static_cast<std::int64_t>(random() % 9 == 0 ? 4'000'000'000 : 1000) * static_cast<std::int64_t>(row));
            trace.append(frame.view());
            times.push_back(frame.time);
            wanted[frame.id.value].push_back(row);
        }
        const Snapshot snapshot = trace.snapshot();
        for (const auto& [id, rows] : wanted) {
            const IdentifierIndex identifier = *trace.find({0, false, {id, false}});
            QCOMPARE(snapshot.countOf(identifier), rows.size());
            for (std::size_t n = 0; n < rows.size(); n += 1 + n / 7) {
                QCOMPARE(snapshot.nthOf(identifier, n), rows[n]);
                QCOMPARE(snapshot.countOf(identifier, rows[n]), n);
                QCOMPARE(snapshot.nextOf(identifier, rows[n]), rows[n]);
                QCOMPARE(snapshot.previousOf(identifier, rows[n]), n == 0 ? noRow : rows[n - 1]);
            }
            QCOMPARE(snapshot.nthOf(identifier, rows.size()), noRow);
        }
        // Stamps that lie too far apart for their block are kept whole.
        for (Row row = 0; row < times.size(); ++row)
            if (snapshot.time(row) != times[row])
                QFAIL(std::to_string(row).c_str());
    }

    void everyRowComesBackAsItWasAppended()
    {
        std::mt19937 random(1);
        std::vector<can::Frame> frames;
        Trace trace;
        for (int i = 0; i < 150000; ++i) {  // more than two segments
            can::Frame frame = frameAt(i, random() % 4 == 0 ? 0x18FF0000 + random() % 300 : random() % 40, can::lengthOfDlc(random() % 16),
                static_cast<std::uint8_t>(random() % 3));
            frame.direction = static_cast<can::Direction>(random() % 3);
            frame.brs = frame.kind == can::FrameKind::fd && random() % 2 != 0;
            if (random() % 50 == 0) {
                frame.kind = can::FrameKind::error;
                frame.id = {1U << random() % 9, false};
            }
            trace.append(frame.view());
            frames.push_back(frame);
        }
        const Snapshot snapshot = trace.snapshot();
        QCOMPARE(snapshot.rows(), frames.size());
        for (std::size_t i = 0; i < frames.size(); ++i)
            QVERIFY(same(frames[i].view(), snapshot.frame(i)));
    }

    void rowsOfAnIdentifierAreItsFramesInOrder()
    {
        std::mt19937 random(2);
        Trace trace;
        std::vector<std::vector<Row>> wanted(20);
        for (Row i = 0; i < 140000; ++i) {
            const std::uint32_t id = random() % 20;
            trace.append(frameAt(static_cast<std::int64_t>(i), id, id == 3 ? random() % 9 : 8).view());  // 0x003 changes its length
            wanted[id].push_back(i);
        }
        const Snapshot snapshot = trace.snapshot();
        for (std::uint32_t id = 0; id < 20; ++id) {
            const auto index = trace.find({0, false, {id, false}});
            QVERIFY(index.has_value());
            std::vector<Row> seen;
            snapshot.eachOf(*index, 0, [&](Row row, const can::FrameView& frame) {
                if (frame.id.value == id && frame.time.count() == static_cast<std::int64_t>(row))
                    seen.push_back(row);
                return true;
            });
            QCOMPARE(seen, wanted[id]);
            QCOMPARE(snapshot.countOf(*index), wanted[id].size());
            for (int k = 0; k < 200; ++k) {
                const Row limit = random() % 140001;
                const auto at = std::lower_bound(wanted[id].begin(), wanted[id].end(), limit);
                QCOMPARE(snapshot.countOf(*index, limit), static_cast<std::uint64_t>(at - wanted[id].begin()));
                QCOMPARE(snapshot.previousOf(*index, limit), at == wanted[id].begin() ? noRow : *(at - 1));
                QCOMPARE(snapshot.nextOf(*index, limit), at == wanted[id].end() ? noRow : *at);
            }
        }
        QVERIFY(!trace.find({0, false, {0x7FF, false}}));
        QVERIFY(!trace.find({1, false, {1, false}}));
    }

    void readersSeeWholeFramesWhileTheWriterAppends()
    {
        Trace trace;
        std::atomic<bool> done{false};
        std::atomic<std::uint64_t> checked{0};
        std::atomic<std::uint64_t> wrong{0};
        const auto read = [&](unsigned seed) {
            std::mt19937_64 random(seed);
            while (!done || checked < 1000) {
                const Snapshot snapshot = trace.snapshot();
                if (snapshot.rows() == 0)
                    continue;
                for (int k = 0; k < 200; ++k) {
                    const Row row = random() % snapshot.rows();
                    const can::FrameView frame = snapshot.frame(row);
                    if (!same(frameAt(static_cast<std::int64_t>(row), row % 97, row % 9).view(), frame))
                        ++wrong;
                    ++checked;
                }
                if (const auto index = trace.find({0, false, {5, false}})) {
                    Row last = 0;
                    snapshot.eachOf(*index, snapshot.rows() / 2, [&](Row row, const can::FrameView& frame) {
                        if (row >= snapshot.rows() || row < last || frame.id.value != 5)
                            ++wrong;
                        last = row;
                        return true;
                    });
                }
            }
        };
        std::thread one(read, 1);
        std::thread two(read, 2);
        for (Row i = 0; i < 400000; ++i)
            trace.append(frameAt(static_cast<std::int64_t>(i), i % 97, i % 9).view());
        done = true;
        one.join();
        two.join();
        QCOMPARE(wrong.load(), 0U);
        QVERIFY(checked >= 1000);
    }

    void aSnapshotNeverChanges()
    {
        Trace trace;
        for (int i = 0; i < 100; ++i)
            trace.append(frameAt(i, 1, 8).view());
        const Snapshot before = trace.snapshot();
        for (int i = 100; i < 200; ++i)
            trace.append(frameAt(i, 1, 8).view());
        QCOMPARE(before.rows(), 100U);
        QCOMPARE(before.countOf(0), 100U);
        QCOMPARE(before.previousOf(0, noRow), 99U);
        QCOMPARE(trace.snapshot().countOf(0), 200U);
    }

    void timeOrderStandsBesideTheOrderOfArrival()
    {
        std::mt19937 random(4);
        Trace trace;
        TimeIndex index;
        std::vector<std::int64_t> times;
        for (int round = 0; round < 6; ++round) {
            for (int i = 0; i < 5000; ++i) {
                const std::int64_t time = round < 2 ? round * 5000 + i : static_cast<std::int64_t>(random() % 20000);
                times.push_back(time);
                trace.append(frameAt(time, 1, 2).view());
            }
            index.update(trace.snapshot());
            std::vector<std::int64_t> sorted = times;
            std::sort(sorted.begin(), sorted.end());
            for (std::size_t i = 0; i < sorted.size(); i += 37)
                QCOMPARE(trace.snapshot().time(index.rowAt(i)).count(), sorted[i]);
            for (int k = 0; k < 100; ++k) {
                const auto time = static_cast<std::int64_t>(random() % 21000);
                QCOMPARE(index.lowerBound(Time(time)),
                    static_cast<std::uint64_t>(std::lower_bound(sorted.begin(), sorted.end(), time) - sorted.begin()));
            }
        }
        QVERIFY(!trace.monotone());
        QVERIFY(trace.disorders() > 0);
    }

    void fewRowsOutOfOrderAreKeptApart_data()
    {
        QTest::addColumn<QList<int>>("places");      // of rows whose stamps are elsewhere
        QTest::addColumn<int>("shift");
        QTest::newRow("one too early, by much") << QList<int>{70'000} << -60'000;
        QTest::newRow("one too early, by little") << QList<int>{70'000} << -3;
        QTest::newRow("one too late, by much") << QList<int>{70'000} << 60'000;
        QTest::newRow("one too late, by little") << QList<int>{70'000} << 3;
        QTest::newRow("the first too late") << QList<int>{0} << 150'000;
        QTest::newRow("the last too early") << QList<int>{149'999} << -140'000;
        QTest::newRow("several, across segments") << QList<int>{65'535, 65'536, 65'537, 131'071, 131'072} << -40'000;
    }
    void fewRowsOutOfOrderAreKeptApart()
    {
        QFETCH(QList<int>, places);
        QFETCH(int, shift);
        constexpr int count = 150'000;
        Trace trace;
        TimeIndex grown;
        std::vector<std::pair<std::int64_t, Row>> wanted;
        for (int i = 0; i < count; ++i) {
            // Pairs of equal stamps; stamps stay within what a log may have.
            const std::int64_t time = 1'000'000 + i / 2 * 2 + (places.contains(i) ? shift : 0);
            wanted.emplace_back(time, static_cast<Row>(i));
            trace.append(frameAt(time, 1, 2).view());
            if (i % 20'011 == 0)
                grown.update(trace.snapshot());
        }
        grown.update(trace.snapshot());
        std::stable_sort(wanted.begin(), wanted.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
        const TimeIndex whole(trace.snapshot());
        for (const TimeIndex* index : {&std::as_const(grown), &whole}) {
            QCOMPARE(index->rows(), std::uint64_t{count});
            for (std::size_t i = 0; i < wanted.size(); ++i)
                if (index->rowAt(i) != wanted[i].second)
                    QFAIL(qPrintable(QStringLiteral("place %1: row %2, not %3").arg(i).arg(index->rowAt(i)).arg(wanted[i].second)));
            for (const std::int64_t time : {std::int64_t{0}, std::int64_t{1'000'000}, wanted[70'000].first, wanted[70'001].first,
                     wanted[70'000].first - 3, wanted.back().first, wanted.back().first + 1}) {
                const auto at = std::lower_bound(
                    wanted.begin(), wanted.end(), time, [](const auto& a, std::int64_t b) { return a.first < b; });
                QCOMPARE(index->lowerBound(Time(time)), static_cast<std::uint64_t>(at - wanted.begin()));
                const auto behind = std::upper_bound(
                    wanted.begin(), wanted.end(), time, [](std::int64_t a, const auto& b) { return a < b.first; });
                QCOMPARE(index->newestAt(Time(time)), behind == wanted.begin() ? noRow : std::prev(behind)->second);
            }
        }
        // Rows kept apart cost as much as there are of them, and one that is too late takes those behind it along at most.
        if (shift < 0)
            QVERIFY2(whole.strays() <= 2 * static_cast<std::size_t>(places.size()), std::to_string(whole.strays()).c_str());
    }

    // In the order of time, whatever was looked at; copies stay as they were.
    void anIndexThatGrowsBesideAndItsCopies_data()
    {
        QTest::addColumn<int>("disorder");      // rows in a thousand whose stamps lie before
        QTest::newRow("none") << 0;
        QTest::newRow("few") << 2;
        QTest::newRow("many, all are sorted") << 400;
    }
    void anIndexThatGrowsBesideAndItsCopies()
    {
        QFETCH(int, disorder);
        std::mt19937 random(3);
        Trace trace;
        TimeIndex growing;
        std::vector<std::pair<std::int64_t, Row>> wanted;
        std::vector<std::pair<TimeIndex, std::uint64_t>> copies;
        const auto inOrder = [&](const TimeIndex& index, std::uint64_t rows) {
            auto sorted = std::vector(wanted.begin(), wanted.begin() + static_cast<std::ptrdiff_t>(rows));
            std::stable_sort(sorted.begin(), sorted.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
            std::vector<Row> visited;
            index.each([&](Row row) { visited.push_back(row); });
            return visited.size() == sorted.size()
                   && std::equal(
                       visited.begin(), visited.end(), sorted.begin(), [](Row row, const auto& entry) { return row == entry.second; });
        };
        for (Row row = 0; row < 300'000; ++row) {
            const std::int64_t time = 1'000'000 + static_cast<std::int64_t>(row)
                                      - (static_cast<int>(random() % 1000) < disorder ? static_cast<std::int64_t>(random() % 500'000) : 0);
            wanted.emplace_back(time, row);
            trace.append(frameAt(time, 1, 2).view());
            if (row % 50'021 != 50'020)
                continue;
            const auto snapshot = trace.snapshot();
            growing.grow(snapshot);
            QCOMPARE(growing.rows(), snapshot.rows());
            // Whatever it has not looked at yet, each row stands at one place.
            std::vector<bool> there(snapshot.rows(), false);
            growing.each([&](Row at) { there[at] = true; });
            QVERIFY(std::find(there.begin(), there.end(), false) == there.end());
            TimeIndex exact = growing;
            exact.update(snapshot);
            copies.emplace_back(exact, snapshot.rows());
        }
        growing.update(trace.snapshot());
        QVERIFY(inOrder(growing, wanted.size()));
        for (const auto& [copy, rows] : copies)
            QVERIFY(inOrder(copy, rows));
        // One that follows takes what is behind as it came.
        TimeIndex following = copies.front().first;
        following.follow(trace.snapshot());
        QCOMPARE(following.rows(), wanted.size());
        QCOMPARE(following.newestAt(Time::max()), wanted.size() - 1);
    }

    void whatASnapshotSaysOfItsTimesNeverChanges()
    {
        std::mt19937 random(9);
        for (const bool disordered : {false, true}) {
            Trace trace;
            std::int64_t first = std::numeric_limits<std::int64_t>::max();
            std::int64_t last = std::numeric_limits<std::int64_t>::min();
            struct Said {
                Snapshot snapshot;
                Time first, last;
            };
            std::vector<Said> said;
            for (int i = 0; i < 140'000; ++i) {
                const std::int64_t time = disordered ? static_cast<std::int64_t>(random() % 1'000'000'000'000) : i * 1000;
                first = std::min(first, time);
                last = std::max(last, time);
                trace.append(frameAt(time, 1, 2).view());
                if (random() % 2003 == 0 || i == 65'535 || i == 65'536)
                    said.push_back({trace.snapshot(), Time(first), Time(last)});
            }
            for (const Said& one : said) {
                QCOMPARE(one.snapshot.earliest(), one.first);
                QCOMPARE(one.snapshot.latest(), one.last);
            }
        }
    }

    // Finding a moment in a run that is on the disk reads one segment, not one for each step of the search.
    void findingAMomentReadsOneSegment()
    {
        struct Counting final : SegmentStore {
            std::map<std::size_t, std::vector<std::int64_t>> times;
            unsigned loads = 0;
            std::unique_ptr<Segment> load(std::size_t index) override
            {
                ++loads;
                Trace again;
                for (const std::int64_t time : times[index])
                    again.append(frameAt(time, 1, 2).view());
                std::vector<can::FrameView> frames;
                const auto snapshot = again.snapshot();
                for (Row row = 0; row < snapshot.rows(); ++row)
                    frames.push_back(snapshot.frame(row));
                const std::span<const can::FrameView> all(frames);
                return std::move(fillSegment({&all, 1}).segment);
            }
        };
        Counting store;
        Trace trace;
        trace.boundTo(0, store);
        constexpr Row rows = 20 * segmentRows + 100;
        for (Row row = 0; row < rows; ++row) {
            store.times[static_cast<std::size_t>(row / segmentRows)].push_back(static_cast<std::int64_t>(row) * 10);
            trace.append(frameAt(static_cast<std::int64_t>(row) * 10, 1, 2).view());
            if (row % segmentRows == 0 && row > 0)
                trace.residence()->kept(static_cast<std::size_t>(row / segmentRows) - 1);
        }
        const TimeIndex index(trace.snapshot());
        for (const Row wanted : {Row{3}, Row{segmentRows}, Row{7 * segmentRows + 12'345}, Row{20 * segmentRows - 1}}) {
            trace.residence()->relieve();
            store.loads = 0;
            QCOMPARE(index.lowerBound(Time(static_cast<std::int64_t>(wanted) * 10)), wanted);
            QVERIFY2(store.loads <= 1, std::to_string(store.loads).c_str());
        }
    }

    void aClassicFrameTakesFewBytes()
    {
        Trace trace;
        for (int i = 0; i < 1'000'000; ++i)
            trace.append(frameAt(i, static_cast<std::uint32_t>(i) % 66, 8).view());
        QVERIFY(trace.memory() / 1'000'000 <= 40);
    }

    void aHundredThousandIdentifiersAreFine()
    {
        Trace trace;
        for (std::uint32_t i = 0; i < 100000; ++i)
            trace.append(frameAt(i, 0x10000 + i, 1).view());
        QCOMPARE(trace.identifierCount(), 100000U);
        QCOMPARE(trace.snapshot().frame(99999).id.value, 0x10000U + 99999);
    }
};

QTEST_APPLESS_MAIN(TraceTest)
#include "trace_test.moc"
