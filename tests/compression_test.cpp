// SPDX-License-Identifier: GPL-3.0-or-later
// Compressed files: what is written reads back, and what is damaged says so.
#include <QFile>
#include <QFileInfo>
#include <QTemporaryDir>
#include <QTest>

#include <random>

#include "vector_file.h"
#include "formats/byte_source.h"
#include "formats/log_file.h"
#include "formats/trace_sink.h"

using namespace wavetrope;
using namespace wavetrope::formats;

namespace {

std::vector<std::uint8_t> someBytes(std::size_t count, unsigned seed, unsigned variety)
{
    std::mt19937 random(seed);
    std::vector<std::uint8_t> bytes(count);
    for (auto& byte : bytes)
        byte = static_cast<std::uint8_t>(random() % variety);
    return bytes;
}

std::vector<std::uint8_t> deflated(Compression compression, std::span<const std::uint8_t> bytes, std::size_t step, bool flushes)
{
    const auto deflater = Deflater::make(compression);
    std::vector<std::uint8_t> out;
    for (std::size_t at = 0; at < bytes.size(); at += step)
        deflater->write(
            bytes.subspan(at, std::min(step, bytes.size() - at)), flushes ? Deflater::Until::flush : Deflater::Until::more, out);
    deflater->write({}, Deflater::Until::end, out);
    return out;
}

// All that a source gives, asked for in stretches of a size.
std::vector<std::uint8_t> allOf(ByteSource& source, std::size_t wanted)
{
    std::vector<std::uint8_t> out;
    for (auto bytes = source.window(wanted); !bytes.empty(); bytes = source.window(wanted)) {
        const auto taken = bytes.first(std::min(bytes.size(), wanted));
        out.insert(out.end(), taken.begin(), taken.end());
        source.skip(taken.size());
    }
    return out;
}

struct Counted : LogSink {
    std::uint8_t onBus(const trace::TraceBus&) override { return buses++; }
    void onFrames(std::span<const can::FrameView> more) override { frames += more.size(); }
    bool onProgress(std::uint64_t done, std::uint64_t total) override
    {
        within = within && done <= total;
        return true;
    }
    std::uint8_t buses = 0;
    std::uint64_t frames = 0;
    bool within = true;
};

}  // namespace

