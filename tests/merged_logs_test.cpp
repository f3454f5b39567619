// SPDX-License-Identifier: GPL-3.0-or-later
// Several logs read as one, and clocks that are apart.
#include <QTemporaryDir>
#include <QTest>

#include <algorithm>
#include <random>

#include "formats/log_file.h"
#include "formats/merged_logs.h"
#include "formats/trace_sink.h"
#include "measure/log_alignment.h"

using namespace wavetrope;
using namespace wavetrope::formats;

namespace {

can::Frame frameAt(Time time, std::uint32_t id, std::uint64_t content, std::uint8_t bus = 0)
{
    can::Frame frame;
    frame.time = std::chrono::seconds(1'800'000'000) + time;
    frame.id = {id, false};
    frame.bus = bus;
    frame.length = frame.dlc = 8;
    std::memcpy(frame.data.data(), &content, 8);
    return frame;
}

}  // namespace

class MergedLogsTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;

    std::string write(const char* name, const std::vector<can::Frame>& frames, const std::vector<trace::TraceBus>& buses)
    {
        const std::string path = folder_.filePath(QLatin1String(name)).toStdString();
        auto file = LogFile::create(path, buses);
        for (const can::Frame& frame : frames)
            (*file)->write(frame.view());
        return (*file)->finish() ? path : std::string();
    }
    static std::vector<std::string> namesOf(const trace::Trace& trace)
    {
        std::vector<std::string> names;
        for (const auto& bus : trace.buses())
            names.push_back(bus.name);
        return names;
    }

private Q_SLOTS:
    void framesComeInTheOrderOfTimeWhateverLogTheyStandIn()
    {
        std::mt19937_64 random(5);
        for (int round = 0; round < 8; ++round) {
            const std::size_t logs = 1 + random() % 5;
            std::vector<LogPart> parts;
            std::vector<can::Frame> wanted;
            for (std::size_t i = 0; i < logs; ++i) {
                std::vector<can::Frame> frames;
                Time time{static_cast<std::int64_t>(random() % 1'000'000'000)};
                for (std::size_t n = random() % 20'000; n > 0; --n) {
                    time += Time(1 + static_cast<std::int64_t>(random() % 3'000'000));
                    frames.push_back(frameAt(time, 0x100 + static_cast<std::uint32_t>(i), random()));
                }
                const Time offset{static_cast<std::int64_t>(random() % 2'000'000'000) - 1'000'000'000};
                parts.push_back({write(("round" + std::to_string(round) + "-" + std::to_string(i) + ".pcapng").c_str(), frames,
                                     {{"Bus", {500'000, 0}}}),
                    offset, false, {}});
                for (can::Frame& frame : frames)
                    frame.time += offset;
                wanted.insert(wanted.end(), frames.begin(), frames.end());
            }
            std::stable_sort(wanted.begin(), wanted.end(), [](const can::Frame& a, const can::Frame& b) { return a.time < b.time; });
            trace::Trace trace;
            TraceSink sink(trace);
            const auto report = readLogs(parts, sink);
            QVERIFY(report.has_value());
            QCOMPARE(report->frames, static_cast<std::uint64_t>(wanted.size()));
            QCOMPARE(trace.buses().size(), wanted.empty() ? trace.buses().size() : std::size_t{1});
            QVERIFY(trace.monotone());
            const auto snapshot = trace.snapshot();
            for (std::size_t i = 0; i < wanted.size(); ++i) {
                const can::FrameView frame = snapshot.frame(i);
                if (frame.time != wanted[i].time || frame.id != wanted[i].id || std::memcmp(frame.data, wanted[i].data.data(), 8) != 0)
                    QFAIL(("frame " + std::to_string(i)).c_str());
            }
        }
    }

    void busesOfOneNameAreOneUnlessTheyAreNot()
    {
        const std::string front = write(
            "front.pcapng", {frameAt(Time{1}, 1, 1), frameAt(Time{3}, 2, 1, 1)}, {{"Chassis", {500'000, 0}}, {"Body", {250'000, 0}}});
        const std::string rear = write("rear.pcapng", {frameAt(Time{2}, 3, 1)}, {{"Chassis", {500'000, 0}}});
        const std::string plain = write("plain.pcap", {frameAt(Time{4}, 4, 1)}, {{"", {}}});
        {
            trace::Trace trace;
            TraceSink sink(trace);
            QVERIFY(readLogs({{front, {}, false, {}}, {rear, {}, false, {}}, {plain, {}, false, {}}}, sink).has_value());
            QCOMPARE(namesOf(trace), (std::vector<std::string>{"Chassis", "Body", "plain"}));
            QCOMPARE(trace.snapshot().frame(1).bus, std::uint8_t{0});
            QCOMPARE(trace.snapshot().frame(3).bus, std::uint8_t{2});
        }
        trace::Trace trace;
        TraceSink sink(trace);
        QVERIFY(readLogs({{front, {}, false, {}}, {rear, {}, true, {}}}, sink).has_value());
        QCOMPARE(namesOf(trace), (std::vector<std::string>{"Chassis", "Chassis (rear)", "Body"}));
        // Another rate is another bus, whatever it is called.
        const std::string slow = write("slow.pcapng", {frameAt(Time{5}, 5, 1)}, {{"Chassis", {250'000, 0}}});
        trace::Trace rates;
        TraceSink into(rates);
        QVERIFY(readLogs({{front, {}, false, {}}, {slow, {}, false, {}}, {rear, {}, false, {}}}, into).has_value());
        QCOMPARE(namesOf(rates), (std::vector<std::string>{"Chassis", "Body", "Chassis (250k)"}));
        QCOMPARE(rates.buses()[2].rate.nominal, 250'000U);
    }

    void oneThatCannotBeReadIsAnErrorOneThatIsCutOffAWarning()
    {
        std::vector<can::Frame> frames;
        for (int i = 0; i < 1000; ++i)
            frames.push_back(frameAt(Time{i * 1000}, 1, static_cast<std::uint64_t>(i)));
        const std::string whole = write("whole.pcapng", frames, {{"A", {}}});
        const std::string cut = write("cut.pcapng", frames, {{"B", {}}});
        QVERIFY(::truncate(cut.c_str(), 20'000) == 0);
        trace::Trace trace;
        TraceSink sink(trace);
        const auto report = readLogs({{whole, {}, false, {}}, {cut, {}, false, {}}}, sink);
        QVERIFY(report.has_value());
        QCOMPARE(report->warnings.size(), std::size_t{1});
        QVERIFY(report->frames > 1200 && report->frames < 2000);
        const auto failed = readLogs({{whole, {}, false, {}}, {"/nowhere.pcapng", {}, false, {}}}, sink);
        QVERIFY(!failed.has_value());
        QVERIFY(failed.error().text().find("/nowhere.pcapng") != std::string::npos);
        QVERIFY(!readLogs({}, sink).has_value());
    }

    void readingEndsWhereItIsCancelled()
    {
        std::vector<can::Frame> frames;
        for (int i = 0; i < 200'000; ++i)
            frames.push_back(frameAt(Time{i * 1000}, 1, 7));
        const std::string one = write("one.pcapng", frames, {{"A", {}}});
        const std::string two = write("two.pcapng", frames, {{"B", {}}});
        struct Ends : LogSink {
            std::uint8_t onBus(const trace::TraceBus&) override { return 0; }
            void onFrames(std::span<const can::FrameView> more) override { count += more.size(); }
            bool onProgress(std::uint64_t done, std::uint64_t total) override { return done <= total && count < 50'000; }
            std::uint64_t count = 0;
        } sink;
        const auto report = readLogs({{one, {}, false, {}}, {two, {}, false, {}}}, sink);
        QVERIFY(report.has_value() && report->cancelled);
        QVERIFY(sink.count >= 50'000 && sink.count < 60'000);
    }

    void readingEndsWhereMemoryDoes()
    {
        std::vector<can::Frame> frames;
        for (int i = 0; i < 400'000; ++i)
            frames.push_back(frameAt(Time{i * 1000}, 1, static_cast<std::uint64_t>(i)));
        const std::string path = write("large.pcapng", frames, {{"A", {}}});
        trace::Trace trace;
        TraceSink sink(trace, 2'000'000);
        const auto report = readLogFile(path, sink);
        QVERIFY(report.has_value());
        QVERIFY(sink.full());
        QVERIFY(trace.memory() > 2'000'000 && trace.memory() < 4'000'000);
        QVERIFY(trace.rows() > 50'000 && trace.rows() < 200'000);
        QVERIFY(sink.fullness(path).text().find(std::to_string(trace.rows()) + " frames were read") != std::string::npos);
        QVERIFY(memoryBound() > (std::size_t{1} << 28U));
    }

    void clocksAreMatchedByFramesThatBothHold_data()
    {
        QTest::addColumn<qint64>("offset");
        QTest::addColumn<int>("jitter");
        QTest::newRow("behind by 2.75 s") << qint64{-2'750'000'000} << 0;
        QTest::newRow("ahead by an hour, each stamp within 100 us") << qint64{3'600'000'000'000} << 100'000;
        QTest::newRow("agreeing") << qint64{0} << 0;
    }
    void clocksAreMatchedByFramesThatBothHold()
    {
        QFETCH(qint64, offset);
        QFETCH(int, jitter);
        std::mt19937_64 random(9);
        trace::Trace first;
        trace::Trace second;
        for (trace::Trace* trace : {&first, &second})
            trace->addBus({"Bus", {}});
        std::size_t shared = 0;
        for (int i = 0; i < 30'000; ++i) {
            // Two of three are on one network only; some have contents that come again and again.
            const can::Frame frame = frameAt(Time(i * 1'000'000LL), 0x100 + static_cast<std::uint32_t>(i % 7), i % 5 == 0 ? 42 : random());
            if (i % 3 != 1)
                first.append(frame.view());
            if (i % 3 != 2) {
                can::Frame other = frame;
                other.time += Time(-offset + (jitter == 0 ? 0 : static_cast<std::int64_t>(random() % static_cast<unsigned>(jitter))));
                second.append(other.view());
            }
            shared += i % 3 == 0 && i % 5 != 0 ? 1 : 0;
        }
        const auto found = measure::LogPairs(first.snapshot(), second.snapshot()).best();
        QVERIFY(std::abs(found.offset.count() - offset) <= jitter);
        QCOMPARE(found.matched.size(), shared);
        for (const auto& match : found.matched)
            QVERIFY(std::memcmp(first.snapshot().frame(match.first).data, second.snapshot().frame(match.second).data, 8) == 0);
        QCOMPARE(measure::LogPairs(first.snapshot(), second.snapshot()).at(Time(offset)).matched.size(), shared);
        QVERIFY(measure::LogPairs(first.snapshot(), second.snapshot()).at(Time(offset + 5'000'000)).matched.empty());
    }

    void logsWithoutACommonFrameHaveNoMatch()
    {
        trace::Trace first;
        trace::Trace second;
        first.addBus({"A", {}});
        second.addBus({"A", {}});
        QVERIFY(measure::LogPairs(first.snapshot(), second.snapshot()).best().matched.empty());
        for (std::uint64_t i = 0; i < 100; ++i) {
            first.append(frameAt(Time(static_cast<std::int64_t>(i)), 1, i).view());
            second.append(frameAt(Time(static_cast<std::int64_t>(i)), 2, i).view());
        }
        const auto found = measure::LogPairs(first.snapshot(), second.snapshot()).best();
        QVERIFY(found.matched.empty());
        QCOMPARE(found.comparable, std::uint64_t{0});
    }
};

QTEST_APPLESS_MAIN(MergedLogsTest)
#include "merged_logs_test.moc"
