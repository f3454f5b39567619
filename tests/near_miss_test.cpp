// SPDX-License-Identifier: GPL-3.0-or-later
// Why a condition was never true: the values seen, which part never held, how long it lasted at the most.
#include <QTest>

#include <random>

#include "database/database_json.h"
#include "base/json_reader.h"
#include "rules/near_miss.h"

using namespace wavetrope;
using namespace wavetrope::rules;

namespace {

std::shared_ptr<const database::Catalog> catalog()
{
    static const auto made = [] {
        const auto json = nlohmann::json::parse(R"({"wavetrope_database": 1, "messages": [
          {"id": "0x100", "name": "Deck", "length": 3, "sender": "Unit", "signals": [
            {"name": "Heat", "start_bit": 0, "length": 8, "factor": 0.5, "offset": -20, "unit": "degC"},
            {"name": "Gate", "start_bit": 8, "length": 2, "texts": [{"value": 0, "text": "shut"}, {"value": 1, "text": "open"}]}]},
          {"id": "0x101", "name": "Other", "length": 1, "sender": "Unit", "signals": [{"name": "Level", "start_bit": 0, "length": 8}]},
          {"id": "0x102", "name": "Absent", "length": 1, "sender": "Unit", "signals": [{"name": "Nothing", "start_bit": 0, "length": 8}]}]})");
        auto out = std::make_shared<database::Catalog>();
        out->addBus("Main");
        out->attach(0, std::make_shared<const database::Database>(database::databaseFromJson(JsonReader(json))));
        return out;
    }();
    return made;
}

struct Lap {
    trace::Trace trace;
    Time at{std::chrono::seconds(1000)};
    Lap() { trace.addBus({"Main", {500'000, 0}}); }
    void add(std::uint32_t id, std::uint8_t first, std::uint8_t second = 0, Time step = std::chrono::milliseconds(10))
    {
        can::Frame frame;
        frame.time = at;
        frame.id = {id, false};
        frame.length = frame.dlc = id == 0x100 ? 3 : 1;
        frame.data[0] = first;
        frame.data[1] = second;
        trace.append(frame.view());
        at += step;
    }
    std::optional<NearMiss> of(
        const std::string& when, Time span = {}, ConditionKind kind = ConditionKind::frames, double percent = 0) const
    {
        ConditionRule rule;
        rule.name = "c";
        rule.kind = kind;
        rule.span = span;
        rule.bus = 0;
        rule.percent = percent;
        if (!when.empty()) {
            auto filter = filter::Filter::compile(when, catalog());
            if (!filter)
                qFatal("%s", filter.error().text().c_str());
            rule.filter = std::move(*filter);
        }
        return nearMiss(trace.snapshot(), rule, {{500'000, 0}});
    }
};

}  // namespace

class NearMissTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void theClosestValueIsTheOneOfAllThatIs()
    {
        std::mt19937 random(5);
        for (int round = 0; round < 60; ++round) {
            Lap lap;
            double lowest = 1e9, highest = -1e9;
            Time highestAt{};
            for (int i = 0; i < 200; ++i) {
                const auto raw = static_cast<std::uint8_t>(40 + random() % 100);
                const double value = raw * 0.5 - 20;
                lowest = std::min(lowest, value);
                if (value > highest) {
                    highest = value;
                    highestAt = lap.at;
                }
                lap.add(0x100, raw);
                lap.add(0x101, static_cast<std::uint8_t>(random()));
            }
            const auto above = lap.of("Heat > 60 degC");
            QVERIFY(above && above->values);
            QCOMPARE(above->values->closest, highest);
            QCOMPARE(above->values->lowest, lowest);
            QCOMPARE(above->values->limit, 60.0);
            QCOMPARE(above->values->frames, 200U);
            QCOMPARE(*above->at, highestAt);
            const auto below = lap.of("Heat < -5");
            QCOMPARE(below->values->closest, lowest);
            const auto between = lap.of("Heat between 70 and 80");
            QVERIFY(between->values->closest == highest && between->values->limit == 70.0);
        }
    }

    void ofSeveralPartsTheOneThatNeverHeld()
    {
        Lap lap;
        for (std::uint8_t i = 0; i < 20; ++i)
            lap.add(0x100, static_cast<std::uint8_t>(40 + i), 0);
        const auto gate = lap.of("Heat > 1 and Gate = \"open\"");
        QCOMPARE(gate->words, std::string("Gate = \"open\" never held"));
        QVERIFY(!gate->values && gate->more.find("20 frames") != std::string::npos);
        const auto both = lap.of("Heat > 5 and Heat < 2");
        QCOMPARE(both->words, std::string("each part held, but never all in one frame"));
        QCOMPARE(lap.of("Nothing > 3")->words, std::string("no frame carries Nothing"));
        QCOMPARE(lap.of("id 0x333")->words, std::string("no frame passes id 0x333"));
    }

    void whatDidNotLastLongEnough()
    {
        Lap lap;
        for (int i = 0; i < 100; ++i)
            lap.add(0x100, i >= 30 && i < 55 ? 200 : 40);
        // True from the frame at 300 ms to the one at 550 ms.
        QCOMPARE(lap.of("Heat > 60", std::chrono::seconds(1))->words, std::string("held for 250 ms at the longest, of 1 s"));
        QCOMPARE(lap.of("Heat > 90", std::chrono::seconds(1))->values->closest, 80.0);
    }

    void silenceAndLoad()
    {
        Lap lap;
        for (int i = 0; i < 50; ++i)
            lap.add(0x101, 0, 0, std::chrono::milliseconds(i == 20 ? 70 : 10));
        QCOMPARE(lap.of("id 0x101", std::chrono::milliseconds(100), ConditionKind::silent)->words,
            std::string("silent for 70 ms at the longest, of 100 ms"));
        QVERIFY(
            lap.of("id 0x100", std::chrono::milliseconds(100), ConditionKind::silent)->words.find("no such frame") != std::string::npos);
        // A frame of one byte takes 55 to 70 bits of 2 us in every 10 ms: a little above one percent.
        const auto load = lap.of({}, std::chrono::milliseconds(100), ConditionKind::load, 40);
        QVERIFY(load && load->values && load->values->closest >= 1 && load->values->closest < 3);
        QVERIFY(!lap.of({}, {}, ConditionKind::key));
        QCOMPARE(Lap().of("Heat > 1")->words, std::string("no frame carries Heat"));
    }
};

QTEST_GUILESS_MAIN(NearMissTest)
#include "near_miss_test.moc"
