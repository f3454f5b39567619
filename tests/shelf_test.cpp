// SPDX-License-Identifier: GPL-3.0-or-later
// The databases of a rig on the shelf: what is read, edited, undone, saved, missing, changed on disk, and who wins.
#include <QFile>
#include <QTemporaryDir>
#include <QTest>

#include <filesystem>
#include <nlohmann/json.hpp>

#include "rig/session.h"
#include "rig/shelf.h"

using namespace wavetrope;
using namespace wavetrope::rig;

namespace {

const QByteArray first = "VERSION \"\"\nBU_: Pump Valve\n\nBO_ 100 PumpState: 8 Pump\n SG_ Speed : 0|16@1+ (0.5,0) [0|1000] \"1/min\" "
                         "Valve\n SG_ Mode : 16|2@1+ (1,0) [0|3] \"\" Valve\n\nVAL_ 100 Mode 0 \"off\" 1 \"on\" ;\n";
const QByteArray second = "VERSION \"\"\nBU_: Pump Filter\n\nBO_ 100 PumpStateNew: 8 Pump\n SG_ Speed : 0|16@1+ (0.25,0) [0|1000] "
                          "\"1/min\" Filter\n\nBO_ 101 FilterState: 4 Filter\n SG_ Load : 0|8@1+ (1,0) [0|100] \"%\" Pump\n";

}  // namespace

class ShelfTest : public QObject {
    Q_OBJECT

    QTemporaryDir folder_;
    int number_ = 0;
    QString path_;      // of this test's own folder

    QString at(const char* name) { return path_ + QLatin1Char('/') + QLatin1String(name); }
    std::string path(const char* name) { return at(name).toStdString(); }
    void write(const char* name, const QByteArray& bytes)
    {
        QFile file(at(name));
        QVERIFY(file.open(QIODevice::WriteOnly));
        QCOMPARE(file.write(bytes), bytes.size());
    }
    /// As if some time had gone by until it was written.
    void later(const char* name)
    {
        const std::filesystem::path file = at(name).toStdString();
        std::filesystem::last_write_time(file, std::filesystem::last_write_time(file) + std::chrono::seconds(2));
    }
    QByteArray read(const char* name)
    {
        QFile file(at(name));
        return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
    }
    Rig rig(const QByteArray& databases = R"(["first.dbc"])", const QByteArray& more = {})
    {
        const QByteArray text = R"({"wavetrope": 1, "name": "test", "buses": [{"name": "Water", "rate": "500k", "databases": )" + databases
                                + more + R"(}, {"name": "Air", "rate": "250k", "databases": ["first.dbc"]}]})";
        const auto read = rigFromText(text.toStdString(), path("rig.json"));
        if (!read)
            qFatal("%s", read.error().text().c_str());
        return *read;
    }
    static database::Edit comment(Shelf& shelf, std::size_t index, const char* words)
    {
        database::Message message = shelf.at(index).edited.messages.front();
        message.comment = words;
        return *shelf.editor(index).putMessage(message, words);
    }

private Q_SLOTS:
    void init()
    {
        path_ = folder_.filePath(QString::number(++number_));
        QVERIFY(QDir().mkpath(path_));
        write("first.dbc", first);
        write("second.dbc", second);
    }

    void filesComeFirstThenTheOwnDefinitionsOfEachBus()
    {
        Rig r = rig(R"(["first.dbc", "second.dbc"])");
        const Shelf shelf(r);
        QCOMPARE(shelf.size(), 4U);
        QVERIFY(shelf.at(0).buses == (std::vector<std::string>{"Water", "Air"}));
        QVERIFY(shelf.at(1).buses == (std::vector<std::string>{"Water"}));
        QVERIFY(shelf.at(2).own && shelf.at(3).own);
        QCOMPARE(shelf.ownOf("Air"), 3);
        QCOMPARE(shelf.ownOf("Fire"), -1);
        QCOMPARE(shelf.find("second.dbc"), 1);
        QCOMPARE(shelf.find("third.dbc"), -1);
        for (std::size_t i = 0; i < shelf.size(); ++i)
            QVERIFY(!shelf.at(i).changed() && !shelf.at(i).canUndo() && !shelf.at(i).canRedo());
    }

