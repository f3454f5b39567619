// SPDX-License-Identifier: GPL-3.0-or-later
// Recordings of a rig: read from its document, followed in a run, written to files.
#include <QDir>
#include <QFile>
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>

#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include <cmath>
#include <csignal>

#include "formats/log_loading.h"
#include "rig/session.h"
#include "rig/tell_socket.h"

using namespace wavetrope;
using namespace wavetrope::rig;

namespace {

// A bus on which one node sends a counter every 10 ms, and a level that is high from 1 s to 1.5 s and from 3 s to 3.2 s.
std::string rigText(const std::string& events, const std::string& recordings)
{
    return R"({"wavetrope": 1, "name": "bench", "begins": "2027-02-01T18:00:00Z",
 "buses": [{"name": "Main", "rate": "500k", "definitions": {"wavetrope_database": 1, "messages": [
   {"id": "0x100", "name": "Count", "length": 2, "sender": "Unit", "signals": [{"name": "Counter", "start_bit": 0, "length": 16}]},
   {"id": "0x101", "name": "State", "length": 1, "sender": "Unit", "signals": [{"name": "Level", "start_bit": 0, "length": 8}]}]}}],
 "nodes": [{"name": "Unit", "buses": ["Main"], "values": [{"level": {"steps": [[0, 0], [1, 9], [1.5, 0], [3, 9], [3.2, 0]]}}],
   "sends": [{"message": "Count", "every": "10 ms", "signals": {"Counter": {"counter": {"modulo": 65536}}}},
             {"message": "State", "every": "20 ms", "phase": "3 ms", "signals": {"Level": "level"}}]},
           {"name": "Ear", "buses": ["Main"]}],
 "events": [)"
           + events + R"(], "recordings": [)" + recordings + "]}";
}

Rig rigOf(const std::string& events, const std::string& recordings)
{
    auto rig = rigFromText(rigText(events, recordings), "bench.json");
    if (!rig)
        qFatal("%s", rig.error().text().c_str());
    return std::move(*rig);
}

const std::string high = R"({"name": "high", "when": "Level > 5"})";

struct Run {
    Run(const Rig& rig, const std::string& folder, std::function<std::uint64_t(const std::string&)> freeSpace = {})
    {
        SessionOptions options;
        options.takes.emplace();
        options.takes->folder = folder;
        options.takes->freeSpace = std::move(freeSpace);
        auto made = Session::create(rig, loadDatabases(rig), options);
        if (!made)
            qFatal("%s", made.error().text().c_str());
        session = std::move(*made);
    }
    void runFor(Time span) { session->runFor(span, nullptr); }
    [[nodiscard]] TakingReport report(std::size_t index = 0) const { return session->takingReports().at(index); }
    std::unique_ptr<Session> session;
};

// The frames of a log, each as text.
QStringList framesOf(const QString& path)
{
    trace::Trace trace;
    const auto read = formats::loadLogs({{path.toStdString(), Time{0}, false, {}}}, trace, {});
    if (!read)
        qFatal("%s", read.error().text().c_str());
    QStringList out;
    const trace::Snapshot snapshot = trace.snapshot();
    for (trace::Row row = 0; row < snapshot.rows(); ++row) {
        const can::FrameView frame = snapshot.frame(row);
        out << QStringLiteral("%1 %2 %3")
                   .arg(frame.time.count())
                   .arg(frame.id.value, 0, 16)
                   .arg(QString::fromLatin1(QByteArray(reinterpret_cast<const char*>(frame.data), frame.length).toHex()));
    }
    return out;
}

QStringList filesOf(const QString& folder, const QString& pattern = QStringLiteral("*"))
{
    return QDir(folder).entryList({pattern}, QDir::Files, QDir::Name);
}

constexpr Time seconds(double count) { return Time(static_cast<std::int64_t>(count * 1e9)); }

}  // namespace

class TakesTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    QString fresh(const char* name)
    {
        QDir(folder_.path()).mkdir(QString::fromLatin1(name));
        return folder_.filePath(QString::fromLatin1(name));
    }

