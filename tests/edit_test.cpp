// SPDX-License-Identifier: GPL-3.0-or-later
// Edits of databases one by one, fields as they are typed, attributes and what follows from them, searching.
#include <QTest>

#include <random>

#include "database/database_json.h"
#include "database/dbc_reader.h"
#include "database/dbc_writer.h"
#include "database/diff.h"
#include "database/edit.h"
#include "database/field_text.h"
#include "database/review.h"
#include "database/search.h"

#include <nlohmann/json.hpp>

using namespace wavetrope;
using namespace wavetrope::database;

namespace {

Database sample()
{
    return readDbc("VERSION \"\"\nBU_: Pump Valve Filter\nVAL_TABLE_ OffOn 0 \"off\" 1 \"on\" ;\n"
                   "BO_ 100 State: 8 Pump\n SG_ Mode M : 0|4@1+ (1,0) [0|15] \"\" Valve\n SG_ Speed m1 : 8|16@1+ (0.5,0) [0|1000] "
                   "\"1/min\" Valve,Filter\n SG_ Level m2 : 8|16@1+ (0.5,0) [0|1000] \"l\" Valve\n"
                   "BO_ 101 Other: 8 Valve\n SG_ Value : 0|8@1+ (1,0) [0|0] \"\" Pump\n"
                   "BO_TX_BU_ 101 : Valve,Pump;\nSIG_GROUP_ 100 Both 1 : Speed Level;\n"
                   "BA_DEF_ BU_ \"Grade\" INT 0 9;\nBA_DEF_ SG_ \"Trust\" FLOAT 0 1;\nBA_DEF_REL_ BU_SG_REL_ \"Late\" INT 0 "
                   "99;\nBA_DEF_DEF_ \"Grade\" 0;\nBA_DEF_DEF_ \"Trust\" 1;\nBA_DEF_DEF_REL_ \"Late\" 0;\n"
                   "BA_ \"Grade\" BU_ Pump 3;\nBA_ \"Trust\" SG_ 100 Speed 0.5;\nBA_REL_ \"Late\" BU_SG_REL_ Valve SG_ 100 Speed 7;\n",
        "sample.dbc")
        .database;
}

std::string stateOf(const Database& database) { return writeDbc(database); }

// Does an edit, looks, undoes it, and holds the database to what it was.
template <class Look>
void during(const Edit& edit, Database& database, Look look)
{
    const std::string before = stateOf(database);
    apply(database, edit);
    QVERIFY(stateOf(database) != before);
    look(database);
    const DbcReading again = readDbc(stateOf(database), "x");
    QVERIFY2(again.problems.empty(), again.problems.empty() ? "" : again.problems.front().text().c_str());
    revert(database, edit);
    QVERIFY(stateOf(database) == before);
}

}  // namespace

class EditTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    // What goes over several frames is a message like any other: it is edited, written, reviewed and read back.
    void aMessageMayBeLongerThanAFrame()
    {
        Database db = sample();
        Message profile;
        profile.name = "Profile";
        profile.id = {0x18FF2103, true};
        profile.length = 1785;
        Signal last;
        last.name = "Last";
        last.startBit = 1783 * 8;
        last.length = 16;
        profile.signals.push_back(last);
        const Edit edit = *Editor(db).putMessage(profile, "profile");
        during(edit, db, [](const Database& now) {
            const Message& message = now.messages.back();
            QCOMPARE(message.length, 1785U);
            QCOMPARE(message.signals.front().startBit, 1783U * 8);
            for (const Finding& finding : review(now))
                QVERIFY2(finding.object.rfind("Profile", 0) != 0 || finding.severity == Severity::note, finding.what.c_str());
            QVERIFY(stateOf(readDbc(stateOf(now), "x").database) == stateOf(now));
            const nlohmann::ordered_json document = toJson(now);
            const auto again = readDatabaseJson(document.dump(), "x.json");
            QVERIFY2(again.has_value(), again ? "" : again.error().text().c_str());
            QVERIFY(again->messages.back().signals.front().startBit == message.signals.front().startBit);
            QCOMPARE(again->messages.back().length, 1785U);
        });
        profile.signals.front().startBit = 1784 * 8;
        apply(db, *Editor(db).putMessage(profile, "profile"));
        bool told = false;
        for (const Finding& finding : review(db))
            told = told || finding.kind == FindingKind::outsidePayload;
        QVERIFY(told);
        profile.length = maxMessageLength + 1;
        QVERIFY(!Editor(db).putMessage(profile, "profile"));
        profile.length = maxMessageLength;
        profile.signals.front().startBit = maxMessageLength * 8 - 8;
        QVERIFY(!Editor(db).putMessage(profile, "profile"));
    }

    void aNodeThatGoesNeitherSendsNorReceives()
    {
        Database db = sample();
        during(Editor(db).removeNode(db.nodes[1].uid), db, [](const Database& now) {
            QVERIFY(now.findNode("Valve") == nullptr);
            QVERIFY(now.find("Other")->sender.empty());
            QVERIFY(now.find("Other")->moreSenders == (std::vector<std::string>{"Pump"}));
            QVERIFY(now.find("State")->find("Speed")->receivers == (std::vector<std::string>{"Filter"}));
        });
        QVERIFY(Editor(db).removeNode(99999).empty());
    }

    void aRenamedSignalIsFollowedByWhatNamesIt()
    {
        Database db = sample();
        Signal mode = *db.find("State")->find("Mode");
        mode.name = "Which";
        Signal speed = *db.find("State")->find("Speed");
        speed.muxSelector = "Mode";
        speed.muxRanges = {{1, 1}, {4, 6}};
        apply(db, *Editor(db).putSignal(db.messages[0].uid, speed, "ranges"));
        during(*Editor(db).putSignal(db.messages[0].uid, mode, "rename"), db, [](const Database& now) {
            QCOMPARE(QByteArray::fromStdString(now.find("State")->find("Speed")->muxSelector), QByteArray("Which"));
        });
        Signal level = *db.find("State")->find("Level");
        level.name = "Height";
        during(*Editor(db).putSignal(db.messages[0].uid, level, "rename"), db,
            [](const Database& now) { QVERIFY(now.find("State")->groups[0].signals == (std::vector<std::string>{"Speed", "Height"})); });
    }

    void aMessageThatGoesTakesItsRelationsAlong()
    {
        Database db = sample();
        QCOMPARE(db.network.relations.size(), 1U);
        during(Editor(db).removeMessage(db.messages[0].uid), db, [](const Database& now) {
            QCOMPARE(now.network.relations.size(), 0U);
            QCOMPARE(now.messages.size(), 1U);
        });
        QCOMPARE(db.network.relations.size(), 1U);
    }

    void aSignalThatGoesLeavesItsGroup()
    {
        Database db = sample();
        during(Editor(db).removeSignal(db.messages[0].uid, db.find("State")->find("Speed")->uid), db,
            [](const Database& now) { QVERIFY(now.find("State")->groups[0].signals == (std::vector<std::string>{"Level"})); });
        QVERIFY(Editor(db).removeSignal(db.messages[0].uid, 99999).empty());
        QVERIFY(Editor(db).removeSignal(99999, 1).empty());
    }

    void tablesComeChangeAndGo()
    {
        Database db = sample();
        during(*Editor(db).putTable({0, "Levels", {{0, "low"}, {1, "high"}}}, "new"), db,
            [](const Database& now) { QCOMPARE(now.tables.size(), 2U); });
        ValueTable table = db.tables[0];
        table.texts.push_back({2, "broken"});
        during(*Editor(db).putTable(table, "change"), db, [](const Database& now) { QCOMPARE(now.tables[0].texts.size(), 3U); });
        during(Editor(db).removeTable(table.uid), db, [](const Database& now) { QCOMPARE(now.tables.size(), 0U); });
        QVERIFY(!Editor(db).putTable({0, "no name", {}}, "x").has_value());
    }

    void aDefinitionThatGoesTakesItsValuesAlong()
    {
        Database db = sample();
        during(Editor(db).removeDefinition(db.definition(AttributeOwner::node, "Grade")->uid), db,
            [](const Database& now) { QVERIFY(now.nodes[0].attributes.empty()); });
        during(Editor(db).removeDefinition(db.definition(AttributeOwner::signal, "Trust")->uid), db,
            [](const Database& now) { QVERIFY(now.find("State")->find("Speed")->attributes.empty()); });
        during(Editor(db).removeDefinition(db.definition(AttributeOwner::nodeSignal, "Late")->uid), db,
            [](const Database& now) { QVERIFY(now.network.relations.empty()); });
    }

    void textsForRangesAreKeptInTheFile()
    {
        Database db = sample();
        Signal speed = *db.find("State")->find("Speed");
        speed.texts = {{0, "stands"}, {1, "turns", 64}, {40, "best"}, {65534, "no; not \"known\"", 1}};
        during(*Editor(db).putSignal(db.messages[0].uid, speed, "texts"), db, [](const Database& now) {
            const DbcReading again = readDbc(writeDbc(now), "x");
            for (const Database* one : {&now, &again.database}) {
                const Signal& read = *one->find("State")->find("Speed");
                QCOMPARE(read.texts.size(), 4U);
                QVERIFY(read.textOf(0) == "stands" && read.textOf(1) == "turns" && read.textOf(65) == "turns" && read.textOf(66).empty());
                QVERIFY(read.textOf(40) == "best");
                QVERIFY(read.textOf(65535) == "no; not \"known\"");
                QCOMPARE(read.valueOf("turns"), std::optional<std::int64_t>(1));
            }
            QVERIFY(writeDbc(now).find("VAL_ 100 Speed 0 \"stands\" 40 \"best\" ;") != std::string::npos);
            QCOMPARE(diff(now, *readDatabaseJson(toJson(now).dump(), "x")).size(), 0U);
        });
        apply(db, *Editor(db).putSignal(db.messages[0].uid, speed, "texts"));
        speed = *db.find("State")->find("Speed");
        speed.texts.clear();
        during(*Editor(db).putSignal(db.messages[0].uid, speed, "none"), db, [](const Database& now) {
            QVERIFY(now.find("State")->find("Speed")->texts.empty());
            QVERIFY(now.find("State")->find("Speed")->attributes.find(customary::textRanges) == nullptr);
        });
        QVERIFY(!Editor(db).putTable({0, "Wide", {{1, "all", 9}}}, "x").has_value());
    }

    void oneDefinitionServesAllSignalsOfAMessage()
    {
        Database db = sample();
        Message message = db.messages[0];
        for (Signal& signal : message.signals)
            signal.texts.push_back({2, "more", 3});
        during(*Editor(db).putMessage(message, "texts"), db, [](const Database& now) {
            QCOMPARE(std::count_if(now.definitions.begin(), now.definitions.end(),
                         [](const AttributeDefinition& d) { return d.name == customary::textRanges; }),
                1);
        });
    }

    void variablesComeChangeAndGo()
    {
        Database db = sample();
        Variable variable;
        variable.name = "HallTemperature";
        variable.type = 1;
        variable.minimum = -40;
        variable.maximum = 60;
        variable.unit = "C";
        variable.nodes = {"Valve"};
        variable.texts = {{0, "freezing"}};
        during(*Editor(db).putVariable(variable, "new"), db, [](const Database& now) { QCOMPARE(now.variables.size(), 1U); });
        apply(db, *Editor(db).putVariable(variable, "new"));
        apply(db, *Editor(db).putDefinition({0, AttributeOwner::nodeVariable, "Weight", AttributeType::integer, {}, {}, {}, {}}, "define"));
        const Relation relation{0, AttributeOwner::nodeVariable, "Weight", "Valve", 0, "HallTemperature", {}};
        apply(db, Editor(db).putRelation(relation, AttributeValue::of(4.0)));
        QCOMPARE(db.network.relations.size(), 2U);
        QVERIFY(Editor(db).putRelation(relation, AttributeValue::of(4.0)).empty());
        during(Editor(db).putRelation(relation, AttributeValue::of(5.0)), db,
            [](const Database& now) { QCOMPARE(now.network.relations[1].value.number, 5.0); });
        during(Editor(db).putRelation(relation, std::nullopt), db, [](const Database& now) { QCOMPARE(now.network.relations.size(), 1U); });
        QCOMPARE(diff(db, *readDatabaseJson(toJson(db).dump(), "x")).size(), 0U);
        QVERIFY(toJson(*readDatabaseJson(toJson(db).dump(), "x")) == toJson(db));
        Variable changed = db.variables[0];
        changed.name = "Hall";
        during(*Editor(db).putVariable(changed, "rename"), db,
            [](const Database& now) { QCOMPARE(QByteArray::fromStdString(now.network.relations[1].object), QByteArray("Hall")); });
        during(Editor(db).removeVariable(changed.uid), db,
            [](const Database& now) { QVERIFY(now.variables.empty() && now.network.relations.size() == 1); });
        during(Editor(db).removeNode(db.findNode("Valve")->uid), db,
            [](const Database& now) { QVERIFY(now.network.relations.empty() && now.variables[0].nodes.empty()); });
        Node valve = *db.findNode("Valve");
        valve.name = "Tap";
        during(*Editor(db).putNode(valve, "rename"), db, [](const Database& now) {
            QVERIFY(now.network.relations[0].node == "Tap" && now.network.relations[1].node == "Tap" && now.variables[0].nodes[0] == "Tap");
        });
        variable.uid = 0;
        QVERIFY(!Editor(db).putVariable(variable, "twice").has_value());
        variable.name = "Upside";
        variable.minimum = 99;
        QVERIFY(!Editor(db).putVariable(variable, "range").has_value());
    }

    void relationsFollowTheSignalsTheyName()
    {
        Database db = sample();
        Signal speed = *db.find("State")->find("Speed");
        speed.name = "Turns";
        during(*Editor(db).putSignal(db.messages[0].uid, speed, "rename"), db,
            [](const Database& now) { QCOMPARE(QByteArray::fromStdString(now.network.relations[0].object), QByteArray("Turns")); });
        during(Editor(db).removeSignal(db.messages[0].uid, speed.uid), db,
            [](const Database& now) { QVERIFY(now.network.relations.empty()); });
        // Through long names as well.
        speed.name = "ANameThatIsLongerThanTheFormatAllows";
        during(*Editor(db).putSignal(db.messages[0].uid, speed, "rename"), db, [&](const Database& now) {
            const DbcReading again = readDbc(writeDbc(now), "x");
            QCOMPARE(QByteArray::fromStdString(again.database.network.relations[0].object), QByteArray::fromStdString(speed.name));
        });
    }

    void definitionsThatMakeNoSenseAreRefused()
    {
        Database db = sample();
        AttributeDefinition d;
        d.name = "New";
        d.owner = AttributeOwner::message;
        d.type = AttributeType::integer;
        d.minimum = 5;
        d.maximum = 1;
        QVERIFY(!Editor(db).putDefinition(d, "x").has_value());
        d.maximum = 9;
        QVERIFY(Editor(db).putDefinition(d, "x").has_value());
        d.type = AttributeType::enumeration;
        QVERIFY(!Editor(db).putDefinition(d, "x").has_value());
        d.choices = {"one", "two"};
        d.standard = AttributeValue::of(std::string("three"));
        QVERIFY(!Editor(db).putDefinition(d, "x").has_value());
        d.standard = AttributeValue::of(1.0);
        during(*Editor(db).putDefinition(d, "x"), db, [](const Database& now) {
            QCOMPARE(QByteArray::fromStdString(now.definitions.back().wordsOf(*now.definitions.back().standard)), QByteArray("two"));
        });
    }

    void cycleTimesDefineTheirAttribute()
    {
        Database db = sample();
        const std::uint32_t uid = db.messages[0].uid;
        during(Editor(db).setCycleTime(uid, std::chrono::milliseconds(20)), db, [](const Database& now) {
            QVERIFY(now.definition(AttributeOwner::message, customary::cycleTime) != nullptr);
            QCOMPARE(now.messages[0].cycleTime, Time(std::chrono::milliseconds(20)));
            QCOMPARE(readDbc(writeDbc(now), "x").database.messages[0].cycleTime, Time(std::chrono::milliseconds(20)));
        });
        apply(db, Editor(db).setCycleTime(uid, std::chrono::milliseconds(20)));
        const auto definitions = db.definitions.size();
        apply(db, Editor(db).setCycleTime(db.messages[1].uid, std::chrono::microseconds(2500)));
        QCOMPARE(db.definitions.size(), definitions);
        QCOMPARE(db.messages[1].cycleTime, Time(std::chrono::microseconds(2500)));
        apply(db, Editor(db).setCycleTime(uid, {}));
        QCOMPARE(db.messages[0].cycleTime, Time{});
    }

    void framesBecomeFdThroughTheirAttributes()
    {
        Database db = sample();
        during(Editor(db).setFrame(db.messages[0].uid, true, true), db, [](const Database& now) {
            QVERIFY(now.messages[0].fd && now.messages[0].brs && !now.messages[1].fd);
            const Database again = readDbc(writeDbc(now), "x").database;
            QVERIFY(again.messages[0].fd && again.messages[0].brs && !again.messages[1].brs);
        });
        apply(db, Editor(db).setFrame(db.messages[0].uid, true, false));
        QVERIFY(db.messages[0].fd && !db.messages[0].brs);
        apply(db, Editor(db).setFrame(db.messages[0].uid, false, false));
        QVERIFY(!db.messages[0].fd);
    }

    void startValuesAreRaw()
    {
        Database db = sample();
        const std::uint32_t signal = db.find("State")->find("Speed")->uid;
        during(Editor(db).setStartValue(db.messages[0].uid, signal, 12), db,
            [](const Database& now) { QCOMPARE(*now.find("State")->find("Speed")->startRaw, 12.0); });
        apply(db, Editor(db).setStartValue(db.messages[0].uid, signal, 12));
        apply(db, Editor(db).setStartValue(db.messages[0].uid, signal, std::nullopt));
        QVERIFY(!db.find("State")->find("Speed")->startRaw);
    }

    void customaryAttributesAreUnderstood_data()
    {
        QTest::addColumn<QByteArray>("statements");
        QTest::addColumn<QByteArray>("says");
        const auto row = [](const char* name, const char* statements, const char* says) {
            QTest::newRow(name) << QByteArray(statements) << QByteArray(says);
        };
        row("cycle time", "BA_DEF_ BO_ \"GenMsgCycleTime\" INT 0 100;\nBA_ \"GenMsgCycleTime\" BO_ 100 25;\n", "cycle 25");
        row("default cycle time", "BA_DEF_ BO_ \"GenMsgCycleTime\" INT 0 100;\nBA_DEF_DEF_ \"GenMsgCycleTime\" 30;\n", "cycle 30");
        row("own 0 over a default",
            "BA_DEF_ BO_ \"GenMsgCycleTime\" INT 0 100;\nBA_DEF_DEF_ \"GenMsgCycleTime\" 30;\nBA_ \"GenMsgCycleTime\" BO_ 100 0;\n", "");
        row("send type by number", "BA_DEF_ BO_ \"GenMsgSendType\" ENUM \"cyclic\",\"spontaneous\";\nBA_ \"GenMsgSendType\" BO_ 100 1;\n",
            "sent spontaneous");
        row("send type by text",
            "BA_DEF_ BO_ \"GenMsgSendType\" ENUM \"cyclic\",\"spontaneous\";\nBA_ \"GenMsgSendType\" BO_ 100 \"cyclic\";\n", "sent cyclic");
        row("FD by format", "BA_DEF_ BO_ \"VFrameFormat\" ENUM \"StandardCAN\",\"StandardCAN_FD\";\nBA_ \"VFrameFormat\" BO_ 100 1;\n",
            "fd full");
        row("switch", "BA_DEF_ BO_ \"CANFD_BRS\" ENUM \"0\",\"1\";\nBA_ \"CANFD_BRS\" BO_ 100 1;\n", "brs");
        row("switch as number", "BA_DEF_ BO_ \"CANFD_BRS\" INT 0 1;\nBA_ \"CANFD_BRS\" BO_ 100 1;\n", "brs");
        row("parameter group",
            "BA_DEF_ BO_ \"VFrameFormat\" ENUM \"StandardCAN\",\"ExtendedCAN\",\"reserved\",\"J1939PG\";\nBA_ \"VFrameFormat\" BO_ 100 "
            "3;\n",
            "group");
        row("mask", "BA_DEF_ BO_ \"IdentifierMask\" HEX 0 2047;\nBA_ \"IdentifierMask\" BO_ 100 2032;\n", "mask 7f0");
        row("of another object", "BA_DEF_ SG_ \"GenMsgCycleTime\" INT 0 100;\nBA_ \"GenMsgCycleTime\" SG_ 100 Mode 25;\n", "");
    }
    void customaryAttributesAreUnderstood()
    {
        QFETCH(QByteArray, statements);
        QFETCH(QByteArray, says);
        const DbcReading reading = readDbc(
            "BU_: A\nBO_ 100 M: 8 A\n SG_ Mode : 0|4@1+ (1,0) [0|15] \"\" A\n" + statements.toStdString(), "x");
        QVERIFY2(reading.problems.empty(), reading.problems.empty() ? "" : reading.problems.front().text().c_str());
        const Message& m = reading.database.messages.at(0);
        QStringList words;
        if (m.cycleTime.count() > 0)
            words << QStringLiteral("cycle %1").arg(m.cycleTime / std::chrono::milliseconds(1));
        if (!m.sendType.empty())
            words << QStringLiteral("sent ") + QString::fromStdString(m.sendType);
        if (m.fd)
            words << QStringLiteral("fd");
        if (m.brs)
            words << QStringLiteral("brs");
        if (m.match)
            words << (*m.match == Match::full    ? QStringLiteral("full")
                      : *m.match == Match::group ? QStringLiteral("group")
                                                 : QStringLiteral("mask %1").arg(m.matchMask, 0, 16));
        QCOMPARE(words.join(QLatin1Char(' ')).toLatin1(), says);
    }

    void presenceIsTypedAndReadBack_data()
    {
        QTest::addColumn<QByteArray>("typed");
        QTest::addColumn<QByteArray>("shown");
        for (const char* same : {"", "selector", "3", "1, 3", "4 to 7", "1, 4 to 7, 9", "Mode = 3", "Mode = 3, 5 to 6", "3, selector",
                 "Mode = 1 to 2, selector"})
            QTest::newRow(same) << QByteArray(same) << QByteArray(same);
        QTest::newRow("blanks") << QByteArray("  1 ,4 to 7 ") << QByteArray("1, 4 to 7");
        QTest::newRow("hexadecimal") << QByteArray("0x1F") << QByteArray("31");
        for (const char* wrong : {"never", "1 to", "7 to 3", "-1", "Mode =", "1,,2", "1.5"})
            QTest::newRow(wrong) << QByteArray(wrong) << QByteArray("refused");
    }
    void presenceIsTypedAndReadBack()
    {
        QFETCH(QByteArray, typed);
        QFETCH(QByteArray, shown);
        Signal signal;
        signal.mux = MuxRole::multiplexed;
        signal.muxValue = 12;
        const auto taken = takeMuxText(signal, typed.toStdString());
        if (shown == "refused") {
            QVERIFY(!taken.has_value());
            QCOMPARE(QByteArray::fromStdString(muxText(signal)), QByteArray("12"));
        } else {
            QVERIFY2(taken.has_value(), taken ? "" : taken.error().text().c_str());
            QCOMPARE(QByteArray::fromStdString(muxText(signal)), shown);
        }
    }

    void textsOfValuesAreTypedAndReadBack_data()
    {
        QTest::addColumn<QByteArray>("typed");
        QTest::addColumn<QByteArray>("shown");
        QTest::newRow("none") << QByteArray("") << QByteArray("");
        QTest::newRow("two") << QByteArray("0 = off; 1 = on") << QByteArray("0 = off; 1 = on");
        QTest::newRow("tight") << QByteArray("0=off;1=on;") << QByteArray("0 = off; 1 = on");
        QTest::newRow("negative") << QByteArray("-1 = back") << QByteArray("-1 = back");
        QTest::newRow("hexadecimal") << QByteArray("0xFF = none") << QByteArray("255 = none");
        QTest::newRow("equals inside") << QByteArray("1 = a = b") << QByteArray("1 = a = b");
        QTest::newRow("a range") << QByteArray("1 = on; 3 to 250=reserved; -5 to -2 = below")
                                 << QByteArray("1 = on; 3 to 250 = reserved; -5 to -2 = below");
        QTest::newRow("quotes") << QByteArray("1 = \"a; b\"; 2 = \"say \"\"so\"\"\" ;")
                                << QByteArray("1 = \"a; b\"; 2 = \"say \"\"so\"\"\"");
        QTest::newRow("open quote") << QByteArray("1 = \"a; b") << QByteArray("1 = \"a; b\"");
        QTest::newRow("behind a quote") << QByteArray("1 = \"a\" b") << QByteArray("refused");
        QTest::newRow("range backwards") << QByteArray("9 to 3 = x") << QByteArray("refused");
        QTest::newRow("no value") << QByteArray("off") << QByteArray("refused");
        QTest::newRow("no number") << QByteArray("x = off") << QByteArray("refused");
        QTest::newRow("fraction") << QByteArray("1.5 = off") << QByteArray("refused");
    }
    void textsOfValuesAreTypedAndReadBack()
    {
        QFETCH(QByteArray, typed);
        QFETCH(QByteArray, shown);
        const auto texts = textsFromText(typed.toStdString());
        QCOMPARE(texts.has_value(), shown != "refused");
        if (texts)
            QCOMPARE(QByteArray::fromStdString(textsText(*texts)), shown);
    }

    void wordsAreSplitAtCommasAndBlanks()
    {
        QVERIFY(wordsFromText("A, B  C;D") == (std::vector<std::string>{"A", "B", "C", "D"}));
        QVERIFY(wordsFromText("  ").empty());
    }

    void valuesAndTextsFindEachOther()
    {
        Signal signal;
        signal.texts = {{0, "off"}, {1, "on"}, {2, "on"}, {-1, "lost"}};
        QCOMPARE(signal.valueOf("on").value(), 1);
        QCOMPARE(signal.valueOf("lost").value(), -1);
        QVERIFY(!signal.valueOf("none"));
        QVERIFY(signal.textOf(2) == "on" && signal.textOf(5).empty());
    }

    void searchingFindsPartsWithoutCase()
    {
        const Database db = sample();
        const SearchIndex index(db);
        const auto found = [&](const char* text) {
            QStringList names;
            for (const SearchHit& hit : index.find(text))
                names << QString::fromStdString(hit.signal < 0
                                                    ? db.messages[hit.message].name
                                                    : db.messages[hit.message].signals[static_cast<std::size_t>(hit.signal)].name);
            return names.join(QLatin1Char(' '));
        };
        QCOMPARE(found("spe"), QStringLiteral("Speed"));
        QCOMPARE(found("VALVE"), QStringLiteral("Other"));          // its sender
        QCOMPARE(found("0x064"), QStringLiteral("State"));
        QCOMPARE(found("e"), QStringLiteral("State Mode Speed Level Other Value"));
        QCOMPARE(found("nothing"), QString());
        QCOMPARE(index.find("e", 2).size(), 2U);
        QVERIFY(SearchIndex().find("e").empty());
    }

    void jsonKeepsRandomDatabases()
    {
        std::mt19937 random(23);
        for (int round = 0; round < 60; ++round) {
            Database db;
            Editor editor(db);
            for (int n = 0; n < 3; ++n)
                apply(db, *editor.putNode({0, "Node" + std::to_string(n), {}, n == 1 ? "says" : "", {}}, "n"));
            for (unsigned m = 0; m < 1 + random() % 6; ++m) {
                Message message;
                message.name = "Message" + std::to_string(m);
                message.id = {static_cast<std::uint32_t>(random() % 0x700 + m), random() % 2 == 0};
                message.length = random() % 2 == 0 ? 8 : 64;
                message.sender = "Node" + std::to_string(random() % 3);
                for (unsigned s = 0; s < random() % 9; ++s) {
                    Signal signal;
                    signal.name = "Signal" + std::to_string(s);
                    signal.length = static_cast<unsigned>(1 + random() % 32);
                    signal.startBit = static_cast<unsigned>(random() % 300) + (s % 2 == 0 ? 0U : 7U);
                    signal.order = s % 2 == 0 ? ByteOrder::intel : ByteOrder::motorola;
                    signal.isSigned = random() % 2 == 0;
                    signal.factor = static_cast<double>(random() % 1000) / 7.0 + 0.001;
                    signal.offset = -static_cast<double>(random() % 100);
                    if (random() % 2 == 0) {
                        signal.minimum = -1.5;
                        signal.maximum = 99.25;
                    }
                    signal.unit = random() % 2 == 0 ? "\xC2\xB0"
                                                      "C"
                                                    : "";
                    if (random() % 3 == 0)
                        signal.texts = {{0, "off"}, {3, "a \"word\" \\ more"}};
                    if (s == 0)
                        signal.mux = MuxRole::selector;
                    else if (random() % 2 == 0) {
                        signal.mux = MuxRole::multiplexed;
                        signal.muxValue = random() % 8;
                        if (random() % 2 == 0) {
                            signal.muxSelector = "Signal0";
                            signal.muxRanges = {{1, 2}, {5, 9}};
                            signal.muxValue = 1;
                        }
                    }
                    signal.comment = random() % 4 == 0 ? "over\ntwo lines" : "";
                    message.signals.push_back(std::move(signal));
                }
                apply(db, *editor.putMessage(message, "m"));
                apply(db, editor.setCycleTime(db.messages.back().uid, std::chrono::milliseconds(random() % 50)));
            }
            const auto json = readDatabaseJson(toJson(db).dump(), "x");
            QVERIFY2(json.has_value(), json ? "" : json.error().text().c_str());
            QCOMPARE(diff(db, *json).size(), 0U);
            const DbcReading dbc = readDbc(writeDbc(db), "x");
            QVERIFY2(dbc.problems.empty(), dbc.problems.empty() ? "" : dbc.problems.front().text().c_str());
            const auto changes = diff(db, dbc.database);
            QVERIFY2(changes.empty(), changes.empty() ? ""
                                                      : (changes.front().object + " " + changes.front().field + ": "
                                                            + changes.front().before + " > " + changes.front().after)
                                                            .c_str());
        }
    }
};

QTEST_APPLESS_MAIN(EditTest)
#include "edit_test.moc"
