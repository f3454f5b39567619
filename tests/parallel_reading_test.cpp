// SPDX-License-Identifier: GPL-3.0-or-later
// Logs taken apart on several threads: the trace that comes out is the one that a reader without threads makes, frame by
// frame, and every way into it agrees.
#include <QFile>
#include <QTemporaryDir>
#include <QTest>

#include <random>

#include "loaded_log.h"
#include "pcapng_builder.h"
#include "same_frame.h"
#include "base/stamp.h"

using namespace wavetrope;
using namespace wavetrope::formats;

namespace {

ReadOptions divided(unsigned threads, std::size_t stretchBytes = ReadOptions().stretchBytes)
{
    ReadOptions options;
    options.threads = threads;
    options.stretchBytes = stretchBytes;
    return options;
}

std::unique_ptr<LoadedLog> load(const QByteArray& bytes, unsigned threads, std::size_t stretchBytes)
{
    return loadBytes(bytes, divided(threads, stretchBytes));
}

// The first row at which two traces differ, or -1.
std::int64_t difference(const trace::Trace& a, const trace::Trace& b)
{
    const auto left = a.snapshot();
    const auto right = b.snapshot();
    const std::uint64_t rows = std::min(left.rows(), right.rows());
    for (trace::Row row = 0; row < rows; ++row)
        if (!same(left.frame(row), right.frame(row)))
            return static_cast<std::int64_t>(row);
    return left.rows() == right.rows() ? -1 : static_cast<std::int64_t>(rows);
}

// A trace that got the same frames one by one.
std::unique_ptr<trace::Trace> oneByOne(const trace::Trace& from)
{
    auto to = std::make_unique<trace::Trace>();
    for (const trace::TraceBus& bus : from.buses())
        to->addBus(bus);
    const auto snapshot = from.snapshot();
    for (trace::Row row = 0; row < snapshot.rows(); ++row)
        to->append(snapshot.frame(row));
    return to;
}

// Frames of all kinds and lengths; stamps mostly rise.
class Frames {
public:
    explicit Frames(unsigned seed, unsigned identifiers = 60) : random_(seed), identifiers_(identifiers) {}
    const can::Frame& next()
    {
        time_ += Time(random_() % 50'000);
        frame_.time = random_() % 3000 == 0 ? time_ - Time(5'000'000'000) : time_;
        frame_.bus = static_cast<std::uint8_t>(random_() % 3);
        const auto number = static_cast<std::uint32_t>(random_());
        frame_.id = random_() % 3 == 0 ? can::Identifier{0x18FF0000 + number % identifiers_, true}
                                       : can::Identifier{number % std::min(identifiers_, 2048U), false};
        frame_.direction = static_cast<can::Direction>(random_() % 3);
        frame_.kind = can::FrameKind::data;
        frame_.brs = frame_.esi = false;
        frame_.length = random_() % 5 == 0 ? static_cast<std::uint8_t>(random_() % 9) : std::uint8_t{8};
        switch (random_() % 20) {
        case 0:
            frame_.kind = can::FrameKind::fd;
            frame_.length = static_cast<std::uint8_t>(can::lengthOfDlc(random_() % 16));
            frame_.brs = random_() % 2 == 0;
            break;
        case 1:
            frame_.kind = can::FrameKind::remote;
            frame_.length = 0;
            break;
        case 2:
            frame_.kind = can::FrameKind::error;
            frame_.id = {1U << random_() % 8, false};
            frame_.length = 8;
            break;
        default: break;
        }
        frame_.dlc = can::dlcOfLength(frame_.length);
        for (auto& byte : frame_.data)
            byte = static_cast<std::uint8_t>(random_());
        return frame_;
    }

private:
    std::mt19937 random_;
    unsigned identifiers_;
    Time time_{1'000'000'000'000};
    can::Frame frame_;
};

void write(const QString& path, Frames frames, int count)
{
    const std::vector<trace::TraceBus> buses{{"A", {500'000, 0}}, {"B", {250'000, 0}}, {"C", {500'000, 2'000'000}}};
    auto file = LogFile::create(path.toStdString(), buses);
    if (!file)
        qFatal("%s", file.error().text().c_str());
    for (int i = 0; i < count; ++i)
        (*file)->write(frames.next().view());
    if (!(*file)->finish())
        qFatal("cannot be written");
}

const QByteArray eight = QByteArray::fromHex("0102030405060708");

// All that a pcapng log may hold, in both byte orders and several sections: packets with and without stamps, of interfaces
// that are described late, of other links, and such that are no frame.
QByteArray mixedLog(unsigned seed, int blocks)
{
    std::mt19937 random(seed);
    PcapngBuilder log;
    int interfaces = 0;
    std::uint64_t time = 1000;
    for (int i = 0; i < blocks; ++i) {
        const auto what = i == 0 ? 0U : static_cast<unsigned>(random() % 1000);
        if (what < 2) {
            log.big = random() % 2 == 0;
            log.section();
            interfaces = 0;
        } else if (what < 12 || interfaces == 0) {
            log.interface(QByteArray("bus").append(QByteArray::number(random() % 5)).constData(), random() % 4 == 0 ? 113 : 227);
            ++interfaces;
        } else if (what < 30) {
            QByteArray body;
            const QByteArray packet = PcapngBuilder::packet(random() % 2048, eight);
            log.put(body, static_cast<std::uint64_t>(packet.size()), 4);
            log.block(3, body + packet);
        } else if (what < 40) {
            QByteArray body;
            const QByteArray packet = PcapngBuilder::packet(random() % 2048, eight);
            log.put(body, random() % 4, 2);
            log.put(body, 0, 2);
            log.put(body, time >> 32, 4);
            log.put(body, time & 0xFFFFFFFFU, 4);
            log.put(body, static_cast<std::uint64_t>(packet.size()), 4);
            log.put(body, static_cast<std::uint64_t>(packet.size()), 4);
            log.block(2, body + packet);
        } else if (what < 45) {
            log.block(0x0BAD + random() % 3, QByteArray(static_cast<int>(random() % 8) * 4, 'x'));
        } else if (what < 50) {
            log.frame(time, QByteArray(static_cast<int>(random() % 8), 'y'), 0);
        } else if (what < 52) {
            log.frame(~std::uint64_t{0} - random(), PcapngBuilder::packet(1, eight), 0);
        } else {
            time += random() % 1000;
            log.frame(time, PcapngBuilder::packet(random() % 300, eight.left(static_cast<int>(random() % 9))),
                random() % 50 == 0 ? interfaces + 1 : static_cast<int>(random() % static_cast<unsigned>(interfaces)));
        }
    }
    return log.bytes;
}

}  // namespace

class ParallelReadingTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void everyFrameComesOnceAndInOrder_data()
    {
        QTest::addColumn<QString>("name");
        QTest::addColumn<uint>("threads");
        QTest::addColumn<uint>("stretch");
        for (const char* name : {"log.pcapng", "log.pcap", "log.pcapng.zst", "log.pcap.gz"})
            for (const unsigned threads : {1U, 2U, 5U})
                for (const unsigned stretch : {5'000U, 512U << 10})
                    QTest::addRow("%s on %u threads, %u bytes each", name, threads, stretch)
                        << QString::fromLatin1(name) << threads << stretch;
    }
    void everyFrameComesOnceAndInOrder()
    {
        QFETCH(QString, name);
        QFETCH(uint, threads);
        QFETCH(uint, stretch);
        constexpr int count = 150'000;  // two segments and more
        const QString path = folder_.filePath(name);
        if (!QFile::exists(path))
            write(path, Frames(3), count);
        const auto loaded = loadFile(path.toStdString(), divided(threads, stretch));
        QVERIFY(loaded->report.has_value());
        QCOMPARE(loaded->warnings(), QStringList());
        QCOMPARE(loaded->report->frames, static_cast<std::uint64_t>(count));
        QCOMPARE(loaded->trace.rows(), static_cast<std::uint64_t>(count));
        const bool plain = name.startsWith("log.pcap.") || name.endsWith(".pcap");
        const auto snapshot = loaded->trace.snapshot();
        Frames wanted(3);
        for (trace::Row row = 0; row < snapshot.rows(); ++row) {
            can::Frame frame = wanted.next();
            if (plain) {  // which has no buses and no directions
                frame.bus = 0;
                frame.direction = can::Direction::unknown;
            }
            if (!same(frame.view(), snapshot.frame(row)))
                QFAIL(std::to_string(row).c_str());
        }
    }

    void whateverALogHoldsReadsAlikeOnAnyNumberOfThreads_data()
    {
        QTest::addColumn<uint>("seed");
        for (unsigned seed = 0; seed < 12; ++seed)
            QTest::addRow("log %u", seed) << seed;
    }
    void whateverALogHoldsReadsAlikeOnAnyNumberOfThreads()
    {
        QFETCH(uint, seed);
        QByteArray bytes = mixedLog(seed, seed == 0 ? 160'000 : 3000);
        if (seed % 3 == 1)
            bytes.chop(static_cast<int>(seed) + 7);     // cut off
        if (seed % 3 == 2)
            bytes.append("\x06\0\0\0\x0B\0\0\0", 8).append(QByteArray(40, '\0'));  // a block of a length that there is not
        const auto one = load(bytes, 1, std::size_t{1} << 40);
        QVERIFY(one->report.has_value());
        QVERIFY(one->trace.rows() > (seed == 0 ? 65'536U : 500U));
        for (const std::size_t stretch : {std::size_t{1}, std::size_t{3'000}, std::size_t{200'000}}) {
            if (seed == 0 && stretch == 1)
                continue;
            const auto several = load(bytes, 4, stretch);
            QVERIFY(several->report.has_value());
            QCOMPARE(several->report->frames, one->report->frames);
            QCOMPARE(several->warnings(), one->warnings());
            QCOMPARE(several->trace.buses().size(), one->trace.buses().size());
            QCOMPARE(difference(several->trace, one->trace), std::int64_t{-1});
        }
    }

    void wholeSegmentsAnswerAsThoseThatGrew_data()
    {
        QTest::addColumn<uint>("identifiers");
        QTest::addColumn<int>("rows");
        QTest::newRow("few identifiers") << 40U << 200'000;
        QTest::newRow("many") << 3000U << 200'000;
        QTest::newRow("mostly new ones") << 900'000U << 200'000;
        QTest::newRow("up to a segment's end") << 40U << 3 * 65'536;
        QTest::newRow("less than one") << 40U << 65'535;
    }
    void wholeSegmentsAnswerAsThoseThatGrew()
    {
        QFETCH(uint, identifiers);
        QFETCH(int, rows);
        const QString path = folder_.filePath("identifiers.pcapng");
        write(path, Frames(identifiers, identifiers), rows);
        const auto loaded = loadFile(path.toStdString(), divided(3));
        QCOMPARE(loaded->trace.rows(), static_cast<std::uint64_t>(rows));
        const auto grown = oneByOne(loaded->trace);
        QCOMPARE(loaded->trace.identifierCount(), grown->identifierCount());
        QCOMPARE(loaded->trace.disorders(), grown->disorders());
        QVERIFY(loaded->trace.disorders() > 0);
        QCOMPARE(loaded->trace.origin(), grown->origin());
        const auto filled = loaded->trace.snapshot();
        const auto wanted = grown->snapshot();
        QCOMPARE(filled.earliest(), wanted.earliest());
        QCOMPARE(filled.latest(), wanted.latest());
        std::mt19937 random(9);
        for (trace::IdentifierIndex id = 0; id < grown->identifierCount();
            id += 1 + static_cast<trace::IdentifierIndex>(grown->identifierCount() / 200)) {
            QVERIFY(loaded->trace.key(id) == grown->key(id));
            QCOMPARE(filled.countOf(id), wanted.countOf(id));
            for (int k = 0; k < 10; ++k) {
                const trace::Row limit = random() % static_cast<unsigned>(rows + 1);
                QCOMPARE(filled.countOf(id, limit), wanted.countOf(id, limit));
                QCOMPARE(filled.previousOf(id, limit), wanted.previousOf(id, limit));
                QCOMPARE(filled.nextOf(id, limit), wanted.nextOf(id, limit));
                const std::uint64_t n = random() % (wanted.countOf(id) + 1);
                QCOMPARE(filled.nthOf(id, n), wanted.nthOf(id, n));
            }
            std::vector<trace::Row> seen;
            filled.eachOf(id, 70'000, [&](trace::Row row, const can::FrameView& frame) {
                if (same(frame, wanted.frame(row)))
                    seen.push_back(row);
                return true;
            });
            std::vector<trace::Row> right;
            wanted.eachOf(id, 70'000, [&](trace::Row row, const can::FrameView&) {
                right.push_back(row);
                return true;
            });
            QCOMPARE(seen, right);
        }
        for (std::size_t s = 0; s < filled.segmentCount(); ++s) {
            QCOMPARE(filled.segment(s)->earliest(), wanted.segment(s)->earliest());
            QCOMPARE(filled.segment(s)->latest(), wanted.segment(s)->latest());
            QCOMPARE(filled.segment(s)->groupCount(), wanted.segment(s)->groupCount());
            QVERIFY(filled.segment(s)->memory() <= wanted.segment(s)->memory());
        }
    }

    void stretchesOfAGroupLieTogether()
    {
        const QString path = folder_.filePath("together.pcapng");
        write(path, Frames(4), 140'000);
        const auto loaded = loadFile(path.toStdString(), divided(2));
        const auto snapshot = loaded->trace.snapshot();
        const auto segment = snapshot.segment(1);
        for (std::uint32_t g = 0; g < segment->groupCount(); ++g) {
            unsigned chunks = 0;
            std::uint32_t frames = 0;
            segment->group(g).chunks(0, segment->group(g).size(), [&](const std::uint8_t*, const std::uint8_t*, std::uint32_t count) {
                ++chunks;
                frames += count;
            });
            QCOMPARE(chunks, 1U);
            QCOMPARE(frames, segment->group(g).size());
        }
    }

    void rowsAppendedBehindWholeSegmentsGoOn()
    {
        const QString path = folder_.filePath("behind.pcapng");
        write(path, Frames(5), 2 * 65'536);
        const auto loaded = loadFile(path.toStdString(), divided(2));
        QCOMPARE(loaded->trace.rows(), 2U * 65'536);
        Frames more(6);
        for (int i = 0; i < 70'000; ++i)
            loaded->trace.append(more.next().view());
        QCOMPARE(difference(loaded->trace, *oneByOne(loaded->trace)), std::int64_t{-1});
        const auto id = loaded->trace.find({0, false, {7, false}});
        QVERIFY(id.has_value());
        const auto grown = oneByOne(loaded->trace);
        QCOMPARE(loaded->trace.snapshot().countOf(*id), grown->snapshot().countOf(*grown->find({0, false, {7, false}})));
    }

    void theFirstRowsAreThereBeforeTheirSegmentIsFull()
    {
        struct Watching : TraceSink {
            explicit Watching(trace::Trace& trace) : TraceSink(trace), watched(trace) {}
            void onRows() override { seen.push_back(watched.rows()); }
            trace::Trace& watched;
            std::vector<std::uint64_t> seen;
        };
        const QString path = folder_.filePath("first.pcapng");
        write(path, Frames(7), 250'000);
        trace::Trace trace;
        Watching sink(trace);
        QVERIFY(readLogFile(path.toStdString(), sink).has_value());
        QVERIFY(sink.seen.front() < 20'000);
        QVERIFY(std::is_sorted(sink.seen.begin(), sink.seen.end()));
        QVERIFY(std::count(sink.seen.begin(), sink.seen.end(), 3 * 65'536) == 1);
        QCOMPARE(sink.seen.back(), 250'000U);
    }

    void cancellingLeavesWhatWasRead()
    {
        struct Impatient : TraceSink {
            using TraceSink::TraceSink;
            bool onProgress(std::uint64_t done, std::uint64_t) override { return done < 6'000'000; }
        };
        const QString path = folder_.filePath("cancelled.pcapng");
        write(path, Frames(8), 400'000);
        trace::Trace trace;
        Impatient sink(trace);
        const auto report = readLogFile(path.toStdString(), sink);
        QVERIFY(report.has_value() && report->cancelled);
        QCOMPARE(report->frames, trace.rows());
        QVERIFY(trace.rows() > 65'536 && trace.rows() < 400'000);
        Frames wanted(8);
        for (trace::Row row = 0; row < trace.rows(); ++row)
            if (!same(wanted.next().view(), trace.snapshot().frame(row)))
                QFAIL(std::to_string(row).c_str());
    }

    void aFullMemoryEndsTheReadingBehindAWholeSegment()
    {
        const QString path = folder_.filePath("full.pcapng");
        write(path, Frames(9), 400'000);
        trace::Trace trace;
        TraceSink sink(trace, 5'000'000);
        QVERIFY(readLogFile(path.toStdString(), sink).has_value());
        QVERIFY(sink.full());
        QVERIFY(trace.rows() >= 65'536 && trace.rows() < 400'000);
        QVERIFY(sink.fullness("full.pcapng").what.find(std::to_string(trace.rows())) != std::string::npos);
    }

    // ---- what strangers send

    void aMillionInterfacesAreRead()
    {
        PcapngBuilder log;
        log.section();
        PcapngBuilder one;
        one.interface("Chassis");
        PcapngBuilder other;
        other.interface("", 113);
        log.bytes.reserve(1'100'000 * one.bytes.size());
        for (int i = 0; i < 1'048'576 + 10; ++i)
            log.bytes.append(i % 3 == 0 ? one.bytes : other.bytes);
        log.frame(10, PcapngBuilder::packet(0x123, eight), 999'999);    // of the other link
        log.frame(11, PcapngBuilder::packet(0x124, eight), 999'999 - 999'999 % 3);
        log.frame(12, PcapngBuilder::packet(0x125, eight), 1'048'576);
        const auto loaded = load(log.bytes, 2, ReadOptions().stretchBytes);
        QVERIFY(loaded->report.has_value());
        QCOMPARE(loaded->trace.buses().size(), 1U);
        QCOMPARE(loaded->trace.rows(), 2U);
        QCOMPARE(loaded->trace.snapshot().frame(0).id.value, 0x123U);
        QCOMPARE(loaded->warnings().size(), 2);
        QVERIFY(loaded->warnings()[0].startsWith("10 interfaces beyond the first 1,048,576"));
        QCOMPARE(loaded->warnings()[1], QString("1 packets that are no frame stepped over"));
    }

    void aMillionNamesEndAtTheLastBus()
    {
        PcapngBuilder log;
        log.section();
        for (int i = 0; i < 100'000; ++i)
            log.interface(QByteArray("bus").append(QByteArray::number(i)).constData());
        for (int i = 0; i < 3; ++i)
            log.frame(static_cast<std::uint64_t>(i), PcapngBuilder::packet(0x100, eight), i * 40'000);
        const auto loaded = load(log.bytes, 2, 1000);
        QCOMPARE(loaded->trace.buses().size(), 255U);
        QCOMPARE(loaded->trace.rows(), 3U);
        QCOMPARE(unsigned{loaded->trace.snapshot().frame(0).bus}, 0U);
        QCOMPARE(unsigned{loaded->trace.snapshot().frame(2).bus}, 254U);
        QCOMPARE(loaded->warnings().size(), 1);
    }

    void sectionsWithoutEndAreRead()
    {
        PcapngBuilder log;
        for (int i = 0; i < 20'000; ++i)
            log.section()
                .interface(i % 2 == 0 ? "A" : "B")
                .frame(static_cast<std::uint64_t>(i), PcapngBuilder::packet(static_cast<std::uint32_t>(i) & 0x7FFU, eight));
        const auto loaded = load(log.bytes, 3, ReadOptions().stretchBytes);
        QCOMPARE(loaded->trace.rows(), 20'000U);
        QCOMPARE(loaded->trace.buses().size(), 2U);
        QCOMPARE(unsigned{loaded->trace.snapshot().frame(19'999).bus}, 1U);
        QCOMPARE(loaded->trace.snapshot().time(19'999).count(), 19'999);
    }

    void stampsBeyondTheYear2261AreRefusedAndCounted()
    {
        PcapngBuilder log;
        log.section().interface("A");
        constexpr auto last = static_cast<std::uint64_t>(latestStamp.count());
        log.frame(last, PcapngBuilder::packet(1, eight));
        log.frame(last + 1, PcapngBuilder::packet(2, eight));
        log.frame(~std::uint64_t{0}, PcapngBuilder::packet(3, eight));
        const auto loaded = load(log.bytes, 2, 1);
        QCOMPARE(loaded->trace.rows(), 1U);
        QCOMPARE(loaded->trace.snapshot().time(0).count(), latestStamp.count());
        QCOMPARE(loaded->warnings(), QStringList("2 frames with a time stamp outside the years 1970 to 2261 refused"));
    }

    void anInterfaceCountsFromWhereItIsDescribed()
    {
        PcapngBuilder log;
        log.section().interface("A");
        log.frame(1, PcapngBuilder::packet(1, eight), 1);   // too early: there is no second one yet
        log.interface("B");
        log.frame(2, PcapngBuilder::packet(2, eight), 1);
        for (const std::size_t stretch : {std::size_t{1}, std::size_t{1} << 30}) {
            const auto loaded = load(log.bytes, 2, stretch);
            QCOMPARE(loaded->trace.rows(), 1U);
            QCOMPARE(loaded->trace.snapshot().frame(0).id.value, 2U);
            QCOMPARE(unsigned{loaded->trace.snapshot().frame(0).bus}, 1U);
            QCOMPARE(loaded->warnings(), QStringList("1 packets that are no frame stepped over"));
        }
    }

    void packetsWithoutAStampTakeTheOneBeforeEvenAcrossStretches()
    {
        PcapngBuilder log;
        log.section().interface("A").frame(77, PcapngBuilder::packet(1, eight));
        const QByteArray packet = PcapngBuilder::packet(2, eight);
        QByteArray body;
        log.put(body, static_cast<std::uint64_t>(packet.size()), 4);
        for (int i = 0; i < 5; ++i)
            log.block(3, body + packet);
        log.frame(99, PcapngBuilder::packet(3, eight));
        log.block(3, body + packet);
        for (const std::size_t stretch : {std::size_t{1}, std::size_t{1} << 30}) {
            const auto loaded = load(log.bytes, 3, stretch);
            QCOMPARE(loaded->trace.rows(), 8U);
            for (trace::Row row = 0; row < 6; ++row)
                QCOMPARE(loaded->trace.snapshot().time(row).count(), 77);
            QCOMPARE(loaded->trace.snapshot().time(7).count(), 99);
        }
    }

    void logsOfNothingSaySo_data()
    {
        QTest::addColumn<QByteArray>("bytes");
        QTest::addColumn<QByteArray>("words");
        QTest::newRow("no byte") << QByteArray() << QByteArray("the file is empty");
        QTest::newRow("zeros") << QByteArray(100'000, '\0') << QByteArray("no log of a known format");
        QTest::newRow("a head alone") << QByteArray::fromHex("0A0D0D0A") << QByteArray("cut off");
        QTest::newRow("a block of impossible length")
            << PcapngBuilder().section().bytes + QByteArray::fromHex("0100000003000000") + QByteArray(20, '\0')
            << QByteArray("impossible length 3");
        QTest::newRow("a pcap head that ends early") << QByteArray::fromHex("4D3CB2A1020004000000") << QByteArray("ends inside its header");
    }
    void logsOfNothingSaySo()
    {
        QFETCH(QByteArray, bytes);
        QFETCH(QByteArray, words);
        const auto loaded = load(bytes, 2, 512);
        const std::string text = loaded->report
                                     ? (loaded->report->warnings.empty() ? std::string() : loaded->report->warnings.front().text())
                                     : loaded->report.error().text();
        QVERIFY2(text.find(words.constData()) != std::string::npos, text.c_str());
        QCOMPARE(loaded->trace.rows(), 0U);
    }

private:
    QTemporaryDir folder_;
};

QTEST_GUILESS_MAIN(ParallelReadingTest)
#include "parallel_reading_test.moc"