    void undoAndRedoWalkTheSteps()
    {
        Rig r = rig();
        Shelf shelf(r);
        for (const char* words : {"one", "two", "three"})
            shelf.apply(0, comment(shelf, 0, words));
        const auto now = [&] { return QByteArray::fromStdString(shelf.at(0).edited.messages[0].comment); };
        QCOMPARE(now(), QByteArray("three"));
        shelf.undo(0);
        shelf.undo(0);
        QCOMPARE(now(), QByteArray("one"));
        QVERIFY(shelf.at(0).canRedo());
        shelf.redo(0);
        QCOMPARE(now(), QByteArray("two"));
        shelf.apply(0, comment(shelf, 0, "other"));
        QVERIFY(!shelf.at(0).canRedo());  // what was undone before an edit is forgotten
        shelf.redo(0);
        QCOMPARE(now(), QByteArray("other"));
        for (int i = 0; i < 9; ++i)
            shelf.undo(0);
        QCOMPARE(now(), QByteArray());
        QVERIFY(!shelf.at(0).changed());
    }

    void savedIsWhereItWasSaved()
    {
        Rig r = rig();
        Shelf shelf(r);
        shelf.apply(0, comment(shelf, 0, "one"));
        shelf.apply(0, comment(shelf, 0, "two"));
        QVERIFY(shelf.save(0).has_value());
        QVERIFY(!shelf.at(0).changed());
        QVERIFY(read("first.dbc").contains("CM_ BO_ 100 \"two\";"));
        shelf.undo(0);
        QVERIFY(shelf.at(0).changed());
        shelf.redo(0);
        QVERIFY(!shelf.at(0).changed());
        shelf.undo(0);
        shelf.apply(0, comment(shelf, 0, "three"));  // the saved state cannot be reached any more
        QVERIFY(shelf.at(0).changed());
        shelf.undo(0);
        shelf.undo(0);
        QVERIFY(shelf.at(0).changed());
        QVERIFY(shelf.save(0).has_value());
        QCOMPARE(read("first.dbc"), first);
    }

    void whatAnotherProgramWroteIsNotOverwritten()
    {
        Rig r = rig();
        Shelf shelf(r);
        QVERIFY(!shelf.changedOnDisk(0));
        shelf.apply(0, comment(shelf, 0, "mine"));
        QByteArray theirs = first;
        theirs.replace("Speed", "Revolutions");
        write("first.dbc", theirs);
        later("first.dbc");
        QVERIFY(shelf.changedOnDisk(0));
        const auto refused = shelf.save(0);
        QVERIFY(!refused && refused.error().text().find("another program") != std::string::npos);
        QCOMPARE(read("first.dbc"), theirs);
        const auto disk = shelf.onDisk(0);
        QVERIFY(disk.has_value() && disk->database.messages[0].find("Revolutions") != nullptr);
        QVERIFY(shelf.save(0, true).has_value());  // the user was asked
        QVERIFY(read("first.dbc").contains("mine") && read("first.dbc").contains("Speed"));
        QVERIFY(!shelf.changedOnDisk(0));
        write("first.dbc", theirs);
        QVERIFY(shelf.reread(0).has_value());
        QVERIFY(!shelf.at(0).changed() && !shelf.at(0).canUndo());
        QVERIFY(shelf.at(0).edited.messages[0].find("Revolutions") != nullptr);
        QFile::remove(at("first.dbc"));
        QVERIFY(shelf.changedOnDisk(0));
        QVERIFY(!shelf.reread(0).has_value());
        QVERIFY(shelf.at(0).edited.messages[0].find("Revolutions") != nullptr);  // nothing is lost by trying
    }

