// SPDX-License-Identifier: GPL-3.0-or-later
// Traces as files for other programs: what stands in them is what the frames say.
#include <QFile>
#include <QTemporaryDir>
#include <QTest>

#include <sqlite3.h>

#include <random>

#include "sanitized.h"
#include "convert/conversion.h"
#include "convert/streamed_conversion.h"
#include "database/dbc_reader.h"
#include "formats/byte_source.h"
#include "formats/trace_sink.h"

using namespace wavetrope;
using namespace wavetrope::convert;
using std::chrono::milliseconds;

namespace {

constexpr const char* definitions = "VERSION \"\"\n"
                                    "BU_: Boiler\n"
                                    "BO_ 256 Water: 8 Boiler\n"
                                    " SG_ Warmth : 0|16@1- (0.1,-40) [0|0] \"degC\" Boiler\n"
                                    " SG_ Level : 16|8@1+ (0.5,0) [0|100] \"%\" Boiler\n"
                                    " SG_ Valve : 24|2@1+ (1,0) [0|0] \"\" Boiler\n"
                                    " SG_ Serial : 0|64@1+ (1,0) [0|0] \"\" Boiler\n"
                                    "BO_ 512 Blade: 4 Boiler\n"
                                    " SG_ Part M : 0|8@1+ (1,0) [0|0] \"\" Boiler\n"
                                    " SG_ Height m0 : 8|16@1+ (0.01,0) [0|0] \"mm\" Boiler\n"
                                    " SG_ Angle m1 : 8|16@1- (0.01,0) [0|0] \"deg, left\" Boiler\n"
                                    "VAL_ 256 Valve 0 \"shut\" 1 \"half \\\"open\\\"\" 2 \"open, whole\" ;\n";

std::shared_ptr<const database::Catalog> catalog(int buses = 1)
{
    auto made = std::make_shared<database::Catalog>();
    const auto water = std::make_shared<const database::Database>(database::readDbc(definitions, "water.dbc").database);
    for (int i = 0; i < buses; ++i) {
        made->addBus(i == 0 ? "Tank" : "Spare");
        made->attach(static_cast<std::uint8_t>(i), water);
    }
    return made;
}

struct Log {
    trace::Trace trace;
    explicit Log(int buses = 1)
    {
        for (int i = 0; i < buses; ++i)
            trace.addBus({i == 0 ? "Tank" : "Spare", {500'000, 0}});
    }
    void add(Time time, std::uint32_t id, const std::vector<std::uint8_t>& bytes, std::uint8_t bus = 0)
    {
        can::Frame frame;
        frame.time = std::chrono::seconds(1'800'000'000) + time;
        frame.bus = bus;
        frame.id = {id, false};
        frame.direction = can::Direction::received;
        frame.length = static_cast<std::uint8_t>(bytes.size());
        frame.dlc = can::dlcOfLength(frame.length);
        std::copy(bytes.begin(), bytes.end(), frame.data.begin());
        trace.append(frame.view());
    }
    // Water with a warmth in tenths above -40 and a valve.
    void water(Time time, int warmth, int level = 0, int valve = 0, std::uint8_t bus = 0)
    {
        add(time, 256,
            {static_cast<std::uint8_t>(warmth), static_cast<std::uint8_t>(warmth >> 8), static_cast<std::uint8_t>(level),
                static_cast<std::uint8_t>(valve), 0, 0, 0, 0},
            bus);
    }
};

QList<QByteArray> linesOf(const std::string& path)
{
    auto source = formats::ByteSource::open(path);
    QByteArray all;
    if (!source)
        return {};
    for (auto bytes = source->window(1); !bytes.empty(); bytes = source->window(1)) {
        all.append(reinterpret_cast<const char*>(bytes.data()), static_cast<int>(bytes.size()));
        source->skip(bytes.size());
    }
    return all.trimmed().split('\n');
}

QList<QList<QByteArray>> query(const QString& path, const char* text)
{
    QList<QList<QByteArray>> rows;
    sqlite3* database = nullptr;
    if (sqlite3_open_v2(path.toUtf8().constData(), &database, SQLITE_OPEN_READONLY, nullptr) == SQLITE_OK) {
        sqlite3_stmt* statement = nullptr;
        sqlite3_prepare_v2(database, text, -1, &statement, nullptr);
        while (sqlite3_step(statement) == SQLITE_ROW) {
            QList<QByteArray> row;
            for (int i = 0; i < sqlite3_column_count(statement); ++i)
                row << QByteArray(reinterpret_cast<const char*>(sqlite3_column_text(statement, i)));
            rows << row;
        }
        sqlite3_finalize(statement);
    }
    sqlite3_close(database);
    return rows;
}

}  // namespace

class ConvertTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;

    Conversion to(const char* name, Form form)
    {
        Conversion conversion;
        conversion.path = folder_.filePath(QLatin1String(name)).toStdString();
        conversion.form = form;
        conversion.overwrite = true;
        return conversion;
    }

private Q_SLOTS:
    void aRowForEachValueSaysEverything()
    {
        Log log;
        log.water(milliseconds(0), 612, 31, 2);
        log.add(milliseconds(3), 999, {1, 2});
        log.add(milliseconds(5), 512, {1, 0x9C, 0xFF, 0});
        auto conversion = to("rows.csv", Form::rows);
        const auto outcome = convert::convert(log.trace.snapshot(), catalog(), conversion);
        QVERIFY(outcome.has_value());
        QCOMPARE(outcome->frames, std::uint64_t{3});
        QCOMPARE(outcome->values, std::uint64_t{6});
        const QList<QByteArray> wanted = {"time,bus,id,message,signal,raw,value,unit,label",
            "0.000000000,Tank,0x100,Water,Warmth,612,21.2,degC,", "0.000000000,Tank,0x100,Water,Level,31,15.5,%,",
            "0.000000000,Tank,0x100,Water,Valve,2,2,,\"open, whole\"", "0.000000000,Tank,0x100,Water,Serial,35586660,35586660,,",
            "0.005000000,Tank,0x200,Blade,Part,1,1,,", "0.005000000,Tank,0x200,Blade,Angle,-100,-1,\"deg, left\","};
        QCOMPARE(linesOf(conversion.path), wanted);
        QCOMPARE(outcome->bytes, static_cast<std::uint64_t>(QFile(QString::fromStdString(conversion.path)).size()));

        conversion.signals = "Water.V*";
        conversion.clock = Clock::epoch;
        QVERIFY(convert::convert(log.trace.snapshot(), catalog(), conversion).has_value());
        QCOMPARE(
            linesOf(conversion.path), (QList<QByteArray>{wanted[0], "1800000000.000000000,Tank,0x100,Water,Valve,2,2,,\"open, whole\""}));
    }

    // Random frames: each row, put back through its definition, gives the bits of its frame.
    void rowsReadBackAsTheBitsOfTheirFrames()
    {
        Log log;
        std::mt19937_64 random(20);
        std::vector<std::uint64_t> payloads;
        for (int i = 0; i < 20'000; ++i) {
            std::vector<std::uint8_t> bytes(8);
            const std::uint64_t word = random();
            std::memcpy(bytes.data(), &word, 8);
            payloads.push_back(word);
            log.add(Time(i), 256, bytes);
        }
        for (const unsigned threads : {1U, 3U}) {
            auto conversion = to("random.csv.zst", Form::rows);
            conversion.threads = threads;
            QVERIFY(convert::convert(log.trace.snapshot(), catalog(), conversion).has_value());
            const auto lines = linesOf(conversion.path);
            QCOMPARE(lines.size(), 1 + 4 * static_cast<int>(payloads.size()));
            for (std::size_t i = 0; i < payloads.size(); ++i) {
                const auto warmth = lines[static_cast<int>(4 * i + 1)].split(',');
                const auto serial = lines[static_cast<int>(4 * i + 4)].split(',');
                const auto raw = static_cast<std::int16_t>(payloads[i]);
                if (warmth[5].toInt() != raw || warmth[6].toDouble() != (raw - 400) / 10.0 || serial[5].toULongLong() != payloads[i])
                    QFAIL(lines[static_cast<int>(4 * i + 1)].constData());
            }
        }
    }

    void aTableHasARowWheneverAValueChanges()
    {
        Log log;
        log.water(milliseconds(0), 400, 10);
        log.water(milliseconds(10), 400, 10);       // nothing new
        log.water(milliseconds(20), 410, 10);
        log.add(milliseconds(20), 512, {0, 100, 0, 0});
        log.add(milliseconds(30), 512, {1, 0xF6, 0xFF, 0});
        auto conversion = to("table.csv", Form::table);
        conversion.signals = "*";
        const auto outcome = convert::convert(log.trace.snapshot(), catalog(), conversion);
        QVERIFY(outcome.has_value());
        const QList<QByteArray> wanted = {
            "time [s],Tank.Water.Warmth [degC],Tank.Water.Level [%],Tank.Water.Valve,Tank.Water.Serial,Tank.Blade.Part,Tank.Blade.Height "
            "[mm],\"Tank.Blade.Angle [deg, left]\"",
            "0.000000000,0,5,0,655760,,,", "0.020000000,1,5,0,655770,0,1,", "0.030000000,1,5,0,655770,1,1,-0.1"};
        QCOMPARE(linesOf(conversion.path), wanted);
        QCOMPARE(outcome->values, std::uint64_t{3});
    }

    void atStepsValuesHoldOrLieBetweenTheirNeighbours()
    {
        Log log;
        log.water(milliseconds(0), 400, 0, 0);
        log.water(milliseconds(40), 500, 0, 2);
        log.water(milliseconds(50), 300, 0, 2);
        auto conversion = to("steps.csv", Form::table);
        conversion.signals = "[!]";
        QVERIFY(!convert::convert(log.trace.snapshot(), catalog(), conversion).has_value());  // no column
        conversion.signals = "Water.Warmth";
        conversion.step = milliseconds(10);
        QVERIFY(convert::convert(log.trace.snapshot(), catalog(), conversion).has_value());
        QCOMPARE(linesOf(conversion.path), (QList<QByteArray>{"time [s],Tank.Water.Warmth [degC]", "0.000000000,0", "0.010000000,0",
                                               "0.020000000,0", "0.030000000,0", "0.040000000,10", "0.050000000,-10"}));
        conversion.between = Between::interpolate;
        QVERIFY(convert::convert(log.trace.snapshot(), catalog(), conversion).has_value());
        QCOMPARE(linesOf(conversion.path), (QList<QByteArray>{"time [s],Tank.Water.Warmth [degC]", "0.000000000,0", "0.010000000,2.5",
                                               "0.020000000,5", "0.030000000,7.5", "0.040000000,10", "0.050000000,-10"}));
        conversion.signals = "Valve";               // a meaning has nothing between
        QVERIFY(convert::convert(log.trace.snapshot(), catalog(), conversion).has_value());
        QCOMPARE(linesOf(conversion.path)[4], QByteArray("0.030000000,0"));
        conversion.from = std::chrono::seconds(1'800'000'000) + milliseconds(35);
        conversion.signals = "Warmth";
        QVERIFY(convert::convert(log.trace.snapshot(), catalog(), conversion).has_value());
        QCOMPARE(linesOf(conversion.path), (QList<QByteArray>{"time [s],Tank.Water.Warmth [degC]", "0.035000000,", "0.045000000,0"}));
        conversion.step = Time(1);
        conversion.from = std::chrono::seconds(1);
        const auto refused = convert::convert(log.trace.snapshot(), catalog(), conversion);
        QVERIFY(!refused.has_value());
        QVERIFY(refused.error().text().find("longer step") != std::string::npos);
    }

    void stampsThatRunBackwardsAreATableInTheOrderOfTime()
    {
        Log log;
        log.water(milliseconds(50), 450);
        log.water(milliseconds(0), 400);
        log.water(milliseconds(100), 500);
        auto conversion = to("backwards.csv", Form::table);
        conversion.signals = "Warmth";
        conversion.clock = Clock::epoch;
        QVERIFY(convert::convert(log.trace.snapshot(), catalog(), conversion).has_value());
        const QList<QByteArray> wanted = {
            "time [s],Tank.Water.Warmth [degC]", "1800000000.000000000,0", "1800000000.050000000,5", "1800000000.100000000,10"};
        QCOMPARE(linesOf(conversion.path), wanted);
        conversion.step = milliseconds(50);
        QVERIFY(convert::convert(log.trace.snapshot(), catalog(), conversion).has_value());
        QCOMPARE(linesOf(conversion.path), wanted);
    }

    void filterAndStretchOfTimeChooseTheFrames()
    {
        Log log(2);
        for (int i = 0; i < 1000; ++i)
            log.water(milliseconds(i), 400 + i, 0, 0, static_cast<std::uint8_t>(i % 2));
        const auto two = catalog(2);
        for (const Form form : {Form::rows, Form::table, Form::database, Form::log}) {
            auto conversion = to(form == Form::log ? "part.pcapng" : form == Form::database ? "part.sqlite" : "part.csv", form);
            conversion.filter = *filter::Filter::compile("bus Spare and Warmth > 20 degC", two);
            conversion.from = std::chrono::seconds(1'800'000'000) + milliseconds(300);
            conversion.to = std::chrono::seconds(1'800'000'000) + milliseconds(499);
            const auto outcome = convert::convert(log.trace.snapshot(), two, conversion);
            QVERIFY(outcome.has_value());
            QCOMPARE(outcome->frames, std::uint64_t{100});
        }
        trace::Trace back;
        formats::TraceSink sink(back);
        QVERIFY(formats::readLogFile(folder_.filePath("part.pcapng").toStdString(), sink).has_value());
        QCOMPARE(back.rows(), std::uint64_t{100});
        QCOMPARE(back.snapshot().frame(0).time, Time(std::chrono::seconds(1'800'000'000) + milliseconds(301)));
    }

    void aDatabaseHoldsFramesMeaningsAndItsOwnExplanation_data()
    {
        QTest::addColumn<QString>("name");
        QTest::newRow("plain") << "log.sqlite";
        QTest::newRow("compressed") << "log.sqlite.gz";
    }
    void aDatabaseHoldsFramesMeaningsAndItsOwnExplanation()
    {
        QFETCH(QString, name);
        Log log;
        log.water(milliseconds(7), 612, 31, 2);
        log.add(milliseconds(9), 999, {0xAB, 0xCD});
        log.add(milliseconds(11), 256, std::vector<std::uint8_t>(8, 0xFF));
        const auto conversion = to(name.toLatin1().constData(), Form::database);
        const auto outcome = convert::convert(log.trace.snapshot(), catalog(), conversion);
        QVERIFY(outcome.has_value());
        QString path = QString::fromStdString(conversion.path);
        QVERIFY(!QFile::exists(path + ".making") && !QFile::exists(path + ".part"));
        if (name.endsWith(".gz")) {
            auto source = formats::ByteSource::open(conversion.path);
            QFile plain(folder_.filePath("inflated.sqlite"));
            QVERIFY(plain.open(QIODevice::WriteOnly));
            const auto bytes = source->window(formats::ByteSource::mostAtOnce);
            plain.write(reinterpret_cast<const char*>(bytes.data()), static_cast<qint64>(bytes.size()));
            path = plain.fileName();
        }
        QCOMPARE(query(path, "SELECT count(*) FROM frame")[0][0], QByteArray("3"));
        QCOMPARE(query(path, "SELECT time_ns, id, kind, direction, hex(data), message IS NULL FROM frame WHERE frame = 2")[0],
            (QList<QByteArray>{"1800000000009000000", "999", "data", "received", "ABCD", "1"}));
        QCOMPARE(query(path, "SELECT bus, message, signal, raw, value, unit, text FROM signal_value WHERE signal = 'Valve'")[0],
            (QList<QByteArray>{"Tank", "Water", "Valve", "2", "2.0", "", "open, whole"}));
        QCOMPARE(
            query(path, "SELECT raw FROM signal_value WHERE signal = 'Serial' AND frame = 3")[0][0], QByteArray("18446744073709551615"));
        QCOMPARE(query(path, "SELECT value FROM signal_value WHERE signal = 'Warmth' AND frame = 1")[0][0].toDouble(), 612 * 0.1 - 40);
        // Every table is explained, and nothing else is.
        QCOMPARE(query(path, "SELECT count(*) FROM sqlite_master WHERE type IN ('table', 'view') AND name <> 'readme' AND name NOT IN "
                             "(SELECT name FROM readme)")[0][0],
            QByteArray("0"));
        QCOMPARE(query(path, "SELECT count(*) FROM readme WHERE name <> '' AND name NOT IN (SELECT name FROM sqlite_master)")[0][0],
            QByteArray("0"));
        QCOMPARE(query(path, "EXPLAIN QUERY PLAN SELECT * FROM frame WHERE bus = 0 AND id = 999")[0][3].contains("frame_by_id"), true);
    }

    void aFileThatExistsIsLeftAsItIs()
    {
        Log log;
        log.water(milliseconds(0), 400);
        for (const char* name : {"there.csv", "there.sqlite", "there.pcapng"}) {
            QFile file(folder_.filePath(QLatin1String(name)));
            QVERIFY(file.open(QIODevice::WriteOnly));
            file.write("mine");
            file.close();
            auto conversion = to(name, *formForName(name));
            conversion.overwrite = false;
            const auto refused = convert::convert(log.trace.snapshot(), catalog(), conversion);
            QVERIFY(!refused.has_value());
            QVERIFY(refused.error().what.find("exists") != std::string::npos);
            QCOMPARE(file.size(), 4);
            conversion.overwrite = true;
            QVERIFY(convert::convert(log.trace.snapshot(), catalog(), conversion).has_value());
            QVERIFY(file.size() > 4);
        }
    }

    void nothingIsLeftOfWhatIsCancelledOrCannotBeWritten()
    {
        Log log;
        for (int i = 0; i < 150'000; ++i)
            log.water(milliseconds(i), i);
        for (const char* name : {"half.csv", "half.csv.gz", "half.sqlite", "half.pcapng", "half.sqlite.zst"})
            for (const bool wide : {false, true}) {
                auto conversion = to(name, *formForName(name));
                if (wide && conversion.form != Form::rows)
                    continue;
                if (wide)
                    conversion.form = Form::table;
                std::uint64_t asked = 0;
                const auto ended = convert::convert(log.trace.snapshot(), catalog(), conversion,
                    [&](std::uint64_t done, std::uint64_t total) { return done <= total && ++asked < 2; });
                QVERIFY(!ended.has_value());
                QVERIFY(ended.error().what.find("cancelled") != std::string::npos);
                const QStringList left = QDir(folder_.path()).entryList({"half*"});
                QVERIFY2(left.isEmpty(), qPrintable(left.join(' ')));
            }
        for (const char* name : {"no/where.csv", "no/where.sqlite", "no/where.pcapng"}) {
            const auto failed = convert::convert(log.trace.snapshot(), catalog(), to(name, *formForName(name)));
            QVERIFY(!failed.has_value());
            QVERIFY(failed.error().text().find("folder") != std::string::npos);
        }
        QVERIFY(!formForName("log.docx").has_value());
        QCOMPARE(*formForName("LOG.CSV.ZST"), Form::rows);
    }

    // What is written while a log is read is what is written of it as a whole.
    void aStreamGivesTheSameFileAsTheTraceDoes()
    {
        std::mt19937 random(7);
        for (int round = 0; round < test::some(24, 8); ++round) {
            const int buses = 1 + static_cast<int>(random() % 2);
            Log log(buses);
            // Derived signals are followed over all frames, whichever of them pass.
            const auto explained = round % 2 == 0 ? catalog(buses)
                                                  : catalog(buses)->withDerived({{"Mean", "mean(Tank.Water.Level, 40 ms)", "%", {}, {}, ""},
                                                        {"Warmer", "Tank.Water.Warmth - Mean / (Tank.Water.Level - 20)", "", {}, {}, ""}});
            int now = 0;
            for (unsigned n = random() % 40'000; n > 0; --n) {
                now += static_cast<int>(random() % 5);
                if (random() % 3 == 0)
                    log.add(milliseconds(now), 300 + random() % 4, {static_cast<std::uint8_t>(random()), 2, 3});
                else
                    log.water(milliseconds(now), static_cast<int>(random() % 900), static_cast<int>(random() % 200),
                        static_cast<int>(random() % 4), static_cast<std::uint8_t>(random() % static_cast<unsigned>(buses)));
            }
            const auto source = to("source.pcapng", Form::log);
            QVERIFY(convert::convert(log.trace.snapshot(), explained, source).has_value());
            const char* filters[] = {"", "Level > 40", "id 0x100 and Valve = 1", "Level changes", "id 0x12D every 7",
                "id 0x12C and within 20 ms after (Valve = 2)", "length 3"};
            const std::string filter = filters[random() % std::size(filters)];
            const auto from = random() % 3 == 0 ? Time::min() : Time(milliseconds(random() % 40'000));
            const auto reach = random() % 3 == 0 ? Time::max() : Time(milliseconds(random() % 60'000));
            const auto within = [&](Time origin) {
                return std::pair{
                    from == Time::min() ? from : origin + from, reach == Time::max() ? reach : origin + std::max(from, Time{0}) + reach};
            };
            for (const char* name : {"csv", "pcapng", "pcap", "csv.zst"}) {
                auto whole = to((std::string("whole.") + name).c_str(), *formForName(std::string("x.") + name));
                whole.signals = round % 4 == 0 ? "Water.*" : "";
                whole.clock = round % 2 == 0 ? Clock::start : Clock::epoch;
                auto parts = whole;
                parts.path = folder_.filePath(QStringLiteral("parts.") + QLatin1String(name)).toStdString();
                auto compiled = filter::Filter::compile(filter, explained);
                if (!compiled)
                    QVERIFY2(false, compiled.error().text().c_str());
                whole.filter = *compiled;
                std::tie(whole.from, whole.to) = within(log.trace.origin());
                const auto one = convert::convert(log.trace.snapshot(), explained, whole);
                QVERIFY(one.has_value());
                auto streamed = StreamedConversion::begin(parts, within);
                QVERIFY(streamed.has_value());
                StreamWork work;
                work.explain = [&](const std::vector<trace::TraceBus>&) -> Expected<std::shared_ptr<const database::Catalog>> {
                    return explained;
                };
                work.compile = [&](const std::shared_ptr<const database::Catalog>& by) { return filter::Filter::compile(filter, by); };
                (*streamed)->join(work);
                FrameStream stream(std::move(work));
                formats::ReadOptions options;
                options.threads = 1 + random() % 3;
                QVERIFY(formats::readLogFile(source.path, stream, options).has_value());
                stream.finish();
                QVERIFY(stream.good() && !stream.failure());
                const auto other = (*streamed)->finish(log.trace.buses(), explained);
                QVERIFY(other.has_value());
                QCOMPARE(other->frames, one->frames);
                QCOMPARE(other->values, one->values);
                QCOMPARE(other->warnings, one->warnings);
                QVERIFY2(linesOf(parts.path) == linesOf(whole.path), (filter + " to " + name).c_str());
            }
        }
    }

    // Behind the signals of the frame that gave it; in a table behind all columns; in a database without a message.
    void derivedSignalsAreWrittenWithTheFramesThatGaveThem()
    {
        Log log;
        log.water(milliseconds(0), 612, 30);
        log.add(milliseconds(3), 999, {1, 2});
        log.water(milliseconds(10), 712, 40);
        log.water(milliseconds(20), 712, 0);
        log.water(milliseconds(30), 812, 50);
        const auto with = catalog()->withDerived({{"Half", "Level / 2", "%", 0, 50, "of the level"},
            {"Rate", "100 / Level", "", {}, {}, ""}, {"Wrong", "Nowhere", "", {}, {}, ""}});
        auto rows = to("derived.csv", Form::rows);
        rows.signals = "*a*";       // Half, Rate, Serial, Valve, Warmth
        const auto outcome = convert::convert(log.trace.snapshot(), with, rows);
        QVERIFY(outcome.has_value());
        QList<QByteArray> derived;
        for (const QByteArray& line : linesOf(rows.path))
            if (line.contains(",,,,"))
                derived << line;
        QCOMPARE(derived,
            (QList<QByteArray>{"0.000000000,,,,Half,,7.5,%,", "0.000000000,,,,Rate,,6.666666666666667,,", "0.010000000,,,,Half,,10,%,",
                "0.010000000,,,,Rate,,5,,", "0.020000000,,,,Half,,0,%,", "0.030000000,,,,Half,,12.5,%,", "0.030000000,,,,Rate,,4,,"}));
        QCOMPARE(outcome->values, static_cast<std::uint64_t>(linesOf(rows.path).size() - 1));
        // Of the frames that pass alone, though all were followed.
        rows.signals = "Half";
        rows.filter = *filter::Filter::compile("Level > 19", with);
        QVERIFY(convert::convert(log.trace.snapshot(), with, rows).has_value());
        QCOMPARE(linesOf(rows.path), (QList<QByteArray>{"time,bus,id,message,signal,raw,value,unit,label", "0.010000000,,,,Half,,10,%,",
                                         "0.030000000,,,,Half,,12.5,%,"}));

        auto table = to("derived-table.csv", Form::table);
        table.signals = "*a*e";     // Rate, Valve
        QVERIFY(convert::convert(log.trace.snapshot(), with, table).has_value());
        QCOMPARE(linesOf(table.path), (QList<QByteArray>{"time [s],Tank.Water.Valve,Rate", "0.000000000,0,6.666666666666667",
                                          "0.010000000,0,5", "0.020000000,0,", "0.030000000,0,4"}));
        table.signals = "Half";
        table.step = milliseconds(5);
        table.between = Between::interpolate;
        QVERIFY(convert::convert(log.trace.snapshot(), with, table).has_value());
        QCOMPARE(linesOf(table.path), (QList<QByteArray>{"time [s],Half [%]", "0.000000000,7.5", "0.005000000,8.75", "0.010000000,10",
                                          "0.015000000,5", "0.020000000,0", "0.025000000,6.25", "0.030000000,12.5"}));
        table.signals = "Rate";
        QVERIFY(convert::convert(log.trace.snapshot(), with, table).has_value());
        QCOMPARE(linesOf(table.path), (QList<QByteArray>{"time [s],Rate", "0.000000000,6.666666666666667", "0.005000000,5.833333333333334",
                                          "0.010000000,5", "0.015000000,5", "0.020000000,", "0.025000000,", "0.030000000,4"}));

        const auto database = to("derived.sqlite", Form::database);
        QVERIFY(convert::convert(log.trace.snapshot(), with, database).has_value());
        const QString path = QString::fromStdString(database.path);
        QCOMPARE(query(path, "SELECT name, unit, minimum, maximum, comment, message IS NULL FROM signal WHERE name = 'Half'")[0],
            (QList<QByteArray>{"Half", "%", "0.0", "50.0", "= Level / 2; of the level", "1"}));
        QCOMPARE(query(path, "SELECT count(*) FROM signal WHERE message IS NULL")[0][0], QByteArray("2"));
        QCOMPARE(query(path, "SELECT frame, bus IS NULL, message IS NULL, raw IS NULL, value, unit FROM signal_value WHERE signal = 'Half' "
                             "ORDER BY frame"),
            (QList<QList<QByteArray>>{{"1", "1", "1", "1", "7.5", "%"}, {"3", "1", "1", "1", "10.0", "%"}, {"4", "1", "1", "1", "0.0", "%"},
                {"5", "1", "1", "1", "12.5", "%"}}));
        QCOMPARE(query(path, "SELECT count(*) FROM signal_value WHERE signal = 'Rate'")[0][0], QByteArray("3"));
        QCOMPARE(query(path, "SELECT count(*) FROM signal_value WHERE signal = 'Level' AND bus = 'Tank'")[0][0], QByteArray("4"));
    }

    void aBusThatAppearsLateStandsInTheLog()
    {
        auto streamed = StreamedConversion::begin(to("late.pcapng", Form::log), [](Time) { return std::pair{Time::min(), Time::max()}; });
        QVERIFY(streamed.has_value());
        StreamWork work;
        work.explain = [](const std::vector<trace::TraceBus>&) -> Expected<std::shared_ptr<const database::Catalog>> {
            return std::make_shared<const database::Catalog>();
        };
        work.compile = [](const std::shared_ptr<const database::Catalog>& by) { return filter::Filter::compile("", by); };
        (*streamed)->join(work);
        FrameStream stream(std::move(work));
        std::vector<trace::TraceBus> buses;
        const auto send = [&](const char* name, std::int64_t seconds) {
            if (name != nullptr)
                buses.push_back({name, {250'000, 0}});
            can::FrameView frame;
            frame.bus = name != nullptr ? stream.onBus(buses.back()) : static_cast<std::uint8_t>(0);
            frame.id = {static_cast<std::uint32_t>(0x100 + buses.size()), false};
            frame.time = std::chrono::seconds(seconds);
            stream.onFrames({&frame, 1});
        };
        send("Tank", -5);           // before 1970: an interface of its own
        send("Spare", 20);
        send(nullptr, -4);
        send("Third", -3);
        stream.finish();
        QVERIFY((*streamed)->finish(buses, std::make_shared<const database::Catalog>()).has_value());
        trace::Trace back;
        formats::TraceSink sink(back);
        QVERIFY(formats::readLogFile(folder_.filePath("late.pcapng").toStdString(), sink).has_value());
        const auto snapshot = back.snapshot();
        QCOMPARE(snapshot.rows(), std::uint64_t{4});
        const auto all = back.buses();
        const char* names[] = {"Tank", "Spare", "Tank", "Third"};
        const std::int64_t seconds[] = {-5, 20, -4, -3};
        for (trace::Row row = 0; row < 4; ++row) {
            QCOMPARE(all[snapshot.frame(row).bus].name, std::string(names[row]));
            QCOMPARE(snapshot.time(row), Time(std::chrono::seconds(seconds[row])));
        }
    }
};

QTEST_APPLESS_MAIN(ConvertTest)
#include "convert_test.moc"
