// SPDX-License-Identifier: GPL-3.0-or-later
// What is changed on purpose: of a log that is played, and of what nodes send.
#include <QTemporaryDir>
#include <QTest>

#include <algorithm>
#include <cmath>
#include <map>
#include <random>

#include "command_line.h"
#include "drive/manipulation.h"
#include "drive/rewriting.h"
#include "rig/session.h"
#include "played_world.h"
#include "same_frame.h"

using namespace wavetrope;
using namespace wavetrope::drive;
using namespace std::chrono_literals;
using test::Answer;
using test::cli;

namespace {

// A signal with its least significant bit first, read and written bit by bit.
struct PlainSignal {
    const char* name;
    std::uint32_t id;
    unsigned start, length;
    bool isSigned;
    double factor, offset;
    int page = -1;
};
constexpr PlainSignal plainSignals[] = {{"BladeCommand.CommandedDepth", 513, 0, 12, true, 0.01, 0},
    {"BladeCommand.Tilt", 513, 12, 10, true, 0.1, -3}, {"BladeCommand.Release", 513, 24, 2, false, 1, 0},
    {"BladeCommand.Count", 513, 28, 4, false, 1, 0}, {"Paged.First", 514, 8, 16, true, 0.5, 0, 0},
    {"Paged.Second", 514, 8, 8, false, 1, 0, 2}};

std::int64_t rawOf(const PlainSignal& signal, const can::FrameView& frame)
{
    std::int64_t raw = 0;
    for (unsigned i = 0; i < signal.length; ++i)
        raw |= static_cast<std::int64_t>(frame.data[(signal.start + i) / 8] >> (signal.start + i) % 8 & 1U) << i;
    return signal.isSigned && (raw >> (signal.length - 1) & 1) != 0 ? raw - (std::int64_t{1} << signal.length) : raw;
}

void setRaw(const PlainSignal& signal, can::Frame& frame, std::int64_t raw)
{
    for (unsigned i = 0; i < signal.length; ++i) {
        std::uint8_t& byte = frame.data[(signal.start + i) / 8];
        const auto mask = static_cast<std::uint8_t>(1U << (signal.start + i) % 8);
        byte = static_cast<std::uint8_t>((raw >> i & 1) != 0 ? byte | mask : byte & ~mask);
    }
}

bool carries(const PlainSignal& signal, const can::FrameView& frame)
{
    return frame.kind == can::FrameKind::data && frame.id == can::Identifier{signal.id, false}
           && frame.length * 8 >= signal.start + signal.length && (signal.page < 0 || (frame.data[0] & 15) == signal.page);
}

}  // namespace

class RewritingTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;

    QString path(const char* name) const { return folder_.filePath(QLatin1String(name)); }
    // A rig with one node whose message has noise, a selector, a counter and a checksum.
    std::unique_ptr<rig::Session> session(const std::vector<std::string>& manipulations, std::uint64_t seed, std::string& problem)
    {
        const auto rig = rig::loadRig(path("unit.json").toStdString());
        if (!rig) {
            problem = rig.error().text();
            return {};
        }
        rig::SessionOptions options;
        options.seed = seed;
        auto made = rig::Session::create(*rig, rig::loadDatabases(*rig), options);
        if (!made) {
            problem = made.error().text();
            return {};
        }
        for (const std::string& text : manipulations) {
            const auto wanted = manipulationFromText(text);
            if (!wanted) {
                problem = wanted.error().text();
                return {};
            }
            for (Node* node : (*made)->all<Node>())
                if (node->name() == wanted->node)
                    if (const auto done = node->manipulate(*wanted); !done)
                        problem = done.error().text();
        }
        return std::move(*made);
    }
    static std::vector<can::Frame> framesOf(rig::Session& session)
    {
        std::vector<can::Frame> out;
        const auto snapshot = session.trace().snapshot();
        for (trace::Row row = 0; row < snapshot.rows(); ++row)
            out.emplace_back(snapshot.frame(row));
        return out;
    }