    void theFirstFileThatKnowsAnIdentifierWins()
    {
        Rig r = rig(R"(["first.dbc", "second.dbc"])");
        Shelf shelf(r);
        const auto nameOf = [&](std::uint32_t id) {
            const auto catalog = shelf.catalog({"Water", "Air"});
            const auto* found = catalog->find(0, {id, false});
            return found == nullptr ? QByteArray() : QByteArray::fromStdString(found->message->name);
        };
        QCOMPARE(nameOf(100), QByteArray("PumpState"));
        QCOMPARE(nameOf(101), QByteArray("FilterState"));
        QCOMPARE(shelf.catalog({"Water", "Air"})->conflicts().size(), 1U);
        shelf.prefer("Water", 1);
        QCOMPARE(nameOf(100), QByteArray("PumpStateNew"));
        QVERIFY(r.document["buses"][0]["databases"] == nlohmann::json({"second.dbc", "first.dbc"}));
        shelf.prefer("Water", 1);  // it is the first already
        QCOMPARE(nameOf(100), QByteArray("PumpStateNew"));
        QCOMPARE(QByteArray::fromStdString(shelf.catalog({"Air"})->find(0, {100, false})->message->name), QByteArray("PumpState"));
        QVERIFY(shelf.catalog({"Nowhere"})->find(0, {100, false}) == nullptr);
    }

    void ownDefinitionsGoIntoTheRigAndComeBack()
    {
        Rig r = rig();
        Shelf shelf(r);
        const auto own = static_cast<std::size_t>(shelf.ownOf("Water"));
        database::Message message;
        message.name = "Own";
        message.id = {0x7A0, false};
        message.length = 2;
        database::Signal signal;
        signal.name = "Value";
        signal.length = 12;
        signal.factor = 0.1;
        message.signals.push_back(signal);
        shelf.apply(own, *shelf.editor(own).putMessage(message, "define"));
        QVERIFY(shelf.at(own).changed());
        QVERIFY(shelf.catalog({"Water"})->find(0, {0x7A0, false}) != nullptr);
        QVERIFY(shelf.catalog({"Air"})->find(0, {0x7A0, false}) == nullptr);
        QVERIFY(shelf.save(own).has_value());
        QVERIFY(saveRig(r, path("rig.json")).has_value());
        const auto again = loadRig(path("rig.json"));
        QVERIFY2(again.has_value(), again ? "" : again.error().text().c_str());
        const auto catalog = catalogOf(*again, loadDatabases(*again));
        const auto* found = catalog->find(0, {0x7A0, false});
        QVERIFY(found != nullptr);
        QCOMPARE(found->message->find("Value")->factor, 0.1);
        shelf.undo(own);
        QVERIFY(shelf.save(own).has_value());
        QVERIFY(!r.document["buses"][0].contains("definitions"));
    }

