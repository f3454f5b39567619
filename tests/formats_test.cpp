// SPDX-License-Identifier: GPL-3.0-or-later
// Logs in and out of files.
#include <QTemporaryDir>
#include <QTest>

#include <random>

#include "loaded_log.h"
#include "vector_file.h"
#include "base/time_text.h"
#include "formats/tick_scale.h"

using namespace wavetrope;
using namespace wavetrope::formats;

namespace {

QByteArray hexOf(const can::FrameView& frame)
{
    return QByteArray(reinterpret_cast<const char*>(frame.data), frame.length).toHex().toUpper();
}

QByteArray fileBytes(const QString& path)
{
    QFile file(path);
    return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
}

void compareWithVector(const LoadedLog& loaded, const char* csv, bool names, bool directions)
{
    const auto rows = vectorRows(csv);
    const auto snapshot = loaded.trace.snapshot();
    QCOMPARE(snapshot.rows(), static_cast<std::uint64_t>(rows.size()));
    const auto buses = loaded.trace.buses();
    for (trace::Row i = 0; i < snapshot.rows(); ++i) {
        const auto& row = rows[static_cast<int>(i)];
        const can::FrameView frame = snapshot.frame(i);
        QCOMPARE(secondsText(frame.time), row[0].toStdString());
        if (names)
            QCOMPARE(buses[frame.bus].name, row[1].toStdString());
        if (directions)
            QCOMPARE(QByteArray(toText(frame.direction)), row[2]);
        QCOMPARE(QByteArray(toText(frame.kind)), row[3]);
        QCOMPARE(can::toText(frame.id), row[4].toStdString());
        QCOMPARE(frame.brs, row[5] == "1");
        QCOMPARE(frame.esi, row[6] == "1");
        QCOMPARE(hexOf(frame), row[8]);
        QCOMPARE(unsigned{frame.dlc}, row[9].toUInt());
    }
}

QByteArray block(std::uint32_t type, const QByteArray& body)
{
    QByteArray bytes;
    const auto put = [&bytes](std::uint32_t value) { bytes.append(reinterpret_cast<const char*>(&value), 4); };
    put(type);
    put(static_cast<std::uint32_t>(body.size() + 12));
    bytes.append(body);
    put(static_cast<std::uint32_t>(body.size() + 12));
    return bytes;
}

const QByteArray sectionBlock = block(0x0A0D0D0A, QByteArray::fromHex("4D3C2B1A01000000FFFFFFFFFFFFFFFF"));
const QByteArray interfaceBlock = block(1, QByteArray::fromHex("E300000000000000"));

}  // namespace

class FormatsTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void aFileThatGrowsIsReadAsItGrows_data()
    {
        QTest::addColumn<QString>("name");
        QTest::newRow("pcapng") << "growing.pcapng";
        QTest::newRow("pcap") << "growing.pcap";
    }
    void aFileThatGrowsIsReadAsItGrows()
    {
        QFETCH(QString, name);
        QTemporaryDir folder;
        const QString whole = folder.filePath(name);
        {
            auto file = LogFile::create(whole.toStdString(), std::vector<trace::TraceBus>{{"One", {500'000, 0}}});
            for (int i = 0; i < 300; ++i) {
                can::Frame frame;
                frame.time = Time(1'700'000'000'000'000'000 + i * 1'000'000);
                frame.id = {static_cast<std::uint32_t>(i), false};
                frame.length = frame.dlc = static_cast<std::uint8_t>(i % 9);
                (*file)->write(frame.view());
            }
            QVERIFY((*file)->finish().has_value());
        }
        const QByteArray bytes = fileBytes(whole);
        // It comes in pieces of every size, each asked for when the one before is used up.
        const QString path = folder.filePath(QStringLiteral("part-") + name);
        QFile part(path);
        QVERIFY(part.open(QIODevice::WriteOnly));
        const qsizetype begin = 200;
        part.write(bytes.left(begin));
        part.flush();
        qsizetype at = begin;
        int asked = 0;
        ReadOptions options;
        options.more = [&] {
            const qsizetype step = ++asked % 5 == 0 ? 0 : asked % 61;
            part.write(bytes.mid(at, step));
            part.flush();
            at = std::min(at + step, bytes.size());
            return at < bytes.size() || asked % 7 != 0;
        };
        trace::Trace trace;
        TraceSink sink(trace);
        const auto report = readLogFile(path.toStdString(), sink, options);
        QVERIFY(report.has_value());
        QVERIFY2(report->warnings.empty(), report->warnings.empty() ? "" : report->warnings[0].text().c_str());
        QVERIFY(asked > 50);
        QCOMPARE(trace.rows(), 300U);
        QCOMPARE(trace.snapshot().frame(299).id.value, 299U);

        // Made shorter, or replaced, it ends and says so; what came before stays.
        for (const bool shorter : {true, false}) {
            part.resize(0);
            part.seek(0);
            part.write(bytes);
            part.flush();
            options.more = [&] {
                if (shorter)
                    return part.resize(10);
                return QFile::remove(path);
            };
            trace::Trace ended;
            TraceSink into(ended);
            const auto said = readLogFile(path.toStdString(), into, options);
            QVERIFY(said.has_value());
            QCOMPARE(ended.rows(), 300U);
            QCOMPARE(said->warnings.size(), std::size_t{1});
            QVERIFY2(said->warnings[0].what.find(shorter ? "made shorter" : "removed or replaced") != std::string::npos,
                said->warnings[0].what.c_str());
        }
        // Text has no blocks that tell where they end.
        const QString text = folder.filePath(QStringLiteral("log.txt"));
        QFile lines(text);
        QVERIFY(lines.open(QIODevice::WriteOnly));
        lines.write("1.0 front 120 2 0A 0B\n2.0 front 121 2 0A 0B\n");
        lines.close();
        trace::Trace none;
        TraceSink nowhere(none);
        QVERIFY(!readLogFile(text.toStdString(), nowhere, options).has_value());
    }

    void everyReferenceCaptureIsReadFrameByFrame_data()
    {
        QTest::addColumn<QString>("log");
        QTest::addColumn<QString>("csv");
        QTest::newRow("little endian, two buses") << "capture-a.pcapng" << "capture-a.csv";
        QTest::newRow("big endian, offsets, sections") << "capture-b.pcapng" << "capture-b.csv";
        QTest::newRow("older layout") << "capture-c.pcap" << "capture-c.csv";
    }
    void everyReferenceCaptureIsReadFrameByFrame()
    {
        QFETCH(QString, log);
        QFETCH(QString, csv);
        const auto loaded = loadFile(dataPath(log.toLatin1()).toStdString());
        QVERIFY(loaded->report.has_value());
        compareWithVector(*loaded, csv.toLatin1(), true, true);
    }

    void bitRatesOfInterfacesAreKept()
    {
        const auto loaded = loadFile(dataPath("capture-a.pcapng").toStdString());
        const auto buses = loaded->trace.buses();
        QCOMPARE(buses.size(), 2U);
        QCOMPARE(buses[0].rate.nominal, 500000U);
    }

    void whatIsWrittenReadsBackTheSame_data() { everyReferenceCaptureIsReadFrameByFrame_data(); }
    void whatIsWrittenReadsBackTheSame()
    {
        QFETCH(QString, log);
        QFETCH(QString, csv);
        const auto loaded = loadFile(dataPath(log.toLatin1()).toStdString());
        QTemporaryDir folder;
        for (const char* name : {"out.pcapng", "out.pcap"}) {
            const std::string path = folder.filePath(name).toStdString();
            auto buses = loaded->trace.buses();
            buses[0].rate = {500000, 2000000};
            auto file = LogFile::create(path, buses);
            QVERIFY(file.has_value());
            const auto snapshot = loaded->trace.snapshot();
            for (trace::Row i = 0; i < snapshot.rows(); ++i)
                (*file)->write(snapshot.frame(i));
            QVERIFY(!QFile::exists(folder.filePath(name)));  // it stands beside until it is whole
            QVERIFY((*file)->finish().has_value());
            const auto again = loadFile(path);
            QVERIFY(again->report.has_value());
            QVERIFY(again->report->warnings.empty());
            const bool ng = QByteArray(name).endsWith("ng");
            compareWithVector(*again, csv.toLatin1(), ng, ng);
            if (ng)
                QCOMPARE(again->trace.buses()[0].rate, buses[0].rate);
            else if (buses.size() > 1)
                QVERIFY((*file)->losses(buses).find("buses") != std::string::npos);
        }
    }

    void aTruncatedLogIsReadUpToItsLastWholeFrame()
    {
        const QByteArray whole = fileBytes(dataPath("capture-a.pcapng"));
        const auto all = loadBytes(whole)->trace.rows();
        std::uint64_t last = 0;
        for (qsizetype cut = 300; cut < whole.size(); cut += 101) {
            const auto loaded = loadBytes(whole.left(cut));
            QVERIFY(loaded->report.has_value());
            QVERIFY(loaded->trace.rows() >= last && loaded->trace.rows() < all);
            last = loaded->trace.rows();
        }
        QVERIFY(last > all - 10);
        const auto cut = loadBytes(whole.left(whole.size() - 5));
        QCOMPARE(cut->report->warnings.size(), 1U);
        QVERIFY(cut->report->warnings[0].text().find("cut off") != std::string::npos);
    }

    void badLogsAreRefusedInWords_data()
    {
        QTest::addColumn<QByteArray>("bytes");
        QTest::addColumn<QString>("words");
        QTest::newRow("empty") << QByteArray() << "empty";
        QTest::newRow("text") << QByteArray("hello, this is no log at all") << "no log of a known format";
        QTest::newRow("magic only") << QByteArray::fromHex("0A0D0D0A") << "";
        QTest::newRow("no byte order mark") << block(0x0A0D0D0A, QByteArray(16, '\0')) << "byte-order mark";
        QTest::newRow("length 8") << sectionBlock + QByteArray::fromHex("0100000008000000080000000000") << "impossible length";
        QTest::newRow("other link type") << QByteArray::fromHex("D4C3B2A1020004000000000000000000FFFF000001000000") << "link type 1";
    }
    void badLogsAreRefusedInWords()
    {
        QFETCH(QByteArray, bytes);
        QFETCH(QString, words);
        const auto loaded = loadBytes(bytes);
        QVERIFY(!loaded->report || !loaded->report->warnings.empty());
        const std::string text = loaded->report ? loaded->report->warnings[0].text() : loaded->report.error().text();
        QVERIFY2(text.find(words.toStdString()) != std::string::npos, text.c_str());
    }

    void directoriesAndMissingFilesAreNamed()
    {
        QVERIFY(loadFile("/")->report.error().text().find("directory") != std::string::npos);
        QVERIFY(loadFile("/nonexistent/a.pcapng")->report.error().text().find("/nonexistent/a.pcapng") != std::string::npos);
        QVERIFY(!LogFile::create("/nonexistent/a.pcapng", {}).has_value());
        QVERIFY(LogFile::create("/tmp/a.zip", {}).error().text().find(".pcapng") != std::string::npos);
    }

    void aBlockThatDeclaresATerabyteEndsTheReadingAtOnce()
    {
        const QByteArray bytes = sectionBlock + interfaceBlock + QByteArray::fromHex("06000000FCFFFFFF00000000000000000000000000000000");
        const auto loaded = loadBytes(bytes);
        QVERIFY(loaded->report.has_value());
        QVERIFY(loaded->report->warnings[0].text().find("more than the file has left") != std::string::npos);
    }

    void ticksOfAnyResolutionAreRoundedDown()
    {
        QCOMPARE(TickScale(9, 0).time(5).value().count(), 5);
        QCOMPARE(TickScale(6, 0).time(5).value().count(), 5000);
        QCOMPARE(TickScale(0, 0).time(2).value().count(), 2'000'000'000);
        QCOMPARE(TickScale(12, 0).time(1999).value().count(), 1);
        QCOMPARE(TickScale(0x80 | 20, 0).time(1).value().count(), 953);
        QCOMPARE(TickScale(9, -1).time(0).value().count(), -1'000'000'000);
        QVERIFY(!TickScale(6, 0).time(~0ULL));
        QVERIFY(!TickScale(0, INT64_MAX).time(1));
        QCOMPARE(TickScale(127, 0).time(~0ULL).value().count(), 0);
        QCOMPARE(TickScale(0xFF, 0).time(~0ULL).value().count(), 0);
    }

    void whatWasFlushedIsReadableThoughNeverFinished()
    {
        QTemporaryDir folder;
        const std::string path = folder.filePath("run.pcapng").toStdString();
        auto file = LogFile::create(path, std::vector<trace::TraceBus>{{"A", {500000, 0}}});
        can::Frame frame;
        frame.length = frame.dlc = 8;
        for (int i = 0; i < 100; ++i)
            (*file)->write(frame.view());
        QVERIFY((*file)->flush().has_value());
        const auto loaded = loadFile(path + ".part");
        QCOMPARE(loaded->trace.rows(), 100U);
        (*file)->discard();
        QVERIFY(!QFile::exists(QString::fromStdString(path + ".part")));
    }

    void mutatedLogsNeverDoMoreThanComplain()
    {
        std::mt19937 random(12);
        for (const char* name : {"capture-a.pcapng", "capture-b.pcapng", "capture-c.pcap"}) {
            const QByteArray base = fileBytes(dataPath(name)).left(4000);
            for (int i = 0; i < 600; ++i) {
                QByteArray bytes = base;
                for (int k = 0; k < 3; ++k)
                    bytes[static_cast<qsizetype>(random() % static_cast<unsigned>(bytes.size()))] = static_cast<char>(random());
                const auto loaded = loadBytes(bytes);
                QVERIFY(loaded->trace.rows() < 400);
            }
        }
    }
};

QTEST_APPLESS_MAIN(FormatsTest)
#include "formats_test.moc"
