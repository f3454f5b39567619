// SPDX-License-Identifier: GPL-3.0-or-later
// The command line, as other programs call it.
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>

#include <csignal>

#include "pcapng_builder.h"
#include "sanitized.h"
#include "vector_file.h"

namespace {

struct Result {
    int code = -1;
    QByteArray out;
    QByteArray err;
    [[nodiscard]] QList<QByteArray> lines() const { return out.trimmed().split('\n'); }
};

Result call(const QStringList& arguments)
{
    QProcess process;
    process.start(QStringLiteral(WAVETROPE_CLI), arguments);
    if (!process.waitForFinished(120'000))
        return {};
    return {process.exitStatus() == QProcess::NormalExit ? process.exitCode() : -1, process.readAllStandardOutput(),
        process.readAllStandardError()};
}

const QString demo = QStringLiteral(WAVETROPE_DEMO);

}  // namespace

class CliTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    QString run_;

private Q_SLOTS:
    void initTestCase()
    {
        run_ = folder_.filePath("run.pcapng");
        const Result result = call({"run", demo + "/rig.json", "--for", "12s", "--virtual", "--record", run_});
        QCOMPARE(result.code, 0);
        QVERIFY(result.err.contains(" 0 lost"));
    }

    void encodePutsMessagesTogether()
    {
        const QString database = demo + "/implement.dbc";
        const Result good = call({"encode", "--database", database, "BladeCommand CommandedDepth=3.5",
            "0x201 CommandedTilt=-0.01 Release=1", "0x1F0 11 22", "WaterState Valve=open Flow=\"12 l/min\""});
        QCOMPARE(good.code, 0);
        QCOMPARE(good.lines(), (QList<QByteArray>{"message,id,data", "BladeCommand,0x201,5E010000", "BladeCommand,0x201,00F0FF01",
                                   ",0x1F0,1122", "WaterState,0x182,F000000000100000"}));
        QVERIFY(good.err.contains("BladeCommand.CommandedTilt is 0 deg, zero: no start value"));
        // All or none, and why.
        const Result bad = call(
            {"encode", "--database", database, "BladeCommand CommandedDepth=3.5", "BladeCommand CommandedDepth=21", "BladeComand"});
        QCOMPARE(bad.code, 2);
        QVERIFY(bad.out.isEmpty());
        QVERIFY(bad.err.contains("CommandedDepth cannot hold 21. Its 12 bits hold -20.48 to 20.47 mm")
                && bad.err.contains("Did you mean BladeCommand?"));
        QVERIFY(call({"encode", "--database", database, "BladeCommand CommandedDepth=13"}).err.contains("above 12 mm"));
    }

    void sendPutsMessagesOnABus()
    {
        const auto write = [&](const char* name, const QByteArray& text) {
            QFile file(folder_.filePath(name));
            return file.open(QIODevice::WriteOnly) && file.write(text) == text.size() ? file.fileName() : QString();
        };
        const QString rig = write("send.json",
            R"({"wavetrope": 1, "name": "s", "begins": "2027-02-01T18:00:00Z", "buses": [{"name": "Main", "rate": "500k/2M"}, {"name": "Slow", "rate": "125k"}],
                "outbox": [{"name": "One", "rows": [{"bus": "Slow", "frame": "0x111 1", "every": "100 ms"}, {"bus": "Slow", "message": "Lost", "every": "1 ms"}]},
                           {"name": "Two", "rows": [{"bus": "Main", "frame": "0x222 2", "every": "50 ms", "count": 3}]}]})");
        const QString log = folder_.filePath("sent.pcapng");
        const auto rows = [&](const QStringList& arguments) {
            const Result result = call(QStringList{"send", rig} + arguments + QStringList{"--virtual", "--record", log, "--overwrite"});
            return result.code == 0 ? call({"list", log, "--columns", "time,bus,dir,kind,id,length,data"}).lines().mid(1)
                                    : QList<QByteArray>{result.err};
        };
        // 0x310 fd 11 22 without the switch: the end of its last bit at 500 kbit/s.
        QCOMPARE(rows({"--bus", "Slow", "0x1F0 remote 8"}), (QList<QByteArray>{"1801504800.000384000,Slow,sent,remote,0x1F0,8,"}));
        const QList<QByteArray> beats = rows({"--bus", "Slow", "0x100 55 55", "0x101 AA", "--every", "10ms", "--for", "30ms"});
        QCOMPARE(beats.size(), qsizetype{8});
        for (int k = 0; k < 4; ++k) {
            const QByteArray at = "1801504800.0" + QByteArray::number(k) + "0";
            QVERIFY2(beats[2 * k].startsWith(at) && beats[2 * k].endsWith("Slow,sent,data,0x100,2,5555"), beats[2 * k].constData());
            QVERIFY(beats[2 * k + 1].endsWith("Slow,sent,data,0x101,1,AA"));
            QCOMPARE(beats[2 * k].mid(13, 7), beats[0].mid(13, 7));     // each as far behind its beat
        }
        QCOMPARE(rows({"--bus", "Slow", "0x100 55 55", "--every", "10ms", "--count", "7"}).size(), qsizetype{7});
        QCOMPARE(rows({"--bus", "Slow", "0x100 55 55", "--every", "10ms", "--count", "7", "--for", "25ms"}).size(), qsizetype{3});
        QCOMPARE(rows({"--bus", "Main", "BladeCommand CommandedDepth=3.5", "--database", "Main=" + demo + "/implement.dbc"}).size(),
            qsizetype{1});
        QCOMPARE(rows({"--bus", "Main", "--database", demo + "/implement.dbc", "--database", "Slow=" + demo + "/body.dbc", "BladeCommand",
                          "ServiceRequest"})
                     .size(),
            qsizetype{2});      // each option has one value: what follows is a message
        // What is wrong is said before anything is sent.
        const auto refused = [&](const QStringList& arguments, const char* words) {
            const Result result = call(QStringList{"send"} + arguments);
            if (result.code != 2 || !result.err.contains(words))
                qWarning("%d %s", result.code, result.err.constData());
            return result.code == 2 && result.err.contains(words);
        };
        QVERIFY(refused({rig, "--bus", "Slow", "0x310 fd 11", "--virtual"}, "classic frames of up to 8"));
        QVERIFY(refused({rig, "--bus", "Slow", "0x310 11", "--every", "0", "--virtual"}, "more than 0"));
        QVERIFY(refused({rig, "--bus", "Slow", "0x310 11", "--every", "1ms", "--virtual"}, "would never end"));
        QVERIFY(refused({rig, "--bus", "Slwo", "0x310 11", "--virtual"}, "Did you mean Slow?"));
        QVERIFY(refused({rig, "0x310 11", "--virtual"}, "Name one of its buses with --bus"));
        QVERIFY(refused({"0x310 11", "--virtual"}, "where to send to"));
        QVERIFY(refused({rig, "--bus", "Slow", "Nothing A=1", "--virtual"}, "has the message 'Nothing'"));
        QVERIFY(refused({rig, "--bus", "Slow", "0x310 11", "--after", "1ms", "--virtual"}, "--after belongs to --answer"));
        QVERIFY(
            refused({demo + "/rig.json", "--bus", "Implement", "BladeCommand CommandedDepth=3", "--virtual"}, "also sent by LevelControl"));
        // An answer to each of a node's frames; who sends all the same.
        const Result answered = call({"send", demo + "/rig.json", "--bus", "Implement", "0x602 1", "--answer", "name BladeCommand",
            "--after", "1ms", "--count", "5", "--virtual", "--record", log, "--overwrite"});
        QCOMPARE(answered.code, 0);
        QVERIFY(answered.err.contains("5 frames sent, 0 refused"));
        QCOMPARE(call({"count", log, "--filter", "id 0x602"}).out.trimmed(), QByteArray("5"));
        QCOMPARE(
            call({"send", demo + "/rig.json", "--bus", "Implement", "BladeCommand CommandedDepth=3", "--anyway", "--virtual"}).code, 0);
        QCOMPARE(call({"send", demo + "/rig.json", "--bus", "Implement", "BladeCommand CommandedDepth=3", "--without", "LevelControl",
                          "--virtual"})
                     .code,
            0);

        // The rig's own outbox: all of it, or the groups that are named; what cannot be sent is named, and the rest goes out.
        const auto ran = [&](const QStringList& arguments) {
            const Result result = call(QStringList{"run", rig, "--for", "1s", "--virtual", "--record", log, "--overwrite"} + arguments);
            return std::tuple(result.code, call({"count", log}).out.trimmed().toInt(), result.err);
        };
        QCOMPARE(std::get<1>(ran({})), 0);
        const auto [code, frames, words] = ran({"--outbox"});
        QCOMPARE(code, 0);
        QCOMPARE(frames, 13);       // 0 to 900 ms, and three
        QVERIFY(words.contains("a row of the outbox is held: no database of Slow has the message 'Lost'"));
        QCOMPARE(std::get<1>(ran({"--outbox", "Two"})), 3);
        QCOMPARE(std::get<1>(ran({"--outbox", "One", "Two"})), 13);
        QCOMPARE(std::get<0>(ran({"--outbox", "Three"})), 2);
    }