    void aRigWithBrokenDefinitionsNamesThePlace_data()
    {
        QTest::addColumn<QByteArray>("definitions");
        QTest::addColumn<QByteArray>("words");
        const auto row = [](const char* name, const char* definitions, const char* words) {
            QTest::newRow(name) << QByteArray(definitions) << QByteArray(words);
        };
        row("no object", "7", "expected an object");
        row("no version", R"({"messages": []})", "/wavetrope_database: is missing");
        row("newer version", R"({"wavetrope_database": 9})", "newer than this program");
        row("messages no list", R"({"wavetrope_database": 1, "messages": 5})", "/messages: expected a list");
        row("no name", R"({"wavetrope_database": 1, "messages": [{"id": "0x100", "length": 8}]})", "/messages/0/name: is missing");
        row("no identifier", R"({"wavetrope_database": 1, "messages": [{"name": "M", "id": "x", "length": 8}]})",
            "/messages/0/id: is no identifier");
        row("too long", R"({"wavetrope_database": 1, "messages": [{"name": "M", "id": "0x100", "length": 4096}]})",
            "/messages/0/length: expected a whole number of 0 to 4095");
        row("start bit",
            R"({"wavetrope_database": 1, "messages": [{"name": "M", "id": "0x100", "length": 8, "signals": [{"name": "S", "start_bit": 32760, "length": 1}]}]})",
            "/messages/0/signals/0/start_bit");
        row("no bits",
            R"({"wavetrope_database": 1, "messages": [{"name": "M", "id": "0x100", "length": 8, "signals": [{"name": "S", "start_bit": 0, "length": 0}]}]})",
            "must be 1 to 64");
        row("behind the end",
            R"({"wavetrope_database": 1, "messages": [{"name": "M", "id": "0x100", "length": 8, "signals": [{"name": "S", "start_bit": 32758, "length": 8}]}]})",
            "ends behind byte 4094");
        row("byte order",
            R"({"wavetrope_database": 1, "messages": [{"name": "M", "id": "0x100", "length": 8, "signals": [{"name": "S", "start_bit": 0, "length": 8, "byte_order": "middle"}]}]})",
            "expected one of least_first, most_first");
        row("float of 8 bits",
            R"({"wavetrope_database": 1, "messages": [{"name": "M", "id": "0x100", "length": 8, "signals": [{"name": "S", "start_bit": 0, "length": 8, "type": "single"}]}]})",
            "32 or 64 bits");
        row("range of one",
            R"({"wavetrope_database": 1, "messages": [{"name": "M", "id": "0x100", "length": 8, "signals": [{"name": "S", "start_bit": 0, "length": 8, "range": [1]}]}]})",
            "expected two numbers");
        row("present never",
            R"({"wavetrope_database": 1, "messages": [{"name": "M", "id": "0x100", "length": 8, "signals": [{"name": "S", "start_bit": 0, "length": 8, "present": {"values": []}}]}]})",
            "names no values");
        row("present no pair",
            R"({"wavetrope_database": 1, "messages": [{"name": "M", "id": "0x100", "length": 8, "signals": [{"name": "S", "start_bit": 0, "length": 8, "present": {"values": [3]}}]}]})",
            "two whole numbers");
        row("attribute type", R"({"wavetrope_database": 1, "attribute_definitions": [{"name": "A", "of": "message", "type": "colour"}]})",
            "expected one of integer");
        row("attribute of", R"({"wavetrope_database": 1, "attribute_definitions": [{"name": "A", "of": "moon", "type": "text"}]})",
            "expected one of network");
        row("attribute value", R"({"wavetrope_database": 1, "attributes": {"A": [1]}})", "/attributes/A: expected a number");
        row("text value", R"({"wavetrope_database": 1, "tables": [{"name": "T", "texts": [{"value": 1.5, "text": "x"}]}]})",
            "expected a whole number");
        row("range backwards",
            R"({"wavetrope_database": 1, "messages": [{"name": "M", "id": "0x100", "length": 8, "signals": [{"name": "S", "start_bit": 0, "length": 8, "texts": [{"value": 9, "to": 3, "text": "x"}]}]}]})",
            "is below the value");
        row("range in a table", R"({"wavetrope_database": 1, "tables": [{"name": "T", "texts": [{"value": 1, "to": 3, "text": "x"}]}]})",
            "single values");
        row("relation of nothing",
            R"({"wavetrope_database": 1, "relations": [{"of": "node-message", "attribute": "A", "node": "N", "message": "M", "value": 1}]})",
            "/relations/0/message: is not defined");
        row("relation of an object",
            R"({"wavetrope_database": 1, "relations": [{"of": "node", "attribute": "A", "node": "N", "value": 1}]})",
            "must be node-message");
        row("flag",
            R"({"wavetrope_database": 1, "messages": [{"name": "M", "id": "0x100", "length": 8, "signals": [{"name": "S", "start_bit": 0, "length": 8, "signed": 1}]}]})",
            "expected true or false");
    }
    void aRigWithBrokenDefinitionsNamesThePlace()
    {
        QFETCH(QByteArray, definitions);
        QFETCH(QByteArray, words);
        const QByteArray text = R"({"wavetrope": 1, "name": "test", "buses": [{"name": "Water", "rate": "500k", "definitions": )"
                                + definitions + "}]}";
        const auto read = rigFromText(text.toStdString(), "rig.json");
        QVERIFY(!read);
        QVERIFY2(QByteArray::fromStdString(read.error().text()).contains(words), read.error().text().c_str());
        QVERIFY(QByteArray::fromStdString(read.error().text()).contains("/buses/0/definitions"));
    }

