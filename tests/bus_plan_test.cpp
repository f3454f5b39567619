// SPDX-License-Identifier: GPL-3.0-or-later
// The buses of a rig as they shall be: what is written, what follows a new name, what cannot be.
#include <QTest>

#include <algorithm>
#include <random>
#include <set>

#include "rig/bus_marks.h"
#include "rig/bus_plan.h"
#include "rig/session.h"

using namespace wavetrope;
using namespace wavetrope::rig;

namespace {

Rig demo()
{
    auto rig = loadRig(WAVETROPE_DEMO "/rig.json");
    if (!rig)
        qFatal("%s", rig.error().text().c_str());
    return std::move(*rig);
}

Rig small()
{
    auto rig = rigFromText(
        R"({"wavetrope": 1, "name": "small", "ours": 7, "buses": [{"name": "Main", "rate": "500k", "ours": 1}, {"name": "Far", "rate": "250k"}],
      "filters": [{"name": "near", "expression": "bus Main and not bus Main or id 0x100"}],
      "nodes": [{"name": "N", "buses": ["Main", "Far"], "sends": [{"id": "0x100", "length": 1, "bus": "Main", "every": "1 s"}]}],
      "events": [{"name": "e", "when": "bus Main and byte 0 > 1"}, {"name": "f", "load": {"bus": "Main", "above": 80, "over": "1 s"}}, {"name": "g", "bus": "Main", "state": "bus off"}],
      "recordings": [{"name": "r", "keep": "bus Main"}],
      "pages": [{"name": "Watch", "layout": {"tabs": [{"view": "lanes", "signals": ["Main:State.Level", "Mainly:State.Level"], "filter": "bus Main"}]}}]})",
        "small.json");
    if (!rig)
        qFatal("%s", rig.error().text().c_str());
    return std::move(*rig);
}

}  // namespace

class BusPlanTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void withoutAChangeTheDocumentIsAsItWas()
    {
        const Rig rig = demo();
        QVERIFY(documentWith(rig.document, busesIn(rig)) == rig.document);
    }

    void aNewNameIsUsedWhereverTheBusIsMeant()
    {
        const Rig rig = small();
        BusPlan plan = withBusField(busesIn(rig), 0, BusField::name, "Rear hall");
        const auto next = planned(rig, plan);
        QVERIFY2(next, next ? "" : next.error().text().c_str());
        const auto& d = next->document;
        QCOMPARE(d["filters"][0]["expression"].get<std::string>(), std::string("bus \"Rear hall\" and not bus \"Rear hall\" or id 0x100"));
        QVERIFY(d["nodes"][0]["buses"][0] == "Rear hall" && d["nodes"][0]["sends"][0]["bus"] == "Rear hall");
        QVERIFY(d["events"][0]["when"] == "bus \"Rear hall\" and byte 0 > 1" && d["events"][1]["load"]["bus"] == "Rear hall"
                && d["events"][2]["bus"] == "Rear hall");
        QVERIFY(d["recordings"][0]["keep"] == "bus \"Rear hall\"");
        QVERIFY(d["pages"][0]["layout"]["tabs"][0]["signals"][0] == "Rear hall:State.Level"
                && d["pages"][0]["layout"]["tabs"][0]["signals"][1] == "Mainly:State.Level");
        QVERIFY(d["ours"] == 7 && d["buses"][0]["ours"] == 1);      // what is not known stays
        // Back again it is as it was.
        plan = withBusField(plan, 0, BusField::name, "Main");
        QVERIFY(documentWith(rig.document, plan)["nodes"] == rig.document["nodes"]);
    }

    void sourcesRatesAndDatabases()
    {
        const Rig rig = small();
        BusPlan plan = busesIn(rig);
        plan = withBusField(plan, 0, BusField::source, "can0");
        QVERIFY(plan.buses[0]["interface"] == "can0" && busFieldText(plan.buses[0], BusField::source) == "can0");
        plan = withBusField(plan, 0, BusField::source, "mqtts://broker/hall");
        QVERIFY(plan.buses[0]["remote"] == "mqtts://broker/hall" && !plan.buses[0].contains("interface"));
        const auto next = planned(rig, plan);
        QVERIFY(next && std::string(next->buses[0].kind->name) == "remote");
        plan = withBusField(plan, 0, BusField::source, "simulated");
        QVERIFY(plan.buses[0] == rig.document["buses"][0]);
        plan = withBusField(plan, 1, BusField::databases, " a.dbc,, b.dbc ");
        QVERIFY(plan.buses[1]["databases"] == nlohmann::json({"a.dbc", "b.dbc"}));
        QCOMPARE(busFieldText(plan.buses[1], BusField::databases), std::string("a.dbc, b.dbc"));
        plan = withBusField(plan, 1, BusField::databases, "");
        QVERIFY(plan == busesIn(rig));
        plan = withBusField(plan, 5, BusField::name, "Third");
        QVERIFY(plan.buses.size() == 3 && planned(rig, plan));
    }

    void aRigFromALogHasItsBusesAndWhatExplainsThem()
    {
        const Rig explained = demo();
        const auto document = documentOfLog(
            "lap", {{"Implement", {250'000, 0}}, {"Scanner", {500'000, 2'000'000}}, {"", {}}, {"", {}}, {"Implement", {}}}, explained);
        const auto rig = rigFromText(document.dump(), {});
        QVERIFY2(rig, rig ? "" : rig.error().text().c_str());
        QCOMPARE(rig->buses.size(), std::size_t{5});
        QVERIFY(
            rig->buses[0].name == "Implement" && rig->buses[0].rate == (can::BitRate{250'000, 0}) && rig->buses[1].rate.data == 2'000'000U);
        QVERIFY(rig->buses[2].name == "Bus" && rig->buses[3].name == "Bus 2" && rig->buses[2].rate.nominal == 500'000U);
        QCOMPARE(rig->buses[4].name, std::string("Implement 2"));
        QVERIFY(loadDatabases(*rig).problems.empty());
        QVERIFY(catalogOf(*rig, loadDatabases(*rig))->find(0, {0x181, false}) != nullptr);
    }

    void aBusWithoutASourceYet()
    {
        const Rig rig = small();
        const BusPlan plan = withBusField(withBusField(busesIn(rig), 1, BusField::source, "none yet"), 1, BusField::rate, "");
        QCOMPARE(busFieldText(plan.buses[1], BusField::source), std::string("none yet"));
        const auto next = planned(rig, plan);
        QVERIFY2(next, next ? "" : next.error().text().c_str());
        // It carries nothing, loses nothing, and the rest runs, in virtual time too.
        auto session = Session::create(*next, loadDatabases(*next));
        QVERIFY(session && (*session)->allSimulated());
        (*session)->runFor(std::chrono::seconds(3), nullptr);
        const auto health = (*session)->health();
        QCOMPARE(health[1].words, std::string("it has no source yet"));
        QVERIFY(!health[1].alive && health[1].lost == 0 && health[0].alive && (*session)->trace().rows() > 0);
        QVERIFY(withBusField(plan, 1, BusField::source, "can0").buses[1].value("source", "") == "");
        Rig wrong = *next;
        wrong.document["buses"][1]["source"] = "can0";
        const auto told = rigFromText(wrong.document.dump(), {});
        QVERIFY(!told && told.error().text().find("\"interface\"") != std::string::npos);
    }

    void lettersAndHues()
    {
        const auto marks = [](const char* buses) {
            const auto rig = rigFromText(std::string(R"({"wavetrope": 1, "buses": [)") + buses + "]}", {});
            if (!rig)
                return rig.error().text();
            std::string out;
            for (const BusMark& mark : marksOf(rig->buses))
                out += std::string(1, mark.letter) + std::to_string(mark.hue) + (mark.again ? "' " : " ");
            return out;
        };
        QCOMPARE(marks(R"({"name": "a", "rate": "500k"}, {"name": "b", "rate": "500k"})"), std::string("A0 B1 "));
        // What is chosen goes first: the letter of a place is then the first that is free.
        QCOMPARE(
            marks(
                R"({"name": "a", "rate": "500k"}, {"name": "b", "rate": "500k", "letter": "A", "hue": 1}, {"name": "c", "rate": "500k"})"),
            std::string("B0 A0' C2 "));
        QCOMPARE(marks(R"({"name": "a", "rate": "500k", "letter": "7"}, {"name": "b", "rate": "500k", "letter": "Z", "hue": 8})"),
            std::string("70 Z7 "));
        QVERIFY(marks(R"({"name": "a", "rate": "500k", "letter": "ab"})").find("/buses/0/letter") != std::string::npos);
        QVERIFY(marks(R"({"name": "a", "rate": "500k", "letter": "Ä"})").find("A to Z") != std::string::npos);
        QVERIFY(marks(R"({"name": "a", "rate": "500k", "hue": 9})").find("1 to 8") != std::string::npos);
        QVERIFY(marks(R"({"name": "a", "rate": "500k", "hue": 1.5})").find("1 to 8") != std::string::npos);
        QVERIFY(marks(R"({"name": "a", "rate": "500k", "letter": "K"}, {"name": "b", "rate": "500k", "letter": "K"})").find("letter K")
                != std::string::npos);
        // Forty buses that chose at random: no letter twice, as long as there are any.
        std::mt19937 random(3);
        for (int n = 0; n < 200; ++n) {
            std::vector<BusSpec> buses(1 + random() % 26);
            std::string free = "ABCDEFGHIJKLMNOPQRSTUVWXYZ";
            std::shuffle(free.begin(), free.end(), random);
            for (std::size_t i = 0; i < buses.size(); ++i) {
                buses[i].letter = random() % 2 == 0 ? free[i] : '\0';
                buses[i].hue = random() % 3 == 0 ? 1 + random() % 8 : 0;
            }
            const auto made = marksOf(buses);
            std::set<char> letters;
            std::set<unsigned> hues;
            for (std::size_t i = 0; i < made.size(); ++i) {
                QVERIFY(letters.insert(made[i].letter).second);
                QVERIFY(buses[i].letter == 0 || made[i].letter == buses[i].letter);
                QVERIFY(made[i].hue == (buses[i].hue > 0 ? buses[i].hue - 1 : i % 8));
                QCOMPARE(made[i].again, !hues.insert(made[i].hue).second);
            }
        }
        // As they are typed; away again; and not a reason to start anew.
        const Rig rig = small();
        BusPlan plan = withBusField(withBusField(busesIn(rig), 1, BusField::letter, "K"), 1, BusField::hue, "5");
        QVERIFY(planned(rig, plan) && planned(rig, plan)->buses[1].letter == 'K' && planned(rig, plan)->buses[1].hue == 5);
        QVERIFY(plan != busesIn(rig) && withoutMarks(plan.buses) == busesIn(rig).buses);
        QVERIFY(!planned(rig, withBusField(plan, 1, BusField::hue, "red")));
        QVERIFY(withBusField(withBusField(plan, 1, BusField::letter, ""), 1, BusField::hue, "") == busesIn(rig));
    }

    void whatCannotBeIsSaid()
    {
        const Rig rig = small();
        const auto problem = [&](const BusPlan& plan) {
            const auto next = planned(rig, plan);
            return next ? std::string() : next.error().text();
        };
        QVERIFY(problem(withBusField(busesIn(rig), 0, BusField::name, "")).find("name") != std::string::npos);
        QVERIFY(problem(withBusField(busesIn(rig), 0, BusField::name, "Far")).find("Far") != std::string::npos);
        QVERIFY(problem(withBusField(busesIn(rig), 0, BusField::rate, "fast")).find("bit rate") != std::string::npos);
        QVERIFY(problem(withBusField(busesIn(rig), 0, BusField::rate, "")).find("needs a bit rate") != std::string::npos);
        QVERIFY(problem(withBusField(busesIn(rig), 0, BusField::source, "mqtts://sam:secret@h/a")).find("secret") == std::string::npos);
        BusPlan without = busesIn(rig);
        without.buses.erase(0);
        QVERIFY(!problem(without).empty());     // a condition and a node hang on it
    }
};

QTEST_GUILESS_MAIN(BusPlanTest)
#include "bus_plan_test.moc"
