// SPDX-License-Identifier: GPL-3.0-or-later
// Databases written back: untouched byte for byte, edited only where they were edited, and undone without a trace.
#include <QFile>
#include <QTest>

#include <random>

#include "sanitized.h"
#include "vector_file.h"
#include "database/database_json.h"
#include "database/dbc_writer.h"
#include "database/diff.h"
#include "database/edit.h"
#include "database/export.h"

#include <nlohmann/json.hpp>

using namespace wavetrope;
using namespace wavetrope::database;

namespace {

std::string bytesOf(const QString& path)
{
    QFile file(path);
    return file.open(QIODevice::ReadOnly) ? file.readAll().toStdString() : std::string();
}

const std::string text =
    "VERSION \"7\"\r\n\r\n\r\nNS_ :\r\n\tCM_\r\n\r\nBS_:\r\n\r\nBU_: A B C\r\n\r\n"
    "BO_ 100 State: 8 A\r\n SG_ Speed : 0|16@1+ (0.10,-5.0) [0|100] \"km/h\"  B,C\r\n SG_ Gear : 16|4@1- (1,0) [0|0] \"\" B\r\n\r\n"
    "BO_ 2364540158 Wide: 8 B\r\n SG_ Value : 7|32@0+ (1,0) [0|0] \"\xB0"
    "C\" Vector__XXX\r\n\r\n"
    "CM_ \"the whole\";\r\nCM_ SG_ 100 Speed \"over\r\ntwo lines\";\r\n"
    "ODD_ statement nobody knows ;\r\n"
    "BA_DEF_ BO_ \"GenMsgCycleTime\" INT 0 65535;\r\nBA_DEF_DEF_ \"GenMsgCycleTime\" 0;\r\nBA_ \"GenMsgCycleTime\" BO_ 100 20;\r\n"
    "VAL_ 100 Gear 0 \"off\" 1 \"on\" ;\r\n";

// Lines of `now` that `was` has not, and the other way round.
std::pair<QStringList, QStringList> changedLines(const std::string& was, const std::string& now)
{
    QStringList a = QString::fromLatin1(was.c_str()).split(QLatin1Char('\n'));
    QStringList b = QString::fromLatin1(now.c_str()).split(QLatin1Char('\n'));
    for (qsizetype i = 0; i < a.size();) {
        const auto at = b.indexOf(a[i]);
        if (at < 0) {
            ++i;
            continue;
        }
        b.removeAt(at);
        a.removeAt(i);
    }
    return {a, b};
}

std::string written(const Database& edited, const DbcReading& reading)
{
    const auto out = writeDbc(edited, reading.database, reading.source);
    return out ? *out : "error: " + out.error().text();
}

}  // namespace

class DbcWriterTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void untouchedFilesComeBackByteForByte_data()
    {
        QTest::addColumn<QString>("path");
        for (const char* name : {"signals.dbc", "small.dbc"})
            QTest::newRow(name) << dataPath(name);
        for (const char* name : {"chassis", "implement", "body", "scanner"})
            QTest::newRow(name) << QStringLiteral(WAVETROPE_DEMO "/%1.dbc").arg(QLatin1String(name));
    }
    void untouchedFilesComeBackByteForByte()
    {
        QFETCH(QString, path);
        const std::string bytes = bytesOf(path);
        QVERIFY(bytes.size() > 100);
        const DbcReading reading = readDbc(bytes, "x");
        QVERIFY(!reading.database.messages.empty());
        QVERIFY(written(reading.database, reading) == bytes);
    }

    void aNewFileReadsBackAsTheSameModel_data() { untouchedFilesComeBackByteForByte_data(); }
    void aNewFileReadsBackAsTheSameModel()
    {
        QFETCH(QString, path);
        const DbcReading reading = readDbc(bytesOf(path), "x");
        const std::string fresh = writeDbc(reading.database);
        const DbcReading again = readDbc(fresh, "x");
        QVERIFY2(again.problems.empty(), again.problems.empty() ? "" : again.problems.front().text().c_str());
        const auto changes = diff(reading.database, again.database);
        QVERIFY2(changes.empty(), changes.empty() ? ""
                                                  : (changes.front().object + ' ' + changes.front().field + ": " + changes.front().before
                                                        + " -> " + changes.front().after)
                                                        .c_str());
        QVERIFY(writeDbc(again.database) == fresh);
    }

    void jsonHoldsTheSameModel_data() { untouchedFilesComeBackByteForByte_data(); }
    void jsonHoldsTheSameModel()
    {
        QFETCH(QString, path);
        const DbcReading reading = readDbc(bytesOf(path), "x");
        const auto back = readDatabaseJson(toJson(reading.database).dump(), "x.json");
        QVERIFY2(back.has_value(), back ? "" : back.error().text().c_str());
        QCOMPARE(diff(reading.database, *back).size(), 0U);
    }

    void onlyTheEditedStatementDiffers()
    {
        const DbcReading reading = readDbc(text, "x");
        QVERIFY(reading.problems.empty() && !reading.source.utf8);
        QCOMPARE(QByteArray::fromStdString(reading.source.lineEnd), QByteArray("\r\n"));
        Database db = reading.database;
        Editor editor(db);
        Signal gear = db.messages[0].signals[1];
        gear.startBit = 20;
        const auto edit = editor.putSignal(db.messages[0].uid, gear, "move Gear");
        QVERIFY(edit.has_value());
        apply(db, *edit);
        const auto [gone, come] = changedLines(text, written(db, reading));
        QCOMPARE(gone, QStringList{QStringLiteral(" SG_ Gear : 16|4@1- (1,0) [0|0] \"\" B\r")});
        QCOMPARE(come, QStringList{QStringLiteral(" SG_ Gear : 20|4@1- (1,0) [0|0] \"\" B\r")});
        revert(db, *edit);
        QVERIFY(written(db, reading) == text);
    }

    void anotherIdentifierChangesItsStatementsWhereTheyStand()
    {
        const DbcReading reading = readDbc(text, "x");
        Database db = reading.database;
        Message state = db.messages[0];
        state.id.value = 101;
        apply(db, *Editor(db).putMessage(state, "identifier"));
        std::string wanted = text;
        for (std::size_t at = wanted.find(" 100 "); at != std::string::npos; at = wanted.find(" 100 ", at + 1))
            wanted.replace(at, 5, " 101 ");
        QVERIFY(written(db, reading) == wanted);
    }

    void whatIsNewStandsBehindItsKind()
    {
        const DbcReading reading = readDbc(text, "x");
        Database db = reading.database;
        Editor editor(db);
        Signal fresh;
        fresh.name = "Load";
        fresh.startBit = 24;
        fresh.length = 8;
        fresh.unit = "\xC2\xB5m";
        fresh.comment = "new";
        apply(db, *editor.putSignal(db.messages[0].uid, fresh, "add"));
        Message message;
        message.name = "Extra";
        message.id = {0x321, false};
        message.length = 4;
        apply(db, *editor.putMessage(message, "add"));
        apply(db, editor.setCycleTime(db.messages[1].uid, std::chrono::milliseconds(50)));
        const std::string out = written(db, reading);
        QVERIFY(out.find(" SG_ Gear : 16|4@1- (1,0) [0|0] \"\" B\r\n SG_ Load : 24|8@1+ (1,0) [0|0] \"\xB5m\" Vector__XXX\r\n")
                != std::string::npos);
        QVERIFY(out.find("Vector__XXX\r\n\r\nBO_ 801 Extra: 4 Vector__XXX\r\n") != std::string::npos);
        QVERIFY(out.find("two lines\";\r\nCM_ SG_ 100 Load \"new\";\r\n") != std::string::npos);
        QVERIFY(out.find("BO_ 100 20;\r\nBA_ \"GenMsgCycleTime\" BO_ 2364540158 50;\r\n") != std::string::npos);
        QVERIFY(changedLines(text, out).first.isEmpty());
        const DbcReading again = readDbc(out, "x");
        QVERIFY(again.problems.empty());
        QCOMPARE(diff(db, again.database).size(), 0U);
    }

    void whatIsTakenOutTakesItsLinesAlong()
    {
        const DbcReading reading = readDbc(text, "x");
        Database db = reading.database;
        apply(db, Editor(db).removeMessage(db.messages[0].uid));
        const std::string out = written(db, reading);
        QVERIFY(
            out.find("Speed") == std::string::npos && out.find("Gear") == std::string::npos && out.find("BO_ 100") == std::string::npos);
        QVERIFY(out.find("ODD_ statement nobody knows ;") != std::string::npos);
        QVERIFY(changedLines(text, out).second.isEmpty());
        QCOMPARE(diff(db, readDbc(out, "x").database).size(), 0U);
    }

    void whatTheEncodingLacksIsRefusedInWords()
    {
        const DbcReading reading = readDbc(text, "x");
        Database db = reading.database;
        Message state = db.messages[0];
        state.comment = "snowflake \xE2\x9D\x84";
        apply(db, *Editor(db).putMessage(state, "comment"));
        const auto out = writeDbc(db, reading.database, reading.source);
        QVERIFY(!out);
        QVERIFY(out.error().text().find("1252") != std::string::npos);
    }

    void aRenamedNodeIsRenamedWhereverItSends()
    {
        const DbcReading reading = readDbc(text, "x");
        Database db = reading.database;
        Node node = db.nodes[1];
        node.name = "Blade";
        const auto edit = Editor(db).putNode(node, "rename");
        apply(db, *edit);
        QCOMPARE(QByteArray::fromStdString(db.messages[1].sender), QByteArray("Blade"));
        QVERIFY(db.messages[0].signals[0].receivers == (std::vector<std::string>{"Blade", "C"}));
        const std::string out = written(db, reading);
        QVERIFY(out.find("BU_: A Blade C") != std::string::npos && out.find(": 8 Blade") != std::string::npos);
        revert(db, *edit);
        QVERIFY(written(db, reading) == text);
    }

    void longNamesGoThroughTheAttribute()
    {
        const DbcReading reading = readDbc(text, "x");
        Database db = reading.database;
        Message state = db.messages[0];
        state.name = "StateOfTheWholeVehicleAndOfEverythingInIt";
        apply(db, *Editor(db).putMessage(state, "rename"));
        const std::string out = written(db, reading);
        const DbcReading again = readDbc(out, "x");
        QVERIFY(again.problems.empty());
        QCOMPARE(QByteArray::fromStdString(again.database.messages[0].name), QByteArray("StateOfTheWholeVehicleAndOfEverythingInIt"));
        QCOMPARE(again.database.messages[0].shortName.size(), 32U);
        QVERIFY(written(again.database, again) == out);
    }

    void namesThatTheFormatCannotHoldAreRefused()
    {
        Database db = readDbc(text, "x").database;
        for (const char* name : {"", "1st", "with space", "a-b", "semi;"}) {
            Message message = db.messages[0];
            message.name = name;
            QVERIFY2(!Editor(db).putMessage(message, "x"), name);
            Node node = db.nodes[0];
            node.name = name;
            QVERIFY2(!Editor(db).putNode(node, "x"), name);
        }
        Signal signal = db.messages[0].signals[0];
        signal.length = 65;
        QVERIFY(!Editor(db).putSignal(db.messages[0].uid, signal, "x"));
        signal.length = 16;
        signal.startBit = maxMessageLength * 8 - 7;
        QVERIFY(!Editor(db).putSignal(db.messages[0].uid, signal, "x"));
        signal.startBit = 0;
        signal.type = ValueType::single;
        QVERIFY(!Editor(db).putSignal(db.messages[0].uid, signal, "x"));
    }

    void anyRowOfEditsIsUndoneWithoutATrace()
    {
        const DbcReading reading = readDbc(bytesOf(dataPath("signals.dbc")), "x");
        std::mt19937 random(11);
        for (int round = 0; round < 20; ++round) {
            Database db = reading.database;
            std::vector<Edit> edits;
            for (int step = 0; step < 25; ++step) {
                Editor editor(db);
                const Message& message = db.messages[random() % db.messages.size()];
                Edit edit;
                switch (random() % 7) {
                case 0: edit = editor.removeMessage(message.uid); break;
                case 1:
                    if (!message.signals.empty())
                        edit = editor.removeSignal(message.uid, message.signals[random() % message.signals.size()].uid);
                    break;
                case 2: {
                    Signal signal;
                    signal.name = "New" + std::to_string(step);
                    signal.startBit = static_cast<unsigned>(random() % 32);
                    signal.length = static_cast<unsigned>(1 + random() % 16);
                    edit = *editor.putSignal(message.uid, signal, "add");
                    break;
                }
                case 3: {
                    Message copy = message;
                    copy.uid = 0;
                    for (Signal& signal : copy.signals)
                        signal.uid = 0;
                    copy.name = "Copy" + std::to_string(step);
                    copy.id = {static_cast<std::uint32_t>(0x10000 + random() % 1000000), true};
                    edit = *editor.putMessage(copy, "paste");
                    break;
                }
                case 4: edit = editor.setCycleTime(message.uid, std::chrono::milliseconds(random() % 100)); break;
                case 5: {
                    Node node = db.nodes[random() % db.nodes.size()];
                    node.name = "N" + std::to_string(step);
                    edit = *editor.putNode(node, "rename");
                    break;
                }
                default: {
                    Message copy = message;
                    copy.comment = "said " + std::to_string(random());
                    edit = *editor.putMessage(copy, "comment");
                }
                }
                apply(db, edit);
                edits.push_back(edit);
                if (db.messages.size() < 3)
                    break;
            }
            const std::string out = written(db, reading);
            const DbcReading again = readDbc(out, "x");
            QVERIFY2(again.problems.empty(), again.problems.empty() ? "" : again.problems.front().text().c_str());
            const auto changes = diff(db, again.database);
            QVERIFY2(changes.empty(), changes.empty() ? ""
                                                      : (changes.front().object + ' ' + changes.front().field + ": "
                                                            + changes.front().before + " -> " + changes.front().after)
                                                            .c_str());
            while (!edits.empty()) {
                revert(db, edits.back());
                edits.pop_back();
            }
            QVERIFY(written(db, reading) == reading.source.text);
        }
    }

    void everyKindOfStatementIsKept()
    {
        const std::string all =
            "VERSION \"x\"\nBS_: 500000 : 1,2\nBU_: A B\nVAL_TABLE_ OnOff 0 \"off\" 1 \"on\" ;\n"
            "BO_ 3221225472 VECTOR__INDEPENDENT_SIG_MSG: 0 Vector__XXX\n SG_ Orphan : 0|8@1+ (1,0) [0|0] \"\" Vector__XXX\n\n"
            "BO_ 10 Mux: 8 A\n SG_ Sel M : 0|8@1+ (1,0) [0|0] \"\" B\n SG_ Sub m1M : 8|8@1+ (1,0) [0|0] \"\" B\n SG_ Deep m3 : 16|8@1+ "
            "(1,0) [0|0] \"\" B\n SG_ Real : 32|32@1- (1,0) [0|0] \"\" B\n\n"
            "BO_TX_BU_ 10 : A,B;\nEV_ Env: 0 [0|10] \"C\" 5 1 DUMMY_NODE_VECTOR0 A;\nENVVAR_DATA_ Env: 4;\nSGTYPE_ Shape : 8@1+ (1,0) "
            "[0|1] \"\" 0 , OnOff;\n"
            "CM_ EV_ Env \"of the air\";\nCM_ BU_ A \"node\";\n"
            "BA_DEF_ \"Hex\" HEX 0 255;\nBA_DEF_ BU_ \"Text\" STRING ;\nBA_DEF_ SG_ \"Kind\" ENUM \"a\",\"b\";\nBA_DEF_ EV_ \"Real\" FLOAT "
            "-1 1;\nBA_DEF_REL_ BU_SG_REL_ \"Late\" INT 0 9;\nBA_DEF_REL_ BU_BO_REL_ \"Late2\" INT 0 9;\n"
            "BA_DEF_DEF_ \"Hex\" 16;\nBA_DEF_DEF_ \"Text\" \"\";\nBA_DEF_DEF_ \"Kind\" \"a\";\nBA_DEF_DEF_ \"Real\" 0.5;\nBA_DEF_DEF_REL_ "
            "\"Late\" 3;\n"
            "BA_ \"Hex\" 32;\nBA_ \"Text\" BU_ A \"said \\\"so\\\"\";\nBA_ \"Kind\" SG_ 10 Sub 1;\nBA_ \"Real\" EV_ Env 0.25;\nBA_REL_ "
            "\"Late\" BU_SG_REL_ B SG_ 10 Sub 4;\nBA_REL_ \"Late2\" BU_BO_REL_ B 10 5;\n"
            "VAL_ 10 Sel 1 \"one\" 2 \"two\" ;\nVAL_ Env 0 \"cold\" ;\nSIG_GROUP_ 10 Both 1 : Sel Sub;\nSIG_VALTYPE_ 10 Real : "
            "1;\nSG_MUL_VAL_ 10 Sub Sel 1-1, 5-7;\nSG_MUL_VAL_ 10 Deep Sub 3-3;\n";
        const DbcReading reading = readDbc(all, "x");
        QVERIFY2(reading.problems.empty(), reading.problems.empty() ? "" : reading.problems.front().text().c_str());
        QCOMPARE(reading.warnings.size(), 0U);
        QVERIFY(written(reading.database, reading) == all);
        const Database& db = reading.database;
        QCOMPARE(db.messages.size(), 1U);
        QCOMPARE(db.signalCount(), 4U);
        QVERIFY(db.find("Mux")->find("Sub")->alsoSelector && db.find("Mux")->find("Sub")->muxRanges.size() == 2);
        QCOMPARE(db.find("Mux")->find("Real")->type, ValueType::single);
        QVERIFY(db.find("Mux")->moreSenders == (std::vector<std::string>{"A", "B"}));
        QCOMPARE(db.variables.at(0).dataLength, 4U);
        QCOMPARE(db.signalTypes.at(0).length, 8U);
        QCOMPARE(db.network.relations.size(), 2U);
        QCOMPARE(QByteArray::fromStdString(db.nodes[0].attributes.find("Text")->text), QByteArray("said \"so\""));
        const DbcReading again = readDbc(writeDbc(db), "x");
        QVERIFY2(again.problems.empty(), again.problems.empty() ? "" : again.problems.front().text().c_str());
        QCOMPARE(diff(db, again.database).size(), 0U);
        QCOMPARE(again.database.network.relations.size(), 2U);
        QCOMPARE(again.database.variables.size(), 1U);
    }

    void statementsMayComeInAnyOrder()
    {
        const DbcReading reading = readDbc(
            "VERSION \"\"\nCM_ SG_ 10 X \"early\";\nVAL_ 10 X 1 \"one\" ;\nBA_ \"GenMsgCycleTime\" BO_ 10 20;\nBA_DEF_ BO_ "
            "\"GenMsgCycleTime\" INT 0 100;\nBO_ 10 M: 8 A\n SG_ X : 0|8@1+ (1,0) [0|0] \"\" A\nBU_: A\n",
            "x");
        QVERIFY(reading.problems.empty());
        const Signal& x = reading.database.messages.at(0).signals.at(0);
        QCOMPARE(QByteArray::fromStdString(x.comment), QByteArray("early"));
        QCOMPARE(x.texts.size(), 1U);
        QCOMPARE(reading.database.messages[0].cycleTime, Time(std::chrono::milliseconds(20)));
    }

    void semicolonsMissingOrDoubledAreWarnings()
    {
        const DbcReading reading = readDbc("VERSION \"\"\nBU_: A\nBO_ 10 M: 8 A\n SG_ X : 0|8@1+ (1,0) [0|0] \"\" A\nCM_ BO_ 10 \"no "
                                           "end\"\nCM_ BU_ A \"two\";;\nVAL_ 10 X 1 \"one\"\n",
            "x");
        QVERIFY(reading.problems.empty());
        QCOMPARE(reading.warnings.size(), 3U);
        QCOMPARE(reading.warnings[0].line, 6);
        QCOMPARE(reading.database.messages[0].signals[0].texts.size(), 1U);
    }

    void tenThousandMutatedFilesGiveAReadingAndComeBackAsTheyWere()
    {
        const std::string good = bytesOf(QStringLiteral(WAVETROPE_DEMO "/body.dbc"));
        std::mt19937 random(77);
        for (int round = 0; round < test::some(10'000, 3'000); ++round) {
            const std::size_t from = random() % good.size();
            std::string bytes = good.substr(from, 200 + random() % 1500);
            for (unsigned edits = 1 + random() % 6; edits > 0; --edits) {
                const std::size_t at = random() % bytes.size();
                switch (random() % 4) {
                case 0: bytes[at] = static_cast<char>(random()); break;
                case 1: bytes.erase(at, 1 + random() % 9); break;
                case 2: bytes.insert(at, bytes.substr(random() % bytes.size(), random() % 60)); break;
                default: bytes.insert(at, 1, ";:|@\"\n-0\\"[random() % 9]); break;
                }
                if (bytes.empty())
                    bytes = " ";
            }
            const DbcReading reading = readDbc(bytes, "x");
            if (written(reading.database, reading) != bytes)
                QFAIL(bytes.c_str());
            for (const Error& problem : reading.problems)
                QVERIFY(problem.line >= 1 && problem.column >= 1);
        }
    }

    void exportsSayWhatIsInIt()
    {
        const DbcReading reading = readDbc(text, "cart.dbc");
        const std::string html = toHtml(reading.database, "Cart <1>");
        QVERIFY(html.find("Cart &lt;1&gt;") != std::string::npos && html.find("<svg") != std::string::npos
                && html.find("0x064") != std::string::npos && html.find("Speed") != std::string::npos);
        QVERIFY(html.find("<script") == std::string::npos && html.find("Vector__") == std::string::npos);
        const std::string csv = toCsv(reading.database);
        QVERIFY(csv.find("State,0x064,8,A,20,Speed,0,16,least_first,unsigned,integer,0.10000000000000001,-5,0,100,km/h,,B "
                         "C,,,\"over\r\ntwo lines\"\n")
                != std::string::npos);
        QCOMPARE(std::count(csv.begin(), csv.end(), '\n'), 5);
    }
};

QTEST_APPLESS_MAIN(DbcWriterTest)
#include "dbc_writer_test.moc"