    void aBusSaysHowFramesFindTheirMessages()
    {
        Rig r = rig(R"(["first.dbc"])", R"(, "match": "group")");
        QCOMPARE(r.buses[0].match, database::Match::group);
        QCOMPARE(r.buses[1].match, database::Match::full);
        QCOMPARE(Shelf(r).catalog({"Water"})->busMatch(0), database::Match::group);
        const auto bad = rigFromText(
            R"({"wavetrope": 1, "name": "x", "buses": [{"name": "W", "rate": "500k", "match": "nearly"}]})", "rig.json");
        QVERIFY(!bad && bad.error().text().find("/buses/0/match") != std::string::npos);
    }

    void filesAreAttachedOnceAndKeepTheirPlaceInTheRig()
    {
        Rig r = rig();
        Shelf shelf(r);
        const auto added = shelf.attach("Water", path("second.dbc"));
        QVERIFY(added.has_value());
        QCOMPARE(*added, 1U);
        QVERIFY(!shelf.at(1).own && shelf.at(2).own);
        QVERIFY(r.buses[0].databases == (std::vector<std::string>{"first.dbc", "second.dbc"}));
        QVERIFY(shelf.attach("Water", path("second.dbc")).has_value());
        QCOMPARE(r.buses[0].databases.size(), 2U);
        QVERIFY(shelf.attach("Air", path("second.dbc")).has_value());
        QVERIFY(shelf.at(1).buses == (std::vector<std::string>{"Water", "Air"}));
        QVERIFY(!shelf.attach("Fire", path("second.dbc")).has_value());
        QVERIFY(!shelf.attach("Water", path("none.dbc")).has_value());
        write("junk.dbc", "nothing of the kind");
        QVERIFY(!shelf.attach("Water", path("junk.dbc")).has_value());
        QCOMPARE(r.buses[0].databases.size(), 2U);
        QCOMPARE(shelf.size(), 4U);
    }

    void aNewDatabaseIsWrittenAndAttached()
    {
        Rig r = rig();
        Shelf shelf(r);
        const auto made = shelf.create("Air", path("new.dbc"));
        QVERIFY(made.has_value());
        QVERIFY(read("new.dbc").contains("VERSION"));
        QVERIFY(shelf.at(*made).edited.messages.empty());
        QVERIFY(!shelf.create("Air", path("new.dbc")).has_value());  // never over what is there
        database::Message message;
        message.name = "Fresh";
        message.id = {1, false};
        shelf.apply(*made, *shelf.editor(*made).putMessage(message, "new"));
        QVERIFY(shelf.save(*made).has_value());
        QVERIFY(read("new.dbc").contains("BO_ 1 Fresh: 0 "));
    }

    void aMissingFileLeavesTheRestAlone()
    {
        Rig r = rig(R"(["gone.dbc", "second.dbc"])");
        Shelf shelf(r);
        QVERIFY(shelf.at(0).missing.has_value());
        QVERIFY(shelf.at(0).missing->text().find("gone.dbc") != std::string::npos);
        QVERIFY(shelf.catalog({"Water"})->find(0, {101, false}) != nullptr);
        QVERIFY(!shelf.pointTo(0, path("neither.dbc")).has_value());
        QVERIFY(shelf.at(0).missing.has_value());
        const auto found = shelf.pointTo(0, path("first.dbc"));
        QVERIFY(found.has_value());
        QVERIFY(!shelf.at(*found).missing);
        QVERIFY(shelf.at(*found).buses == (std::vector<std::string>{"Water", "Air"}));
        QVERIFY(r.buses[0].databases.front() == "first.dbc");
        QVERIFY(r.document["buses"][0]["databases"][0] == "first.dbc");
    }

