// SPDX-License-Identifier: GPL-3.0-or-later
// Derived signals as they are written: units, names, what is offered, what is kept in the rig.
#include <QTest>

#include <random>

#include "database/dbc_reader.h"
#include "database/formula_completion.h"
#include "database/units.h"
#include "formula/formula.h"
#include "rig/rig.h"
#include "sanitized.h"

using namespace wavetrope;
using database::DerivedSpec;
using database::Unit;

namespace {

std::shared_ptr<const database::Catalog> rink()
{
    static const auto implement = std::make_shared<const database::Database>(database::readDbc(
        "BU_: A B\nBO_ 385 BladeState: 8 A\n SG_ BladeDepth : 0|12@1- (0.01,0) [0|12] \"mm\" B\n"
        " SG_ SideTilt : 12|8@1- (0.1,0) [-5|5] \"deg\" B\n SG_ Mode : 24|2@1+ (1,0) [0|3] \"\" B\n"
        " SG_ Chatter : 32|8@1+ (0.5,0) [0|80] \"mm/s\" B\nBO_ 386 Water: 8 A\n SG_ Flow : 0|8@1+ (0.1,0) [0|25] \"l/min\" B\n"
        " SG_ Mode : 8|2@1+ (1,0) [0|3] \"\" B\n",
        "implement")
            .database);
    static const auto chassis = std::make_shared<const database::Database>(
        database::readDbc("BU_: A B\nBO_ 100 Water: 8 A\n SG_ Flow : 0|8@1+ (1,0) [0|25] \"l/min\" B\n", "chassis").database);
    auto made = std::make_shared<database::Catalog>();
    made->attach(made->addBus("Implement"), implement);
    made->attach(made->addBus("Front left"), chassis);
    return made;
}

DerivedSpec spec(std::string name, std::string formula, std::string unit = {})
{
    DerivedSpec out;
    out.name = std::move(name);
    out.formula = std::move(formula);
    out.unit = std::move(unit);
    return out;
}

std::string findingOf(const std::string& formula, const std::string& unit = {})
{
    const auto catalog = rink()->withDerived({spec("Made", formula, unit)});
    if (catalog->derived()[0].problem)
        qFatal("%s", catalog->derived()[0].problem->text().c_str());
    return catalog->derived()[0].finding;
}

}  // namespace

class DerivedEditTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void unitsAreTakenApart()
    {
        const auto text = [](const char* unit) { return Unit::fromText(unit).text(); };
        for (const auto& [unit, is] : {std::pair{"mm", "mm"}, {"mm/s", "mm/s"}, {"s^-1 mm", "mm/s"}, {"1/min", "1/min"},
                 {"m/s\u00b2", "m/s^2"}, {"m/s^2", "m/s^2"}, {"l*s/min", "l s/min"}, {"N\u00b7m", "N m"}, {"m/m", "1"}, {"1", "1"},
                 {"%", "%"}, {"\u00b0C", "\u00b0C"}, {" mm ", "mm"}, {"kg/m/s", "kg/m/s"}, {"", "1"}, {"  ", "1"}})
            QVERIFY2(text(unit) == is, (std::string(unit) + " is " + text(unit)).c_str());
        // What leaves open how it is meant is one symbol, and still equal to itself.
        for (const char* unit : {"J/kg K", "W/(m K)", "m^", "^2", "m^x", "/", "a*/b", "100 km", "l/100km", "m^99", "\u00b7"}) {
            QVERIFY2(Unit::fromText(unit) == Unit::fromText(unit), unit);
            QVERIFY2(Unit::fromText(unit) != Unit::fromText("mm"), unit);
            QVERIFY2(text(unit) == unit, (std::string(unit) + " is " + text(unit)).c_str());
        }
        QVERIFY(Unit::fromText("mm").times(Unit::fromText("s"), -1) == Unit::fromText("mm/s"));
        QVERIFY(Unit::fromText("mm/s").times(Unit::fromText("s")) == Unit::fromText("mm"));
        // Whatever comes, its text means the same.
        std::mt19937 random(7);
        const std::string letters = "ms /*^2-1\u00b2()%";
        for (int round = 0; round < test::some(20000, 4000); ++round) {
            std::string made;
            for (unsigned i = 0; i < random() % 9; ++i)
                made += letters[random() % letters.size()];
            const Unit unit = Unit::fromText(made);
            QVERIFY2(unit == Unit::fromText(made) && Unit::fromText(unit.text()) == unit, made.c_str());
        }
    }

    void unitsThatDoNotFitAreFound()
    {
        QCOMPARE(findingOf("BladeDepth + SideTilt"), std::string("it adds mm and deg"));
        QCOMPARE(findingOf("BladeDepth - Chatter"), std::string("it subtracts mm and mm/s"));
        QCOMPARE(findingOf("max(BladeDepth, SideTilt)"), std::string("it chooses between mm and deg"));
        QCOMPARE(findingOf("if(BladeDepth > 3, BladeDepth, SideTilt)"), std::string("it chooses between mm and deg"));
        QCOMPARE(findingOf("clamp(BladeDepth, 0, SideTilt)"), std::string("it clamps with mm and deg"));
        QCOMPARE(findingOf("BladeDepth > SideTilt"), std::string("it compares mm and deg"));
        QCOMPARE(findingOf("between(BladeDepth, SideTilt, 3)"), std::string("it compares mm and deg"));
        QCOMPARE(findingOf("BladeDepth", "cm"), std::string("its unit is cm, and it works out mm"));
        QCOMPARE(findingOf("slope(BladeDepth)", "mm"), std::string("its unit is mm, and it works out mm/s"));
        QCOMPARE(findingOf("integral(Implement.Water.Flow)", "l"), std::string("its unit is l, and it works out l s/min"));
        QCOMPARE(findingOf("BladeDepth * SideTilt", "mm"), std::string("its unit is mm, and it works out deg mm"));
        // What fits, and what nobody can know.
        for (const auto& [formula, unit] : {std::pair<std::string, std::string>{"slope(BladeDepth) + Chatter", "mm/s"},
                 {"slope(BladeDepth)", "mm/s"}, {"BladeDepth + 3", "mm"}, {"BladeDepth * 0.1", "cm"}, {"BladeDepth / BladeDepth", "1"},
                 {"BladeDepth / BladeDepth * 100", "%"}, {"BladeDepth + Water.Mode", "mm"}, {"BladeDepth > 3 and SideTilt < 2", ""},
                 {"count(BladeDepth > 3)", "times"}, {"since(BladeDepth > 3)", "s"}, {"mean(abs(-BladeDepth), 1 s) % 3", "mm"},
                 {"integral(Chatter)", "mm"}, {"BladeDepth", ""}, {"sin(SideTilt)", ""}, {"ramp(BladeDepth, 1, 2) * SideTilt", "deg"}})
            QVERIFY2(findingOf(formula, unit).empty(), (formula + ": " + findingOf(formula, unit)).c_str());
        // Through another one: by the unit that it states, else by what it works out.
        const auto catalog = rink()->withDerived({spec("Sum", "Depth + Tilt"), spec("Depth", "BladeDepth * 1"), spec("Tilt", "SideTilt"),
            spec("Again", "Speed + Chatter"), spec("Speed", "BladeDepth * 3", "m/s")});
        QCOMPARE(catalog->derived()[0].finding, std::string());
        QCOMPARE(catalog->derived()[3].finding, std::string("it adds m/s and mm/s"));
    }

    void namesAreGivenAnew()
    {
        QCOMPARE(formula::renamed("Old + Older - mean(Old, 1 s) * \"Old\" / My.Old", "Old", "New"),
            std::string("New + Older - mean(New, 1 s) * \"New\" / My.Old"));
        QCOMPARE(formula::renamed("mean(mean, 1 s)", "mean", "Middle"), std::string("mean(Middle, 1 s)"));
        QCOMPARE(formula::renamed("\"Old", "Old", "New"), std::string("\"Old"));
        QCOMPARE(formula::renamed("", "Old", "New"), std::string());
        std::vector<DerivedSpec> all = {spec("Depth", "BladeDepth"), spec("Twice", "Depth + Depth"), spec("Other", "SideTilt")};
        DerivedSpec next = all[0];
        next.name = "Cut";
        const auto made = rig::withDerived(all, 0, next, *rink());
        QVERIFY2(made, made ? "" : made.error().text().c_str());
        QCOMPARE((*made)[1].formula, std::string("Cut + Cut"));
        QCOMPARE((*made)[2], all[2]);
    }

    void whatCannotBeIsSaid()
    {
        const std::vector<DerivedSpec> all = {spec("Depth", "BladeDepth"), spec("Twice", "Depth * 2")};
        const auto error = [&](std::size_t index, const DerivedSpec& next) {
            const auto made = rig::withDerived(all, index, next, *rink());
            return made ? Error{} : made.error();
        };
        QVERIFY(error(0, spec("2nd", "BladeDepth")).what.find("no name") != std::string::npos);
        QVERIFY(error(0, spec("", "BladeDepth")).what.find("no name") != std::string::npos);
        QVERIFY(error(2, spec("Depth", "BladeDepth")).what.find("already") != std::string::npos);
        QCOMPARE(error(0, spec("Depth", "BladeDepth + Nowhere")).column, 14);
        QCOMPARE(error(0, spec("Depth", "mean(BladeDepth")).column, 16);
        QVERIFY(error(0, spec("Depth", "Twice + 1")).what.find("circle") != std::string::npos);
        QVERIFY(error(0, spec("Depth", "Mode")).what.find("2 signals") != std::string::npos);
        QVERIFY(error(0, spec("Depth", "  ")).what.find("missing") != std::string::npos);
        QVERIFY(error(0, spec("Depth", "3")).what.find("no signal") != std::string::npos);
        DerivedSpec ranged = all[0];
        ranged.minimum = 3;
        QVERIFY(error(0, ranged).what.find("two ends") != std::string::npos);
        ranged.maximum = 3;
        QVERIFY(error(0, ranged).what.find("smaller") != std::string::npos);
        ranged.maximum = 4;
        QVERIFY(error(0, ranged).what.empty());
        // What a database lost can be named and measured otherwise, not written otherwise.
        const std::vector<DerivedSpec> lost = {spec("Depth", "Gone")};
        DerivedSpec other = lost[0];
        other.unit = "mm";
        QVERIFY(rig::withDerived(lost, 0, other, *rink()));
        other.formula = "GoneToo";
        QVERIFY(!rig::withDerived(lost, 0, other, *rink()));
    }

    void theDocumentKeepsWhatItHas()
    {
        const std::string text = R"({"wavetrope": 1, "name": "r", "buses": [], "derived": [
  {"name": "A", "formula": "BladeDepth", "range": [0, 12], "colour": "pale", "unit": "mm"},
  {"name": "B", "formula": "A", "comment": "second", "kept": [1]}]})";
        auto rig = rig::rigFromText(text, "r.json");
        QVERIFY2(rig, rig ? "" : rig.error().text().c_str());
        const nlohmann::json before = rig->document;
        rig->setDerived(rig->derived);
        QVERIFY(rig->document == before);
        std::vector<DerivedSpec> next = rig->derived;
        next[0].name = "Cut";
        next[0].unit.clear();
        next[1].formula = "Cut";
        rig->setDerived(next);
        QVERIFY(rig->document["derived"][0]
                == nlohmann::json::parse(R"({"name": "Cut", "formula": "BladeDepth", "range": [0, 12], "colour": "pale"})"));
        QVERIFY(rig->document["derived"][1]["kept"] == nlohmann::json::parse("[1]"));
        // One is taken away: the other keeps what is its own. Then all.
        rig->setDerived({next[1]});
        QVERIFY(rig->document["derived"].size() == 1 && rig->document["derived"][0]["kept"] == nlohmann::json::parse("[1]"));
        next[1].minimum = -1;
        next[1].maximum = 2.5;
        rig->setDerived({next[1], spec("New", "B")});
        QVERIFY(rig->document["derived"][0]["range"] == nlohmann::json::parse("[-1.0, 2.5]"));
        QVERIFY(rig->document["derived"][1] == nlohmann::json::parse(R"({"name": "New", "formula": "B"})"));
        const auto again = rig::rigFromText(rig->document.dump(), "r.json");
        QVERIFY(again && again->derived == rig->derived);
        rig->setDerived({});
        QVERIFY(!rig->document.contains("derived"));
    }

    void whatIsOfferedFits()
    {
        const auto catalog = rink()->withDerived({spec("DepthError", "BladeDepth - 3")});
        const auto offered = [&](const std::string& formula, std::size_t cursor) {
            std::vector<std::string> out;
            for (const auto& choice : database::completeFormula(formula, cursor, *catalog).choices)
                out.push_back(choice.text);
            return out;
        };
        QCOMPARE(offered("Bl", 2), (std::vector<std::string>{"BladeDepth"}));
        QCOMPARE(offered("depth", 5), (std::vector<std::string>{"DepthError", "BladeDepth"}));
        QCOMPARE(offered("Mode", 4), (std::vector<std::string>{"BladeState.Mode", "Water.Mode"}));
        QCOMPARE(offered("3 * flow + 1", 8), (std::vector<std::string>{"Implement.Water.Flow", "\"Front left.Water.Flow\""}));
        QCOMPARE(offered("mea", 3), (std::vector<std::string>{"mean("}));
        QVERIFY(offered("12", 2).empty());
        const auto all = database::completeFormula("1 + ", 4, *catalog);
        QVERIFY(all.length == 0 && all.from == 4 && all.choices.size() > 10);
        const auto inside = database::completeFormula("3 * flow + 1", 6, *catalog);
        QVERIFY(inside.from == 4 && inside.length == 4);
        // Each of them can be written, and means what it says.
        for (const char* typed : {"a", "o", "e", "F", "M", "Water.", "l"})
            for (const std::string& name : offered(typed, std::string(typed).size()))
                if (name.back() != '(')
                    QVERIFY2(!catalog->withDerived({catalog->derived()[0].spec, spec("X", name)})->derived()[1].problem, name.c_str());
    }

    void catalogsShareTheirMessages()
    {
        const auto first = rink()->withDerived({spec("A", "BladeDepth"), spec("B", "A + 1")});
        const auto second = first->withDerived({spec("B", "A + 1"), spec("A", "BladeDepth")});
        const auto third = first->withDerived({spec("A", "BladeDepth * 2"), spec("B", "A + 1")});
        QVERIFY(first->sharesMessages(*second) && !first->sharesMessages(*rink()));
        QVERIFY(second->derivesAs(0, *first, 1) && second->derivesAs(1, *first, 0));
        QVERIFY(!third->derivesAs(0, *first, 0) && !third->derivesAs(1, *first, 1));
        QVERIFY(first->derives({spec("A", "BladeDepth"), spec("B", "A + 1")}) && !first->derives({spec("A", "BladeDepth")}));
        QVERIFY(!second->derives({spec("A", "BladeDepth"), spec("B", "A + 1")}));
    }
};

QTEST_APPLESS_MAIN(DerivedEditTest)
#include "derived_edit_test.moc"
