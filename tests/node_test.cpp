// SPDX-License-Identifier: GPL-3.0-or-later
// Simulated nodes: what they send, when, with which values, and how they react; playback onto a bus.
#include <QTest>

#include <algorithm>
#include <array>
#include <cmath>
#include <random>

#include <nlohmann/json.hpp>

#include "base/json_reader.h"
#include "bus/simulated_bus.h"
#include "database/dbc_reader.h"
#include "drive/node.h"
#include "drive/playback.h"

using namespace wavetrope;
using namespace wavetrope::drive;
using nlohmann::json;

namespace {

const char* const pumpDatabase =
    "BU_: Pump Panel\n"
    "BO_ 256 PumpState: 8 Pump\n SG_ Flow : 0|16@1- (0.1,0) [0|100] \"l\" Panel\n SG_ Mode : 16|4@1+ (1,0) [0|0] \"\" Panel\n SG_ Count : "
    "24|8@1+ (1,0) [0|0] \"\" Panel\n SG_ Check : 56|8@1+ (1,0) [0|0] \"\" Panel\n"
    "BO_ 512 PanelState: 4 Panel\n SG_ Lamp : 0|8@1+ (1,0) [0|0] \"\" Pump\n SG_ Shown : 8|16@1- (0.1,0) [0|0] \"l\" Pump\n"
    "BO_ 768 Ask: 1 Panel\n SG_ What : 0|8@1+ (1,0) [0|0] \"\" Pump\n"
    "BO_ 769 Answer: 2 Pump\n SG_ Selector M : 0|8@1+ (1,0) [0|0] \"\" Panel\n SG_ First m0 : 8|8@1+ (1,0) [0|0] \"\" Panel\n SG_ Second "
    "m1 : 8|8@1+ (1,0) [0|0] \"\" Panel\n"
    "VAL_ 256 Mode 0 \"off\" 3 \"running\" ;\nBA_DEF_ SG_ \"GenSigStartValue\" INT 0 255;\nBA_ \"GenSigStartValue\" SG_ 256 Mode 5;\n";

// A bus with nodes given as JSON, and everything that was on it.
struct World : bus::Listener {
    clock::Scheduler scheduler;
    bus::SimulatedBus bus{scheduler, {{500'000, 0}, 0, 64, true}};
    std::shared_ptr<const database::Catalog> catalog;
    std::vector<std::unique_ptr<Node>> nodes;
    std::vector<can::Frame> frames;

    World()
    {
        auto made = std::make_shared<database::Catalog>();
        made->attach(made->addBus("Main"), std::make_shared<const database::Database>(database::readDbc(pumpDatabase, "x").database));
        catalog = made;
    }
    virtual ~World() = default;
    void onFrame(const can::FrameView& frame, bus::Port) override { frames.emplace_back(frame); }

    Expected<void> add(const char* text, Time story = Time{0})
    {
        auto spec = readingJson({}, [&] { return nodeFromJson(JsonReader(json::parse(text), "/nodes/0")); });
        if (!spec)
            return tl::unexpected(spec.error());
        auto node = Node::create(*spec, {scheduler, {&bus}, catalog, 1, Time{0}, story});
        if (!node)
            return tl::unexpected(node.error());
        nodes.push_back(std::move(*node));
        return {};
    }
    void run(Time span)
    {
        if (scheduler.now() == Time{0}) {
            bus.listen(this);
            for (auto& node : nodes)
                node->start();
        }
        scheduler.runUntil(scheduler.now() + span);
    }
    std::vector<double> values(const char* name)
    {
        const auto ref = catalog->findSignals(name).at(0);
        std::vector<double> out;
        for (const can::Frame& frame : frames) {
            database::Decoded decoded;
            if (frame.id == ref.message->message->id && ref.message->plan.decodeOne(frame.view(), ref.index, decoded))
                out.push_back(decoded.value);
        }
        return out;
    }
    std::size_t count(std::uint32_t id)
    {
        return static_cast<std::size_t>(std::count_if(frames.begin(), frames.end(), [&](const can::Frame& f) { return f.id.value == id; }));
    }
};

constexpr Time ms(std::int64_t value) { return std::chrono::milliseconds(value); }

}  // namespace

class NodeTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void cyclicMessagesKeepTheirPhaseAndPeriod()
    {
        World world;
        QVERIFY(world
                .add("{\"name\":\"Pump\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"PumpState\",\"every\":\"20 ms\",\"phase\":\"3 "
                     "ms\"}]}")
                .has_value());
        world.run(ms(1000));
        QCOMPARE(world.count(256), 50U);
        const Time first = world.frames[0].time;
        QVERIFY(first > ms(3) && first < ms(4));
        for (std::size_t i = 1; i < world.frames.size(); ++i)
            QCOMPARE((world.frames[i].time - world.frames[i - 1].time).count() / 1'000'000, 20);
    }

    void jitterStaysWithinItsBound()
    {
        World world;
        QVERIFY(world
                .add("{\"name\":\"Pump\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"PumpState\",\"every\":\"10 ms\",\"jitter\":\"2 "
                     "ms\"}]}")
                .has_value());
        world.run(ms(1000));
        QCOMPARE(world.count(256), 100U);
        bool late = false;
        for (std::size_t i = 0; i < world.frames.size(); ++i) {
            const Time off = world.frames[i].time - ms(10 * static_cast<std::int64_t>(i));
            QVERIFY(off > Time{0} && off < ms(2) + std::chrono::microseconds(300));
            late = late || off > ms(1);
        }
        QVERIFY(late);
    }

    void aSourceGivesItsValue_data()
    {
        QTest::addColumn<QString>("source");
        QTest::addColumn<QList<double>>("values");  // at 0, 100, 200, 300 ms
        const auto row = [](const char* source, QList<double> values) { QTest::newRow(source) << QString::fromLatin1(source) << values; };
        row("12.5", {12.5, 12.5, 12.5, 12.5});
        row("true", {1, 1, 1, 1});
        row("\"10 * t\"", {0, 1, 2, 3});
        row("\"if(t > 0.15, 7, 3)\"", {3, 3, 7, 7});
        row("{\"table\": [[0, 0], [0.2, 20], [0.3, 0]]}", {0, 10, 20, 0});
        row("{\"steps\": [[0, 1], [0.15, 2], [0.3, 3]]}", {1, 1, 2, 3});
        row("{\"ramp\": {\"from\": 0, \"to\": 30, \"begins\": \"0 s\", \"lasts\": \"300 ms\"}}", {0, 10, 20, 30});
        row("{\"sine\": {\"mean\": 50, \"amplitude\": 10, \"period\": 0.4}}", {50, 60, 50, 40});
        row("{\"sine\": {\"mean\": 50, \"amplitude\": 10, \"period\": 0.4, \"phase\": 0.1}}", {40, 50, 60, 50});
        row("{\"counter\": {\"modulo\": 3}}", {0, 1, 2, 0});
        row("{\"noise\": {\"mean\": 5, \"deviation\": 0}}", {5, 5, 5, 5});
    }
    void aSourceGivesItsValue()
    {
        QFETCH(QString, source);
        QFETCH(QList<double>, values);
        World world;
        const std::string text =
            "{\"name\":\"Pump\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"PumpState\",\"every\":\"100 ms\",\"signals\":{\"Flow\":"
            + source.toStdString() + "}}]}";
        const auto added = world.add(text.c_str());
        QVERIFY2(added.has_value(), added ? "" : added.error().text().c_str());
        world.run(ms(350));
        const auto seen = world.values("Flow");
        QCOMPARE(seen.size(), 4U);
        for (int i = 0; i < 4; ++i)
            QVERIFY2(
                std::abs(seen[static_cast<std::size_t>(i)] - values[i]) < 0.051, std::to_string(seen[static_cast<std::size_t>(i)]).c_str());
    }

    void noiseHasItsMeanAndDeviationAndRepeats()
    {
        std::vector<double> first;
        for (int round = 0; round < 2; ++round) {
            World world;
            QVERIFY(world
                    .add("{\"name\":\"Pump\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"PumpState\",\"every\":\"1 "
                         "ms\",\"signals\":{\"Flow\":{\"noise\":{\"mean\":40,\"deviation\":5}}}}]}")
                    .has_value());
            world.run(ms(3000));
            const auto seen = world.values("Flow");
            double sum = 0;
            double squares = 0;
            for (const double value : seen) {
                sum += value;
                squares += value * value;
            }
            const double mean = sum / static_cast<double>(seen.size());
            QVERIFY(std::abs(mean - 40) < 0.5);
            QVERIFY(std::abs(std::sqrt(squares / static_cast<double>(seen.size()) - mean * mean) - 5) < 0.4);
            if (round == 0)
                first = seen;
            else
                QVERIFY(first == seen);
        }
    }

    void aLabelIsSentAsItsValueAndUnsetSignalsTakeTheirStart()
    {
        World world;
        QVERIFY(world
                .add("{\"name\":\"Pump\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"PumpState\",\"every\":\"10 "
                     "ms\",\"signals\":{\"Flow\":1}}]}")
                .has_value());
        world.run(ms(5));
        QCOMPARE(world.values("Mode").at(0), 5.0);
        World labelled;
        QVERIFY(labelled
                .add("{\"name\":\"Pump\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"PumpState\",\"every\":\"10 "
                     "ms\",\"signals\":{\"Mode\":{\"label\":\"running\"}}}]}")
                .has_value());
        labelled.run(ms(5));
        QCOMPARE(labelled.values("Mode").at(0), 3.0);
        World unknown;
        const auto added = unknown.add("{\"name\":\"Pump\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"PumpState\",\"every\":\"10 "
                                       "ms\",\"signals\":{\"Mode\":{\"label\":\"flying\"}}}]}");
        QVERIFY(!added);
        QVERIFY(added.error().text().find("\"flying\"") != std::string::npos);
    }

    void checksumsAreTakenOverTheOtherBytes_data()
    {
        QTest::addColumn<QString>("kind");
        QTest::newRow("sum8") << "sum8";
        QTest::newRow("xor8") << "xor8";
        QTest::newRow("crc8") << "crc8";
    }
    void checksumsAreTakenOverTheOtherBytes()
    {
        QFETCH(QString, kind);
        World world;
        const std::string text = "{\"name\":\"Pump\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"PumpState\",\"every\":\"10 "
                                 "ms\",\"signals\":{\"Check\":{\"checksum\":\""
                                 + kind.toStdString() + "\"},\"Count\":{\"counter\":{\"modulo\":256}},\"Flow\":\"t * 100\"}}]}";
        QVERIFY(world.add(text.c_str()).has_value());
        world.run(ms(500));
        QVERIFY(world.frames.size() == 50);
        for (const can::Frame& frame : world.frames) {
            unsigned sum = kind == "crc8" ? 0xFFU : 0U;
            for (unsigned i = 0; i < 7; ++i) {
                if (kind == "sum8") {
                    sum = (sum + frame.data[i]) & 0xFFU;
                    continue;
                }
                sum ^= frame.data[i];
                for (int bit = 0; kind == "crc8" && bit < 8; ++bit)
                    sum = (sum & 0x80U) != 0 ? ((sum << 1) ^ 0x2FU) & 0xFFU : (sum << 1) & 0xFFU;
            }
            QCOMPARE(unsigned{frame.data[7]}, sum);
        }
    }

    void aChecksumOfARawFrameIsTakenOverTheOtherBytesToo()
    {
        World world;
        QVERIFY(world
                .add("{\"name\":\"Pump\",\"buses\":[\"Main\"],\"sends\":[{\"id\":\"0x5A7\",\"length\":4,\"every\":\"10 "
                     "ms\",\"bytes\":{\"0\":{\"counter\":{\"modulo\":200}},\"1\":{\"checksum\":\"sum8\"},\"3\":\"t * 1000 - 100\"}}]}")
                .has_value());
        world.run(ms(500));
        QVERIFY(world.frames.size() == 50);
        for (std::size_t i = 0; i < world.frames.size(); ++i) {
            const can::Frame& frame = world.frames[i];
            QCOMPARE(unsigned{frame.data[0]}, static_cast<unsigned>(i));
            QCOMPARE(unsigned{frame.data[3]}, static_cast<unsigned>(std::clamp(static_cast<int>(i) * 10 - 100, 0, 255)));
            QCOMPARE(unsigned{frame.data[1]}, (unsigned{frame.data[0]} + frame.data[2] + frame.data[3]) & 0xFFU);
        }
    }

    // Whoever sends, not nodes alone: selector first, then what it selects, then counters, then the checksum.
    void anEncoderPutsFramesTogetherForAnybody()
    {
        World world;
        const auto message = [&](const char* signal) { return world.catalog->findSignals(signal).at(0).message; };
        MessageEncoder answer(*message("Selector"));
        QCOMPARE(answer.name(), std::string("Answer"));
        answer.fill(*answer.placeOf("Second"), MessageEncoder::Given{}, 20);
        answer.fill(*answer.placeOf("First"), MessageEncoder::Given{}, 10);
        answer.fill(*answer.placeOf("Selector"), MessageEncoder::Given{}, 1);
        for (const double chosen : {0.0, 1.0, 0.0}) {
            std::vector<std::uint32_t> asked;
            const can::Frame& frame = answer.encode(
                [&](std::uint32_t tag) {
                    asked.push_back(tag);
                    return tag == 1 ? chosen : tag + chosen;
                },
                database::Overflow::limit, [](std::uint32_t, double) { QFAIL("nothing is refused"); });
            QVERIFY(asked == (std::vector<std::uint32_t>{1, chosen == 0 ? 10U : 20U}));
            QCOMPARE(unsigned{frame.data[0]}, static_cast<unsigned>(chosen));
            QCOMPARE(unsigned{frame.data[1]}, chosen == 0 ? 10U : 21U);
        }
        MessageEncoder state(*message("Flow"));
        state.fill(*state.placeOf("Check"), Checksum::xor8);
        state.fill(*state.placeOf("Count"), CounterSpec{3});
        state.fill(*state.placeOf("Mode"), MessageEncoder::Given{});
        std::vector<double> refused;
        for (unsigned i = 0; i < 6; ++i) {
            const can::Frame& frame = state.encode([](std::uint32_t) { return 77.0; }, database::Overflow::refuse,
                [&](std::uint32_t, double value) { refused.push_back(value); });
            QCOMPARE(unsigned{frame.data[3]}, i % 3);
            QCOMPARE(unsigned{frame.data[2]} & 0xFU, 5U);      // as it is from the start
            unsigned all = 0;
            for (unsigned byte = 0; byte < 8; ++byte)
                all ^= frame.data[byte];
            QCOMPARE(all, 0U);
        }
        QVERIFY(refused == std::vector<double>(6, 77.0));
        // What there is is named; what a bus cannot carry is refused.
        QVERIFY(state.placeOf("Flov").error().text().find("did you mean 'Flow'") != std::string::npos
                || state.placeOf("Flov").error().text().find("Flow") != std::string::npos);
        const MessageEncoder raw(0, {0x5A7, false}, 3);
        QVERIFY(raw.placeOf("2").has_value());
        for (const char* wrong : {"3", "-1", "", "x", "002", "99999999999"})
            QVERIFY2(!raw.placeOf(wrong), wrong);
        QVERIFY(raw.checkFits("Main", {500'000, 0}).has_value());
        QVERIFY(!MessageEncoder(0, {0x5A7, false}, 9).checkFits("Main", {500'000, 0}));
        QCOMPARE(unsigned{MessageEncoder(0, {0x5A7, false}, 9).frame().length}, 12U);
        QVERIFY(MessageEncoder(0, {0x5A7, false}, 9).checkFits("Main", {500'000, 2'000'000}).has_value());
        // What is longer than a frame is refused, not cut.
        database::Message definition;
        definition.name = "Profile";
        definition.id = {0x123, false};
        definition.length = 65;
        const database::CatalogMessage profile{0, &definition, database::MessagePlan(definition), {}, 0};
        const auto fits = MessageEncoder(profile).checkFits("Main", {500'000, 2'000'000});
        QVERIFY(!fits);
        QVERIFY2(fits.error().text().find("Profile has 65 bytes") != std::string::npos, fits.error().text().c_str());
    }

    void aValueThatTheBitsCannotHoldIsLimitedOrRefused()
    {
        const auto node = [](const char* overflow) {
            return std::string("{\"name\":\"Pump\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"PumpState\",\"every\":\"10 ms\",")
                   + overflow + "\"signals\":{\"Mode\":{\"steps\":[[0,7],[0.05,99]]}}}]}";
        };
        World limits;
        QVERIFY(limits.add(node("").c_str()).has_value());
        limits.run(ms(95));
        QCOMPARE(limits.values("Mode").back(), 15.0);
        QVERIFY(limits.nodes[0]->refused().empty());
        World refuses;
        QVERIFY(refuses.add(node("\"overflow\":\"refuse\",").c_str()).has_value());
        refuses.run(ms(95));
        QCOMPARE(refuses.values("Mode").back(), 7.0);   // what was there before
        const auto& refused = refuses.nodes[0]->refused();
        QCOMPARE(refused.size(), 1U);
        QCOMPARE(QByteArray::fromStdString(refused.begin()->first), QByteArray("PumpState.Mode"));
        QCOMPARE(refused.begin()->second.value, 99.0);
        QCOMPARE(refused.begin()->second.count, 5U);
        World unknown;
        const auto wrong = unknown.add(node("\"overflow\":\"wrap\",").c_str());
        QVERIFY(!wrong && wrong.error().text().find("/nodes/0/sends/0/overflow") != std::string::npos);
    }

    void valuesMayUseThoseBeforeThem()
    {
        World world;
        QVERIFY(world
                .add("{\"name\":\"Pump\",\"buses\":[\"Main\"],\"values\":[{\"base\":{\"sine\":{\"mean\":5,\"amplitude\":0,\"period\":1}}},{"
                     "\"double\":\"base * 2\"}],\"sends\":[{\"message\":\"PumpState\",\"every\":\"10 ms\",\"signals\":{\"Flow\":\"double + "
                     "1\"}}]}")
                .has_value());
        world.run(ms(5));
        QCOMPARE(world.values("Flow").at(0), 11.0);
        World wrong;
        QVERIFY(!wrong.add("{\"name\":\"Pump\",\"buses\":[\"Main\"],\"values\":[{\"double\":\"base * 2\"},{\"base\":1}]}").has_value());
    }

    void silentAndOnlyWindowsFollowTheStory()
    {
        World world;
        QVERIFY(world
                .add("{\"name\":\"Pump\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"PumpState\",\"every\":\"10 ms\",\"silent\":[[\"100 "
                     "ms\",\"200 ms\"]]},{\"message\":\"Answer\",\"every\":\"10 ms\",\"only\":[[\"50 ms\",\"100 ms\"]]}]}",
                    ms(300))
                .has_value());
        world.run(ms(599));  // the story goes round once
        QCOMPARE(world.count(256), 40U);
        QCOMPARE(world.count(769), 10U);
    }

    void onlyTheSelectedPartOfAMultiplexedMessageIsFilled()
    {
        World world;
        QVERIFY(world
                .add("{\"name\":\"Pump\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"Answer\",\"every\":\"10 "
                     "ms\",\"signals\":{\"First\":11,\"Second\":22,\"Selector\":{\"counter\":{\"modulo\":2}}}}]}")
                .has_value());
        world.run(ms(39));
        QCOMPARE(world.frames.size(), 4U);
        for (std::size_t i = 0; i < 4; ++i) {
            QCOMPARE(unsigned{world.frames[i].data[0]}, static_cast<unsigned>(i % 2));
            QCOMPARE(unsigned{world.frames[i].data[1]}, i % 2 == 0 ? 11U : 22U);
        }
    }

    void rawFramesNeedNoDatabase()
    {
        World world;
        QVERIFY(world
                .add("{\"name\":\"Odd\",\"buses\":[\"Main\"],\"sends\":[{\"id\":\"0x18FF1234\",\"bus\":\"Main\",\"length\":3,\"every\":"
                     "\"10 ms\",\"bytes\":{\"0\":{\"counter\":{\"modulo\":256}},\"2\":\"300\"}}]}")
                .has_value());
        world.run(ms(25));
        QCOMPARE(world.frames.size(), 3U);
        QCOMPARE(world.frames[2].id, (can::Identifier{0x18FF1234, true}));
        QCOMPARE(unsigned{world.frames[2].length}, 3U);
        QCOMPARE(unsigned{world.frames[2].data[0]}, 2U);
        QCOMPARE(unsigned{world.frames[2].data[2]}, 255U);
    }

    void aReactionToAMessageAnswersAfterItsDelay()
    {
        World world;
        QVERIFY(world
                .add("{\"name\":\"Panel\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"Ask\",\"every\":\"100 "
                     "ms\",\"signals\":{\"What\":\"7\"}}]}")
                .has_value());
        QVERIFY(world
                .add("{\"name\":\"Pump\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"Answer\",\"signals\":{\"First\":\"Ask.What + "
                     "1\"}}],\"reacts\":[{\"on\":\"Ask\",\"send\":\"Answer\",\"after\":\"5 ms\"}]}")
                .has_value());
        world.run(ms(350));
        QCOMPARE(world.count(768), 4U);
        QCOMPARE(world.count(769), 4U);
        for (std::size_t i = 0; i + 1 < world.frames.size(); i += 2) {
            const Time gap = world.frames[i + 1].time - world.frames[i].time;
            QVERIFY(gap > ms(5) && gap < ms(6));
            QCOMPARE(unsigned{world.frames[i + 1].data[1]}, 8U);
        }
    }

    void aConditionThatBecomesTrueActsOnceAndAgainAfterItWasFalse()
    {
        World world;
        QVERIFY(world
                .add("{\"name\":\"Pump\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"PumpState\",\"every\":\"10 "
                     "ms\",\"signals\":{\"Flow\":{\"steps\":[[0,1],[0.1,9],[0.2,1],[0.3,9],[0.4,1]]}}}]}")
                .has_value());
        QVERIFY(world
                .add(
                    "{\"name\":\"Panel\",\"buses\":[\"Main\"],\"variables\":{\"lit\":0},\"sends\":[{\"message\":\"PanelState\",\"signals\":"
                    "{\"Lamp\":\"lit\",\"Shown\":\"PumpState.Flow\"}}],\"reacts\":[{\"when\":\"PumpState.Flow > 5\",\"set\":{\"lit\":\"lit "
                    "+ 1\"},\"enter\":\"alarm\",\"wrong\":true,\"send\":\"PanelState\"},{\"when\":\"PumpState.Flow <= "
                    "5\",\"enter\":\"calm\"}]}")
                .has_value());
        world.run(ms(500));
        QCOMPARE(world.values("Lamp"), (std::vector<double>{1, 2}));
        QCOMPARE(world.values("Shown"), (std::vector<double>{9, 9}));
        std::vector<std::string> states;
        for (const StateChange& change : world.nodes[1]->states())
            states.push_back(change.state + (change.wrong ? "!" : ""));
        QCOMPARE(states, (std::vector<std::string>{"running", "calm", "alarm!", "calm", "alarm!", "calm"}));
        QCOMPARE(world.nodes[1]->states()[2].why, std::string("PumpState.Flow > 5"));
        QCOMPARE(world.nodes[1]->value("lit").value(), 2.0);
    }

    void aConditionMustHoldForItsTime()
    {
        World world;
        QVERIFY(world
                .add("{\"name\":\"Pump\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"PumpState\",\"every\":\"10 "
                     "ms\",\"signals\":{\"Flow\":{\"steps\":[[0,1],[0.1,9],[0.14,1],[0.3,9],[0.4,1]]}}}]}")
                .has_value());
        QVERIFY(world
                .add("{\"name\":\"Panel\",\"buses\":[\"Main\"],\"reacts\":[{\"when\":\"Flow > 5\",\"for\":\"60 ms\",\"enter\":\"alarm\"}]}")
                .has_value());
        world.run(ms(500));
        const auto& states = world.nodes[1]->states();
        QCOMPARE(states.size(), 2U);  // 40 ms were too short, 100 ms were enough
        QVERIFY(states[1].time > ms(360) && states[1].time < ms(362));
        QVERIFY(states[1].why.find("for 60 ms") != std::string::npos);
    }

    void aNodeDoesNotHearItself()
    {
        // What a node sends comes back to others alone, as from a controller of its own.
        World world;
        QVERIFY(world
                .add("{\"name\":\"Pump\",\"buses\":[\"Main\"],\"variables\":{\"heard\":0},\"sends\":[{\"message\":\"PumpState\",\"every\":"
                     "\"10 ms\",\"signals\":{\"Flow\":\"9\"}}],"
                     "\"reacts\":[{\"on\":\"PumpState\",\"set\":{\"heard\":\"heard + 1\"}}]}")
                .has_value());
        QVERIFY(world
                .add("{\"name\":\"Panel\",\"buses\":[\"Main\"],\"variables\":{\"heard\":0},\"reacts\":[{\"on\":\"PumpState\",\"set\":{"
                     "\"heard\":\"heard + 1\"}}]}")
                .has_value());
        world.run(ms(95));
        QCOMPARE(world.count(256), 10U);
        QCOMPARE(world.nodes[0]->value("heard").value(), 0.0);
        QCOMPARE(world.nodes[1]->value("heard").value(), 10.0);
    }

    void aConditionOfTimeActsAtItsInstant_data()
    {
        QTest::addColumn<QString>("when");
        QTest::addColumn<qint64>("at");  // ns; -1: never
        QTest::newRow("later than") << "t > 0.1" << qint64{100'000'001};
        QTest::newRow("from") << "t >= 0.1" << qint64{100'000'000};
        QTest::newRow("a sum") << "t - 0.125 >= 0.125" << qint64{250'000'000};
        QTest::newRow("a stretch") << "t >= 0.2 and t < 0.3" << qint64{200'000'000};
        QTest::newRow("never within the run") << "t > 10" << qint64{-1};
        QTest::newRow("a variable of the node") << "t >= limit" << qint64{250'000'000};
    }
    void aConditionOfTimeActsAtItsInstant()
    {
        QFETCH(QString, when);
        QFETCH(qint64, at);
        World world;
        QVERIFY(world
                .add(QStringLiteral("{\"name\":\"Panel\",\"buses\":[\"Main\"],\"variables\":{\"limit\":0.25},\"reacts\":[{\"when\":\"%1\","
                                    "\"enter\":\"due\"}]}")
                        .arg(when)
                        .toUtf8()
                        .constData())
                .has_value());
        world.run(ms(500));
        const auto& states = world.nodes[0]->states();
        QCOMPARE(states.size(), at < 0 ? 1U : 2U);
        if (at >= 0)
            QCOMPARE(states[1].time.count(), static_cast<std::int64_t>(at));
    }

    void aNodeTakenOutStopsReactingToo()
    {
        World world;
        QVERIFY(world.add("{\"name\":\"Panel\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"Ask\",\"every\":\"100 ms\"}]}").has_value());
        QVERIFY(world
                .add("{\"name\":\"Pump\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"Answer\"}],\"reacts\":[{\"on\":\"Ask\",\"send\":"
                     "\"Answer\"}]}")
                .has_value());
        world.run(ms(150));
        QCOMPARE(world.count(769), 2U);
        world.nodes[1]->setOn(false);
        world.run(ms(300));
        QCOMPARE(world.count(769), 2U);
        QCOMPARE(world.nodes[1]->states().back().state, std::string("taken out"));
        world.nodes[1]->setOn(true);
        world.run(ms(100));
        QCOMPARE(world.count(769), 3U);
    }

    void whatANodeCannotMeanIsRefused_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("words");
        const auto row = [](const char* text, const char* words) {
            QTest::newRow(words) << QString::fromLatin1(text) << QString::fromLatin1(words);
        };
        row("{\"buses\":[\"Main\"]}", "/nodes/0/name");
        row("{\"name\":\"N\",\"buses\":[\"Cellar\"]}", "no bus 'Cellar'");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"Nothing\",\"every\":\"1 ms\"}]}", "message 'Nothing'");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"PumpState\",\"every\":\"1 ms\",\"signals\":{\"Depth\":1}}]}",
            "no signal 'Depth'");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"sends\":[{\"id\":\"0x9999\",\"every\":\"1 ms\"}]}", "no identifier");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"sends\":[{\"id\":\"0x99\",\"length\":2,\"every\":\"1 ms\",\"bytes\":{\"5\":1}}]}",
            "no byte '5'");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"sends\":[{\"every\":\"1 ms\"}]}", "either a message or an id");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"PumpState\",\"every\":\"1 "
            "ms\",\"signals\":{\"Flow\":\"sin(\"}}]}",
            "column 5");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"reacts\":[{\"enter\":\"x\"}]}", "either 'when'");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"reacts\":[{\"on\":\"Nothing\"}]}", "message 'Nothing'");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"reacts\":[{\"when\":\"1\",\"send\":\"Ask\"}]}", "none of its messages");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"values\":[{\"a\":{\"table\":[[1,2],[0,3]]}}]}", "must ascend");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"values\":[{\"a\":{\"table\":[]}}]}", "expected a list of [time in s, value]");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"values\":[{\"a\":{\"sine\":{\"period\":0}}}]}", "greater than 0");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"values\":[{\"a\":{\"counter\":{\"modulo\":0}}}]}", "1 to 2^32");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"values\":[{\"a\":{\"checksum\":\"md5\"}}]}", "sum8, xor8, crc8");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"variables\":{\"a\":\"x\"}}", "/nodes/0/variables/a");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"Ask\",\"every\":\"1 ms\",\"silent\":[[\"1 ms\"]]}]}",
            "a pair [from, to]");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"sends\":[{\"message\":\"Ask\",\"every\":\"1 ms\",\"silent\":[[\"9 ms\",\"1 ms\"]]}]}",
            "/nodes/0/sends/0/silent/0");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"variables\":{\"lit\":0},\"reacts\":[{\"when\":\"1\",\"set\":{\"lid\":1}}]}",
            "Did you mean lit?");
        row("{\"name\":\"N\",\"buses\":[\"Main\"],\"sends\":[{\"id\":\"0x99\",\"length\":12,\"every\":\"1 ms\"}]}",
            "CAN FD frame of 12 bytes, and bus Main (500k) has classic frames");
    }
    void whatANodeCannotMeanIsRefused()
    {
        QFETCH(QString, text);
        QFETCH(QString, words);
        World world;
        const auto added = world.add(text.toUtf8().constData());
        QVERIFY(!added);
        QVERIFY2(QString::fromStdString(added.error().text()).contains(words), added.error().text().c_str());
    }

    // Playback, on a bus by itself.
    void aLogOutOfOrderIsPlayedInTheOrderOfItsStamps()
    {
        World world;
        world.bus.listen(&world);
        auto log = std::make_shared<trace::Trace>();
        log->addBus({"Main", {500'000, 0}});
        for (const int at : {30, 10, 20, 0, 40}) {
            can::Frame frame;
            frame.id = {static_cast<std::uint32_t>(0x100 + at), false};
            frame.time = ms(1000 + at);
            log->append(frame.view());
        }
        Playback playback(world.scheduler, {&world.bus}, world.catalog);
        playback.load(log, world.catalog);
        QCOMPARE(playback.chosen(), 0U);
        std::vector<Route> routes(1);
        routes[0].to = 0;
        playback.route(routes);
        QCOMPARE(playback.chosen(), 5U);
        playback.play();
        world.scheduler.runUntil(ms(100));
        std::vector<std::uint32_t> ids;
        for (const can::Frame& frame : world.frames) {
            ids.push_back(frame.id.value);
            const std::int64_t at = frame.time.count() / 1'000'000;
            QCOMPARE(static_cast<std::uint32_t>(at), frame.id.value - 0x100);
            QCOMPARE(frame.direction, can::Direction::sent);
        }
        QCOMPARE(ids, (std::vector<std::uint32_t>{0x100, 0x10A, 0x114, 0x11E, 0x128}));
        QVERIFY(playback.finished() && !playback.playing());
    }

    void playedAsFastAsTheBusAllowsNothingIsLost()
    {
        World world;
        world.bus.listen(&world);
        auto log = std::make_shared<trace::Trace>();
        log->addBus({"Main", {500'000, 0}});
        for (int i = 0; i < 2000; ++i) {
            can::Frame frame;
            frame.id = {static_cast<std::uint32_t>(i % 0x7FF), false};
            frame.time = ms(i * 100);
            frame.length = frame.dlc = 8;
            log->append(frame.view());
        }
        Playback playback(world.scheduler, {&world.bus}, world.catalog);
        playback.load(log, world.catalog);
        std::vector<Route> routes(1);
        routes[0].to = 0;
        playback.route(routes);
        playback.setPace({0});
        playback.play();
        world.scheduler.runUntil(ms(1500));
        QCOMPARE(world.frames.size(), 2000U);
        QCOMPARE(world.bus.health().lost, 0U);
    }

    void playedAtOnceEachBusKeepsTheOrderOfTheStamps()
    {
        // Two buses of a log, each on a bus of its own, as fast as they allow: no frame passes another of its bus, and
        // none is further ahead of the other bus than what waits there.
        World world;
        bus::SimulatedBus slow{world.scheduler, {{125'000, 0}, 1, 64, true}};
        world.bus.listen(&world);
        slow.listen(&world);
        auto log = std::make_shared<trace::Trace>();
        log->addBus({"Main", {500'000, 0}});
        log->addBus({"Slow", {125'000, 0}});
        std::mt19937 random(4);
        for (unsigned i = 0; i < 500; ++i) {
            can::Frame frame;
            frame.id = {i, false};
            frame.bus = static_cast<std::uint8_t>(random() % 2);
            frame.time = ms(i);
            frame.length = frame.dlc = static_cast<std::uint8_t>(random() % 9);
            log->append(frame.view());
        }
        Playback playback(world.scheduler, {&world.bus, &slow}, world.catalog);
        playback.load(log, world.catalog);
        std::vector<Route> routes(2);
        routes[0].to = 0;
        routes[1].from = routes[1].to = 1;
        playback.route(routes);
        playback.setPace({0});
        playback.play();
        world.scheduler.runUntil(ms(2000));
        QVERIFY(playback.finished());
        QCOMPARE(world.frames.size(), 500U);
        std::array<std::uint32_t, 2> newest{};
        std::uint32_t furthest = 0;
        for (const can::Frame& frame : world.frames) {
            QVERIFY(frame.id.value >= newest[frame.bus]);
            newest[frame.bus] = frame.id.value;
            furthest = std::max(furthest, frame.id.value);
            QVERIFY2(furthest - frame.id.value < 200, std::to_string(frame.id.value).c_str());
        }
        // Within the time of the slower bus by itself: neither waits for the other's pauses.
        QVERIFY(world.frames.back().time < ms(500));
    }

    void framesBackToBackStandOnTheBusAsTheyWereLogged()
    {
        // Stamps are ends of frames: what stood close together in the log stands as close on the bus again.
        World recorded;
        recorded.bus.listen(&recorded);
        const bus::Port port = recorded.bus.attach("sender", can::Direction::received);
        for (unsigned i = 0; i < 40; ++i) {
            can::Frame frame;
            frame.id = {0x700 - i * 8, false};      // each is more urgent than the one before
            frame.length = frame.dlc = static_cast<std::uint8_t>(i % 9);
            frame.data.fill(static_cast<std::uint8_t>(i * 37));
            recorded.scheduler.runUntil(ms(i / 8 * 20));
            recorded.bus.offer(port, frame);
        }
        recorded.scheduler.runUntil(ms(200));
        QCOMPARE(recorded.frames.size(), 40U);
        auto log = std::make_shared<trace::Trace>();
        log->addBus({"Main", {500'000, 0}});
        for (const can::Frame& frame : recorded.frames)
            log->append(frame.view());
        World world;
        world.bus.listen(&world);
        Playback playback(world.scheduler, {&world.bus}, world.catalog);
        playback.load(log, world.catalog);
        std::vector<Route> routes(1);
        routes[0].to = 0;
        playback.route(routes);
        playback.play();
        world.scheduler.runUntil(ms(300));
        QCOMPARE(world.frames.size(), recorded.frames.size());
        for (std::size_t i = 0; i < world.frames.size(); ++i) {
            QCOMPARE(world.frames[i].id.value, recorded.frames[i].id.value);
            QCOMPARE((world.frames[i].time - world.frames[0].time).count(), (recorded.frames[i].time - recorded.frames[0].time).count());
        }
    }

    void routesChooseBySenderAndFilter_data()
    {
        QTest::addColumn<int>("senders");
        QTest::addColumn<QString>("node");
        QTest::addColumn<QString>("filter");
        QTest::addColumn<int>("chosen");
        QTest::newRow("all") << static_cast<int>(Senders::all) << "" << "" << 30;
        QTest::newRow("only Pump") << static_cast<int>(Senders::only) << "Pump" << "" << 10;
        QTest::newRow("except Pump") << static_cast<int>(Senders::except) << "Pump" << "" << 20;
        QTest::newRow("only nobody's") << static_cast<int>(Senders::only) << "Nobody" << "" << 0;
        QTest::newRow("by filter") << static_cast<int>(Senders::all) << "" << "undecoded" << 10;
        QTest::newRow("both") << static_cast<int>(Senders::except) << "Panel" << "not undecoded" << 10;
    }
    void routesChooseBySenderAndFilter()
    {
        QFETCH(int, senders);
        QFETCH(QString, node);
        QFETCH(QString, filter);
        QFETCH(int, chosen);
        World world;
        auto log = std::make_shared<trace::Trace>();
        log->addBus({"Main", {500'000, 0}});
        for (int i = 0; i < 40; ++i) {  // ten each of PumpState, PanelState, an unknown one, and error frames
            can::Frame frame;
            frame.id = {std::array<std::uint32_t, 4>{256, 512, 99, 8}[static_cast<std::size_t>(i % 4)], false};
            frame.kind = i % 4 == 3 ? can::FrameKind::error : can::FrameKind::data;
            frame.time = ms(i);
            log->append(frame.view());
        }
        Playback playback(world.scheduler, {&world.bus}, world.catalog);
        playback.load(log, world.catalog);
        std::vector<Route> routes(1);
        routes[0] = {
            0, 0, static_cast<Senders>(senders), {node.toStdString()}, *filter::Filter::compile(filter.toStdString(), world.catalog)};
        playback.route(routes);
        QCOMPARE(static_cast<int>(playback.chosen()), chosen);
        QCOMPARE(static_cast<int>(playback.chosenByRoute()[0]), chosen);
    }

    void aRoutesFilterMayThinAndRemember()
    {
        World world;
        auto log = std::make_shared<trace::Trace>();
        log->addBus({"Main", {500'000, 0}});
        for (int i = 0; i < 60; ++i) {
            can::Frame frame;
            frame.id = {i % 2 == 0 ? 256U : 512U, false};
            frame.length = 8;
            frame.data[2] = static_cast<std::uint8_t>(i / 10 % 2);
            frame.time = ms(i < 30 ? i : i + 100);
            log->append(frame.view());
        }
        const auto chosen = [&](const char* filter) {
            Playback playback(world.scheduler, {&world.bus}, world.catalog);
            playback.load(log, world.catalog);
            playback.route({{0, 0, Senders::all, {}, *filter::Filter::compile(filter, world.catalog)}});
            return playback.chosen();
        };
        QCOMPARE(chosen(""), 60U);
        QCOMPARE(chosen("every 6"), 10U);
        QCOMPARE(chosen("first per id"), 2U);
        QCOMPARE(chosen("gap > 50 ms"), 2U);
        QCOMPARE(chosen("Mode changes"), 5U);
        QCOMPARE(chosen("id 0x100 and within 4 ms after (Mode changes)"), 10U);
    }

    void changingThePaceGoesOnFromWhereItStands()
    {
        World world;
        world.bus.listen(&world);
        auto log = std::make_shared<trace::Trace>();
        log->addBus({"Main", {500'000, 0}});
        for (int i = 0; i <= 100; ++i) {
            can::Frame frame;
            frame.id = {0x100, false};
            frame.time = ms(10 * i);
            log->append(frame.view());
        }
        Playback playback(world.scheduler, {&world.bus}, world.catalog);
        playback.load(log, world.catalog);
        std::vector<Route> routes(1);
        routes[0].to = 0;
        playback.route(routes);
        playback.play();
        world.scheduler.runUntil(ms(505));
        // The first frame ends at its stamp: the run is so much behind the log.
        QVERIFY(playback.position() <= ms(505) && playback.position() > ms(504));
        QCOMPARE(playback.sent(), 51U);
        playback.setPace({10});
        world.scheduler.runUntil(ms(530));
        QCOMPARE(playback.sent(), 76U);
        playback.rest();
        world.scheduler.runUntil(ms(900));
        QCOMPARE(playback.sent(), 76U);
        playback.play();
        world.scheduler.runUntil(ms(1000));
        QCOMPARE(playback.sent(), 101U);
        QVERIFY(playback.finished());
    }
};

QTEST_APPLESS_MAIN(NodeTest)
#include "node_test.moc"
