// SPDX-License-Identifier: GPL-3.0-or-later
// What a run is set up from: rigs that are like others, databases that are missing, catalogs for logs; the parts that
// grow while others read; the words of a filter.
#include <QDir>
#include <QFile>
#include <QTemporaryDir>
#include <QTest>

#include <atomic>
#include <thread>

#include "filter/lexer.h"
#include "measure/load_series.h"
#include "rig/rig.h"
#include "rig/session.h"
#include "trace/published_list.h"

using namespace wavetrope;
using namespace wavetrope::rig;

class SetUpTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;

    std::string write(const char* name, const QByteArray& text)
    {
        QFile file(folder_.filePath(name));
        if (!file.open(QIODevice::WriteOnly))
            qFatal("cannot write %s", name);
        file.write(text);
        return file.fileName().toStdString();
    }

private Q_SLOTS:
    void aRigLikeAnotherTakesWhatItDoesNotSay()
    {
        write("base.json",
            "{\"wavetrope\": 1, \"name\": \"base\", \"seed\": 3, \"story\": \"10 s\", \"buses\": [{\"name\": \"A\", \"rate\": \"500k\"}], "
            "\"nodes\": [{\"name\": \"One\", \"buses\": [\"A\"]}, {\"name\": \"Two\", \"buses\": [\"A\"], \"state\": \"old\"}]}");
        const auto rig = loadRig(
            write("like.json", "{\"wavetrope\": 1, \"like\": \"base.json\", \"name\": \"like\", \"nodes\": [{\"name\": \"Two\", \"buses\": "
                               "[\"A\"], \"state\": \"new\"}, {\"name\": \"Three\", \"buses\": [\"A\"]}]}"));
        QVERIFY2(rig.has_value(), rig ? "" : rig.error().text().c_str());
        QCOMPARE(rig->name, std::string("like"));
        QCOMPARE(rig->seed, 3U);
        QCOMPARE(rig->story, Time(10'000'000'000));
        QCOMPARE(rig->nodes.size(), 3U);
        QCOMPARE(rig->nodes[1].state, std::string("new"));
        QCOMPARE(rig->nodes[2].name, std::string("Three"));
    }

    void whatIsSavedKeepsTheTextThatWasNotChanged()
    {
        const QByteArray text = "{\n  \"wavetrope\": 1,\n  \"name\": \"hand made\",  \"seed\": 7,\n\n  \"note\": 1.50,\n  \"buses\": [ "
                                "{\"rate\": \"500k\", \"name\": \"A\"} ],\n  \"nodes\": []\n}\n";
        const std::string path = write("kept.json", text);
        const auto bytes = [](const std::string& name) {
            QFile file(QString::fromStdString(name));
            return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
        };
        auto rig = loadRig(path);
        QVERIFY(rig.has_value());
        QVERIFY(!rig->changed());
        QVERIFY(saveRig(*rig, path).has_value());
        QCOMPARE(bytes(path), text);
        // One value is another: that line alone is.
        rig->setFacts("hand made", 8, rig->story);
        QVERIFY(rig->changed());
        QVERIFY(saveRig(*rig, path).has_value());
        QVERIFY(!rig->changed());
        QCOMPARE(bytes(path), QByteArray(text).replace("\"seed\": 7", "\"seed\": 8"));
        // Fields that are not known here and the order of all stay; what is new stands behind.
        rig->document["filters"] = nlohmann::json::array({{{"name", "f"}, {"filter", "id 1"}}});
        QVERIFY(saveRig(*rig, path).has_value());
        const QByteArray now = bytes(path);
        QVERIFY(now.contains("\"note\": 1.50") && now.indexOf("\"note\"") < now.indexOf("\"buses\"")
                && now.indexOf("\"nodes\"") < now.indexOf("\"filters\""));
        const auto again = loadRig(path);
        QVERIFY2(again.has_value(), again ? "" : again.error().text().c_str());
        QCOMPARE(again->seed, 8U);
        QVERIFY(again->document == rig->document);
    }

    void aRigLikeOneThatIsLikeAnotherIsRefused()
    {
        write("loop.json", "{\"wavetrope\": 1, \"like\": \"loop.json\"}");
        const auto rig = loadRig((folder_.path() + "/loop.json").toStdString());
        QVERIFY(!rig);
        QVERIFY(rig.error().text().find("stands alone") != std::string::npos);
    }

    void aMissingDatabaseIsNamedAndTheRigStillRuns()
    {
        const auto rig = loadRig(write("missing.json",
            "{\"wavetrope\": 1, \"name\": \"x\", \"buses\": [{\"name\": \"A\", \"rate\": \"500k\", \"databases\": [\"gone.dbc\"]}], "
            "\"nodes\": [{\"name\": \"N\", \"buses\": [\"A\"], \"sends\": [{\"id\": \"0x123\", \"bus\": \"A\", \"every\": \"10 ms\"}]}]}"));
        const LoadedDatabases databases = loadDatabases(*rig);
        QCOMPARE(databases.problems.size(), 1U);
        QVERIFY(databases.problems[0].text().find("gone.dbc") != std::string::npos);
        auto session = Session::create(*rig, databases);
        QVERIFY(session.has_value());
        (*session)->runFor(std::chrono::milliseconds(95), nullptr);
        QCOMPARE((*session)->trace().rows(), 10U);
    }

    void anEventWithAMistypedConditionIsNamed()
    {
        const auto rig = loadRig(
            write("event.json", "{\"wavetrope\": 1, \"name\": \"x\", \"buses\": [{\"name\": \"A\", \"rate\": \"500k\"}], \"events\": "
                                "[{\"name\": \"odd\", \"when\": \"id 0x100 adn id 0x200\"}]}"));
        QVERIFY(rig.has_value());
        const auto session = Session::create(*rig, {});
        QVERIFY(!session);
        QVERIFY2(session.error().text().find("event odd, /events/0/when: column 10") != std::string::npos, session.error().text().c_str());
    }

    void aKernelInterfaceThatIsMissingIsNamedWithItsBus()
    {
        const auto rig = loadRig(
            write("kernel.json", "{\"wavetrope\": 1, \"name\": \"x\", \"buses\": [{\"name\": \"Real\", \"interface\": \"nocan9\"}]}"));
        QVERIFY(rig.has_value());
        const auto session = Session::create(*rig, {});
        QVERIFY(session.has_value());       // the rest of the rig runs
        QCOMPARE((*session)->leftOut().size(), 1U);
        QVERIFY((*session)->leftOut().front().text().find("bus Real, nocan9") != std::string::npos);
        QCOMPARE((*session)->health().front().state, bus::Health::State::down);
        QVERIFY(!(*session)->health().front().alive);
        QVERIFY((*session)->health().front().words.find("nocan9") != std::string::npos);
    }

    void instantsAreReadExactly_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<qint64>("seconds");  // -1: refused
        QTest::newRow("start of 1970") << "1970-01-01T00:00:01Z" << qint64{1};
        QTest::newRow("demo") << "2027-02-01T18:00:00Z" << qint64{1801504800};
        QTest::newRow("leap day") << "2028-02-29T00:00:00Z" << qint64{1835395200};
        QTest::newRow("no leap day") << "2027-02-29T00:00:00Z" << qint64{-1};
        QTest::newRow("month 13") << "2027-13-01T00:00:00Z" << qint64{-1};
        QTest::newRow("hour 24") << "2027-01-01T24:00:00Z" << qint64{-1};
        QTest::newRow("no zone") << "2027-01-01T00:00:00" << qint64{-1};
        QTest::newRow("past 2262") << "2300-01-01T00:00:00Z" << qint64{-1};
        QTest::newRow("before 1970") << "1969-12-31T23:59:59Z" << qint64{-1};
    }
    void instantsAreReadExactly()
    {
        QFETCH(QString, text);
        QFETCH(qint64, seconds);
        const auto rig = rigFromText("{\"wavetrope\": 1, \"begins\": \"" + text.toStdString() + "\"}", "x");
        QCOMPARE(rig.has_value(), seconds >= 0);
        if (rig)
            QCOMPARE(rig->begins, Time(std::chrono::seconds(seconds)));
    }

    void pathsAreRelativeToTheRig()
    {
        Rig rig;
        rig.path = "/somewhere/rig.json";
        QCOMPARE(rig.resolve("a.dbc"), std::string("/somewhere/a.dbc"));
        QCOMPARE(rig.resolve("/else/a.dbc"), std::string("/else/a.dbc"));
    }

    void aLogTakesTheDatabasesOfBusesOfItsNames()
    {
        const auto rig = loadRig(WAVETROPE_DEMO "/rig.json");
        const auto databases = loadDatabases(*rig);
        QVERIFY(databases.problems.empty());
        const auto catalog = catalogFor({"Scanner", "Cellar", "Implement"}, *rig, databases);
        QVERIFY(catalog->find(0, {0x310, false}) != nullptr);
        QVERIFY(catalog->find(1, {0x310, false}) == nullptr);
        QVERIFY(catalog->find(2, {0x181, false}) != nullptr);
        QVERIFY(catalog->find(0, {0x181, false}) == nullptr);
    }

    void everyMessageOfTheDemoIsSentAndExplained()
    {
        const auto rig = loadRig(WAVETROPE_DEMO "/rig.json");
        SessionOptions options;
        options.measured = false;
        auto session = Session::create(*rig, loadDatabases(*rig), options);
        QVERIFY(session.has_value());
        (*session)->runFor(std::chrono::seconds(118), nullptr);     // the docking is behind second 106
        for (const auto& message : (*session)->catalog()->messages())  // what is sent on request alone nobody asks for
            QVERIFY2((*session)->trace().find({message.bus, false, message.message->id}).has_value()
                         == (message.message->sendType != "onRequest"),
                message.message->name.c_str());
        int undefined = 0;
        for (trace::IdentifierIndex i = 0; i < (*session)->trace().identifierCount(); ++i) {
            const auto& key = (*session)->trace().key(i);
            undefined += (*session)->catalog()->find(key.bus, key.id) == nullptr ? 1 : 0;
        }
        QCOMPARE(undefined, 1);  // the one that has no definition on purpose
    }

    void theDemoHasEveryKindOfSignal()
    {
        const auto rig = loadRig(WAVETROPE_DEMO "/rig.json");
        const auto catalog = catalogOf(*rig, loadDatabases(*rig));
        bool intel = false, motorola = false, isSigned = false, single = false, floating = false, flag = false, texts = false,
             multiplexed = false, wide = false, fd = false, extended = false;
        for (const auto& message : catalog->messages()) {
            fd = fd || message.message->fd;
            extended = extended || message.message->id.extended;
            for (const database::Signal& signal : message.message->signals) {
                intel = intel || signal.order == database::ByteOrder::intel;
                motorola = motorola || signal.order == database::ByteOrder::motorola;
                isSigned = isSigned || signal.isSigned;
                single = single || signal.type == database::ValueType::single;
                floating = floating || signal.type == database::ValueType::floating;
                flag = flag || signal.length == 1;
                texts = texts || !signal.texts.empty();
                multiplexed = multiplexed || signal.mux == database::MuxRole::multiplexed;
                wide = wide || (signal.length > 32 && signal.type == database::ValueType::integer);
                QVERIFY2(database::planOf(signal).lastByte < message.message->length, signal.name.c_str());
            }
        }
        QVERIFY(intel && motorola && isSigned && single && floating && flag && texts && multiplexed && wide && fd && extended);
    }

    void theStoryGoesRound()
    {
        const auto rig = rigFromText(
            "{\"wavetrope\": 1, \"name\": \"x\", \"begins\": \"2027-02-01T18:00:00Z\", \"story\": \"1 s\", \"buses\": [{\"name\": \"A\", "
            "\"rate\": \"500k\"}], \"nodes\": [{\"name\": \"N\", \"buses\": [\"A\"], \"sends\": [{\"id\": \"0x123\", \"bus\": \"A\", "
            "\"every\": \"100 ms\", \"bytes\": {\"0\": \"t * 10\"}}]}]}",
            "x");
        auto session = Session::create(*rig, {});
        QVERIFY(session.has_value());
        (*session)->runFor(std::chrono::milliseconds(2450), nullptr);
        const auto snapshot = (*session)->trace().snapshot();
        QCOMPARE(snapshot.rows(), 25U);
        for (trace::Row row = 0; row < 25; ++row)
            QCOMPARE(unsigned{snapshot.frame(row).data[0]}, static_cast<unsigned>(row % 10));
    }

    void aListGrowsWhileOthersRead()
    {
        trace::PublishedList<std::uint64_t, 2> list;
        std::atomic<bool> done{false};
        std::atomic<int> wrong{0};
        std::thread reader([&] {
            while (!done) {
                const std::size_t size = list.size();
                for (std::size_t i = size > 100 ? size - 100 : 0; i < size; ++i)
                    if (list[i] != i * 3)
                        ++wrong;
            }
        });
        for (std::uint64_t i = 0; i < 300'000; ++i)
            list.append(i * 3);
        done = true;
        reader.join();
        QCOMPARE(wrong.load(), 0);
        for (const std::size_t i : {0UL, 3UL, 4UL, 11UL, 12UL, 299'999UL})
            QCOMPARE(list[i], i * 3);
    }

    void wordsOfAFilterAreToldApart()
    {
        filter::Lexer lexer("  BladeDepth>=4mm and(id 0x200..0x2FF)or name \"a b\"!=");
        std::vector<std::pair<std::string, std::size_t>> seen;
        for (;;) {
            const filter::Token token = lexer.take();
            if (token.kind == filter::Token::Kind::end)
                break;
            seen.emplace_back(std::string(token.text), token.at);
        }
        const std::vector<std::pair<std::string, std::size_t>> wanted = {{"BladeDepth", 2}, {">=", 12}, {"4mm", 14}, {"and", 18}, {"(", 21},
            {"id", 22}, {"0x200..0x2FF", 25}, {")", 37}, {"or", 38}, {"name", 41}, {"a b", 46}, {"!=", 51}};
        QCOMPARE(seen.size(), wanted.size());
        for (std::size_t i = 0; i < wanted.size(); ++i) {
            QCOMPARE(seen[i].first, wanted[i].first);
            QCOMPARE(seen[i].second, wanted[i].second);
        }
        filter::Lexer open("name \"never closed");
        open.take();
        QVERIFY(open.openQuote());
    }

    void aLoadCurveKeptUpIsThatOfTheWhole()
    {
        measure::LoadBins bins({500'000, 0}, std::chrono::milliseconds(1));
        std::unique_ptr<measure::LoadSeries> kept;
        Time time = std::chrono::seconds(1'800'000'000);
        const Time start = time;
        can::Frame frame;
        frame.length = frame.dlc = 8;
        for (int i = 0; i < 20'000; ++i) {
            time += std::chrono::microseconds(400 + i * 7919 % 1500);
            frame.time = time;
            bins.add(frame.view());
            if (kept == nullptr)
                kept = std::make_unique<measure::LoadSeries>(bins, std::chrono::milliseconds(20));
            else if (i % 97 == 0)
                kept->update(bins);
        }
        kept->update(bins);
        const measure::LoadSeries whole(bins, std::chrono::milliseconds(20));
        QCOMPARE(kept->start(), whole.start());
        QCOMPARE(kept->end(), whole.end());
        for (Time at = start; at < time; at += std::chrono::milliseconds(20))
            QCOMPARE(kept->at(at), whole.at(at));
        QCOMPARE(whole.at(start - std::chrono::hours(1)), 0.0);
        QCOMPARE(whole.over(time + std::chrono::hours(1), time + std::chrono::hours(2)).high, 0.0);
    }

    void aWeekOfSilenceCostsNothing()
    {
        measure::LoadBins bins({500'000, 0}, std::chrono::milliseconds(1));
        can::Frame frame;
        frame.time = std::chrono::seconds(1'800'000'000);
        bins.add(frame.view());
        frame.time += std::chrono::hours(24 * 7);
        bins.add(frame.view());
        QCOMPARE(bins.bin(bins.indexOf(frame.time)).frames, 1U);
        QVERIFY(bins.busy(bins.first(), bins.last()) > 0);
        QVERIFY(bins.busy(bins.first() + 10, bins.last() - 10) == 0);
    }
};

QTEST_GUILESS_MAIN(SetUpTest)
#include "set_up_test.moc"
