// SPDX-License-Identifier: GPL-3.0-or-later
// Playback: routes that split and join, paces, beats, goals and late frames, beside plain models.
#include <QTemporaryDir>
#include <QTest>

#include <algorithm>
#include <random>

#include "command_line.h"
#include "can/wire_length.h"
#include "formats/log_file.h"
#include "formats/trace_sink.h"
#include "played_world.h"
#include "record/recorder.h"
#include "same_frame.h"

using namespace wavetrope;
using namespace wavetrope::drive;
using namespace std::chrono_literals;
using test::Answer;
using test::cli;

namespace {

// A filter and what it means.
struct PlainFilter {
    const char* text;
    bool (*passes)(const can::Frame&);
};
constexpr PlainFilter plainFilters[] = {{"", [](const can::Frame&) { return true; }},
    {"id 0x201", [](const can::Frame& frame) { return frame.id.value == 0x201; }},
    {"not id 0x202", [](const can::Frame& frame) { return frame.id.value != 0x202; }},
    {"length > 4", [](const can::Frame& frame) { return frame.length > 4; }},
    {"byte 0 > 100", [](const can::Frame& frame) { return frame.length > 0 && frame.data[0] > 100; }}};

struct PlainRoute {
    Route route;
    const PlainFilter* filter = nullptr;
    [[nodiscard]] bool passes(const can::Frame& frame) const
    {
        if (route.to < 0 || frame.bus != route.from || !filter->passes(frame))
            return false;
        if (route.directions != Directions::both
            && frame.direction != (route.directions == Directions::sent ? can::Direction::sent : can::Direction::received))
            return false;
        return frame.kind == can::FrameKind::remote ? route.kinds.remote
               : frame.kind == can::FrameKind::fd   ? route.kinds.fd
                                                    : route.kinds.data;
    }
};

bool sameContent(const can::Frame& a, const can::Frame& b)
{
    return a.id == b.id && a.kind == b.kind && a.length == b.length && a.dlc == b.dlc
           && std::equal(a.data.begin(), a.data.begin() + a.length, b.data.begin());
}

}  // namespace

class PlaybackTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;

    static void fill(Played& world, std::mt19937& random, int frames, int step)
    {
        Time time = world.begins + 1ms;
        for (int i = 0; i < frames; ++i) {
            time += std::chrono::microseconds(1 + random() % static_cast<unsigned>(step));
            can::Frame frame = randomFrame(random, time);
            frame.bus = static_cast<std::uint8_t>(random() % 2);
            world.add(frame);
        }
    }
    static std::vector<can::Frame> sentOn(const Played& world, int bus)
    {
        std::vector<can::Frame> out;
        for (const can::Frame& frame : world.frames)
            if (frame.bus == bus && frame.direction == can::Direction::sent)
                out.push_back(frame);
        return out;
    }

