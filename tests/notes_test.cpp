// SPDX-License-Identifier: GPL-3.0-or-later
// Notes on a run, and the smallest and largest values up to any row of it.
#include <QFile>
#include <QTemporaryDir>
#include <QTest>

#include <cmath>
#include <limits>
#include <random>

#include "database/dbc_reader.h"
#include "measure/identifier_stats.h"
#include "measure/signal_extremes.h"
#include "rig/notes.h"

using namespace wavetrope;
using namespace wavetrope::rig;

namespace {

Time at(int milliseconds) { return std::chrono::milliseconds(milliseconds); }

can::Frame frameAt(Time time, std::uint32_t id, std::uint64_t content)
{
    can::Frame frame;
    frame.time = time;
    frame.id = {id, id > 0x7FF};
    frame.length = frame.dlc = 8;
    std::memcpy(frame.data.data(), &content, 8);
    return frame;
}

}  // namespace

class NotesTest : public QObject {
    Q_OBJECT

    static std::vector<std::string> textsOf(const std::vector<const Note*>& notes)
    {
        std::vector<std::string> texts;
        for (const Note* note : notes)
            texts.push_back(note->text);
        return texts;
    }

private Q_SLOTS:
    void notesStandInTheOrderOfTime()
    {
        Notes notes;
        const auto late = notes.put({0, at(30), trace::noRow, "late"});
        notes.put({0, at(10), 4, "early"});
        notes.put({0, at(20), trace::noRow, "between"});
        QCOMPARE(textsOf(notes.search({})), (std::vector<std::string>{"early", "between", "late"}));
        // A change keeps the identity; a time moves it.
        notes.put({late, at(5), trace::noRow, "now first"});
        QCOMPARE(textsOf(notes.search({})), (std::vector<std::string>{"now first", "early", "between"}));
        QCOMPARE(notes.find(late)->text, std::string("now first"));
        notes.remove(late);
        QVERIFY(notes.find(late) == nullptr);
        QVERIFY(notes.put({0, at(1), trace::noRow, "new"}) != late);
    }

    void wordsAreSearchedWhateverTheirCase()
    {
        Notes notes;
        notes.put({0, at(1), trace::noRow, "The Blade stalls"});
        notes.put({0, at(2), trace::noRow, "water low"});
        QCOMPARE(textsOf(notes.search("bLADE")), (std::vector<std::string>{"The Blade stalls"}));
        QCOMPARE(notes.search("l").size(), std::size_t{2});
        QVERIFY(notes.search("ice").empty());
        QVERIFY(notes.at(trace::noRow) == nullptr);     // a moment is no row
    }

    void theyComeBackFromTheirFile()
    {
        QTemporaryDir folder;
        const std::string log = folder.filePath("run.pcapng").toStdString();
        QVERIFY(Notes::load(log).has_value() && Notes::load(log)->all().empty());
        Notes notes;
        notes.put({0, at(1'800'000) + Time(7), 12, "quotes \" and \xC3\xA4 umlauts\nand lines"});
        notes.put({0, at(-5), trace::noRow, "before the start"});
        QVERIFY(notes.save(log).has_value());
        const auto back = Notes::load(log);
        QVERIFY(back.has_value());
        QCOMPARE(back->all().size(), std::size_t{2});
        for (std::size_t i = 0; i < 2; ++i) {
            QCOMPARE(back->all()[i].text, notes.all()[i].text);
            QCOMPARE(back->all()[i].time, notes.all()[i].time);
            QCOMPARE(back->all()[i].row, notes.all()[i].row);
        }
        // Without notes, no file.
        QVERIFY(Notes().save(log).has_value());
        QVERIFY(!QFile::exists(QString::fromStdString(Notes::fileOf(log))));
        QVERIFY(!notes.save("/nowhere/run.pcapng").has_value());
    }

    void aFileThatIsNoneIsRefusedAsAWhole_data()
    {
        QTest::addColumn<QByteArray>("text");
        QTest::newRow("empty") << QByteArray();
        QTest::newRow("no JSON") << QByteArray("notes: none");
        QTest::newRow("another document") << QByteArray("{\"wavetrope\": 1, \"notes\": []}");
        QTest::newRow("no list") << QByteArray("{\"wavetrope_notes\": 1, \"notes\": 7}");
        QTest::newRow("a note without text") << QByteArray(
            "{\"wavetrope_notes\": 1, \"notes\": [{\"time\": \"1.0\", \"text\": \"good\"}, {\"time\": \"2.0\"}]}");
        QTest::newRow("a time that is none") << QByteArray("{\"wavetrope_notes\": 1, \"notes\": [{\"time\": \"soon\", \"text\": \"x\"}]}");
        QTest::newRow("a time that is too large")
            << QByteArray("{\"wavetrope_notes\": 1, \"notes\": [{\"time\": \"99999999999999999999.0\", \"text\": \"x\"}]}");
    }
    void aFileThatIsNoneIsRefusedAsAWhole()
    {
        QFETCH(QByteArray, text);
        QTemporaryDir folder;
        const std::string log = folder.filePath("run.pcapng").toStdString();
        QFile file(QString::fromStdString(Notes::fileOf(log)));
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(text);
        file.close();
        const auto read = Notes::load(log);
        QVERIFY(!read.has_value());
        QVERIFY(read.error().text().find(".notes.json") != std::string::npos);
        QVERIFY(read.error().text().find("log itself is not affected") != std::string::npos);
    }