    void listPrintsTheReferenceCapturesRowForRow_data()
    {
        QTest::addColumn<QString>("log");
        QTest::addColumn<QString>("csv");
        QTest::newRow("a") << "capture-a.pcapng" << "capture-a.csv";
        QTest::newRow("b") << "capture-b.pcapng" << "capture-b.csv";
        QTest::newRow("c") << "capture-c.pcap" << "capture-c.csv";
    }
    void listPrintsTheReferenceCapturesRowForRow()
    {
        QFETCH(QString, log);
        QFETCH(QString, csv);
        const Result result = call({"list", dataPath(log.toLatin1()), "--columns", "time,bus,dir,kind,id,brs,esi,length,data,dlc"});
        QCOMPARE(result.code, 0);
        QFile file(dataPath(csv.toLatin1()));
        QVERIFY(file.open(QIODevice::ReadOnly));
        QCOMPARE(result.out, file.readAll().replace("\r\n", "\n"));
    }

    void decodePrintsTheReferenceSignals()
    {
        const Result result = call({"decode", run_, "--database", "Implement=" + demo + "/implement.dbc", "--signals", "WaterState.Valve"});
        QCOMPARE(result.code, 0);
        QCOMPARE(result.lines()[0], QByteArray("time,bus,id,message,signal,raw,value,unit,label"));
        QVERIFY(result.lines()[1].endsWith(",Implement,0x182,WaterState,Valve,0,0,,closed"));
        QVERIFY(result.lines().last().endsWith(",1,1,,open"));
    }

    void infoAndListAgree()
    {
        const Result info = call({"info", run_, "--json"});
        QCOMPARE(info.code, 0);
        const QJsonObject json = QJsonDocument::fromJson(info.out).object();
        const Result list = call({"list", run_});
        QCOMPARE(json["frames"].toInt(), static_cast<int>(list.lines().size()) - 1);
        QCOMPARE(json["buses"].toArray().size(), 4);
        QCOMPARE(json["buses"].toArray()[3].toObject()["data_bit_rate"].toInt(), 2000000);
        int sum = 0;
        for (const auto& identifier : json["identifiers"].toArray())
            sum += identifier.toObject()["frames"].toInt();
        QCOMPARE(sum, json["frames"].toInt());
    }

    void filtersCutDownAndMistakesAreNamed()
    {
        const QStringList database{"--database", "Implement=" + demo + "/implement.dbc"};
        const Result water = call(
            QStringList{"list", run_, "--filter", "from WaterUnit and not id 0x702", "--columns", "name,sender"} + database);
        QCOMPARE(water.code, 0);
        QVERIFY(water.lines().size() > 500);
        for (const QByteArray& line : water.lines().mid(1))
            QVERIFY(line.endsWith(",WaterUnit") && !line.startsWith("WaterHeartbeat"));
        const Result wrong = call(QStringList{"list", run_, "--filter", "from WaterUnit adn id 0x702"} + database);
        QCOMPARE(wrong.code, 2);
        QVERIFY(wrong.err.contains("column 16"));
        QVERIFY(wrong.out.isEmpty());
    }

    void countAgreesWithListOnAnyNumberOfThreads()
    {
        const QStringList database{"--database", "Implement=" + demo + "/implement.dbc"};
        for (const char* filter : {"", "bus Scanner", "BladeState.BladeDepth changes by 0.02", "gap > 60 ms",
                 "bus Implement every 7 per id", "within 5 ms after (id 0x181 and byte 0 mask 0x80)"}) {
            const qsizetype rows = call(QStringList{"list", run_, "--columns", "id", "--filter", filter} + database).lines().size() - 1;
            QVERIFY2(rows > 0, filter);
            for (const char* threads : {"1", "3"}) {
                const Result count = call(QStringList{"count", run_, "--filter", filter, "--threads", threads} + database);
                QCOMPARE(count.code, 0);
                QCOMPARE(count.out.trimmed().toLongLong(), rows);
            }
        }
        QCOMPARE(call({"count", run_, "--filter", "bsu Scanner"}).code, 2);
    }

    void filtersOfARigAreUsedByName()
    {
        QTemporaryDir folder;
        QFile rig(folder.filePath("named.json"));
        QVERIFY(rig.open(QIODevice::WriteOnly));
        rig.write(
            R"({"wavetrope": 1, "name": "named", "filters": [{"name": "water", "expression": "id 0x182 or id 0x282"}, {"name": "late", "expression": "@water and gap > 60 ms"}]})");
        rig.close();
        const Result named = call({"count", run_, "--filters-of", rig.fileName(), "--filter", "@water"});
        QCOMPARE(named.code, 0);
        QCOMPARE(named.out, call({"count", run_, "--filter", "id 0x182 or id 0x282"}).out);
        QCOMPARE(call({"count", run_, "--filters-of", rig.fileName(), "--filter", "@late"}).out,
            call({"count", run_, "--filter", "(id 0x182 or id 0x282) and gap > 60 ms"}).out);
        const Result unknown = call({"count", run_, "--filters-of", rig.fileName(), "--filter", "@ice"});
        QCOMPARE(unknown.code, 2);
        QVERIFY(unknown.err.contains("Its filters are late, water"));
        QCOMPARE(call({"count", run_, "--filters-of", folder.filePath("none.json"), "--filter", "@ice"}).code, 2);
    }

    void loadPrintsEveryBinOfEveryBus()
    {
        const Result load = call({"load", run_, "--span", "1s"});
        QCOMPARE(load.code, 0);
        QCOMPARE(load.lines()[0], QByteArray("time,bus,load_percent,frames"));
        QCOMPARE(load.lines().size(), 1 + 12 * 4);
        QVERIFY(load.lines()[1].startsWith("1801504800.000000000,Chassis,3"));
        const Result unknown = call({"load", dataPath("capture-c.pcap"), "--span", "100ms"});
        QCOMPARE(unknown.code, 2);
        QVERIFY(unknown.err.contains("bit rate"));
        QCOMPARE(call({"load", dataPath("capture-c.pcap"), "--bit-rate", "500k", "--span", "100ms"}).code, 0);
        QCOMPARE(call({"load", run_, "--span", "never"}).code, 2);
        QCOMPARE(call({"load", run_, "--bit-rate", "Attic=500k"}).code, 2);
    }