class CompressionTest : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void whatIsWrittenReadsBack_data()
    {
        QTest::addColumn<int>("compression");
        QTest::addColumn<int>("count");
        QTest::addColumn<int>("variety");
        QTest::addColumn<bool>("flushes");
        for (const int compression : {1, 2})
            for (const int count : {0, 1, 1000, 5'000'000})
                for (const bool flushes : {false, true})
                    QTest::addRow("%s, %d bytes%s", compression == 1 ? "gzip" : "zstd", count, flushes ? ", flushed" : "")
                        << compression << count << (count > 1000 ? 3 : 256) << flushes;
    }
    void whatIsWrittenReadsBack()
    {
        QFETCH(int, compression);
        QFETCH(int, count);
        QFETCH(int, variety);
        QFETCH(bool, flushes);
        const auto bytes = someBytes(static_cast<std::size_t>(count), 7, static_cast<unsigned>(variety));
        const auto packed = deflated(static_cast<Compression>(compression), bytes, 70'000, flushes);
        QCOMPARE(compressionOfHead(packed), static_cast<Compression>(compression));
        QVERIFY(count < 5000 || packed.size() < bytes.size() / 3);
        for (const std::size_t wanted : {std::size_t{3}, std::size_t{100'000}}) {
            if (wanted == 3 && count > 5000)
                continue;
            ByteSource source(packed, true);
            QCOMPARE(allOf(source, wanted), bytes);
            QCOMPARE(source.damage(), std::string());
            QCOMPARE(source.position(), static_cast<std::uint64_t>(count));
            QCOMPARE(source.done(), source.total());
        }
    }

    void severalFilesOneBehindTheOtherAreOne()
    {
        const auto bytes = someBytes(10'000, 3, 20);
        for (const Compression compression : {Compression::gzip, Compression::zstd}) {
            auto packed = deflated(compression, bytes, 10'000, false);
            const auto again = deflated(compression, bytes, 10'000, false);
            packed.insert(packed.end(), again.begin(), again.end());
            auto both = bytes;
            both.insert(both.end(), bytes.begin(), bytes.end());
            ByteSource source(packed, true);
            QCOMPARE(allOf(source, 777), both);
            QCOMPARE(source.damage(), std::string());
        }
    }

    void cutOffOrDamagedBytesSayWhatWasGood()
    {
        const auto bytes = someBytes(200'000, 5, 9);
        for (const Compression compression : {Compression::gzip, Compression::zstd}) {
            auto packed = deflated(compression, bytes, 4096, true);
            {
                ByteSource source({packed.data(), packed.size() / 2}, true);
                const auto got = allOf(source, 1000);
                QVERIFY(got.size() > bytes.size() / 4 && got.size() < bytes.size());
                QVERIFY(std::equal(got.begin(), got.end(), bytes.begin()));
                QVERIFY(QString::fromStdString(source.damage()).contains("cut off"));
            }
            for (std::size_t i = packed.size() / 2; i < packed.size() / 2 + 40; ++i)
                packed[i] ^= 0x5A;
            ByteSource source(packed, true);
            const auto got = allOf(source, 1000);
            QVERIFY(got.size() < bytes.size() || got != bytes);
            QVERIFY(QString::fromStdString(source.damage()).contains("damaged"));
        }
    }

    void steppingOverGoesThroughCompressedBytes()
    {
        const auto bytes = someBytes(9'000'000, 11, 4);
        const auto packed = deflated(Compression::zstd, bytes, 1 << 20, false);
        ByteSource source(packed, true);
        source.skip(8'500'000);
        QCOMPARE(source.position(), std::uint64_t{8'500'000});
        QCOMPARE(source.window(1)[0], bytes[8'500'000]);
        source.skip(~std::uint64_t{0});
        QCOMPARE(source.position(), std::uint64_t{9'000'000});
        QVERIFY(source.window(1).empty());
    }

    void logsAreReadAndWrittenCompressed_data()
    {
        QTest::addColumn<QString>("name");
        QTest::newRow("pcapng.gz") << "log.pcapng.gz";
        QTest::newRow("pcapng.zst") << "log.pcapng.zst";
        QTest::newRow("pcap.ZST") << "log.pcap.ZST";
    }
    void logsAreReadAndWrittenCompressed()
    {
        QFETCH(QString, name);
        QTemporaryDir folder;
        const std::string path = folder.filePath(name).toStdString();
        trace::Trace plain;
        TraceSink into(plain);
        QVERIFY(readLogFile(dataPath("capture-a.pcapng").toStdString(), into).has_value());
        const auto snapshot = plain.snapshot();
        auto file = LogFile::create(path, plain.buses());
        QVERIFY(file.has_value());
        for (trace::Row row = 0; row < snapshot.rows(); ++row)
            (*file)->write(snapshot.frame(row));
        QVERIFY((*file)->flush().has_value());
        QVERIFY((*file)->finish().has_value());
        QVERIFY(!QFile::exists(QString::fromStdString(path) + ".part"));

        trace::Trace back;
        TraceSink again(back);
        const auto report = readLogFile(path, again);
        QVERIFY(report.has_value());
        QVERIFY(report->warnings.empty());
        const auto other = back.snapshot();
        QCOMPARE(other.rows(), snapshot.rows());
        for (trace::Row row = 0; row < snapshot.rows(); ++row) {
            const can::FrameView a = snapshot.frame(row);
            const can::FrameView b = other.frame(row);
            QVERIFY(a.time == b.time && a.id == b.id && a.kind == b.kind && a.length == b.length);
            QVERIFY(std::equal(a.data, a.data + a.length, b.data));
        }
    }

    void aRecordingThatIsHandedOnOftenIsNoLarger()
    {
        QTemporaryDir folder;
        const auto sizeWith = [&](const char* name, bool often) {
            const std::vector<trace::TraceBus> buses = {{"Chassis", {}}};
            auto file = LogFile::create(folder.filePath(name).toStdString(), buses);
            if (!file)
                return qint64{0};
            can::Frame frame;
            frame.length = frame.dlc = 8;
            for (int i = 0; i < 20'000; ++i) {
                frame.id = {0x100U + static_cast<std::uint32_t>(i % 16), false};
                frame.time = Time(i * 250'000LL);
                frame.data[0] = static_cast<std::uint8_t>(i);
                (*file)->write(frame.view());
                if (often && !(*file)->flush())
                    return qint64{0};
            }
            if (!(*file)->finish())
                return qint64{0};
            return QFileInfo(folder.filePath(name)).size();
        };
        for (const char* form : {"gz", "zst"}) {
            const qint64 seldom = sizeWith(qPrintable(QStringLiteral("seldom.pcapng.%1").arg(QLatin1String(form))), false);
            const qint64 often = sizeWith(qPrintable(QStringLiteral("often.pcapng.%1").arg(QLatin1String(form))), true);
            QVERIFY(seldom > 0);
            QVERIFY2(often < seldom * 5 / 4 + 2000, std::to_string(often).c_str());
        }
    }

    void halfACompressedLogGivesItsFirstFrames()
    {
        QTemporaryDir folder;
        const QString path = folder.filePath("log.pcapng.zst");
        can::Frame frame;
        frame.id = {0x123, false};
        frame.length = frame.dlc = 8;
        {
            const std::vector<trace::TraceBus> buses = {{"Chassis", {}}};
            auto file = LogFile::create(path.toStdString(), buses);
            QVERIFY(file.has_value());
            std::mt19937 random(1);
            for (int i = 0; i < 50'000; ++i) {
                frame.time = Time(i * 1000);
                for (unsigned b = 0; b < 8; ++b)
                    frame.data[b] = static_cast<std::uint8_t>(random());
                (*file)->write(frame.view());
                if (i % 1000 == 0)
                    QVERIFY((*file)->flush().has_value());
            }
            QVERIFY((*file)->finish().has_value());
        }
        QFile whole(path);
        QVERIFY(whole.open(QIODevice::ReadOnly));
        const QByteArray half = whole.readAll().left(static_cast<int>(whole.size() / 2));
        ByteSource source({reinterpret_cast<const std::uint8_t*>(half.constData()), static_cast<std::size_t>(half.size())}, true);
        Counted counted;
        const auto report = readLog(source, counted);
        QVERIFY(report.has_value());
        QVERIFY(counted.frames > 20'000 && counted.frames < 30'000);
        QVERIFY(counted.within);
        QVERIFY(report->warnings.back().what.find("compressed file is cut off") != std::string::npos);
    }

    void aFileThatGrowsIsReadAsItWas_data()
    {
        QTest::addColumn<QString>("ending");
        for (const char* ending : {"pcapng", "pcap", "log", "csv", "pcapng.zst", "log.gz"})
            if (formatForName(std::string("x.") + ending))
                QTest::addRow("%s", ending) << QString::fromLatin1(ending);
    }
    void aFileThatGrowsIsReadAsItWas()
    {
        // Each time that frames of it are handed on, as many more are written behind.
        QFETCH(QString, ending);
        QTemporaryDir folder;
        const std::string path = folder.filePath("grows." + ending).toStdString();
        const std::vector<trace::TraceBus> buses = {{"Chassis", {}}};
        auto file = LogFile::create(path, buses);
        QVERIFY(file.has_value());
        can::Frame frame;
        frame.id = {0x123, false};
        frame.length = frame.dlc = 8;
        int written = 0;
        const auto writeMore = [&](int count) {
            for (int i = 0; i < count; ++i) {
                frame.time = Time(std::int64_t{1000} * ++written);
                (*file)->write(frame.view());
            }
            return (*file)->flush().has_value();
        };
        struct Growing : Counted {
            void onFrames(std::span<const can::FrameView> more) override
            {
                Counted::onFrames(more);
                if (++calls < 200)
                    grow();
            }
            std::uint8_t onBus(const trace::TraceBus& bus) override
            {
                grow();
                return Counted::onBus(bus);
            }
            bool onProgress(std::uint64_t done, std::uint64_t total) override { return Counted::onProgress(done, total) && calls < 1000; }
            std::function<void()> grow;
            int calls = 0;
        };
        QVERIFY(writeMore(30'000));
        Growing growing;
        growing.grow = [&] { (void)writeMore(2000); };
        const auto report = readLogFile(path + ".part", growing);
        QVERIFY2(report.has_value(), report.has_value() ? "" : report.error().text().c_str());
        QVERIFY(growing.calls < 200);
        // All that were there when it was opened; of compressed ones more may have come by.
        QVERIFY2(ending.contains('.') ? growing.frames >= 25'000 : growing.frames == 30'000, std::to_string(growing.frames).c_str());
        QVERIFY(growing.within || ending.contains('.'));
        (*file)->discard();

        // One that was opened when it had nothing yet.
        QVERIFY(QFile(folder.filePath("bytes")).open(QIODevice::WriteOnly));
        auto source = ByteSource::open(folder.filePath("bytes").toStdString());
        QFile bytes(folder.filePath("bytes"));
        QVERIFY(source.has_value() && bytes.open(QIODevice::Append) && bytes.write("more") == 4 && bytes.flush());
        QVERIFY(source->window(1).empty());
    }

    void aCompressedFileThatIsNoLogIsAnError()
    {
        const auto packed = deflated(Compression::gzip, someBytes(5000, 2, 256), 5000, false);
        ByteSource source(packed, true);
        Counted counted;
        const auto report = readLog(source, counted);
        QVERIFY(!report.has_value());
        QVERIFY(report.error().what.find("no log of a known format") != std::string::npos);
        const std::uint8_t torn[] = {0x1F, 0x8B, 8, 0, 0, 0};
        ByteSource tornSource(torn, true);
        const auto tornReport = readLog(tornSource, counted);
        QVERIFY(!tornReport.has_value());
        QVERIFY(tornReport.error().what.find("cut off") != std::string::npos);
    }
};

QTEST_APPLESS_MAIN(CompressionTest)
#include "compression_test.moc"