    void aNoteOnARowThatIsAnotherNowKeepsItsMoment()
    {
        trace::Trace trace;
        trace.addBus({"Bus", {}});
        for (int i = 0; i < 10; ++i)
            trace.append(frameAt(at(i), 1, 0).view());
        Notes notes;
        notes.put({0, at(3), 3, "right"});
        notes.put({0, at(3), 4, "another row"});
        notes.put({0, at(50), 50, "behind the end"});
        notes.settle(trace.snapshot());
        QCOMPARE(notes.at(3)->text, std::string("right"));
        QVERIFY(notes.at(4) == nullptr && notes.at(50) == nullptr);
        QCOMPARE(notes.all().size(), std::size_t{3});
    }

    // At any row, in any order of asking, while the trace grows: the same as going through all frames before it.
    void extremesAgreeWithGoingThroughAllFrames()
    {
        const auto database = database::readDbc(
            "VERSION \"\"\nBU_: A\nBO_ 1 Message: 8 A\n SG_ Kind M : 0|2@1+ (1,0) [0|0] \"\" A\n SG_ Low m0 : 8|16@1- (0.5,3) [0|0] \"\" "
            "A\n SG_ Value : 32|32@1- (1,0) [0|0] \"\" A\nSIG_VALTYPE_ 1 Value : 1;\n",
            "x")
                                  .database;
        database::Catalog catalog;
        catalog.attach(catalog.addBus("Bus"), std::make_shared<const database::Database>(database));
        const database::CatalogMessage& message = *catalog.find(0, {1, false});
        trace::Trace trace;
        trace.addBus({"Bus", {}});
        std::mt19937_64 random(31);
        const auto grow = [&](int frames) {
            for (int i = 0; i < frames; ++i)
                trace.append(frameAt(at(static_cast<int>(trace.rows())), random() % 3 == 0 ? 1 : 2, random()).view());
        };
        grow(1000);
        const trace::IdentifierIndex identifier = *trace.find({0, false, {1, false}});
        measure::SignalExtremes extremes(identifier, message);
        for (int round = 0; round < 6; ++round) {
            grow(40'000);
            const auto snapshot = trace.snapshot();
            for (int steps = 0; !extremes.advance(snapshot, 5000); ++steps)
                QVERIFY(steps < 100);
            for (int ask = 0; ask < 8; ++ask) {
                const trace::Row limit = ask == 0 ? 0 : ask == 1 ? snapshot.rows() : random() % snapshot.rows();
                QVERIFY(extremes.reaches(limit));
                const auto found = extremes.before(snapshot, limit);
                std::vector<measure::RangeSummary> wanted(3);
                std::vector<database::Decoded> decoded;
                snapshot.eachOf(identifier, 0, [&](trace::Row row, const can::FrameView& frame) {
                    if (row >= limit)
                        return false;
                    decoded.clear();
                    message.plan.decode(frame, decoded);
                    for (const auto& value : decoded)
                        if (!std::isnan(value.value))
                            wanted[value.signal].add(value.value);
                    return true;
                });
                for (std::size_t i = 0; i < wanted.size(); ++i) {
                    QCOMPARE(found[i].count, wanted[i].count);
                    QVERIFY(found[i].low == wanted[i].low && found[i].high == wanted[i].high);
                }
            }
        }
        // An identifier that falls silent for whole segments costs and changes nothing.
        for (int i = 0; i < 200'000; ++i)
            trace.append(frameAt(at(static_cast<int>(trace.rows())), 2, 0).view());
        const auto before = extremes.before(trace.snapshot(), trace.rows());
        QVERIFY(extremes.advance(trace.snapshot()));
        QCOMPARE(extremes.before(trace.snapshot(), trace.rows())[2].count, before[2].count);
    }

    void severalIdentifiersCountAsOne()
    {
        trace::Trace trace;
        trace.addBus({"Bus", {}});
        const std::uint32_t ids[] = {0x18FEF121, 0x0CFEF121, 0x18FEF122};
        for (int i = 0; i < 300; ++i)
            trace.append(frameAt(at(10 * i + (i % 2 == 0 ? 0 : 4)), ids[i % 3], static_cast<std::uint64_t>(i)).view());
        const auto snapshot = trace.snapshot();
        std::vector<trace::IdentifierIndex> first;
        for (const std::uint32_t id : {ids[0], ids[1]})
            first.push_back(*trace.find({0, false, {id, true}}));
        for (const trace::Row limit : {trace::Row{0}, trace::Row{1}, trace::Row{2}, trace::Row{151}, trace::Row{300}}) {
            const auto moment = measure::momentOf(snapshot, first, limit, 10);
            std::vector<trace::Row> rows;
            for (trace::Row row = 0; row < limit; ++row)
                if (row % 3 != 2)
                    rows.push_back(row);
            QCOMPARE(moment.count, static_cast<std::uint64_t>(rows.size()));
            QCOMPARE(moment.row, rows.empty() ? trace::noRow : rows.back());
            QCOMPARE(moment.beats.size(), std::min<std::size_t>(10, rows.size()));
            for (std::size_t i = 0; i < moment.beats.size(); ++i)
                QCOMPARE(moment.beats[i], snapshot.time(rows[rows.size() - moment.beats.size() + i]));
            Time low = Time::max();
            Time high{0};
            for (std::size_t i = 1; i < moment.beats.size(); ++i) {
                low = std::min(low, moment.beats[i] - moment.beats[i - 1]);
                high = std::max(high, moment.beats[i] - moment.beats[i - 1]);
            }
            QCOMPARE(moment.spread(), moment.beats.size() < 3 ? Time{0} : high - low);
        }
    }
};

QTEST_APPLESS_MAIN(NotesTest)
#include "notes_test.moc"
