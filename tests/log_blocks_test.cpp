// SPDX-License-Identifier: GPL-3.0-or-later
// Logs block by block: what a reader has to step over, refuse or take, built by hand; and the bytes behind them.
#include <QFile>
#include <QTemporaryDir>
#include <QTest>

#include "loaded_log.h"
#include "pcapng_builder.h"
#include "formats/packed_frame.h"
#include "record/recorder.h"

using namespace wavetrope;
using namespace wavetrope::formats;
using Builder = PcapngBuilder;

namespace {

const QByteArray eight = QByteArray::fromHex("0102030405060708");

}  // namespace

class LogBlocksTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void bothByteOrdersReadAlike_data()
    {
        QTest::addColumn<bool>("big");
        QTest::newRow("little endian") << false;
        QTest::newRow("big endian") << true;
    }
    void bothByteOrdersReadAlike()
    {
        QFETCH(bool, big);
        Builder log;
        log.big = big;
        log.section().interface("Main").frame(1'800'000'000'000'000'005, Builder::packet(0x123, eight));
        const auto loaded = loadBytes(log.bytes);
        QVERIFY(loaded->report.has_value() && loaded->report->warnings.empty());
        QCOMPARE(loaded->trace.rows(), 1U);
        QCOMPARE(loaded->at(0).time.count(), 1'800'000'000'000'000'005);
        QCOMPARE(loaded->at(0).id.value, 0x123U);
        QCOMPARE(loaded->trace.buses()[0].name, std::string("Main"));
    }

    void packetsAreTakenApart_data()
    {
        QTest::addColumn<uint>("word");
        QTest::addColumn<QByteArray>("data");
        QTest::addColumn<int>("flags");
        QTest::addColumn<int>("code");
        QTest::addColumn<int>("kind");
        QTest::addColumn<QString>("id");
        QTest::addColumn<int>("length");
        QTest::addColumn<int>("dlc");
        using can::FrameKind;
        const auto row = [](const char* name, uint word, const QByteArray& data, int flags, int code, FrameKind kind, const char* id,
                             int length, int dlc) {
            QTest::newRow(name) << word << data << flags << code << static_cast<int>(kind) << QString::fromLatin1(id) << length << dlc;
        };
        row("standard", 0x123, eight, 0, 0, FrameKind::data, "0x123", 8, 8);
        row("extended", 0x98FF2103, eight, 0, 0, FrameKind::data, "0x18FF2103", 8, 8);
        row("small extended", 0x80000001, eight, 0, 0, FrameKind::data, "0x00000001", 8, 8);
        row("empty", 0x7FF, {}, 0, 0, FrameKind::data, "0x7FF", 0, 0);
        row("remote", 0x40000123, {}, 0, 0, FrameKind::remote, "0x123", 0, 0);
        row("error", 0x20000008, eight, 0, 0, FrameKind::error, "0x008", 8, 8);
        row("length code 13", 0x123, eight, 0, 13, FrameKind::data, "0x123", 8, 13);
        row("length code 8 says nothing", 0x123, eight, 0, 8, FrameKind::data, "0x123", 8, 8);
        row("length code of a short frame", 0x123, eight.left(4), 0, 13, FrameKind::data, "0x123", 4, 4);
        row("fd", 0x123, eight, 4, 0, FrameKind::fd, "0x123", 8, 8);
        row("fd, 12 bytes", 0x123, eight + eight.left(4), 4, 0, FrameKind::fd, "0x123", 12, 9);
        row("long without its flag", 0x123, eight + eight, 0, 0, FrameKind::fd, "0x123", 16, 10);
        row("fd, 64 bytes", 0x123, QByteArray(64, 'x'), 7, 0, FrameKind::fd, "0x123", 64, 15);
        row("reserved bits of a standard identifier", 0x0000F123, eight, 0, 0, FrameKind::data, "0x123", 8, 8);
    }
    void packetsAreTakenApart()
    {
        QFETCH(uint, word);
        QFETCH(QByteArray, data);
        QFETCH(int, flags);
        QFETCH(int, code);
        QFETCH(int, kind);
        QFETCH(QString, id);
        QFETCH(int, length);
        QFETCH(int, dlc);
        const QByteArray packet = Builder::packet(word, data, flags, code);
        const auto loaded = loadBytes(Builder().section().interface().frame(0, packet).bytes);
        QCOMPARE(loaded->trace.rows(), 1U);
        const can::FrameView frame = loaded->at(0);
        QCOMPARE(static_cast<int>(frame.kind), kind);
        QCOMPARE(QString::fromStdString(can::toText(frame.id)), id);
        QCOMPARE(static_cast<int>(frame.length), length);
        QCOMPARE(static_cast<int>(frame.dlc), dlc);
        QCOMPARE(frame.brs, (flags & 5) == 5);
        QCOMPARE(frame.esi, (flags & 6) == 6);
        QCOMPARE(QByteArray(reinterpret_cast<const char*>(frame.data), frame.length), data.left(frame.length));
        // Packed again it is the same frame.
        std::uint8_t again[72];
        const std::size_t size = packFrame(frame, again);
        can::FrameView back;
        QVERIFY(unpackFrame(again, size, back));
        QCOMPARE(back.id, frame.id);
        QCOMPARE(back.kind, frame.kind);
        QCOMPARE(back.dlc, frame.dlc);
        QCOMPARE(back.length, frame.length);
    }

    void packetsThatAreNoFrameAreCounted_data()
    {
        QTest::addColumn<QByteArray>("packet");
        QTest::newRow("empty") << QByteArray();
        QTest::newRow("header cut off") << QByteArray(7, '\0');
        QTest::newRow("fewer bytes than said") << QByteArray::fromHex("0000012308000000") + eight.left(4);
        QTest::newRow("65 bytes") << QByteArray::fromHex("0000012341040000") + QByteArray(65, 'x');
    }
    void packetsThatAreNoFrameAreCounted()
    {
        QFETCH(QByteArray, packet);
        const auto loaded = loadBytes(Builder().section().interface().frame(0, packet).frame(1, Builder::packet(1, eight)).bytes);
        QCOMPARE(loaded->trace.rows(), 1U);
        QVERIFY(loaded->warned("1 packets that are no frame"));
    }

    void directionsComeFromTheFlags_data()
    {
        QTest::addColumn<QByteArray>("flags");
        QTest::addColumn<int>("direction");
        QTest::newRow("none") << QByteArray() << 0;
        QTest::newRow("inbound") << QByteArray::fromHex("01000000") << 1;
        QTest::newRow("outbound") << QByteArray::fromHex("02000000") << 2;
        QTest::newRow("neither") << QByteArray::fromHex("00000000") << 0;
        QTest::newRow("both") << QByteArray::fromHex("03000000") << 0;
        QTest::newRow("with other bits") << QByteArray::fromHex("F9FFFFFF") << 1;
    }
    void directionsComeFromTheFlags()
    {
        QFETCH(QByteArray, flags);
        QFETCH(int, direction);
        Builder log;
        log.section().interface();
        log.frame(0, Builder::packet(1, eight), 0,
            flags.isEmpty() ? QByteArray() : log.option(1, "a comment") + log.option(2, flags) + log.option(0, {}));
        QCOMPARE(static_cast<int>(loadBytes(log.bytes)->at(0).direction), direction);
    }

    void ratesAndNamesAreReadFromInterfaces()
    {
        Builder log;
        log.section()
            .interface(
                "Scanner", 227, log.option(8, QByteArray::fromHex("20A1070000000000")) + log.option(1, "data bit rate 2000000 bit/s"))
            .frame(0, Builder::packet(1, eight));
        const auto loaded = loadBytes(log.bytes);
        QCOMPARE(loaded->trace.buses()[0].rate, (can::BitRate{500'000, 2'000'000}));
    }

    void blocksOfOtherKindsAreSteppedOver()
    {
        Builder log;
        log.section()
            .block(4, QByteArray(40, 'n'))
            .interface()
            .block(5, QByteArray(20, 's'))
            .block(0x0BAD, {})
            .frame(7, Builder::packet(1, eight))
            .block(0x80001234, QByteArray(200'000, 'x'))
            .frame(8, Builder::packet(2, eight));
        const auto loaded = loadBytes(log.bytes);
        QVERIFY(loaded->report->warnings.empty());
        QCOMPARE(loaded->trace.rows(), 2U);
        QCOMPARE(loaded->at(1).time.count(), 8);
    }

    void interfacesOfOtherNetworksAreCounted()
    {
        const auto loaded = loadBytes(Builder()
                .section()
                .interface("net", 1)
                .interface("can")
                .frame(0, QByteArray(60, 'e'), 0)
                .frame(1, Builder::packet(5, eight), 1)
                .bytes);
        QCOMPARE(loaded->trace.rows(), 1U);
        QCOMPARE(loaded->trace.buses().size(), 1U);
        QVERIFY(loaded->warned("other link types"));
    }

    void anInterfaceOfALaterSectionWithTheSameNameIsTheSameBus()
    {
        const auto loaded = loadBytes(Builder()
                .section()
                .interface("A")
                .interface("B")
                .frame(1, Builder::packet(1, eight), 1)
                .section()
                .interface("B")
                .interface("C")
                .frame(2, Builder::packet(2, eight), 0)
                .frame(3, Builder::packet(3, eight), 1)
                .bytes);
        QCOMPARE(loaded->trace.buses().size(), 3U);
        QCOMPARE(unsigned{loaded->at(0).bus}, 1U);
        QCOMPARE(unsigned{loaded->at(1).bus}, 1U);
        QCOMPARE(unsigned{loaded->at(2).bus}, 2U);
    }

    void interfacesOfOneNameAndOtherRatesAreOtherBuses()
    {
        Builder log;
        const auto rate = [&](quint64 value) {
            QByteArray bytes;
            log.put(bytes, value, 8);
            return log.option(8, bytes);
        };
        log.section()
            .interface("A", 227, rate(500'000))
            .interface("A", 227, rate(250'000))
            .frame(1, Builder::packet(1, eight), 0)
            .frame(2, Builder::packet(2, eight), 1);
        log.section()
            .interface("A", 227, rate(250'000))
            .interface("A")
            .frame(3, Builder::packet(3, eight), 0)
            .frame(4, Builder::packet(4, eight), 1);
        const auto loaded = loadBytes(log.bytes);
        QCOMPARE(loaded->trace.buses().size(), 2U);
        QCOMPARE(loaded->trace.buses()[0].rate.nominal, 500'000U);
        QCOMPARE(loaded->trace.buses()[1].rate.nominal, 250'000U);
        QVERIFY(loaded->trace.buses()[1].name != loaded->trace.buses()[0].name);
        QCOMPARE(unsigned{loaded->at(0).bus}, 0U);
        QCOMPARE(unsigned{loaded->at(1).bus}, 1U);
        QCOMPARE(unsigned{loaded->at(2).bus}, 1U);     // in a later section, too
        QCOMPARE(unsigned{loaded->at(3).bus}, 0U);     // one without a rate may be either: the first
    }

    void frameOfAnUnknownInterfaceIsCounted()
    {
        const auto loaded = loadBytes(
            Builder().section().interface().frame(0, Builder::packet(1, eight), 9).frame(1, Builder::packet(2, eight)).bytes);
        QCOMPARE(loaded->trace.rows(), 1U);
        QVERIFY(loaded->warned("no frame"));
    }

    void stampsPast2261AreRefusedInWords()
    {
        const auto loaded = loadBytes(
            Builder().section().interface().frame(~0ULL, Builder::packet(1, eight)).frame(5, Builder::packet(2, eight)).bytes);
        QCOMPARE(loaded->trace.rows(), 1U);
        QVERIFY(loaded->warned("2261"));
    }

    void simpleAndObsoletePacketsAreRead()
    {
        Builder log;
        log.section().interface();
        QByteArray simple;
        log.put(simple, 16, 4);
        log.block(3, simple + Builder::packet(0x11, eight));
        QByteArray old;
        log.put(old, 0, 2);
        log.put(old, 0, 2);
        log.put(old, 0, 4);
        log.put(old, 77, 4);
        log.put(old, 16, 4);
        log.put(old, 16, 4);
        log.block(2, old + Builder::packet(0x22, eight));
        const auto loaded = loadBytes(log.bytes);
        QCOMPARE(loaded->trace.rows(), 2U);
        QCOMPARE(loaded->at(0).id.value, 0x11U);
        QCOMPARE(loaded->at(1).id.value, 0x22U);
        QCOMPARE(loaded->at(1).time.count(), 77);
        QVERIFY(loaded->warned("without a time stamp"));
    }

    void moreInterfacesThanBusesAreSaidOnce()
    {
        Builder log;
        log.section();
        for (int i = 0; i < 400; ++i)
            log.interface(QByteArray("bus").append(QByteArray::number(i)).constData());
        log.frame(0, Builder::packet(1, eight), 399);
        const auto loaded = loadBytes(log.bytes);
        QCOMPARE(loaded->trace.buses().size(), 255U);
        QVERIFY(loaded->warned("more than 255 buses"));
        QCOMPARE(unsigned{loaded->at(0).bus}, 254U);
    }

    void readingCanBeCancelled()
    {
        struct Impatient : TraceSink {
            using TraceSink::TraceSink;
            bool onProgress(std::uint64_t, std::uint64_t) override { return false; }
        };
        trace::Trace trace;
        Impatient sink(trace);
        const QByteArray bytes = Builder().section().interface().frame(0, Builder::packet(1, eight)).bytes;
        ByteSource source({reinterpret_cast<const std::uint8_t*>(bytes.constData()), static_cast<std::size_t>(bytes.size())});
        const auto report = readLog(source, sink);
        QVERIFY(report.has_value() && report->cancelled);
        QCOMPARE(trace.rows(), 0U);
    }

    void bytesOfAFileComeInWindowsThatOverlapNothing()
    {
        QTemporaryDir folder;
        const QString path = folder.filePath("bytes");
        QByteArray all;
        for (int i = 0; i < 9'000'000; ++i)
            all.append(static_cast<char>(i * 7 + i / 251));
        QFile file(path);
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(all);
        file.close();
        auto source = ByteSource::open(path.toStdString());
        QVERIFY(source.has_value());
        QCOMPARE(source->size(), static_cast<std::uint64_t>(all.size()));
        QByteArray seen;
        std::size_t step = 1;
        while (true) {
            const auto window = source->window(step);
            if (window.empty())
                break;
            const std::size_t take = std::min(window.size(), step);
            seen.append(reinterpret_cast<const char*>(window.data()), static_cast<qsizetype>(take));
            source->skip(take);
            step = step * 3 % 1'000'003 + 1;
        }
        QCOMPARE(seen, all);
        source->skip(1'000'000);
        QCOMPARE(source->position(), source->size());
        QVERIFY(source->window(10).empty());
    }

    void theFormatFollowsFromTheName()
    {
        QCOMPARE(std::string((*formatForName("a.pcapng"))->name), std::string("pcapng"));
        QCOMPARE(std::string((*formatForName("/x/A.PCAP"))->name), std::string("pcap"));
        QVERIFY(!formatForName("a.pcapng.txt"));
        QVERIFY(!formatForName(""));
    }

    void aRecorderWritesWhatComesAndRemembersWhatWas()
    {
        QTemporaryDir folder;
        const std::string path = folder.filePath("run.pcapng").toStdString();
        const std::vector<trace::TraceBus> buses{{"Main", {500'000, 0}}};
        can::Frame frame;
        frame.length = frame.dlc = 8;
        auto recorder = record::Recorder::start(path, buses);
        QVERIFY(recorder.has_value());
        QVERIFY(!(*recorder)->needsOthers());
        const auto next = [&] {
            frame.time += Time(1000);
            return frame.view();
        };
        for (int i = 0; i < 106; ++i)
            (*recorder)->take(next());
        QVERIFY((*recorder)->flush().has_value());
        QCOMPARE((*recorder)->frames(), 106U);
        for (int i = 0; i < 5; ++i)
            (*recorder)->take(next());
        QVERIFY((*recorder)->finish().has_value());
        const auto source = [&] {
            QFile file(QString::fromStdString(path));
            return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
        }();
        QCOMPARE(loadBytes(source)->trace.rows(), 111U);
        QVERIFY(!record::Recorder::start("/nonexistent/run.pcapng", buses));
        // Every third of all frames: the ones from before count, and are not written.
        const auto third = filter::Filter::compile("id 0x000 every 3", std::make_shared<const database::Catalog>());
        QVERIFY2(third.has_value(), third ? "" : third.error().text().c_str());
        auto thinned = record::Recorder::start(folder.filePath("third.pcapng").toStdString(), buses, *third);
        QVERIFY(thinned.has_value() && (*thinned)->needsOthers());
        for (int i = 0; i < 4; ++i)
            (*thinned)->remember(next());
        for (int i = 4; i < 10; ++i)
            (*thinned)->take(next());
        QCOMPARE((*thinned)->frames(), 2U);    // the seventh and the tenth
        QVERIFY((*thinned)->finish().has_value());
    }

    void aFullDiskIsSaidInWords()
    {
        if (!QFile::exists("/dev/full"))
            QSKIP("this machine has no /dev/full");
        QTemporaryDir folder;
        const QString path = folder.filePath("full.pcapng");
        QVERIFY(QFile::link("/dev/full", path + ".part"));
        auto file = LogFile::create(path.toStdString(), std::vector<trace::TraceBus>{{"Main", {500'000, 0}}});
        QVERIFY(file.has_value());
        const auto flushed = (*file)->flush();
        QVERIFY(!flushed);
        QVERIFY(flushed.error().text().find("No space left") != std::string::npos);
        QVERIFY(!(*file)->finish());
        QVERIFY(!QFile::exists(path));
    }
};

QTEST_APPLESS_MAIN(LogBlocksTest)
#include "log_blocks_test.moc"