    void aSessionRunsWithoutWhatAMissingFileWouldHaveSaid()
    {
        const auto text = [](const char* files) {
            return std::string(R"({"wavetrope": 1, "name": "test", "buses": [{"name": "Water", "rate": "500k", "databases": [)") + files
                   + R"(]}], "events": [{"name": "fast", "when": "Speed > 10"}, {"name": "all", "when": "id 0x064"}],
                      "nodes": [{"name": "Pump", "buses": ["Water"], "sends": [{"message": "PumpState", "every": "10 ms", "signals": {"Speed": 20}}]},
                                {"name": "Raw", "buses": ["Water"], "sends": [{"id": "0x064", "length": 2, "every": "10 ms"}]}]})";
        };
        auto whole = rigFromText(text("\"first.dbc\""), path("rig.json"));
        QVERIFY2(whole.has_value(), whole ? "" : whole.error().text().c_str());
        auto session = Session::create(*whole, loadDatabases(*whole));
        QVERIFY2(session.has_value(), session ? "" : session.error().text().c_str());
        QCOMPARE((*session)->leftOut().size(), 0U);
        QCOMPARE((*session)->all<drive::Node>().size(), 2U);
        auto without = rigFromText(text("\"gone.dbc\""), path("rig.json"));
        session = Session::create(*without, loadDatabases(*without));
        QVERIFY2(session.has_value(), session ? "" : session.error().text().c_str());
        QCOMPARE((*session)->all<drive::Node>().size(), 1U);
        QCOMPARE((*session)->leftOut().size(), 2U);
        QVERIFY((*session)->leftOut()[0].text().find("fast") != std::string::npos);
        QVERIFY((*session)->leftOut()[1].text().find("Pump is not simulated") != std::string::npos);
        (*session)->runFor(std::chrono::milliseconds(100), nullptr);
        QVERIFY((*session)->trace().rows() >= 9);
        // Where every file is there, a node with an unknown message is a slip, and said so.
        auto slip = rigFromText(text("\"second.dbc\""), path("rig.json"));
        QVERIFY(!Session::create(*slip, loadDatabases(*slip)).has_value());
    }

    void whichFilesTheBusesHaveIsUndoneInTheOrderItWasDone()
    {
        Rig r = rig();
        Shelf shelf(r);
        const auto files = [&] { return r.buses[0].databases; };
        using Files = std::vector<std::string>;
        const auto other = *shelf.attach("Water", path("second.dbc"));
        shelf.apply(other, comment(shelf, other, "an edit between"));
        shelf.prefer("Water", other);
        QVERIFY(files() == (Files{"second.dbc", "first.dbc"}));
        QVERIFY(shelf.undoArranges(other) && shelf.undo(other));
        QVERIFY(files() == (Files{"first.dbc", "second.dbc"}));
        QVERIFY(!shelf.undoArranges(other) && !shelf.undo(other));    // the edit
        QVERIFY(!shelf.at(other).changed());
        QVERIFY(shelf.undo(other));                                    // the attaching
        QVERIFY(files() == (Files{"first.dbc"}));
        QVERIFY(shelf.at(other).buses.empty());
        QVERIFY(shelf.catalog({"Water"})->find(0, {101, false}) == nullptr);
        QVERIFY(!shelf.canUndo(other));
        QVERIFY(shelf.redoArranges(other) && shelf.redo(other));
        QVERIFY(!shelf.redo(other));
        QVERIFY(shelf.at(other).changed());
        QVERIFY(shelf.redo(other));
        QVERIFY(files() == (Files{"second.dbc", "first.dbc"}));
        QVERIFY(!shelf.canRedo(other));
        QVERIFY(r.document["buses"][0]["databases"][0] == "second.dbc");
        shelf.detach("Water", other);
        QVERIFY(files() == (Files{"first.dbc"}));
        QVERIFY(QFile::exists(at("second.dbc")));
        QVERIFY(shelf.undo(other));
        QVERIFY(shelf.catalog({"Water"})->find(0, {101, false}) != nullptr);
    }

    void pointingToAFileIsUndoneToTheMissingOne()
    {
        Rig r = rig(R"(["gone.dbc"])");
        Shelf shelf(r);
        const auto lost = static_cast<std::size_t>(shelf.find("gone.dbc"));
        const auto found = shelf.pointTo(lost, path("second.dbc"));
        QVERIFY(found.has_value());
        QVERIFY(r.buses[0].databases == (std::vector<std::string>{"second.dbc"}));
        QVERIFY(shelf.undo(*found));
        QVERIFY(r.buses[0].databases == (std::vector<std::string>{"gone.dbc"}));
        QVERIFY(shelf.at(static_cast<std::size_t>(shelf.find("gone.dbc"))).missing.has_value());
        // The file may come back by itself, and is attached again.
        write("gone.dbc", first);
        const auto back = shelf.attach("Air", path("gone.dbc"));
        QVERIFY(back.has_value() && !shelf.at(*back).missing);
    }

    void onlyWhatWasEditedIsCopiedForTheNextCatalog()
    {
        Rig r = rig(R"(["first.dbc", "second.dbc"])");
        Shelf shelf(r);
        const auto before = shelf.catalog({"Water"});
        shelf.apply(0, comment(shelf, 0, "seen at once"));
        const auto after = shelf.catalog({"Water"});
        QVERIFY(after->find(0, {101, false})->message == before->find(0, {101, false})->message);
        QVERIFY(after->find(0, {100, false})->message != before->find(0, {100, false})->message);
        QCOMPARE(QByteArray::fromStdString(after->find(0, {100, false})->message->comment), QByteArray("seen at once"));
        shelf.undo(0);
        QVERIFY(shelf.catalog({"Water"})->find(0, {100, false})->message->comment.empty());
    }

    void exportsLeaveTheEntryAsItIs()
    {
        Rig r = rig();
        Shelf shelf(r);
        shelf.apply(0, comment(shelf, 0, "to be seen outside"));
        for (const char* name : {"out.dbc", "out.json", "out.csv", "out.html"}) {
            QVERIFY(shelf.exportTo(0, path(name)).has_value());
            QVERIFY2(read(name).contains("PumpState"), name);
        }
        QVERIFY(shelf.at(0).changed());
        QCOMPARE(read("first.dbc"), first);
        const auto refused = shelf.exportTo(0, path("out.doc"));
        QVERIFY(!refused && refused.error().text().find(".dbc, .json, .csv or .html") != std::string::npos);
        QVERIFY(!shelf.exportTo(0, path("nowhere/out.csv")).has_value());
    }

    void aFileThatCannotBeWrittenStaysAsItWas()
    {
        Rig r = rig();
        Shelf shelf(r);
        shelf.apply(0, comment(shelf, 0, "lost?"));
        QVERIFY(QDir().mkpath(at("first.dbc.part")));  // where the new bytes would go
        QVERIFY(!shelf.save(0).has_value());
        QCOMPARE(read("first.dbc"), first);
        QVERIFY(shelf.at(0).changed());
        QVERIFY(QDir(at("first.dbc.part")).removeRecursively());
        QVERIFY(shelf.save(0).has_value());
        QVERIFY(read("first.dbc").contains("lost?"));
    }
};

QTEST_APPLESS_MAIN(ShelfTest)
#include "shelf_test.moc"