private Q_SLOTS:
    // Playback that begins with a condition of frames and rests with one of time: at their instants, whatever the slices are.
    void conditionsDrivePlayback()
    {
        const std::string log = (fresh("driven") + "/played.pcapng").toStdString();
        {
            auto file = formats::LogFile::create(log, std::vector<trace::TraceBus>{{"Main", {500'000, 0}}});
            QVERIFY(file.has_value());
            can::Frame frame;
            frame.id = {0x200, false};
            frame.length = frame.dlc = 2;
            for (int i = 0; i < 100; ++i) {
                frame.time = std::chrono::milliseconds(10 * (i + 1));
                frame.data[0] = static_cast<std::uint8_t>(i);
                (*file)->write(frame.view());
            }
            QVERIFY((*file)->finish().has_value());
        }
        const std::string events = high + R"(, {"name": "later", "after": "1.3457 s"})";
        Rig rig = rigOf(events, "");
        rig.document["playback"] = {{"start", "high"}, {"stop", "later"}};
        const auto driven = rigFromText(rig.document.dump(), {});
        QVERIFY2(driven, driven ? "" : driven.error().text().c_str());
        const auto played = [&](Time slice) {
            auto session = Session::create(*driven, loadDatabases(*driven), {});
            if (!session || !(*session)->loadPlayback(log))
                qFatal("no session");
            drive::Route route;
            route.to = 0;
            (*session)->playback().route({route});
            for (Time at{0}; at < seconds(4); at += slice)
                (*session)->runFor(slice, nullptr);
            std::vector<std::pair<double, int>> out;
            const trace::Snapshot snapshot = (*session)->trace().snapshot();
            for (trace::Row row = 0; row < snapshot.rows(); ++row)
                if (const can::FrameView frame = snapshot.frame(row); frame.id.value == 0x200)
                    out.emplace_back(static_cast<double>((frame.time - (*session)->begins()).count()) * 1e-9, frame.data[0]);
            return out;
        };
        const auto whole = played(seconds(4));
        // Level is high in the frame that ends behind 1.003 s: the first frame of the log comes then; the others at their distance.
        QVERIFY(whole.front().first > 1.003 && whole.front().first < 1.004);
        const auto resting = std::find_if(whole.begin(), whole.end(), [](const auto& one) { return one.first > 1.35; });
        QVERIFY(resting != whole.end() && std::prev(resting)->first < 1.3458 && resting->first > 3.003 && resting->first < 3.02);
        QCOMPARE(resting - whole.begin(), 35);
        QCOMPARE(whole.size(), std::size_t{100});
        for (std::size_t i = 0; i < whole.size(); ++i)
            QCOMPARE(whole[i].second, static_cast<int>(i));
        QVERIFY(whole == played(std::chrono::milliseconds(7)) && whole == played(std::chrono::milliseconds(250)));

        rig.document["playback"] = {{"start", "hgh"}};
        const auto wrong = rigFromText(rig.document.dump(), "bench.json");
        QVERIFY(!wrong && wrong.error().text().find("Did you mean high?") != std::string::npos
                && wrong.error().text().find("/playback/start") != std::string::npos);
    }

    // The machine's clock is set an hour forward, and later two hours back, while frames come every 10 ms: nothing comes due by
    // it, a take has what came before its start whatever the stamps say, and files have the stamps that the frames had.
    void theClockIsSetWhileARunGoesOn()
    {
        const QString folder = fresh("clock");
        const Rig rig = rigOf(
            R"({"name": "quiet", "silent": "id 0x100", "for": "100 ms"}, {"name": "minute", "every": "60 s"}, {"name": "mark", "when": "id 0x101"})",
            R"({"name": "around", "start": "mark", "before": "50 ms", "after": "50 ms", "files": {"pattern": "{recording}-{number}.pcapng"}})");
        trace::Trace trace;
        trace.addBus({"Main", {500'000, 0}});
        TakesOptions takes;
        takes.folder = folder.toStdString();
        const auto loaded = loadDatabases(rig);
        auto live = LiveRules::create(rig, rulesOf(rig, catalogOf(rig, loaded), {"Main"}), trace, {{500'000, 0}}, takes);
        const Time origin = seconds(1000);
        live->begin(origin);
        Time set{0};
        std::vector<Time> stamps;
        for (int i = 1; i <= 600; ++i) {
            const Time now = origin + std::chrono::milliseconds(10 * i);
            const Time by = i == 200 ? seconds(3600) : i == 400 ? seconds(-7200) : Time{0};
            const Time former = std::exchange(set, set + by);
            if (by.count() != 0)
                live->clockSet(by);
            can::Frame frame;
            // One that was on its way when the clock was set has the former stamp.
            frame.time = now + (i == 200 || i == 400 ? former : set);
            frame.id = {i == 202 || i == 402 || i == 550 ? 0x101U : 0x100U, false};
            frame.length = frame.dlc = 2;
            trace.append(frame.view());
            stamps.push_back(frame.time);
            live->frame(trace.rows() - 1, frame.view());
            live->settle(now);
        }
        live->end("the run ends");
        const auto conditions = live->conditions();
        QCOMPARE(conditions[0].met, 0U);
        QCOMPARE(conditions[1].met, 0U);
        QCOMPARE(conditions[2].met, 3U);
        QCOMPARE(live->takes().size(), std::size_t{3});
        const int marks[] = {202, 402, 550};
        for (std::size_t t = 0; t < 3; ++t) {
            QCOMPARE(live->takes()[t].frames, 11U);
            QCOMPARE(live->takes()[t].begins.count(), stamps[static_cast<std::size_t>(marks[t]) - 1].count());
            const QStringList kept = framesOf(QStringLiteral("%1/around-%2.pcapng").arg(folder).arg(t + 1, 3, 10, QLatin1Char('0')));
            QCOMPARE(kept.size(), 11);
            for (int k = 0; k < 11; ++k)
                QVERIFY(kept[k].startsWith(QString::number(stamps[static_cast<std::size_t>(marks[t] - 6 + k)].count())));
        }
    }

    // Conditions of every kind are events; a hold time and a silence count from their beginning.
    void conditionsOfEveryKindAreEvents()
    {
        QTemporaryDir folder;
        const Rig rig = rigOf(
            R"({"name": "high", "when": "Level > 5", "for": "100 ms"}, {"name": "quiet", "silent": "Level > 5", "for": "200 ms"},
            {"name": "full", "load": {"bus": "Main", "above": 1, "over": "50 ms"}}, {"name": "begin", "run": "begins"}, {"name": "later", "after": "2 s"},
            {"name": "second", "every": "1 s"}, {"name": "pressed", "key": "F9"}, {"name": "told", "word": "keep"})",
            R"({"name": "nothing", "start": "told"})");
        SessionOptions options;
        options.takes.emplace();
        options.takes->folder = folder.path().toStdString();
        auto session = Session::create(rig, loadDatabases(rig), options);
        QVERIFY2(session, session ? "" : session.error().text().c_str());
        (*session)->runFor(std::chrono::milliseconds(2600), nullptr);
        (*session)->call([](Session& s) { s.rules()->press("F9", s.scheduler().now()); });
        (*session)->runFor(std::chrono::milliseconds(1400), nullptr);
        const auto times = [&](const char* name) {
            std::vector<double> out;
            (*session)->measures().read([&](const measure::MeasureState& state) {
                for (const measure::Event& event : state.events.events())
                    if (event.text == name)
                        out.push_back(std::round(static_cast<double>((event.time - (*session)->begins()).count()) / 1e7) / 100);
                return 0;
            });
            return out;
        };
        // The level is high from the frame at 1.003 s on, and from the one at 3.003 s.
        QCOMPARE(times("high"), (std::vector<double>{1.0, 3.0}));
        QCOMPARE(times("quiet"), (std::vector<double>{1.48, 3.18}));
        QCOMPARE(times("full").size(), std::size_t{1});
        QCOMPARE(times("begin").size(), std::size_t{1});
        QCOMPARE(times("later"), (std::vector<double>{2.0}));
        QVERIFY(times("second").size() >= 3 && times("second")[1] - times("second")[0] == 1.0);
        QCOMPARE(times("pressed"), (std::vector<double>{2.6}));
        QVERIFY(times("told").empty());
        // One that is armed later is an event from there on.
        Rig more = rig;
        more.events.push_back(more.events[5]);
        more.events.back().name = "half";
        more.events.back().hold = std::chrono::milliseconds(500);
        Expected<void> taken;
        (*session)->call([&](Session& s) { taken = s.takeRules(more); });
        QVERIFY(taken);
        (*session)->runFor(std::chrono::milliseconds(1200), nullptr);
        QCOMPARE(times("half").size(), std::size_t{2});
        QVERIFY(times("second").size() >= 4);
    }

    void theDocumentSaysWhatIsWrong_data()
    {
        QTest::addColumn<QString>("events");
        QTest::addColumn<QString>("recordings");
        QTest::addColumn<QString>("place");
        QTest::addColumn<QString>("words");
        const auto row = [](const char* name, const char* events, const char* recordings, const char* place, const char* words) {
            QTest::newRow(name) << QString::fromLatin1(events) << QString::fromLatin1(recordings) << QString::fromLatin1(place)
                                << QString::fromLatin1(words);
        };
        row("nothing to hang on", R"({"name": "a"})", "", "/events/0/when", "what the condition hangs on");
        row("two things", R"({"name": "a", "when": "sent", "every": "1 s"})", "", "/events/0", "both \"when\" and \"every\"");
        row("silence without a time", R"({"name": "a", "silent": "id 0x100"})", "", "/events/0/for", "how long nothing came");
        row("unknown bus", R"({"name": "a", "load": {"bus": "Mian", "above": 80, "over": "1 s"}})", "", "/events/0/load/bus",
            "Did you mean Main?");
        row("share", R"({"name": "a", "load": {"bus": "Main", "above": 101, "over": "1 s"}})", "", "/events/0/load/above", "0 to 100");
        row("span", R"({"name": "a", "load": {"bus": "Main", "above": 1, "over": "61 s"}})", "", "/events/0/load/over", "60 s at the most");
        row("state", R"({"name": "a", "bus": "Main", "state": "off"})", "", "/events/0/state", "bus off");
        row("run", R"({"name": "a", "run": "ends"})", "", "/events/0/run", "begins");
        row("never so often", R"({"name": "a", "every": "0 s"})", "", "/events/0/every", "how often");
        row("two of one name", R"({"name": "a", "run": "begins"}, {"name": "a", "after": "1 s"})", R"({"name": "r"})", "/events",
            "two conditions called 'a'");
        row("unknown name", R"({"name": "high", "when": "sent"})", R"({"name": "r", "start": "hihg"})", "/recordings/0/start",
            "Did you mean high?");
        row("expression", R"({"name": "a", "when": "sent"})", R"({"name": "r", "stop": "a and"})", "/recordings/0/stop", "column 6");
        row("margin", "", R"({"name": "r", "before": "3 apples"})", "/recordings/0/before", "200 frames");
        row("size", "", R"({"name": "r", "files": {"size": "3"}})", "/recordings/0/files/size", "200 MB");
        row("pattern", "", R"({"name": "r", "files": {"pattern": "{name}.pcapng"}})", "/recordings/0/files/pattern", "{recording}");
        row("format", "", R"({"name": "r", "files": {"pattern": "a.docx"}})", "/recordings/0/files/pattern", "pcapng");
        row("for good", "", R"({"name": "r", "files": {"forGood": true, "keep": 3}})", "/recordings/0/files/forGood", "keep");
        row("two recordings", "", R"({"name": "r"}, {"name": "r"})", "/recordings/1/name", "two recordings");
    }
    void theDocumentSaysWhatIsWrong()
    {
        QFETCH(QString, events);
        QFETCH(QString, recordings);
        QFETCH(QString, place);
        QFETCH(QString, words);
        const auto rig = rigFromText(rigText(events.toStdString(), recordings.toStdString()), "bench.json");
        QVERIFY(!rig);
        const QString text = QString::fromStdString(rig.error().text());
        QVERIFY2(text.contains(place + QLatin1Char('.')) || text.contains(place + QLatin1Char(':')), qPrintable(text));
        QVERIFY2(text.contains(words), qPrintable(text));
    }

    void everyKindOfConditionIsRead()
    {
        const Rig rig = rigOf(high + R"(, {"name": "quiet", "silent": "id 0x100", "for": "100 ms", "stays": "2 s"},
            {"name": "full", "load": {"bus": "Main", "above": 80, "over": "100 ms"}}, {"name": "off", "bus": "Main", "state": "bus off"},
            {"name": "begin", "run": "begins"}, {"name": "later", "after": "10 s"}, {"name": "minute", "every": "60 s"},
            {"name": "disk", "disk": "nearly full"}, {"name": "gap", "frames": "lost"}, {"name": "now", "key": "F9"},
            {"name": "told", "word": "keep"})",
            R"({"name": "all", "keep": "bus Main", "start": "high and not quiet", "before": "200 frames", "after": 1.5, "again": false,
                "files": {"pattern": "{recording}-{date}-{number}.pcapng.zst", "size": "200 MB", "every": "1 h", "keep": 20, "total": "20 GB"}})");
        QCOMPARE(rig.events.size(), std::size_t{11});
        for (std::size_t i = 0; i < rig.events.size(); ++i)
            QCOMPARE(static_cast<std::size_t>(rig.events[i].kind), i);
        QCOMPARE(rig.events[1].stays, seconds(2));
        const RecordingSpec& spec = rig.recordings.at(0);
        QVERIFY(
            spec.before.byFrames && spec.before.frames == 200 && !spec.after.byFrames && spec.after.span == seconds(1.5) && !spec.again);
        QCOMPARE(spec.files.size, std::uint64_t{200'000'000});
        QCOMPARE(spec.files.total, std::uint64_t{20'000'000'000});
        QCOMPARE(spec.files.every, seconds(3600));
    }

    void aLiveRecordingKeepsWhatItsRehearsalDoes()
    {
        const Rig rig = rigOf(high + R"(, {"name": "quiet", "silent": "id 0x101", "for": "30 ms"})",
            R"({"name": "around", "start": "high", "before": "200 ms", "after": "100 ms"},
               {"name": "frames", "start": "high", "stop": "not high", "before": "7 frames", "after": "5 frames", "keep": "id 0x100 every 2"},
               {"name": "whole/run"})");
        const QString live = fresh("live");
        {
            Run run(rig, live.toStdString());
            run.runFor(seconds(5));
            QCOMPARE(run.report(0).state.takes, std::uint64_t{2});
            run.session->call([](Session& session) { session.endTakes(); });

            // The same frames, gone through as a log.
            struct Kept final : rules::TakeKeeper {
                void begins(const rules::Take& take) override { now[take.recording] = take.number; }
                void keeps(std::size_t recording, const can::FrameView& frame) override
                {
                    frames[{recording, now[recording]}].push_back(frame.time);
                }
                void ends(const rules::Take&) override {}
                std::map<std::size_t, std::uint64_t> now;
                std::map<std::pair<std::size_t, std::uint64_t>, std::vector<Time>> frames;
            } kept;
            rules::RehearsalOptions options;
            options.keeper = &kept;
            (void)rules::rehearse(
                run.session->trace().snapshot(), rulesOf(rig, run.session->catalog(), {"Main"}).set, {{500'000, 0}}, options);
            const char* names[] = {"around", "frames", "whole_run"};
            std::size_t files = 0;
            for (const auto& [take, times] : kept.frames) {
                const QStringList found = filesOf(
                    live, QStringLiteral("%1-*-%2.pcapng").arg(QLatin1String(names[take.first])).arg(take.second, 3, 10, QLatin1Char('0')));
                QCOMPARE(found.size(), 1);
                ++files;
                const QStringList written = framesOf(live + "/" + found.first());
                QCOMPARE(static_cast<std::size_t>(written.size()), times.size());
                for (std::size_t i = 0; i < times.size(); ++i)
                    QCOMPARE(written[static_cast<qsizetype>(i)].section(' ', 0, 0).toLongLong(), static_cast<qlonglong>(times[i].count()));
            }
            QCOMPARE(files, std::size_t{5});
        }
        QCOMPARE(filesOf(live, QStringLiteral("*.pcapng")).size(), 5);
        QVERIFY(filesOf(live, QStringLiteral("*.part")).isEmpty());
    }

    void filesBeginAnewAndTheOldestGo()
    {
        const QString folder = fresh("files");
        QFile foreign(folder + "/ring-000.pcapng");
        QVERIFY(foreign.open(QIODevice::WriteOnly));
        foreign.close();
        const Rig rig = rigOf("", R"({"name": "ring", "files": {"pattern": "{recording}-{number}.pcapng", "every": "1 s", "keep": 2}},
            {"name": "count", "keep": "id 0x100", "files": {"pattern": "{recording}-{number}.pcapng.zst", "frames": 100}},
            {"name": "bytes", "files": {"pattern": "{recording}-{number}.pcapng", "size": "4 kB", "total": "9 kB"}})");
        qsizetype sent = 0;
        {
            Run run(rig, folder.toStdString());
            run.runFor(seconds(5.5));
            sent = static_cast<qsizetype>(run.session->trace().snapshot().countOf(0));
        }
        // Of six only the newest two, and nothing that is not its own.
        QCOMPARE(filesOf(folder, QStringLiteral("ring-*")), (QStringList{"ring-000.pcapng", "ring-005.pcapng", "ring-006.pcapng"}));
        const QStringList counts = filesOf(folder, QStringLiteral("count-*"));
        QCOMPARE(counts.size(), 6);
        QStringList all;
        for (const QString& file : counts) {
            QVERIFY(framesOf(folder + "/" + file).size() <= 100);
            all += framesOf(folder + "/" + file);
        }
        QCOMPARE(all.size(), sent);  // none between two files is missing
        QCOMPARE(QSet<QString>(all.begin(), all.end()).size(), sent);
        qint64 bytes = 0;
        for (const QString& file : filesOf(folder, QStringLiteral("bytes-*")))
            bytes += QFileInfo(folder + "/" + file).size();
        QVERIFY2(bytes <= 9000 && bytes > 4000, qPrintable(QString::number(bytes)));
    }

    void aFileThatIsThereIsNeverReplaced()
    {
        const QString folder = fresh("there");
        const Rig rig = rigOf("", R"({"name": "one", "files": {"pattern": "{recording}.pcapng"}})");
        for (int i = 0; i < 3; ++i)
            Run(rig, folder.toStdString()).runFor(seconds(1));
        QCOMPARE(filesOf(folder, QStringLiteral("one*")).size(), 3);
        for (const QString& file : filesOf(folder, QStringLiteral("one*")))
            QVERIFY(framesOf(folder + "/" + file).size() > 100);
    }

    void namesDoNotLeadOutOfTheFolder()
    {
        const QString folder = fresh("inside");
        const Rig rig = rigOf("", R"({"name": "../out", "files": {"pattern": "../{recording}/x{number}.pcapng"}})");
        Run(rig, folder.toStdString()).runFor(seconds(0.1));
        QCOMPARE(filesOf(folder, QStringLiteral("*.pcapng")), QStringList{"_.._.._out_x001.pcapng"});
    }

    void whatACrashLeftIsGivenItsName()
    {
        const QString folder = fresh("crash");
        const Rig rig = rigOf("", R"({"name": "one", "files": {"pattern": "{recording}-{number}.pcapng"}})");
        {
            Run run(rig, folder.toStdString());
            run.runFor(seconds(2));
            // As if the program ended here: the part stays.
            QVERIFY(QFile::copy(folder + "/one-001.pcapng.part", folder + "/kept.bin"));
            QVERIFY(QFile::copy(folder + "/.one.takes", folder + "/kept.list"));
        }
        QVERIFY(QFile::remove(folder + "/one-001.pcapng"));
        QVERIFY(QFile::rename(folder + "/kept.bin", folder + "/one-001.pcapng.part"));
        QVERIFY(QFile::remove(folder + "/.one.takes"));
        QVERIFY(QFile::rename(folder + "/kept.list", folder + "/.one.takes"));
        Run run(rig, folder.toStdString());
        run.runFor(seconds(1));
        QVERIFY(framesOf(folder + "/one-001.pcapng").size() >= 299);
        run.session.reset();
        QCOMPARE(filesOf(folder, QStringLiteral("one-*")), (QStringList{"one-001.pcapng", "one-002.pcapng"}));
        // One that was begun, and in which nothing stood yet, is none.
        QFile list(folder + "/.one.takes");
        QVERIFY(list.open(QIODevice::Append) && list.write("one-009.pcapng\n") > 0);
        list.close();
        QFile part(folder + "/one-009.pcapng.part");
        QVERIFY(part.open(QIODevice::WriteOnly));
        part.close();
        Run(rig, folder.toStdString()).runFor(seconds(1));
        QCOMPARE(filesOf(folder, QStringLiteral("one-*")), (QStringList{"one-001.pcapng", "one-002.pcapng", "one-003.pcapng"}));
    }

    void aRunDoesNotWaitForTheDisk()
    {
        // A take in each 100 ms, each a file of its own: all are there when the run has ended, in the order of their takes, and
        // none of them is held in the list as one that is still written.
        const QString folder = fresh("many");
        const Rig rig = rigOf(R"({"name": "often", "every": "100 ms"})",
            R"({"name": "many", "start": "often", "after": "50 ms", "files": {"pattern": "{recording}-{number}.pcapng.zst", "keep": 40}})");
        Run run(rig, folder.toStdString());
        run.runFor(std::chrono::milliseconds(5990));
        run.session->endTakes();
        QCOMPARE(run.report().files.files, 59U);
        QVERIFY2(run.report().files.problem.empty(), run.report().files.problem.c_str());
        const QStringList files = filesOf(folder, QStringLiteral("many-*"));
        QCOMPARE(files.size(), 40);
        QCOMPARE(files.first(), QStringLiteral("many-020.pcapng.zst"));
        QCOMPARE(files.last(), QStringLiteral("many-059.pcapng.zst"));
        QFile list(folder + "/.many.takes");
        QVERIFY(list.open(QIODevice::ReadOnly));
        QCOMPARE(QString::fromUtf8(list.readAll()).split('\n', Qt::SkipEmptyParts), files);
        QCOMPARE(framesOf(folder + "/many-030.pcapng.zst").size(), framesOf(folder + "/many-031.pcapng.zst").size());
    }

    void whereTheDiskIsNearlyFullTheOldestTakesGo()
    {
        const QString folder = fresh("disk");
        const Rig rig = rigOf(R"({"name": "disk", "disk": "nearly full"})",
            R"({"name": "many", "files": {"pattern": "{recording}-{number}.pcapng", "every": "1 s"}},
               {"name": "good", "files": {"pattern": "{recording}-{number}.pcapng", "every": "1 s", "forGood": true}})");
        std::uint64_t space = std::uint64_t{1} << 40U;
        Run run(rig, folder.toStdString(), [&](const std::string&) {
            // Three whole files of the first may stay.
            return filesOf(folder, QStringLiteral("many-*.pcapng")).size() > 3 ? 0 : space;
        });
        // Files are made whole beside the run, which does not wait for them: here each is, before the next second.
        for (int second = 1; second <= 20; ++second) {
            run.runFor(seconds(1));
            const auto whole = [&](const QString& name) {
                const QStringList files = filesOf(folder, name + QStringLiteral("-*.pcapng"));
                return second == 1 || (!files.isEmpty() && files.last().mid(name.size() + 1, 3).toInt() >= second - 1);
            };
            QTRY_VERIFY2(whole("many") && whole("good"), qPrintable(filesOf(folder).join(' ')));
        }
        QVERIFY(run.session->conditionReports().at(0).met >= 1);
        run.session.reset();
        QVERIFY2(filesOf(folder, QStringLiteral("many-*.pcapng")).size() < 12, qPrintable(filesOf(folder).join(' ')));
        QVERIFY(!filesOf(folder).contains("many-001.pcapng"));
        QCOMPARE(filesOf(folder, QStringLiteral("good-*.pcapng")).size(), 20);
    }

    void aFolderThatRefusesIsToldAndTriedAgain()
    {
        const QString folder = fresh("refused");
        const Rig rig = rigOf("", R"({"name": "one"})");
        Run run(rig, folder.toStdString());
        QVERIFY(QDir().rename(folder, folder + "-away"));
        run.runFor(seconds(1));
        QVERIFY(!run.report().files.problem.empty());
        QVERIFY(run.report().files.lost > 0);
        QVERIFY(QDir().rename(folder + "-away", folder));
        run.runFor(seconds(10));
        QVERIFY(run.report().files.problem.empty());
        QVERIFY(run.report().files.open);
    }

    void stateInWordsAndByHand()
    {
        const QString folder = fresh("hand");
        const Rig rig = rigOf(high + R"(, {"name": "told", "word": "keep"}, {"name": "now", "key": "F9"})",
            R"({"name": "around", "start": "high", "before": "2 s", "after": "1 s"}, {"name": "asked", "start": "told or now", "stop": "high"})");
        Run run(rig, folder.toStdString());
        run.runFor(seconds(0.5));
        QCOMPARE(run.report().words, std::string("armed: waits for high"));
        QVERIFY(run.report().state.waiting > 50);
        run.runFor(seconds(0.75));
        QVERIFY2(QString::fromStdString(run.report().words).startsWith("keeps: 0.2 s, "), run.report().words.c_str());
        QVERIFY(run.session->conditionReports().at(0).now);
        run.runFor(seconds(0.75));
        QVERIFY2(QString::fromStdString(run.report().words).startsWith("behind the stop for 0."), run.report().words.c_str());
        run.session->call([](Session& session) { session.rules()->tell("keep", session.scheduler().now()); });
        QCOMPARE(run.report(1).state.takes, std::uint64_t{1});
        run.runFor(seconds(2));
        QCOMPARE(run.report(1).words, std::string("armed: waits for told or now"));
        run.session->call([](Session& session) { session.rules()->press("F9", session.scheduler().now()); });
        QCOMPARE(run.report(1).state.takes, std::uint64_t{2});
        run.session->call([](Session& session) { session.rules()->press("F8", session.scheduler().now()); });
        // By hand: it goes on until it is stopped, and then for as long as it is to.
        run.session->call([](Session& session) { session.rules()->start(0, session.scheduler().now()); });
        run.runFor(seconds(3));
        QVERIFY(QString::fromStdString(run.report().words).startsWith("keeps: "));
        run.session->call([](Session& session) { session.rules()->stop(0, session.scheduler().now()); });
        QCOMPARE(run.report().words, std::string("behind the stop for 1.0 s"));
        run.session->call([](Session& session) { session.rules()->stop(0, session.scheduler().now()); });
        QCOMPARE(run.report().words, std::string("armed: waits for high"));
    }

    void rulesAreTakenAnewBetweenTwoFrames()
    {
        const QString folder = fresh("anew");
        Run run(rigOf(high, R"({"name": "whole"})"), folder.toStdString());
        run.runFor(seconds(2));
        const Rig next = rigOf(high, R"({"name": "other"})");
        Expected<void> taken;
        run.session->call([&](Session& session) { taken = session.takeRules(next); });
        QVERIFY(taken.has_value());
        run.runFor(seconds(2));
        const std::uint64_t rows = run.session->trace().rows();
        run.session.reset();
        const QStringList files = filesOf(folder, QStringLiteral("*.pcapng"));
        QCOMPARE(files.size(), 2);
        QCOMPARE(static_cast<std::uint64_t>(framesOf(folder + "/" + files[0]).size() + framesOf(folder + "/" + files[1]).size()), rows);

        Run other(rigOf(high, R"({"name": "whole"})"), folder.toStdString());
        other.session->call([&](Session& session) { taken = session.takeRules(rigOf(R"({"name": "odd", "when": "Nowhere > 1"})", "")); });
        QVERIFY(!taken);
        QCOMPARE(other.session->takingReports().size(), std::size_t{1});
    }

    void wordsComeThroughTheSocket()
    {
        const std::string path = folder_.filePath("words.sock").toStdString();
        auto socket = TellSocket::listen(path);
        QVERIFY2(socket.has_value(), socket ? "" : socket.error().text().c_str());
        QVERIFY(!TellSocket::listen(path));  // somebody listens there
        std::string heard;
        std::atomic<bool> done{false};
        std::thread teller([&] {
            const auto answer = tellWord(path, "keep");
            heard = answer ? *answer : answer.error().text();
            done = true;
        });
        std::string word;
        while (!done) {
            (*socket)->poll([&](const std::string& said) {
                word = said;
                return std::string("told");
            });
            std::this_thread::yield();
        }
        teller.join();
        QCOMPARE(word, std::string("keep"));
        QCOMPARE(heard, std::string("told"));
        // One that says nothing and one that says too much keep nobody else from being heard.
        sockaddr_un address{};
        address.sun_family = AF_UNIX;
        path.copy(address.sun_path, sizeof address.sun_path - 1);
        const int idle = ::socket(AF_UNIX, SOCK_SEQPACKET, 0);
        QCOMPARE(::connect(idle, reinterpret_cast<const sockaddr*>(&address), sizeof address), 0);
        const int loud = ::socket(AF_UNIX, SOCK_SEQPACKET, 0);
        QCOMPARE(::connect(loud, reinterpret_cast<const sockaddr*>(&address), sizeof address), 0);
        const std::string much(5000, 'x');
        QCOMPARE(::send(loud, much.data(), much.size(), 0), static_cast<ssize_t>(much.size()));
        word.clear();
        (*socket)->poll([&](const std::string& said) {
            word = said;
            return std::string("told");
        });
        QVERIFY(word.empty());
        char answer[100];
        const ssize_t got = ::recv(loud, answer, sizeof answer, 0);
        QVERIFY(got > 0 && std::string(answer, static_cast<std::size_t>(got)).find("200 bytes") != std::string::npos);
        ::close(idle);
        ::close(loud);
        QVERIFY(!tellWord(path + "x", "keep"));
        QVERIFY(!tellWord(path, ""));
        QFile file(folder_.filePath("plain.txt"));
        QVERIFY(file.open(QIODevice::WriteOnly));
        QVERIFY(!TellSocket::listen(file.fileName().toStdString()));
        QVERIFY(file.exists());
        socket->reset();
        QVERIFY(!QFile::exists(QString::fromStdString(path)));
        QVERIFY(TellSocket::listen(path).has_value());
    }

    void aCaptureWithoutADisplay()
    {
        const QString folder = fresh("capture");
        const auto write = [&](const std::string& text) {
            QFile file(folder + "/rig.json");
            return file.open(QIODevice::WriteOnly) && file.write(text.c_str()) == static_cast<qint64>(text.size());
        };
        const std::string events = high + R"(, {"name": "told", "word": "keep"})";
        QVERIFY(write(
            rigText(events, R"({"name": "whole"}, {"name": "asked", "start": "told", "before": "100 frames", "after": "10 frames"})")));
        // What the service manager would hear.
        const std::string notify = folder_.filePath("notify").toStdString();
        const int manager = ::socket(AF_UNIX, SOCK_DGRAM | SOCK_NONBLOCK, 0);
        sockaddr_un address{};
        address.sun_family = AF_UNIX;
        notify.copy(address.sun_path, sizeof address.sun_path - 1);
        QCOMPARE(::bind(manager, reinterpret_cast<const sockaddr*>(&address), sizeof address), 0);
        QByteArray told;
        const auto listen = [&] {
            char text[1000];
            for (ssize_t got = 0; (got = ::recv(manager, text, sizeof text, 0)) > 0;)
                told += QByteArray(text, static_cast<qsizetype>(got)) + '\n';
            return told;
        };
        QProcess capture;
        auto environment = QProcessEnvironment::systemEnvironment();
        environment.insert("NOTIFY_SOCKET", QString::fromStdString(notify));
        environment.insert("WATCHDOG_USEC", "300000");
        capture.setProcessEnvironment(environment);
        const QString words = folder_.filePath("told.sock");
        QByteArray said;
        const auto errors = [&] { return said += capture.readAllStandardError(); };
        capture.start(QStringLiteral(WAVETROPE_CLI), {"capture", folder + "/rig.json", "--out", folder + "/takes", "--socket", words});
        QVERIFY(capture.waitForStarted());
        QTRY_VERIFY_WITH_TIMEOUT(listen().contains("READY=1"), 60'000);
        QTRY_VERIFY_WITH_TIMEOUT(listen().count("WATCHDOG=1") >= 2, 60'000);
        const auto tell = [&](const char* word) {
            QProcess process;
            process.start(QStringLiteral(WAVETROPE_CLI), {"tell", words, QString::fromLatin1(word)});
            return process.waitForFinished(60'000) ? process.exitCode() : -1;
        };
        QCOMPARE(tell("keep"), 0);
        QCOMPARE(tell("other"), 2);
        QTRY_VERIFY_WITH_TIMEOUT(errors().contains("asked: take 1 begins"), 60'000);
        // Read again: one recording is gone, another is there.
        QVERIFY(write(rigText(events, R"({"name": "anew"})")));
        ::kill(static_cast<pid_t>(capture.processId()), SIGHUP);
        QTRY_VERIFY_WITH_TIMEOUT(errors().contains("its recordings are armed"), 60'000);
        // One that cannot be read leaves all as it is.
        QVERIFY(write("{"));
        ::kill(static_cast<pid_t>(capture.processId()), SIGHUP);
        QTRY_VERIFY_WITH_TIMEOUT(errors().contains("stays as it is"), 60'000);
        QTRY_VERIFY_WITH_TIMEOUT(!filesOf(folder + "/takes", "anew-*").isEmpty(), 60'000);
        ::kill(static_cast<pid_t>(capture.processId()), SIGTERM);
        QTRY_VERIFY_WITH_TIMEOUT(listen().contains("STOPPING=1") && capture.state() == QProcess::NotRunning, 60'000);
        QVERIFY2(capture.exitCode() == 0, errors().constData());
        QVERIFY(listen().contains("STOPPING=1"));
        const QStringList files = filesOf(folder + "/takes", "*.pcapng");
        QCOMPARE(files.size(), 3);
        QVERIFY(filesOf(folder + "/takes", "*.part").isEmpty());
        // No frame is missing between the two that kept everything.
        const QStringList whole = framesOf(folder + "/takes/" + filesOf(folder + "/takes", "whole-*").first())
                                  + framesOf(folder + "/takes/" + filesOf(folder + "/takes", "anew-*").first());
        int before = -1;
        for (const QString& frame : whole) {
            if (frame.section(' ', 1, 1) != "100")
                continue;
            bool good = false;
            const QString bytes = frame.section(' ', 2, 2);
            const int count = bytes.mid(0, 2).toInt(&good, 16) + 256 * bytes.mid(2, 2).toInt(&good, 16);
            QCOMPARE(count, before + 1);
            before = count;
        }
        QVERIFY(before > 20);
        QVERIFY(framesOf(folder + "/takes/" + filesOf(folder + "/takes", "asked-*").first()).size() > 10);
        ::close(manager);
    }

    void theCommandsPrintAsTheyAreDescribed()
    {
        const QString folder = fresh("commands");
        QFile file(folder + "/rig.json");
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(rigText(
            high + R"(, {"name": "begin", "run": "begins"})", R"({"name": "a/b", "start": "high", "before": "100 ms"}, {"name": "all"})")
                .c_str());
        file.close();
        const auto call = [](const QStringList& arguments, QByteArray* err = nullptr) {
            QProcess process;
            process.start(QStringLiteral(WAVETROPE_CLI), arguments);
            if (!process.waitForFinished(60'000))
                return QByteArray("no end");
            if (err != nullptr)
                *err = process.readAllStandardError();
            return process.readAllStandardOutput();
        };
        const QString log = folder + "/run.pcapng";
        call({"run", file.fileName(), "--for", "5s", "--virtual", "--record", log});
        const QStringList frames = framesOf(log);
        const QString first = QString::number(frames.first().section(' ', 0, 0).toLongLong() / 1'000'000'000.0, 'f', 3);
        QList<QByteArray> lines = call({"conditions", log, "--rig", file.fileName()}).trimmed().split('\n');
        QCOMPARE(lines[0], QByteArray("name,from,to,why"));
        QCOMPARE(lines.size(), 4);
        QVERIFY2(lines[1].startsWith("begin," + first.toLatin1()) && lines[1].endsWith(",the run begins"), lines[1].constData());
        QCOMPARE(lines[1].split(',')[1], lines[1].split(',')[2]);
        QVERIFY(lines[2].startsWith("high,") && lines[2].endsWith(",Level > 5"));
        lines = call({"rehearse", log, "--rig", file.fileName(), "--out", folder + "/out"}).trimmed().split('\n');
        QCOMPARE(lines[0], QByteArray("recording,take,what,time,frames,why"));
        QCOMPARE(lines.size(), 7);
        QVERIFY(lines[1].startsWith("all,1,begins," + first.toLatin1()) && lines[1].endsWith(",,run begins"));
        QVERIFY(lines.last().startsWith("all,1,ends,") && lines.last().endsWith(QByteArray::number(frames.size()) + ",the log ends"));
        QCOMPARE(filesOf(folder + "/out"), (QStringList{"a_b-1.pcapng", "a_b-2.pcapng", "all-1.pcapng"}));
        QCOMPARE(framesOf(folder + "/out/all-1.pcapng"), frames);
        QByteArray err;
        call({"rehearse", log, "--rig", file.fileName(), "--out", folder + "/out"}, &err);
        QVERIFY(err.contains("--overwrite"));
        lines = call({"rehearse", log, "--rig", file.fileName(), "--recording", "all"}).trimmed().split('\n');
        QCOMPARE(lines.size(), 3);
        call({"rehearse", log, "--rig", file.fileName(), "--recording", "none"}, &err);
        QVERIFY(err.contains("no recording 'none'"));
    }
};

QTEST_GUILESS_MAIN(TakesTest)
#include "takes_test.moc"