private Q_SLOTS:
    void initTestCase()
    {
        const auto write = [&](const char* name, const QByteArray& bytes) {
            QFile file(path(name));
            QVERIFY(file.open(QIODevice::WriteOnly) && file.write(bytes) == bytes.size());
        };
        write("unit.dbc",
            "BU_: Unit\nBO_ 256 State: 8 Unit\n SG_ Level : 0|12@1- (0.5,0) [0|0] \"l\" Unit\n SG_ Mode : 12|3@1+ (1,0) [0|0] \"\" Unit\n"
            " SG_ Beat : 16|4@1+ (1,0) [0|0] \"\" Unit\n SG_ Idle : 24|8@1+ (1,0) [0|0] \"\" Unit\n SG_ Sum : 56|8@1+ (1,0) [0|0] \"\" "
            "Unit\n"
            "BO_ 257 Noise: 4 Unit\n SG_ Value : 0|16@1- (0.01,0) [0|0] \"\" Unit\nVAL_ 256 Mode 0 \"off\" 1 \"slow\" 2 \"wide open\" ;\n"
            "BA_DEF_ SG_ \"GenSigStartValue\" INT 0 255;\nBA_ \"GenSigStartValue\" SG_ 256 Idle 9;\n");
        write("unit.json", R"rig({"wavetrope": 1, "name": "unit", "seed": 4, "begins": "2026-01-01T00:00:00Z",
            "buses": [{"name": "A", "rate": "500k", "databases": ["unit.dbc"]}, {"name": "B", "rate": "500k"}],
            "events": [{"name": "high", "when": "State.Level > 40"}],
            "nodes": [{"name": "Unit", "buses": ["A"], "sends": [
                {"message": "State", "every": "10 ms", "jitter": "1 ms", "signals": {"Level": "100 * sin(t) + noise(3)", "Mode": "if(noise(1) > 0, 1, 0)",
                    "Beat": {"counter": {"modulo": 16}}, "Sum": {"checksum": "crc8"}
    }},
                {"message": "Noise", "every": "7 ms", "signals": {"Value": "noise(5)"}},
                {"id": "0x300", "length": 3, "every": "20 ms", "signals": {"0": "noise(20) + 100"}}]
},
                {"name": "Ear", "buses": ["A"], "sends": []}]
})rig");
    }

    // Beside a model that goes bit by bit.
    void rewritingsAreThoseOfAPlainModel()
    {
        std::mt19937 random(11);
        const auto catalog = bladeCatalog();
        for (int round = 0; round < 60; ++round) {
            struct Rule {
                const PlainSignal* signal = nullptr;
                const PlainSignal* named = nullptr;
                double factor = 0, summand = 0;
                int how = 0;
                std::uint32_t from = 0, to = 0;
                bool wide = false;
            };
            std::vector<Rule> rules;
            std::vector<std::string> texts;
            for (unsigned count = 1 + random() % 4; count > 0; --count) {
                Rule rule;
                if (random() % 3 == 0) {
                    rule.from = std::array{513U, 514U, 0x181U, 0x281U}[random() % 4];
                    rule.to = std::array{0x181U, 0x281U, 0x7FFU, 513U}[random() % 4];
                    rule.wide = random() % 4 == 0;
                    texts.push_back(
                        "id " + can::toText(can::Identifier{rule.from, false}) + " = " + can::toText(can::Identifier{rule.to, rule.wide}));
                } else {
                    rule.signal = &plainSignals[random() % std::size(plainSignals)];
                    do
                        rule.named = &plainSignals[random() % std::size(plainSignals)];
                    while (rule.named->id != rule.signal->id);
                    rule.how = static_cast<int>(random() % 4);
                    rule.factor = static_cast<double>(static_cast<int>(random() % 9) - 4);
                    rule.summand = static_cast<double>(static_cast<int>(random() % 41) - 20) + 0.123;
                    const std::string whole = rule.named->name, own = whole.substr(whole.find('.') + 1);
                    const std::string named = random() % 2 == 0 ? own : whole;
                    char number[64];
                    std::snprintf(number, sizeof number, "%g", rule.summand);
                    const std::string factor = std::to_string(static_cast<int>(rule.factor));
                    texts.push_back(std::string(rule.signal->name) + " = "
                                    + (rule.how == 0    ? std::string(number)
                                        : rule.how == 1 ? named + " * " + factor + " + " + number
                                        : rule.how == 2 ? "t + " + std::string(number)
                                                        : std::string(number) + " / max(0, " + named + ")"));
                }
                rules.push_back(rule);
            }
            auto made = Rewriting::compile(texts, catalog);
            QVERIFY2(made.has_value(), made ? "" : made.error().text().c_str());
            for (int i = 0; i < 300; ++i) {
                const can::Frame from = randomFrame(random, Time(i * 7'000'000LL));
                can::Frame got = from, wanted = from;
                const Rewriting::Outcome outcome = made->apply(from.view(), from.time, got);
                bool limited = false, failed = false, between = false;     // two values that are equally near
                std::map<const PlainSignal*, double> last;
                for (const Rule& rule : rules) {
                    if (rule.signal == nullptr) {
                        if (wanted.id == can::Identifier{rule.from, false})
                            wanted.id = {rule.to, rule.wide};
                        continue;
                    }
                    const bool uses = rule.how == 1 || rule.how == 3;
                    if (!carries(*rule.signal, from.view()) || (uses && !carries(*rule.named, from.view())))
                        continue;
                    const double named = uses ? static_cast<double>(rawOf(*rule.named, from.view())) * rule.named->factor
                                                    + rule.named->offset
                                              : 0;
                    const double below = std::max(0.0, named);
                    if (rule.how == 3 && below == 0) {
                        failed = true;
                        continue;
                    }
                    const double value = rule.how == 0   ? rule.summand
                                         : rule.how == 1 ? named * rule.factor + rule.summand
                                         : rule.how == 2 ? static_cast<double>(from.time.count()) * 1e-9 + rule.summand
                                                         : rule.summand / below;
                    const double low = rule.signal->isSigned ? -std::exp2(rule.signal->length - 1) : 0;
                    const double high = std::exp2(rule.signal->length - (rule.signal->isSigned ? 1 : 0)) - 1;
                    const double raw = (value - rule.signal->offset) / rule.signal->factor;
                    between = between || std::abs(raw - std::floor(raw) - 0.5) < 1e-6;
                    limited = limited || std::round(raw) < low || std::round(raw) > high;
                    setRaw(*rule.signal, wanted, static_cast<std::int64_t>(std::clamp(std::round(raw), low, high)));
                }
                if (between)
                    continue;
                QVERIFY2(got.id == wanted.id && same(got.view(), wanted.view()), texts.front().c_str());
                QCOMPARE(outcome.limited, limited);
                QCOMPARE(outcome.failed, failed);
                QCOMPARE(outcome.changed, !same(from.view(), wanted.view()));
                QVERIFY(made->identifierOf(from.id) == wanted.id);
            }
        }
    }

    void whatIsNotThereIsTold_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("words");
        QTest::newRow("no message") << "BladeComand.Tilt = 3" << "no database of the log's buses has a message 'BladeComand'";
        QTest::newRow("no signal") << "BladeCommand.Tlit = 3" << "has no signal 'Tlit'";
        QTest::newRow("of another message") << "BladeCommand.Tilt = First" << "has no signal 'First'";
        QTest::newRow("no formula") << "BladeCommand.Tilt = 3 +" << "'3 +'";
        QTest::newRow("no value") << "BladeCommand.Tilt" << "is no rewriting";
        QTest::newRow("no identifier") << "id 0x181 = 0x800" << "'0x800' is no identifier";
        QTest::newRow("half an identifier") << "id 0x181" << "which identifier";
        QTest::newRow("no bus") << "Nowhere.BladeCommand.Tilt = 3" << "no bus 'Nowhere'";
        QTest::newRow("rubbish") << QString::fromLatin1("\xff\xfe = =") << "is no rewriting";
    }
    void whatIsNotThereIsTold()
    {
        QFETCH(QString, text);
        QFETCH(QString, words);
        const std::vector<std::string> texts = {text.toStdString()};
        const auto made = Rewriting::compile(texts, bladeCatalog());
        QVERIFY(!made);
        QVERIFY2(made.error().text().find(words.toStdString()) != std::string::npos, made.error().text().c_str());
        const std::vector<std::string> one = {"Main.BladeCommand.Tilt = 3"};
        QVERIFY(Rewriting::compile(one, bladeCatalog()).has_value());
    }

    // Beat k is offered at the begin + k times the gap, whatever the log and its buses.
    void atAGapBeatsAreExact()
    {
        std::mt19937 random(2);
        Played played;
        Time at{1'000'000'000};
        for (int i = 0; i < 400; ++i) {
            can::Frame frame = randomFrame(random, at += Time(random() % 50'000'000));
            frame.bus = static_cast<std::uint8_t>(random() % 2);
            played.add(frame);
        }
        played.load();
        const std::vector<std::string> texts = {"id 0x181 = 0x00000181", "BladeCommand.Count = 15 - Count"};
        played.playback.rewrite(*Rewriting::compile(texts, played.catalog));
        played.playback.setPace({1, 3ms});
        played.playback.play();
        played.run(2s);
        QVERIFY(played.playback.finished());
        QCOMPARE(played.frames.size(), played.logged.size());
        for (std::size_t i = 0; i < played.frames.size(); ++i) {
            const can::Frame& frame = played.frames[i];
            QCOMPARE(frame.bus, played.logged[i].bus);
            QCOMPARE(frame.id.extended, played.logged[i].id.value == 0x181);
            QCOMPARE(frame.time,
                played.begins + static_cast<std::int64_t>(i) * 3ms + can::duration(can::wireLength(frame.view()), {500'000, 0}));
        }
        QVERIFY(played.playback.rewritten().changed > 50);
        QCOMPARE(played.playback.rewritten().limited, std::uint64_t{0});
    }

    // A stamp is that of the log, though a frame that got a longer identifier is longer on the bus.
    void aRewrittenFrameEndsAtItsStamp()
    {
        Played played;
        for (int i = 0; i < 50; ++i) {
            can::Frame frame;
            frame.time = Time(1'000'000'000 + i * 10'000'000LL);
            frame.id = {0x181, false};
            frame.length = frame.dlc = 8;
            played.add(frame);
        }
        played.load();
        const std::vector<std::string> texts = {"id 0x181 = 0x1ABCDEF0"};
        played.playback.rewrite(*Rewriting::compile(texts, played.catalog));
        QCOMPARE(played.playback.sends().size(), std::size_t{1});
        QVERIFY(played.playback.sends().front().id == (can::Identifier{0x1ABCDEF0, true}));
        played.playback.play();
        played.run(1s);
        QCOMPARE(played.frames.size(), std::size_t{50});
        const Time first = played.frames.front().time;
        for (std::size_t i = 0; i < 50; ++i)
            QCOMPARE(played.frames[i].time, first + static_cast<std::int64_t>(i) * 10ms);
    }

    // Onto nothing all is as in the log, in its order, error frames too, and no bus has anything.
    void ontoNothingAllIsAsInTheLog()
    {
        std::mt19937 random(7);
        Played played;
        Time at{1'000'000'000};
        for (int i = 0; i < 600; ++i) {
            can::Frame frame = randomFrame(random, at += Time(random() % 4 == 0 ? 0 : random() % 5'000'000));
            frame.bus = static_cast<std::uint8_t>(random() % 2);
            if (random() % 20 == 0) {
                frame = {};
                frame.time = at;
                frame.kind = can::FrameKind::error;
            }
            played.add(frame);
        }
        played.load();
        struct Views final : bus::Listener {
            std::vector<can::Frame> frames;
            void onFrame(const can::FrameView& frame, bus::Port) override { frames.emplace_back(frame); }
        } views;
        played.playback.ontoViews(&views);
        QVERIFY(played.playback.sends().empty());
        played.playback.play();
        played.run(10s);
        QVERIFY(played.playback.finished() && played.frames.empty());
        QCOMPARE(views.frames.size(), played.logged.size());
        for (std::size_t i = 0; i < views.frames.size(); ++i) {
            can::Frame wanted = played.logged[i];
            wanted.time += played.begins - played.logged.front().time;
            QVERIFY(same(views.frames[i].view(), wanted.view()));
        }
    }

    void directionsChooseFrames()
    {
        std::mt19937 random(3);
        for (const Directions directions : {Directions::both, Directions::sent, Directions::received}) {
            Played played;
            std::size_t wanted = 0;
            for (int i = 0; i < 500; ++i) {
                const can::Frame frame = randomFrame(random, Time(1'000'000'000 + i * 1'000'000LL));
                wanted += directions == Directions::both
                          || frame.direction == (directions == Directions::sent ? can::Direction::sent : can::Direction::received);
                played.add(frame);
            }
            played.load(directions);
            QCOMPARE(played.playback.chosen(), wanted);
        }
    }

    // Beats in the stretch have the value and a right checksum; every other bit of every frame is as without it.
    void aHeldSignalChangesNothingElse()
    {
        std::mt19937 random(19);
        for (int round = 0; round < 12; ++round) {
            const std::int64_t from = random() % 3000, to = from + random() % 2000;
            const auto seed = static_cast<std::uint64_t>(random());
            struct Choice {
                const char* signal;
                const char* value;
                PlainSignal plain;
                std::int64_t raw;
            };
            const Choice choices[] = {{"State.Level", "-12.5 l", {"", 256, 0, 12, true, 0.5, 0}, -25},
                {"State.Mode", "\"wide open\"", {"", 256, 12, 3, false, 1, 0}, 2}, {"State.Beat", "7", {"", 256, 16, 4, false, 1, 0}, 7},
                {"State.Idle", "0x2A", {"", 256, 24, 8, false, 1, 0}, 42}, {"State.Sum", "0", {"", 256, 56, 8, false, 1, 0}, 0},
                {"0x300.0", "255", {"", 0x300, 0, 8, false, 1, 0}, 255}};
            const Choice& choice = choices[random() % std::size(choices)];
            std::string problem;
            const auto plain = session({}, seed, problem);
            const auto held = session({"Unit " + std::string(choice.signal) + " = " + choice.value + " from " + std::to_string(from)
                                          + "ms to " + std::to_string(to) + " ms"},
                seed, problem);
            QVERIFY2(plain && held && problem.empty(), problem.c_str());
            plain->runFor(6s, nullptr);
            held->runFor(6s, nullptr);
            const auto a = framesOf(*plain), b = framesOf(*held);
            QCOMPARE(a.size(), b.size());
            std::size_t changed = 0;
            // A frame that is longer for its bits ends later, and may make another one wait: identifiers are compared one by one.
            std::map<std::uint32_t, std::vector<const can::Frame*>> byId[2];
            for (std::size_t i = 0; i < a.size(); ++i) {
                byId[0][a[i].id.value].push_back(&a[i]);
                byId[1][b[i].id.value].push_back(&b[i]);
            }
            for (const auto& [id, frames] : byId[0]) {
                QCOMPARE(frames.size(), byId[1][id].size());
                for (std::size_t i = 0; i < frames.size(); ++i) {
                    const can::Frame& before = *frames[i];
                    const can::Frame& behind = *byId[1][id][i];
                    const Time begun = before.time - plain->begins();
                    // Offered a moment before its stamp.
                    const bool surely = begun > Time(from * 1'000'000) + 2ms && begun < Time(to * 1'000'000);
                    const bool surelyNot = begun < Time(from * 1'000'000) || begun > Time(to * 1'000'000) + 2ms;
                    can::Frame wanted = before;
                    if (id == choice.plain.id) {
                        setRaw(choice.plain, wanted, choice.raw);
                        if (id == 256 && choice.plain.start != 56) {
                            std::uint8_t crc = 0xFF;  // polynomial 0x2F over the other bytes
                            for (unsigned k = 0; k < 7; ++k) {
                                crc ^= wanted.data[k];
                                for (int bit = 0; bit < 8; ++bit)
                                    crc = static_cast<std::uint8_t>((crc & 0x80) != 0 ? crc << 1 ^ 0x2F : crc << 1);
                            }
                            wanted.data[7] = crc;
                        }
                    }
                    const bool asHeld = behind.data == wanted.data, asBefore = behind.data == before.data;
                    QVERIFY(surely ? asHeld : surelyNot ? asBefore : asHeld || asBefore);
                    changed += asHeld && !asBefore ? 1 : 0;
                }
            }
            QVERIFY(to - from < 100 || changed > 0);
        }
    }

    void manipulationsAreRead_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("words");
        QTest::newRow("no equals") << "Unit State.Level 3" << "expected a node";
        QTest::newRow("no node") << "State.Level = 3" << "MESSAGE.SIGNAL in front";
        QTest::newRow("no signal") << "Unit State = 3" << "is no MESSAGE.SIGNAL";
        QTest::newRow("no value") << "Unit State.Level = from 3s" << "expected a value";
        QTest::newRow("no time") << "Unit State.Level = 3 from x" << "is no time";
        QTest::newRow("backwards") << "Unit State.Level = 3 from 5s to 4s" << "ends before";
        QTest::newRow("unknown signal") << "Unit State.Levle = 3" << "has no signal 'Levle'";
        QTest::newRow("unknown message") << "Unit Sate.Level = 3" << "sends no Sate";
        QTest::newRow("too large") << "Unit State.Mode = 8" << "8";
        QTest::newRow("no text") << "Unit State.Mode = \"half open\"" << "half open";
        QTest::newRow("no byte") << "Unit 0x300.0 = 256" << "is no byte";
        QTest::newRow("no such byte") << "Unit 0x300.7 = 1" << "has no byte";
    }
    void manipulationsAreRead()
    {
        QFETCH(QString, text);
        QFETCH(QString, words);
        std::string problem;
        (void)session({text.toStdString()}, 1, problem);
        QVERIFY2(problem.find(words.toStdString()) != std::string::npos, problem.c_str());
        const auto good = manipulationFromText("\"Wash unit\" State.\"Water level\" = \"wide open\" to 2 s from 1s");
        QVERIFY2(good || good.error().text().find("no time") == std::string::npos, "");
        const auto both = manipulationFromText("\"Wash unit\" State.Level = 3.5 l from 1s to 2500ms");
        QVERIFY(both.has_value());
        QCOMPARE(both->node, std::string("Wash unit"));
        QCOMPARE(both->value, std::string("3.5 l"));
        QVERIFY(both->from == Time(1s) && both->to == Time(2500ms));
    }

    void theCommandLineSaysTheSame()
    {
        const QString rig = path("unit.json"), log = path("log.pcapng"), out = path("out.pcapng");
        QCOMPARE(cli({"run", rig, "--for", "5s", "--virtual", "--record", log}).code, 0);
        // Held from the command line.
        const Answer held = cli({"run", rig, "--for", "5s", "--virtual", "--record", out, "--overwrite", "--manipulate",
            "Unit State.Level = 3.5 from 1s to 2s", "--manipulate", "Unit Noise.Value = -1"});
        QVERIFY2(held.code == 0, qPrintable(held.err));
        const QString decoded = cli({"decode", out, "--rig", rig}).out;
        QVERIFY(decoded.count(QStringLiteral("State,Level,7,3.5,")) > 90);
        QCOMPARE(cli({"run", rig, "--for", "1s", "--virtual", "--manipulate", "Nobody State.Level = 3"}).code, 2);
        QCOMPARE(cli({"run", rig, "--for", "1s", "--virtual", "--manipulate", "Ear State.Level = 3"}).code, 2);
        QCOMPARE(cli({"run", rig, "--for", "1s", "--virtual", "--manipulate", "Unit State.Level = 3000"}).code, 2);
        // Rewritten, at a gap, onto the rig without its node.
        const QStringList replay = {"replay", log, "--rig", rig, "--without", "Unit", "--virtual", "--record", out, "--overwrite"};
        Answer played = cli(
            replay + QStringList{"--gap", "2ms", "--rewrite", "State.Level = Level + 1000", "--rewrite", "id 0x300 = 0x301"});
        QVERIFY2(played.code == 0 && played.err.contains(QStringLiteral("were rewritten")), qPrintable(played.err));
        const QString listed = cli({"list", out}).out;
        QVERIFY(listed.contains(QStringLiteral("0x301")) && !listed.contains(QStringLiteral("0x300")));
        QCOMPARE(cli(replay + QStringList{"--rewrite", "State.Nothing = 1"}).code, 2);
        QCOMPARE(cli(replay + QStringList{"--direction", "sideways"}).code, 2);
        QCOMPARE(cli(replay + QStringList{"--onto", "everything"}).code, 2);
        QCOMPARE(cli(replay + QStringList{"--gap", "0ms"}).code, 2);
        QCOMPARE(cli(replay + QStringList{"--gap", "5ms", "--speed", "2"}).code, 2);
        // Onto nothing: frame by frame what the log has; a second log beside it.
        played = cli(replay + QStringList{"--onto", "nothing"});
        QVERIFY2(played.code == 0, qPrintable(played.err));
        // Frames with their stamps since the first one.
        const auto listing = [](const QString& file) {
            QStringList lines = cli({"list", file}).out.split(QLatin1Char('\n'), Qt::SkipEmptyParts);
            lines.removeFirst();
            const auto nanoseconds = [](const QString& line) {
                return line.section(QLatin1Char(','), 0, 0).remove(QLatin1Char('.')).toLongLong();
            };
            const qint64 first = lines.isEmpty() ? 0 : nanoseconds(lines.front());
            for (QString& line : lines)
                line = QString::number(nanoseconds(line) - first) + QLatin1Char(',') + line.section(QLatin1Char(','), 1);
            return lines;
        };
        QVERIFY(listing(log).size() > 1000);
        QCOMPARE(listing(out), listing(log));
        played = cli(replay + QStringList{"--onto", "nothing", "--with", log + QStringLiteral("@100s")});
        QVERIFY2(played.code == 0, qPrintable(played.err));
        QCOMPARE(cli({"list", out}).out.count(QLatin1Char('\n')), 2 * cli({"list", log}).out.count(QLatin1Char('\n')) - 1);
        // Once a condition holds: one of the rig, or a filter that a frame passes.
        QCOMPARE(cli(replay + QStringList{"--begin", "nowhere"}).code, 2);
        const QStringList live = {"replay", log, "--rig", rig, "--map", "A=B", "--virtual", "--record", out, "--overwrite", "--for", "3s"};
        for (const char* begin : {"high", "State.Level > 40"}) {
            played = cli(live + QStringList{"--begin", QLatin1String(begin)});
            QVERIFY2(played.code == 0, qPrintable(played.err));
            QVERIFY(
                !played.err.contains(QStringLiteral("\n0 frames replayed")) && !played.err.startsWith(QStringLiteral("0 frames replayed")));
            double first = -1, high = -1;
            for (const QString& line : cli({"decode", out, "--rig", rig}).out.split(QLatin1Char('\n')))
                if (high < 0 && line.contains(QStringLiteral(",A,")) && line.contains(QStringLiteral(",Level,"))
                    && line.section(QLatin1Char(','), 6, 6).toDouble() > 40)
                    high = line.section(QLatin1Char(','), 0, 0).toDouble();
            for (const QString& line : cli({"list", out}).out.split(QLatin1Char('\n')))
                if (first < 0 && line.section(QLatin1Char(','), 1, 1) == QStringLiteral("B"))
                    first = line.section(QLatin1Char(','), 0, 0).toDouble();
            QVERIFY2(high > 0 && first >= high && first < high + 0.1, qPrintable(QStringLiteral("%1 %2").arg(high).arg(first)));
        }
    }
};

QTEST_GUILESS_MAIN(RewritingTest)
#include "rewriting_test.moc"