private Q_SLOTS:
    void routesSplitAndJoinAsAPlainModelSays()
    {
        std::mt19937 random(41);
        std::size_t twice = 0, split = 0;
        for (int round = 0; round < 300; ++round) {
            Played world;
            fill(world, random, 120, 300);
            world.playback.load(world.log, world.catalog);
            std::vector<PlainRoute> plain;
            std::vector<Route> routes;
            for (unsigned count = random() % 6; count > 0; --count) {
                PlainRoute one;
                one.route.from = static_cast<int>(random() % 2);
                one.route.to = static_cast<int>(random() % 3) - 1;
                one.route.directions = std::array{Directions::both, Directions::sent, Directions::received}[random() % 3];
                one.route.kinds = {random() % 4 != 0, random() % 2 == 0, random() % 3 != 0};
                one.filter = &plainFilters[random() % std::size(plainFilters)];
                one.route.filter = *filter::Filter::compile(one.filter->text, world.catalog);
                plain.push_back(one);
                routes.push_back(one.route);
            }
            world.playback.route(routes);
            std::array<std::vector<can::Frame>, 2> wanted;
            std::vector<std::size_t> chosen(plain.size());
            for (const can::Frame& frame : world.logged) {
                std::array<std::size_t, 2> ways{};
                for (std::size_t i = 0; i < plain.size(); ++i)
                    if (plain[i].passes(frame)) {
                        ++chosen[i];
                        ++ways[static_cast<std::size_t>(plain[i].route.to)];
                    }
                for (std::size_t bus = 0; bus < 2; ++bus) {
                    if (ways[bus] > 0)
                        wanted[bus].push_back(frame);
                    twice += ways[bus] > 1 ? 1 : 0;
                }
                split += ways[0] > 0 && ways[1] > 0 ? 1 : 0;
            }
            QCOMPARE(world.playback.chosen(), wanted[0].size() + wanted[1].size());
            QVERIFY(world.playback.chosenByRoute() == chosen);
            world.playback.setPace({0});
            world.playback.play();
            world.run(2s);
            QVERIFY(world.playback.finished());
            for (int bus = 0; bus < 2; ++bus) {
                const auto sent = sentOn(world, bus);
                const auto& ours = wanted[static_cast<std::size_t>(bus)];
                QVERIFY2(std::equal(sent.begin(), sent.end(), ours.begin(), ours.end(), sameContent),
                    qPrintable(
                        QStringLiteral("round %1, bus %2: %3 frames, wanted %4").arg(round).arg(bus).arg(sent.size()).arg(ours.size())));
            }
        }
        QVERIFY2(twice > 500 && split > 500, qPrintable(QStringLiteral("%1 twice, %2 split").arg(twice).arg(split)));
    }

    // Beat k at the begin + k gaps, whatever was recorded; anew behind the pause.
    void aFixedGapAndAPauseGoByTheClock()
    {
        std::mt19937 random(42);
        for (int round = 0; round < 40; ++round) {
            Played world;
            fill(world, random, 20, 3000);
            world.load();
            const Time gap = std::chrono::microseconds(500 + random() % 5000),
                       pause = random() % 2 == 0 ? Time{0} : Time(std::chrono::microseconds(1'000 + random() % 90'000));
            world.playback.setPace({1, gap});
            world.playback.setLoop(true, pause);
            world.playback.play();
            const Time begins = world.scheduler.now();
            world.run(gap * 19 + pause + gap * 19 + 2ms);
            std::size_t k = 0;
            Time turn = begins;
            for (const can::Frame& frame : world.frames) {
                if (k == 40)
                    break;
                if (k == 20)    // the second time round: behind the last beat, or at the next one
                    turn = frame.time - can::duration(can::wireLength(frame.view()), world.main.bitRate());
                const Time due = turn + gap * static_cast<std::int64_t>(k % 20);
                const Time offered = frame.time - can::duration(can::wireLength(frame.view()), world.main.bitRate());
                QVERIFY2(offered == due, qPrintable(QStringLiteral("round %1, frame %2: %3 ns apart, gap %4, pause %5")
                                                 .arg(round)
                                                 .arg(k)
                                                 .arg((offered - due).count())
                                                 .arg(gap.count())
                                                 .arg(pause.count())));
                QVERIFY(sameContent(frame, world.logged[k % 20]));
                ++k;
            }
            QVERIFY2(k >= 30, qPrintable(QString::number(k)));
            const Time rested = turn - (begins + gap * 19);
            if (pause.count() == 0)
                QCOMPARE(rested, gap);
            else
                QVERIFY(rested >= pause && rested < pause + 1ms);
        }
    }

    // One frame behind each nth frame of another sender, and none at any other time.
    void framesGoOutByTheBeatsOfAMessage()
    {
        std::mt19937 random(43);
        for (int round = 0; round < 40; ++round) {
            Played world;
            fill(world, random, 30, 300);
            world.load();
            const unsigned every = 1 + random() % 4;
            const auto pace = paceFromText("every " + std::to_string(every) + " BladeCommand", *world.catalog);
            QVERIFY(pace && pace->beat && pace->beat->every == every);
            world.playback.setPace(*pace);
            world.playback.play();
            std::vector<std::size_t> sentBehind;
            for (int beat = 0; beat < 25; ++beat) {
                can::Frame frame;
                frame.id = {random() % 3 == 0 ? 0x300U : 513U, false};      // some are of another message
                frame.dlc = frame.length = 2;
                QVERIFY(world.main.offer(world.partner, frame));
                world.run(std::chrono::microseconds(2000 + random() % 3000));
                sentBehind.push_back(world.playback.sent());
            }
            std::size_t heard = 0, at = 0;
            for (const can::Frame& frame : world.frames)
                if (frame.direction == can::Direction::received) {
                    heard += frame.id.value == 513 ? 1 : 0;
                    QCOMPARE(sentBehind[at++], std::min<std::size_t>(heard / every, 30));
                }
            const auto sent = world.playback.sent();
            QVERIFY(sent > 2);
            std::size_t next = 0;
            for (const can::Frame& frame : world.frames)
                if (frame.direction == can::Direction::sent)
                    QVERIFY(sameContent(frame, world.logged[next++]));
        }
    }

    void itGoesOnToAFrameOrAMomentAndRests()
    {
        std::mt19937 random(44);
        for (int round = 0; round < 60; ++round) {
            Played world;
            fill(world, random, 60, 2000);
            world.load();
            world.playback.setPace({round % 3 == 0 ? 0.0 : 1.0});
            for (int look = 0; look < 6; ++look) {
                const std::size_t stands = world.playback.sent();
                const auto ahead = world.logged.begin() + static_cast<std::ptrdiff_t>(stands);
                if (look % 2 == 0) {
                    const PlainFilter& filter = plainFilters[1 + random() % 4];
                    const auto found = std::find_if(ahead, world.logged.end(), filter.passes);
                    QCOMPARE(world.playback.playTo(*filter::Filter::compile(filter.text, world.catalog)), found != world.logged.end());
                    if (found == world.logged.end())
                        continue;
                    QVERIFY(world.playback.playing());
                    world.run(1s);
                    QCOMPARE(world.playback.sent(), static_cast<std::uint64_t>(found - world.logged.begin()) + 1);
                } else {
                    const Time moment = world.begins + std::chrono::microseconds(random() % 70'000);
                    const auto behind = std::find_if(
                        world.logged.begin(), world.logged.end(), [&](const can::Frame& frame) { return frame.time > moment; });
                    QCOMPARE(world.playback.playTo(moment), behind > ahead);
                    if (behind <= ahead)
                        continue;
                    world.run(1s);
                    QCOMPARE(world.playback.sent(), static_cast<std::uint64_t>(behind - world.logged.begin()));
                }
                QVERIFY(!world.playback.playing() && !world.playback.report().as<PlaybackFacts>()->playsTo);
            }
            if (world.playback.sent() < 60) {
                world.playback.play();
                world.run(1s);
            }
            QCOMPARE(world.playback.sent(), std::uint64_t{60});
        }
    }

    void itBeginsAtAnInstantOfTheRun()
    {
        Played world;
        std::mt19937 random(45);
        fill(world, random, 5, 300);
        world.load();
        world.playback.playAt(world.begins + 250ms);
        world.run(249ms);
        QVERIFY(!world.playback.playing() && world.playback.report().as<PlaybackFacts>()->playsAt == world.begins + 250ms);
        QCOMPARE(world.playback.sent(), std::uint64_t{0});
        world.run(4ms);
        QVERIFY(world.playback.sent() == 5 && !world.playback.report().as<PlaybackFacts>()->playsAt);
        world.playback.rest();
        world.playback.playAt(world.begins + 400ms);
        world.playback.playAt({});
        world.run(1s);
        QVERIFY(!world.playback.playing());
    }

    // A sender that wins every arbitration holds the bus; what ends more than a millisecond behind its stamp is counted, with its place in the log.
    void lateFramesAreCountedAgainstTheirTime()
    {
        Played world;
        for (int i = 0; i < 40; ++i) {
            can::Frame frame;
            frame.id = {0x400, false};
            frame.dlc = frame.length = 8;
            frame.data[0] = static_cast<std::uint8_t>(i);
            frame.time = world.begins + 1ms * (i + 1);
            world.add(frame);
        }
        world.load();
        world.main.makeRoom(world.partner, 64);
        world.playback.play();
        const Time begins = world.scheduler.now();
        world.run(10ms);
        QCOMPARE(world.playback.late(), std::uint64_t{0});
        for (int i = 0; i < 30; ++i) {
            can::Frame frame;
            frame.id = {0x10, false};
            frame.dlc = frame.length = 8;
            QVERIFY(world.main.offer(world.partner, frame));
        }
        world.run(100ms);
        QCOMPARE(world.playback.sent(), std::uint64_t{40});
        std::uint64_t late = 0;
        std::vector<Time> by;
        for (const can::Frame& frame : world.frames)
            if (frame.direction == can::Direction::sent) {
                // Played from the log's own begin: its first stamp is due one frame's time later at the earliest.
                const Time due = begins + 1ms * frame.data[0] + (world.frames.front().time - begins);
                if (frame.time - due > Playback::lateFrom) {
                    ++late;
                    by.push_back(frame.time - due);
                }
            }
        QVERIFY(late > 5 && late < 40);
        QCOMPARE(world.playback.late(), late);
        const PlaybackFacts facts = *world.playback.report().as<PlaybackFacts>();
        QCOMPARE(facts.late, late);
        QCOMPARE(facts.lateFrames.size(), by.size());
        for (std::size_t i = 0; i < by.size(); ++i)
            QCOMPARE(facts.lateFrames[i].by, by[i]);
        QVERIFY(facts.lateFrames.front().log > world.begins + 10ms);
    }

    void pacesAreReadAndReadBack()
    {
        const auto catalog = bladeCatalog();
        for (const char* text : {"every 5 ms", "every Main.BladeCommand", "every 3 Main.Real"}) {
            const auto pace = paceFromText(text, *catalog);
            QVERIFY2(pace, text);
            QCOMPARE(toText(*pace, *catalog), std::string(text));
        }
        QVERIFY(paceFromText("every 0x201", *catalog)->beat->id == (can::Identifier{0x201, false}));
        QCOMPARE(toText(Pace{2}, *catalog), std::string());
        for (const auto& [text, words] : {std::pair("", "expected"), std::pair("each 5 ms", "expected"), std::pair("every 0 ms", "passes"),
                 std::pair("every BladeComand", "BladeCommand"), std::pair("every 0 Real", "not at every 0"),
                 std::pair("every ", "has a message"), std::pair("every -3 Real", "has a message")}) {
            const auto pace = paceFromText(text, *catalog);
            QVERIFY2(!pace && pace.error().text().find(words) != std::string::npos, pace ? text : pace.error().text().c_str());
        }
    }

    void theCommandLinePlaysTheSame()
    {
        const auto write = [&](const char* name, const QByteArray& bytes) {
            QFile file(folder_.filePath(QLatin1String(name)));
            return file.open(QIODevice::WriteOnly) && file.write(bytes) == bytes.size();
        };
        QVERIFY(write("two.dbc", "BU_: Unit\nBO_ 256 State: 8 Unit\n SG_ Level : 0|12@1- (0.5,0) [0|0] \"l\" Unit\n"));
        QVERIFY(write("two.json", R"({"wavetrope": 1, "name": "two", "begins": "2026-01-01T00:00:00Z",
            "buses": [{"name": "A", "rate": "500k", "databases": ["two.dbc"]}, {"name": "B", "rate": "500k"}],
            "nodes": [{"name": "Unit", "buses": ["A"], "sends": [{"message": "State", "every": "100 ms", "signals": {"Level": "3"}}]}]})"));
        const std::vector<trace::TraceBus> buses{{"A", {500'000, 0}}, {"B", {500'000, 0}}};
        auto logged = formats::LogFile::create(folder_.filePath("log.pcapng").toStdString(), buses);
        QVERIFY(logged.has_value());
        for (int i = 0; i < 3; ++i) {
            can::Frame frame;
            frame.id = {0x111U + static_cast<unsigned>(i), false};
            frame.dlc = frame.length = 1;
            frame.bus = i == 2 ? 1 : 0;
            frame.time = Time(1'700'000'000'000'000'000) + 100ms * i;
            (*logged)->write(frame.view());
        }
        QVERIFY((*logged)->finish());
        const QString rig = folder_.filePath("two.json"), out = folder_.filePath("out.pcapng"), log = folder_.filePath("log.pcapng");
        const auto played = [&](QStringList more) {
            const Answer answer = cli(QStringList{"replay", log, "--rig", rig, "--virtual", "--record", out, "--overwrite"} + more);
            if (answer.code != 0)
                return answer.err;
            QStringList rows;
            for (const QString& line : cli({"list", out, "--columns", "time,bus,id"}).out.split('\n').mid(1))
                if (!line.contains(QStringLiteral("0x100")) && !line.isEmpty())
                    rows << line.section(',', 1);
            rows.sort();  // on two buses at one instant: whichever stands first
            return rows.join(' ');
        };
        QCOMPARE(played({}), QStringLiteral("A,0x111 A,0x112 B,0x113"));
        QCOMPARE(played({"--map", "A=A", "--map", "A=B", "--map", "B=A", "--filter", "not id 0x112"}),
            QStringLiteral("A,0x111 A,0x113 B,0x111"));
        QVERIFY(played({"--kind", "fd"}).contains(QStringLiteral("--kind")));
        QCOMPARE(played({"--kind", "data", "--at", "1 s"}), QStringLiteral("A,0x111 A,0x112 B,0x113"));
        QCOMPARE(played({"--beat", "2 State"}), QStringLiteral("A,0x111 A,0x112 B,0x113"));
        QVERIFY(played({"--beat", "Stat"}).contains(QStringLiteral("--beat Stat")));
        QVERIFY(played({"--beat", "5 ms"}).contains(QStringLiteral("--beat 5 ms")));
        QVERIFY(played({"--loop", "--for", "2 s", "--pause", "x"}).contains(QStringLiteral("--pause")));
        QCOMPARE(played({"--loop", "--for", "1.5 s", "--pause", "1 s"}), QStringLiteral("A,0x111 A,0x111 A,0x112 A,0x112 B,0x113 B,0x113"));
    }
};

QTEST_GUILESS_MAIN(PlaybackTest)
#include "playback_test.moc"