    // Whatever the rate and the span, the bins hold all bits, also those that stand before the first stamp.
    void loadHoldsAllBitsThoughABusIsFuller()
    {
        const QString log = folder_.filePath("full.csv");
        QFile file(log);
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write("time,bus,id,length,data\n");
        for (int i = 0; i < 6000; ++i)
            file.write(QStringLiteral("%1,A,0x100,8,%2 00 11 22 33 44 55 66\n")
                    .arg(0.000001 + i * (8.0 / 6000), 0, 'f', 6)
                    .arg(i & 0xFF, 2, 16, QLatin1Char('0'))
                    .toUtf8());
        file.close();
        double bits = 0;
        const auto rows = call({"list", log, "--columns", "nominal_bits"}).lines();
        QCOMPARE(rows.size(), 6001);
        for (qsizetype i = 1; i < rows.size(); ++i)
            bits += rows[i].toDouble() + 3;     // and the intermission
        QVERIFY(bits > 600'000);
        for (const auto& [span, seconds] : {std::pair{"4s", 4.0}, std::pair{"1ms", 0.001}, std::pair{"300ms", 0.3}}) {
            const Result load = call({"load", log, "--bit-rate", "A=60k", "--span", span});
            QCOMPARE(load.code, 0);
            double sum = 0;
            double highest = 0;
            const auto bins = load.lines();
            for (qsizetype i = 1; i < bins.size(); ++i) {
                const double percent = bins[i].split(',')[2].toDouble();
                sum += percent;
                highest = std::max(highest, percent);
            }
            QVERIFY2(std::abs(sum / 100 * seconds * 60'000 - bits) < bits * 1e-4,
                qPrintable(QStringLiteral("%1 of %2 at %3").arg(sum / 100 * seconds * 60'000).arg(bits).arg(QLatin1String(span))));
            QVERIFY(highest > 130);
        }
    }

    void switchedFramesWithoutADataRateAreSaid()
    {
        const QString log = dataPath("capture-a.pcapng");
        const auto rows = call({"list", log, "--columns", "bus,brs"}).lines();
        const auto switched = std::count(rows.begin(), rows.end(), QByteArray("Chassis,1"));
        QVERIFY(switched > 5);
        const Result load = call({"load", log, "--span", "100ms"});
        QCOMPARE(load.code, 0);
        QVERIFY2(load.err.contains(QByteArray::number(static_cast<int>(switched)) + " frames of bus 'Chassis'")
                     && load.err.contains("nominal rate"),
            load.err);
        const Result both = call({"load", log, "--bit-rate", "Chassis=500k/2M", "--bit-rate", "Scanner=500k/2M", "--span", "100ms"});
        QVERIFY2(both.code == 0 && both.err.isEmpty(), both.err);
    }

    void convertWritesAPartAndTheOtherFormat()
    {
        const QString part = folder_.filePath("part.pcap");
        const Result result = call({"convert", run_, part, "--from", "+2s", "--to", "+3s", "--filter", "bus Implement"});
        QCOMPARE(result.code, 0);
        QVERIFY(result.err.contains("no directions"));
        const auto lines = call({"list", part}).lines();
        QVERIFY(lines.size() > 300 && lines.size() < 600);
        QVERIFY(lines[1] > QByteArray("1801504802") && lines.last() < QByteArray("1801504803.1"));
        QCOMPARE(call({"convert", run_, folder_.filePath("x.zip")}).code, 2);
        QVERIFY(!QFile::exists(folder_.filePath("x.zip")));
        // A link that leads nowhere is something, too.
        const QString link = folder_.filePath("link.pcapng");
        QVERIFY(QFile::link(QStringLiteral("/nowhere/there.pcapng"), link));
        const Result dangling = call({"convert", run_, link, "--to", "+1s"});
        QCOMPARE(dangling.code, 2);
        QVERIFY(dangling.err.contains("exists") && QFileInfo(link).isSymLink());
        QCOMPARE(call({"convert", run_, link, "--to", "+1s", "--overwrite"}).code, 0);
        QVERIFY(QFileInfo(link).isFile());
    }

    void convertWritesTablesDatabasesAndCompressedLogs()
    {
        const QString table = folder_.filePath("table.csv");
        QCOMPARE(call({"convert", run_, table, "--database", "Implement=" + demo + "/implement.dbc", "--signals", "WaterState.*", "--step",
                          "100ms"})
                     .code,
            0);
        QFile csv(table);
        QVERIFY(csv.open(QIODevice::ReadOnly));
        const auto lines = csv.readAll().trimmed().split('\n');
        QVERIFY(lines[0].startsWith("time [s],Implement.WaterState.Flow [l/min]"));
        QCOMPARE(lines.size(), 1 + 120);
        const Result again = call({"convert", run_, table});
        QCOMPARE(again.code, 2);
        QVERIFY(again.err.contains("exists"));
        QCOMPARE(call({"convert", run_, table, "--overwrite", "--filter", "bus Body"}).code, 0);
        QCOMPARE(call({"convert", run_, folder_.filePath("x.sqlite"), "--wide"}).code, 2);
        QCOMPARE(call({"convert", run_, folder_.filePath("x.csv"), "--interpolate"}).code, 2);
        const QString packed = folder_.filePath("packed.pcapng.zst");
        QCOMPARE(call({"convert", run_, packed}).code, 0);
        QCOMPARE(call({"list", packed}).out, call({"list", run_}).out);
        QVERIFY(QFile(packed).size() < QFile(run_).size() / 2);
    }

    void aRecordingHoldsWhatItsFilterPasses_data()
    {
        QTest::addColumn<QString>("filter");
        if (!wavetrope::test::sanitized) {
            QTest::newRow("by sender") << "from WaterUnit and not id 0x702";
            QTest::newRow("by a stretch of time") << "bus Body and time 2 s .. 4 s";
        }
        QTest::newRow("by what changed") << "WaterState.Flow changes by 0.5 or BladeState.BladeMode changes";
        QTest::newRow("every tenth of each") << "bus Chassis every 10 per id";
    }
    void aRecordingHoldsWhatItsFilterPasses()
    {
        QFETCH(QString, filter);
        const QString path = folder_.filePath("passed.pcapng");
        QCOMPARE(
            call({"run", demo + "/rig.json", "--for", "12s", "--virtual", "--record", path, "--overwrite", "--record-filter", filter}).code,
            0);
        QStringList databases;
        for (const char* bus : {"Chassis", "Implement", "Body", "Scanner"})
            databases << "--database" << QString::fromLatin1(bus) + "=" + demo + "/" + QString::fromLatin1(bus).toLower() + ".dbc";
        const QByteArray wanted = call(QStringList{"list", run_, "--filter", filter} + databases).out;
        QVERIFY(wanted.count('\n') > 5);
        QCOMPARE(call(QStringList{"list", path} + databases).out, wanted);
        const Result wrong = call(
            {"run", demo + "/rig.json", "--for", "1s", "--virtual", "--record", path, "--overwrite", "--record-filter", "from Nobody"});
        QCOMPARE(wrong.code, 2);
        QVERIFY(wrong.err.contains("Nobody"));
    }

    void severalLogsAreOne()
    {
        const QString chassis = folder_.filePath("chassis.pcapng");
        const QString rest = folder_.filePath("rest.pcapng.gz");
        QCOMPARE(call({"convert", run_, chassis, "--filter", "bus Chassis"}).code, 0);
        QCOMPARE(call({"convert", run_, rest, "--filter", "not bus Chassis"}).code, 0);
        const QStringList columns = {"--columns", "time,bus,id,data"};
        QCOMPARE(call(QStringList{"list", chassis, "--with", rest} + columns).out, call(QStringList{"list", run_} + columns).out);
        const auto shifted = call({"list", chassis, "--with", rest + "@-1h"}).lines();
        QVERIFY(shifted[1].startsWith("18015012"));
        QCOMPARE(call({"list", chassis, "--with", rest + "@soon"}).code, 2);
    }

    void aLogOfTextTellsItsLayout()
    {
        const QString path = folder_.filePath("text.csv");
        QVERIFY(QFile::exists(path) || QFile(path).open(QIODevice::WriteOnly));
        QFile file(path);
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(call({"list", run_, "--columns", "time,bus,id,length,data", "--filter", "kind data"}).out);
        file.close();
        const Result layout = call({"layout", path});
        QCOMPARE(layout.code, 0);
        for (const char* words : {"parted by comma", "time        100 %  seconds", "identifier", "hexadecimal, all in one column"})
            QVERIFY2(layout.out.contains(words), layout.out.constData());
        QCOMPARE(call({"list", path, "--columns", "time,bus,id,length,data"}).out,
            call({"list", run_, "--columns", "time,bus,id,length,data", "--filter", "kind data"}).out);
        // What the lines leave open is asked, and answered by a word.
        QVERIFY(file.open(QIODevice::WriteOnly));
        for (int i = 0; i < 20; ++i)
            file.write(QStringLiteral("%1,%2,2,0A0B\n").arg(0.001 * i, 0, 'f', 6).arg(i % 2 == 0 ? 120 : 345).toUtf8());
        file.close();
        QCOMPARE(call({"layout", path}).code, 3);
        QCOMPARE(call({"info", path}).code, 2);
        const Result answered = call({"layout", path, "--answer", "identifiers=decimal", "--json"});
        QCOMPARE(answered.code, 0);
        // An answer that fits no question, or no question's answers, is an error that lists them.
        for (const char* wrong : {"identifiers=octal", "colour=green", "identifiers"}) {
            const Result refused = call({"layout", path, "--answer", QLatin1String(wrong)});
            QCOMPARE(refused.code, 2);
            QVERIFY2(refused.err.contains("identifiers"), refused.err.constData());
        }
        QVERIFY(call({"layout", path, "--answer", "identifiers=octal"}).err.contains("decimal"));
        QFile kept(folder_.filePath("layout.json"));
        QVERIFY(kept.open(QIODevice::WriteOnly));
        kept.write(answered.out);
        kept.close();
        QVERIFY(call({"list", path, "--layout", kept.fileName()}).out.contains(",0x078,"));
        QCOMPARE(call({"list", path, "--layout", "/nowhere"}).code, 2);
        QCOMPARE(call({"layout", run_}).code, 2);
    }

    void badCallsAndBadInputEndWithTwo()
    {
        QCOMPARE(call({}).code, 2);
        QCOMPARE(call({"list"}).code, 2);
        QCOMPARE(call({"list", "/nonexistent"}).code, 2);
        QCOMPARE(call({"list", "/"}).code, 2);
        QCOMPARE(call({"list", run_, "--columns", "time,mood"}).code, 2);
        QCOMPARE(call({"decode", run_, "--database", run_}).code, 2);
        QCOMPARE(call({"run", demo + "/rig.json", "--for", "soon"}).code, 2);
        QCOMPARE(call({"run", run_, "--for", "1s"}).code, 2);
        QCOMPARE(call({"run", demo + "/rig.json", "--for", "1s", "--virtual", "--without", "Nobody"}).code, 2);
        QCOMPARE(call({"capture", "--interface", "can99", "--record", folder_.filePath("c.pcapng"), "--for", "1s"}).code, 2);
        QCOMPARE(call({"--help"}).code, 0);
    }

    void aTruncatedLogIsListedWithAWarning()
    {
        QFile file(dataPath("capture-a.pcapng"));
        QVERIFY(file.open(QIODevice::ReadOnly));
        QFile cut(folder_.filePath("cut.pcapng"));
        QVERIFY(cut.open(QIODevice::WriteOnly));
        cut.write(file.readAll().chopped(7));
        cut.close();
        const Result result = call({"list", cut.fileName()});
        QCOMPARE(result.code, 0);
        QCOMPARE(result.lines().size(), vectorRows("capture-a.csv").size());  // all but the last, and the head
        QVERIFY(result.err.contains("cut off"));
    }

    void aReplayReachesTheSimulatedNodes()
    {
        if (wavetrope::test::sanitized)
            QSKIP("takes long; the same is done inside the program");
        const QString lap = folder_.filePath("lap.pcapng");
        QCOMPARE(call({"run", demo + "/lap.json", "--for", "44s", "--virtual", "--record", lap}).code, 0);
        const QStringList replay{
            "replay", lap, "--rig", demo + "/rig.json", "--only", "WaterUnit", "--map", "Implement=Implement", "--virtual", "--states"};
        const Result collision = call(replay);
        QCOMPARE(collision.code, 2);
        QVERIFY(collision.err.contains("0x182 WaterState on Implement is also sent by WaterUnit"));
        const Result good = call(replay + QStringList{"--without", "WaterUnit"});
        QCOMPARE(good.code, 0);
        QVERIFY(good.out.contains("Display,warning lit,1"));
        const Result fast = call(replay + QStringList{"--without", "WaterUnit", "--speed", "10"});
        QCOMPARE(fast.code, 0);
        QVERIFY(fast.err.contains(", 5.4") || fast.err.contains(", 5.5"));
        QCOMPARE(call(replay + QStringList{"--without", "WaterUnit", "--speed", "quick"}).code, 2);
        QCOMPARE(call(replay + QStringList{"--without", "WaterUnit", "--only", "Nobody"}).code, 2);
    }

    void aPipeIsReadLikeAFile_data()
    {
        QTest::addColumn<QStringList>("command");
        QTest::newRow("list") << QStringList{"list", "-", "--columns", "time,id,data", "--filter", "id 0x182"};
        QTest::newRow("count") << QStringList{"count", "-", "--filter", "bus Scanner"};
        QTest::newRow("info") << QStringList{"info", "-", "--json"};
        QTest::newRow("decode") << QStringList{
            "decode", "-", "--database", "Implement=" + demo + "/implement.dbc", "--signals", "WaterState.Valve"};
    }
    void aPipeIsReadLikeAFile()
    {
        QFETCH(QStringList, command);
        QStringList ofFile = command;
        ofFile[1] = run_;
        const Result wanted = call(ofFile);
        QProcess process;
        process.setStandardInputFile(run_);     // a file as standard input
        process.start(QStringLiteral(WAVETROPE_CLI), command);
        QVERIFY(process.waitForFinished(60'000));
        QCOMPARE(process.exitCode(), 0);
        QByteArray fromInput = process.readAllStandardOutput();
        QProcess piped;
        piped.start(QStringLiteral(WAVETROPE_CLI), command);
        QVERIFY(piped.waitForStarted());
        QFile log(run_);
        QVERIFY(log.open(QIODevice::ReadOnly));
        piped.write(log.readAll());
        piped.closeWriteChannel();
        QVERIFY(piped.waitForFinished(60'000));
        QCOMPARE(piped.exitCode(), 0);
        QByteArray fromPipe = piped.readAllStandardOutput();
        if (command[0] == "info") {     // the name of what was read is another
            const auto frames = [](const QByteArray& text) { return QJsonDocument::fromJson(text).object()["frames"].toInt(); };
            QVERIFY(frames(wanted.out) > 1000);
            QCOMPARE(frames(fromInput), frames(wanted.out));
            QCOMPARE(frames(fromPipe), frames(wanted.out));
        } else {
            QVERIFY(!wanted.out.isEmpty());
            QVERIFY(fromInput == wanted.out);
            QVERIFY(fromPipe == wanted.out);
        }
    }

    void rowsComeWhileThePipeIsStillOpen()
    {
        QProcess process;
        process.start(QStringLiteral(WAVETROPE_CLI), {"list", "-", "--columns", "id"});
        QVERIFY(process.waitForStarted());
        QFile log(run_);
        QVERIFY(log.open(QIODevice::ReadOnly));
        process.write(log.read(log.size() / 2));
        QByteArray out;
        while (out.count('\n') < 1000) {    // more than the head, less than the whole
            QVERIFY(process.waitForReadyRead(30'000));
            out += process.readAllStandardOutput();
        }
        QCOMPARE(process.state(), QProcess::Running);
        process.write(log.readAll());
        process.closeWriteChannel();
        QVERIFY(process.waitForFinished(60'000));
        out += process.readAllStandardOutput();
        QCOMPARE(out, call({"list", run_, "--columns", "id"}).out);
    }

    void convertWritesWhileThePipeIsStillOpen_data()
    {
        QTest::addColumn<QString>("name");
        QTest::newRow("rows") << QStringLiteral("grows.csv");
        QTest::newRow("log") << QStringLiteral("grows.pcapng");
    }
    void convertWritesWhileThePipeIsStillOpen()
    {
        QFETCH(QString, name);
        const QString out = folder_.filePath(name);
        const QStringList explained{"--database", "Implement=" + demo + "/implement.dbc", "--time", "epoch"};
        QProcess process;
        process.start(QStringLiteral(WAVETROPE_CLI), QStringList{"convert", "-", out} + explained);
        QVERIFY(process.waitForStarted());
        QFile log(run_);
        QVERIFY(log.open(QIODevice::ReadOnly));
        process.write(log.read(log.size() * 3 / 4));
        QVERIFY(process.waitForBytesWritten(30'000));
        QTRY_VERIFY_WITH_TIMEOUT(QFileInfo(out + ".part").size() > 0, 60'000);
        QCOMPARE(process.state(), QProcess::Running);
        QVERIFY(!QFileInfo::exists(out));
        process.write(log.readAll());
        process.closeWriteChannel();
        QVERIFY(process.waitForFinished(60'000));
        QCOMPARE(process.exitCode(), 0);
        const QString whole = folder_.filePath("whole-" + name);
        QCOMPARE(call(QStringList{"convert", run_, whole} + explained).code, 0);
        QFile one(out);
        QFile other(whole);
        QVERIFY(one.open(QIODevice::ReadOnly) && other.open(QIODevice::ReadOnly));
        QVERIFY(one.readAll() == other.readAll());
        QVERIFY(!QFileInfo::exists(out + ".part"));
    }

    void whatCannotBePrintedIsNoSuccess_data()
    {
        QTest::addColumn<QStringList>("command");
        QTest::newRow("list") << QStringList{"list", run_};
        QTest::newRow("decode") << QStringList{"decode", run_, "--database", "Implement=" + demo + "/implement.dbc"};
        QTest::newRow("load") << QStringList{"load", run_, "--span", "1ms"};
        QTest::newRow("count") << QStringList{"count", run_};
        QTest::newRow("info") << QStringList{"info", run_};
    }
    void whatCannotBePrintedIsNoSuccess()
    {
        QFETCH(QStringList, command);
        QProcess full;
        full.setStandardOutputFile(QStringLiteral("/dev/full"));
        full.start(QStringLiteral(WAVETROPE_CLI), command);
        QVERIFY(full.waitForFinished(60'000));
        QCOMPARE(full.exitStatus(), QProcess::NormalExit);
        QCOMPARE(full.exitCode(), 2);
        QVERIFY(!full.readAllStandardError().isEmpty());
    }

    void framesBefore1970GoThroughEveryFormatThatHoldsThem()
    {
        const QString text = folder_.filePath("early.csv"), log = folder_.filePath("early.pcapng"), old = folder_.filePath("early.pcap");
        QFile file(text);
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(
            "time,bus,id,length,data\n-2.500000001,Body,0x1A0,2,0A0B\n-0.000000001,Body,0x1A1,2,0C0D\n3.000000000,Body,0x1A2,2,0E0F\n");
        file.close();
        const QStringList columns{"--columns", "time,bus,id,length,data"};
        QCOMPARE(call({"convert", text, log}).code, 0);
        QCOMPARE(call(QStringList{"list", log} + columns).out, call(QStringList{"list", text} + columns).out);
        // A format whose stamps begin in 1970 leaves them out, and says so.
        const Result late = call({"convert", text, old});
        QVERIFY2(late.code != 0 || late.err.contains("2 frames"), late.err.constData());
        QVERIFY2(late.err.contains("1970"), late.err.constData());
        // Nor does it hold what comes behind 2^32 seconds.
        QVERIFY(file.open(QIODevice::WriteOnly | QIODevice::Truncate));
        file.write("time,bus,id,length,data\n5.000000000,Body,0x1A0,2,0A0B\n4294967297.500000000,Body,0x1A1,2,0C0D\n");
        file.close();
        const Result far = call({"convert", text, folder_.filePath("far.pcap")});
        QVERIFY2(far.err.contains("1 frame was left out") && far.err.contains("2106"), far.err.constData());
        QCOMPARE(call({"list", folder_.filePath("far.pcap")}).lines().size(), 2);
    }

    void aWeekOfSilenceIsNotPrintedBinByBin()
    {
        const QString path = folder_.filePath("silence.csv");
        QFile file(path);
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write("time,bus,id,length,data\n1.000000,Body,0x1A0,2,0A0B\n700000.000000,Body,0x1A0,2,0A0B\n");
        file.close();
        const Result load = call({"load", path, "--span", "1ms", "--bit-rate", "500k"});
        QCOMPARE(load.code, 0);
        QVERIFY2(load.lines().size() < 10, QByteArray::number(load.lines().size()).constData());
        QVERIFY2(load.err.contains("left out"), load.err.constData());
    }

    void aRigWhoseInterfaceIsMissingStillRuns()
    {
        const QString path = folder_.filePath("absent.json");
        QFile file(path);
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write("{\"wavetrope\": 1, \"name\": \"a\", \"buses\": [{\"name\": \"Here\", \"rate\": \"500k\"}, {\"name\": \"There\", "
                   "\"rate\": \"500k\", \"interface\": \"nocan7\"}],"
                   "\"nodes\": [{\"name\": \"N\", \"buses\": [\"Here\"], \"sends\": [{\"id\": \"0x123\", \"bus\": \"Here\", \"every\": "
                   "\"10 ms\"}]}]}");
        file.close();
        const QString log = folder_.filePath("absent.pcapng");
        const Result result = call({"run", path, "--for", "1s", "--record", log});
        QVERIFY2(result.err.contains("nocan7"), result.err.constData());
        QCOMPARE(result.code, 0);
        QVERIFY(call({"list", log}).lines().size() > 90);
    }

    void wordsThatFitNothingAreNamedWithWhatWasMeant()
    {
        const QStringList database{"--database", "Implement=" + demo + "/implement.dbc"};
        const Result filter = call(QStringList{"list", run_, "--filter", "BladeState.BladeDeph > 1"} + database);
        QCOMPARE(filter.code, 2);
        QVERIFY2(filter.err.contains("BladeDepth"), filter.err.constData());
        const Result name = call(QStringList{"list", run_, "--filter", "name Bladde"} + database);
        QCOMPARE(name.code, 2);
        QVERIFY2(name.err.contains("BladeState"), name.err.constData());
        const Result equals = call({"list", run_, "--filter", "id = 0x181"});
        QCOMPARE(equals.code, 2);
        QVERIFY2(equals.err.contains("without '='"), equals.err.constData());
        for (const QStringList& nothing : {QStringList{"decode", run_, "--signals", "Xyz.*"} + database,
                 QStringList{"convert", run_, folder_.filePath("none.csv"), "--signals", "Xyz.*"} + database,
                 QStringList{"convert", run_, folder_.filePath("unexplained.csv")}}) {
            const Result empty = call(nothing);
            QCOMPARE(empty.code, 0);
            QVERIFY2(empty.err.contains("no value was written"), empty.err.constData());
        }
        QCOMPARE(call({"list", run_, "--columns", ""}).code, 2);
        QCOMPARE(call({"run", demo + "/rig.json", "--for", "1s", "--virtual", "--seed", "many"}).code, 2);
        QCOMPARE(call({"run", demo + "/rig.json", "--for", "1s", "--virtual", "--seed", "18446744073709551616"}).code, 2);
        QCOMPARE(call({"run", demo + "/rig.json", "--for", "1s", "--virtual", "--record-filter", "id 1"}).code, 2);
        QCOMPARE(call({"replay", run_, "--rig", demo + "/rig.json", "--virtual", "--loop"}).code, 2);
        QCOMPARE(call({"replay", run_, "--rig", demo + "/rig.json", "--virtual", "--map", "Implement"}).code, 2);
    }

    // What `list` prints is a log of text, and reads back with directions, switches and error frames as they were.
    void whatIsListedReadsBackAsItWas()
    {
        for (const char* name : {"capture-a.pcapng", "capture-b.pcapng", "capture-c.pcap"}) {
            const Result listed = call({"list", dataPath(name)});
            QCOMPARE(listed.code, 0);
            const QString path = folder_.filePath(QStringLiteral("listed.csv"));
            QFile file(path);
            QVERIFY(file.open(QIODevice::WriteOnly));
            file.write(listed.out);
            file.close();
            const Result again = call({"list", path});
            QVERIFY2(again.code == 0, again.err.constData());
            QVERIFY2(again.out == listed.out, name);
        }
    }

    // A rig never loads half in silence: what is left out is named, and what contradicts itself is refused.
    void whatIsLeftOutOfARigIsNamed()
    {
        const QString path = folder_.filePath("gone.json");
        const auto write = [&](const QByteArray& filters) {
            QFile file(path);
            return file.open(QIODevice::WriteOnly)
                   && file.write("{\"wavetrope\": 1, \"name\": \"x\", \"buses\": [{\"name\": \"A\", \"rate\": \"500k\", \"databases\": "
                                 "[\"gone.dbc\"]}], \"filters\": ["
                                 + filters
                                 + "], \"nodes\": [{\"name\": \"Pump\", \"buses\": [\"A\"], \"sends\": [{\"message\": \"Flow\", \"every\": "
                                   "\"10 ms\"}]}]}")
                          > 0;
        };
        QVERIFY(write("{\"name\": \"f\", \"filter\": \"id 1\"}"));
        const Result run = call({"run", path, "--for", "1s", "--virtual"});
        QVERIFY2(run.err.contains("gone.dbc") && run.err.contains("node Pump") && run.err.contains("/nodes/0/sends/0/message")
                     && run.err.contains("not simulated"),
            run.err.constData());
        QVERIFY(write("{\"name\": \"f\", \"filter\": \"id 1\"}, {\"name\": \"f\", \"filter\": \"id 2\"}"));
        const Result twice = call({"run", path, "--for", "1s", "--virtual"});
        QCOMPARE(twice.code, 2);
        QVERIFY2(twice.err.contains("/filters/1/name") && twice.err.contains("two filters called 'f'"), twice.err.constData());
    }

    // What replay does not send is counted: a bus makes its own error frames.
    void errorFramesThatAReplayLeavesOutAreCounted()
    {
        const auto kinds = call({"list", dataPath("capture-b.pcapng"), "--columns", "kind"}).lines();
        const auto errors = std::count(kinds.begin(), kinds.end(), QByteArray("error"));
        QVERIFY(errors > 3);
        const Result result = call(
            {"replay", dataPath("capture-b.pcapng"), "--rig", demo + "/rig.json", "--virtual", "--without", "WaterUnit"});
        QVERIFY2(result.err.contains(QByteArray::number(static_cast<int>(errors)) + " error frames of the log were left out"),
            result.err.constData());
    }

    void whatWasRecordedSurvivesAKill()
    {
        const QString path = folder_.filePath("killed.pcapng");
        QProcess process;
        process.start(QStringLiteral(WAVETROPE_CLI), {"run", demo + "/rig.json", "--for", "60s", "--record", path});
        QVERIFY(process.waitForStarted());
        QTRY_VERIFY_WITH_TIMEOUT(QFileInfo(path + ".part").size() > 250'000, 60'000);
        ::kill(static_cast<pid_t>(process.processId()), SIGKILL);
        process.waitForFinished();
        QVERIFY(!QFile::exists(path));
        const Result result = call({"list", path + ".part"});
        QCOMPARE(result.code, 0);
        QVERIFY(result.lines().size() > 1000);
    }

    void aLogThatExistsIsLeftAlone()
    {
        const QString path = folder_.filePath("there.pcapng");
        QFile there(path);
        QVERIFY(there.open(QIODevice::WriteOnly));
        there.write("somebody's");
        there.close();
        for (const QStringList& command : {QStringList{"run", demo + "/rig.json", "--for", "1s", "--virtual"},
                 {"replay", run_, "--rig", demo + "/rig.json", "--virtual"}, {"capture", "--interface", "can99", "--for", "1s"}}) {
            const Result refused = call(command + QStringList{"--record", path});
            QCOMPARE(refused.code, 2);
            QVERIFY2(refused.err.contains("--overwrite"), refused.err.constData());
            QVERIFY(there.open(QIODevice::ReadOnly));
            QCOMPARE(there.readAll(), QByteArray("somebody's"));
            there.close();
        }
        QCOMPARE(call({"run", demo + "/rig.json", "--for", "1s", "--virtual", "--record", path, "--overwrite"}).code, 0);
        QVERIFY(call({"list", path}).lines().size() > 100);
    }

    void aKilledRunIsListedSavedAndDiscarded()
    {
        const QString folder = folder_.filePath("kept");
        const QStringList runs{"runs", "--spool", folder};
        QCOMPARE(call(runs).lines().size(), 1);   // heads alone
        QProcess process;
        process.start(QStringLiteral(WAVETROPE_CLI), {"run", demo + "/rig.json", "--for", "60s", "--spool", folder, "--memory", "64MB"});
        QVERIFY(process.waitForStarted());
        const auto kept = [&] {
            qint64 bytes = 0;
            for (const QFileInfo& file : QDir(folder).entryInfoList(QDir::Files))
                bytes += file.size();
            return bytes;
        };
        QTRY_VERIFY_WITH_TIMEOUT(kept() > 80'000, 60'000);
        QCOMPARE(call(runs).lines().size(), 1);   // it goes on
        ::kill(static_cast<pid_t>(process.processId()), SIGKILL);
        process.waitForFinished();
        const auto left = call(runs).lines();
        QCOMPARE(left.size(), 2);
        const QString run = QString::fromUtf8(left[1]).section(',', 0, 0);
        const std::uint64_t frames = QString::fromUtf8(left[1]).section(',', 3, 3).toULongLong();
        QVERIFY(left[1].contains("Ice resurfacer") && frames > 1000);
        const QString saved = folder_.filePath("kept.pcapng");
        const Result save = call({"runs", "--save", run, "--to", saved});
        QCOMPARE(save.code, 0);
        QVERIFY2(save.err.contains(QByteArray::number(static_cast<qulonglong>(frames)) + " frames saved"), save.err.constData());
        QCOMPARE(call({"list", saved}).out, call({"list", run}).out);
        QCOMPARE(call({"runs", "--save", run, "--to", saved}).code, 2);    // it is there
        QCOMPARE(call({"runs", "--save", folder_.filePath("none.wtrun"), "--to", folder_.filePath("n.pcapng")}).code, 2);
        QCOMPARE(call({"runs", "--discard", run}).code, 0);
        QCOMPARE(call({"runs", "--discard", run}).code, 2);
        QCOMPARE(call(runs).lines().size(), 1);
        QCOMPARE(call({"run", demo + "/rig.json", "--for", "1s", "--virtual", "--memory", "3"}).code, 2);
        // Ended in order, a run leaves nothing.
        QCOMPARE(call({"run", demo + "/rig.json", "--for", "30s", "--virtual", "--spool", folder}).code, 0);
        QVERIFY(QDir(folder).entryList(QDir::Files).isEmpty());
    }

    void interruptingARunFinishesItsRecording()
    {
        const QString path = folder_.filePath("interrupted.pcapng");
        QProcess process;
        process.start(QStringLiteral(WAVETROPE_CLI), {"run", demo + "/rig.json", "--for", "60s", "--record", path});
        QVERIFY(process.waitForStarted());
        QTRY_VERIFY_WITH_TIMEOUT(QFileInfo(path + ".part").size() > 100'000, 60'000);
        ::kill(static_cast<pid_t>(process.processId()), SIGINT);
        QVERIFY(process.waitForFinished(10'000));
        QCOMPARE(process.exitCode(), 0);
        QVERIFY(call({"list", path}).lines().size() > 500);
    }

    // What was interrupted is not whole, and says so by its exit code.
    void interruptingWhatPrintsIsNoSuccess()
    {
        for (const QStringList& command : {QStringList{"list", "-"}, QStringList{"count", "-", "--filter", "kind data"}}) {
            QProcess process;
            process.start(QStringLiteral(WAVETROPE_CLI), command);
            QVERIFY(process.waitForStarted());
            QFile log(run_);
            QVERIFY(log.open(QIODevice::ReadOnly));
            process.write(log.readAll());
            QVERIFY(process.waitForBytesWritten(30'000));
            if (command[0] == "list")
                QVERIFY(process.waitForReadyRead(30'000));  // in the midst of printing
            // A signal that comes before it is listened to ends the program otherwise: it is in the midst of reading.
            QTRY_COMPARE_WITH_TIMEOUT(process.bytesToWrite(), 0, 30'000);
            ::kill(static_cast<pid_t>(process.processId()), SIGINT);
            process.closeWriteChannel();
            QVERIFY(process.waitForFinished(30'000));
            QCOMPARE(process.exitStatus(), QProcess::NormalExit);
            QCOMPARE(process.exitCode(), 2);
        }
    }

    void databaseInfoCounts()
    {
        const Result result = call({"database", "info", dataPath("signals.dbc"), "--json"});
        QCOMPARE(result.code, 0);
        const QJsonObject json = QJsonDocument::fromJson(result.out).object();
        QCOMPARE(json["nodes"].toInt(), 3);
        QCOMPARE(json["messages"].toInt(), 30);
        QCOMPARE(json["signals"].toInt(), 217);
        QCOMPARE(call({"database", "info", folder_.filePath("none.dbc")}).code, 2);
        QCOMPARE(call({"database", "info", demo}).code, 2);
    }

    void databaseCheckTellsErrorsByItsExitCode()
    {
        QCOMPARE(call({"database", "check", demo + "/implement.dbc", demo + "/body.dbc"}).code, 0);
        QFile file(folder_.filePath("wrong.dbc"));
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write("BU_: A\nBO_ 1 M: 2 A\n SG_ X : 8|16@1+ (1,0) [0|0] \"\" A\n SG_ Y : 0|8@1+ (1,0) [0|999] \"\" A\n");
        file.close();
        const Result wrong = call({"database", "check", file.fileName()});
        QCOMPARE(wrong.code, 1);
        QCOMPARE(wrong.lines().size(), 3);
        QVERIFY(wrong.lines()[1].startsWith((file.fileName() + ",3,2,error,outside the payload,M.X,").toUtf8()));
        const Result traffic = call({"database", "check", "Implement=" + demo + "/implement.dbc", "--log", run_});
        QCOMPARE(traffic.code, 0);
    }

    void databaseConvertAndDiffAgree()
    {
        const QString json = folder_.filePath("body.json");
        const QString back = folder_.filePath("body.dbc");
        QCOMPARE(call({"database", "convert", demo + "/chassis.dbc", json}).code, 0);
        QCOMPARE(call({"database", "convert", json, back}).code, 0);
        QCOMPARE(call({"database", "diff", demo + "/chassis.dbc", back}).lines().size(), 1);
        const Result differs = call({"database", "diff", demo + "/chassis.dbc", demo + "/body.dbc"});
        QVERIFY(differs.lines().size() > 20 && differs.lines()[1].contains(','));
        for (const char* ending : {"html", "csv"})
            QCOMPARE(
                call({"database", "convert", demo + "/chassis.dbc", folder_.filePath(QLatin1String("chassis.") + QLatin1String(ending))})
                    .code,
                0);
        QCOMPARE(call({"database", "convert", demo + "/chassis.dbc", folder_.filePath("chassis.xyz")}).code, 2);
    }

    void coverageAgreesWithInfo()
    {
        const Result result = call({"database", "coverage", run_, "--database", "Chassis=" + demo + "/chassis.dbc", "--database",
            "Implement=" + demo + "/implement.dbc", "--json"});
        QCOMPARE(result.code, 0);
        const QJsonObject json = QJsonDocument::fromJson(result.out).object();
        const QJsonObject all = QJsonDocument::fromJson(call({"info", run_, "--json"}).out).object();
        QCOMPARE(json["identifiers"].toInt(), all["identifiers"].toArray().size());
        QCOMPARE(json["frames"].toInt(), all["frames"].toInt());
        QVERIFY(json["identifiers_explained"].toInt() > 15 && json["frames_explained"].toInt() < json["frames"].toInt());
        int rest = 0;
        for (const QJsonValue& entry : json["unexplained"].toArray()) {
            QVERIFY(!entry["bus"].toString().isEmpty() && entry["id"].toString().startsWith("0x"));
            rest += entry["frames"].toInt();
        }
        QCOMPARE(rest + json["frames_explained"].toInt() + json["frames_transport"].toInt(), json["frames"].toInt());
        QVERIFY(json["transport"].toArray().size() >= 1);  // the body's, whose database was left out
    }

    void whatHappenedIsToldWithItsTimes()
    {
        // Error frames of two classes on two buses; a message that stops; a signal that leaves its range and comes back.
        const QString dbc = folder_.filePath("small.dbc");
        QFile file(dbc);
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write("BU_: N\nBO_ 416 M: 1 N\n SG_ S : 0|8@1+ (1,0) [10|20] \"mm\" N\nBA_DEF_ BO_ \"GenMsgCycleTime\" INT 0 1000;\nBA_ "
                   "\"GenMsgCycleTime\" BO_ 416 100;\n");
        file.close();
        QFile rig(folder_.filePath("small.json"));
        QVERIFY(rig.open(QIODevice::WriteOnly));
        rig.write(
            R"({"wavetrope": 1, "buses": [{"name": "can0", "interface": "can0", "rate": "500k", "databases": ["small.dbc"]}, {"name": "can1", "interface": "can1", "rate": "500k"}],
            "derived": [{"name": "Twice", "formula": "S * 2", "range": [0, 50]}], "events": [{"name": "low", "when": "Twice < 22", "for": "150 ms"}]})");
        rig.close();
        wavetrope::PcapngBuilder builder;
        builder.section().interface("can0").interface("can1");
        const int values[] = {15, 9, 8, 21, 10, 30, 30};
        for (int i = 0; i < 7; ++i)
            builder.frame(100'000'000'000 + i * 100'000'000ULL, builder.packet(416, QByteArray(1, static_cast<char>(values[i]))));
        // Frames of errors carry their class in the identifier: nobody acknowledged, and bus off.
        const auto error = [&](std::uint64_t at, std::uint32_t classes, int bus) {
            builder.frame(at * 1000, builder.packet(0x20000000U | classes, QByteArray(8, '\0')), bus);
        };
        error(101'000'000, 0x20, 0);
        error(101'050'000, 0x20, 0);
        error(101'060'000, 0x40, 0);
        error(101'149'999, 0x20, 0);
        error(101'250'000, 0x20, 0);
        error(101'260'000, 0x20, 1);
        QFile log(folder_.filePath("small.pcapng"));
        QVERIFY(log.open(QIODevice::WriteOnly));
        log.write(builder.bytes);
        log.close();
        const Result all = call({"events", log.fileName(), "--rig", rig.fileName()});
        QCOMPARE(all.code, 0);
        const QList<QByteArray> expected = {"from,to,bus,kind,what,why",
            "100.100000000,100.300000000,can0,condition,low,Twice < 22 for 150 ms",
            "100.100000000,100.400000000,can0,range,M.S,\"below 10 mm, as far as 8 mm\"",
            "100.500000000,,,range,Twice,\"above 50, as far as 60\"", "100.500000000,,can0,range,M.S,\"above 20 mm, as far as 30 mm\"",
            "100.700000000,,can0,beat,M,missed 6 beats and did not come back",
            "101.000000000,101.149999000,can0,error,nobody acknowledged,3 error frames",
            "101.060000000,101.060000000,can0,error,bus off,1 error frame",
            "101.060000000,101.149999000,can0,state,bus off,an error frame said so",
            "101.250000000,101.250000000,can0,error,nobody acknowledged,1 error frame",
            "101.260000000,101.260000000,can1,error,nobody acknowledged,1 error frame"};
        QCOMPARE(all.lines(), expected);
        const Result some = call({"events", log.fileName(), "--rig", rig.fileName(), "--kind", "beat", "--kind", "state"});
        QCOMPARE(some.lines().size(), 3);
        QCOMPARE(call({"events", log.fileName(), "--rig", rig.fileName(), "--kind", "weather"}).code, 2);
        // Measures of the same log.
        const Result measured = call(
            {"measure", log.fileName(), "--rig", rig.fileName(), "--signals", "*", "--from", "+0.05s", "--to", "+0.4s"});
        QCOMPARE(measured.lines()[1], QByteArray(",,Twice,,4,18,20,16,42,26,28.25395041911333,11.058287131636359,9.1,6.666666666666666"));
        QVERIFY(measured.lines()[2].startsWith("can0,M,S,mm,4,9,10,8,21,"));
        const Result shares = call({"load", log.fileName(), "--rig", rig.fileName(), "--by", "message"});
        QCOMPARE(shares.lines().size(), 5);
        QVERIFY2(shares.lines()[1].startsWith("can0,M,7,"), shares.out.constData());
        QCOMPARE(call({"count", log.fileName(), "--rig", rig.fileName(), "--filter", "Twice > 40"}).out, QByteArray("3\n"));
    }

    void responseTimesNameWhoMissesItsDeadline()
    {
        const QString file = demo + "/implement.dbc";
        const Result good = call({"response", file, "--bit-rate", "250k", "--jitter", "0.2"});
        QCOMPARE(good.code, 0);
        QCOMPARE(good.lines()[0], QByteArray("id,message,bytes,period_ms,jitter_ms,bits,response_ms,deadline_ms,meets"));
        QCOMPARE(good.lines()[1], QByteArray("0x181,BladeState,8,20,0.2,135,1.28,20,1"));
        const auto written = [&](const char* name, const QByteArray& text) {
            QFile out(folder_.filePath(QLatin1String(name)));
            out.open(QIODevice::WriteOnly);
            out.write(text);
            return out.fileName();
        };
        const QString deadlines = written("deadlines.csv", "message,deadline_ms\nBladeState,1.27\n");
        const Result late = call({"response", file, "--bit-rate", "250k", "--jitter", "0.2", "--deadline", deadlines});
        QCOMPARE(late.code, 1);
        QCOMPARE(late.lines()[1], QByteArray("0x181,BladeState,8,20,0.2,135,1.28,1.27,0"));
        const QString jitters = written("jitters.csv", "message,jitter_ms\r\nBladeState,1\r\n");
        QCOMPARE(call({"response", file, "--bit-rate", "250k", "--jitter", jitters}).lines()[1],
            QByteArray("0x181,BladeState,8,20,1,135,2.08,20,1"));
        for (const auto& [table, words] :
            {std::pair("message,jitter\n", "head of the table"), std::pair("message,jitter_ms\nBladeStat,1\n", "Did you mean BladeState?"),
                std::pair("message,jitter_ms\nBladeState,-1\n", ":2: '-1' is no time"),
                std::pair("message,jitter_ms\nBladeState,1\nBladeState,1\n", "named twice"),
                std::pair("message,jitter_ms\nBladeState\n", "two fields")}) {
            const Result bad = call({"response", file, "--bit-rate", "250k", "--jitter", written("bad.csv", table)});
            QCOMPARE(bad.code, 2);
            QVERIFY2(bad.err.contains(words) && bad.out.isEmpty(), bad.err.constData());
        }
        QCOMPARE(call({"response", file, "--bit-rate", "0"}).code, 2);
        QCOMPARE(call({"response", folder_.filePath("none.dbc"), "--bit-rate", "250k"}).code, 2);
    }

    void decodeMatchesByGroupWhereAsked()
    {
        QFile file(folder_.filePath("group.dbc"));
        QVERIFY(file.open(QIODevice::WriteOnly));
        // The group of the cab's switches, from another source and with another priority.
        file.write(
            "BU_: A\nBO_ " + QByteArray::number(0x80000000U | 0x0CFF2255U) + " Switches: 8 A\n SG_ First : 0|8@1+ (1,0) [0|0] \"\" A\n");
        file.close();
        QCOMPARE(call({"decode", run_, "--database", "Body=" + file.fileName()}).lines().size(), 1);
        QCOMPARE(call({"decode", run_, "--database", "Body=" + file.fileName(), "--match", "full"}).lines().size(), 1);
        const Result group = call({"decode", run_, "--database", "Body=" + file.fileName(), "--match", "group"});
        QCOMPARE(group.code, 0);
        QVERIFY(group.lines().size() > 100);
        QCOMPARE(call({"decode", run_, "--database", "Body=" + file.fileName(), "--match", "name"}).code, 2);
    }
};

QTEST_GUILESS_MAIN(CliTest)
#include "cli_test.moc"
