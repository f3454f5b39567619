// The filter language: what it means, what it says about mistakes, and that the scan agrees with the definition.
#include <QTest>

#include <random>

#include "database/dbc_reader.h"
#include "filter/filter_scan.h"
#include "vector_file.h"

using namespace wavetrope;
using namespace wavetrope::filter;

namespace {

std::shared_ptr<const database::Catalog> demoCatalog()
{
    static const auto catalog = [] {
        auto made = std::make_shared<database::Catalog>();
        for (const char* name : {"Chassis", "Implement", "Body", "Scanner"}) {
            const auto bus = made->addBus(name);
            const std::string path = std::string(WAVETROPE_DEMO "/") + QString::fromLatin1(name).toLower().toStdString() + ".dbc";
            made->attach(bus, std::make_shared<const database::Database>(database::readDbcFile(path)->database));
        }
        return std::shared_ptr<const database::Catalog>(made);
    }();
    return catalog;
}

can::Frame frameOf(std::uint8_t bus, std::uint32_t id, const char* hex = "0000000000000000", bool extended = false)
{
    can::Frame frame;
    frame.bus = bus;
    frame.id = {id, extended};
    frame.data = bytesOf(hex);
    frame.length = static_cast<std::uint8_t>(std::strlen(hex) / 2);
    frame.dlc = can::dlcOfLength(frame.length);
    frame.direction = can::Direction::received;
    return frame;
}

can::Frame withSignal(const char* message, const char* signal, double value)
{
    for (const auto& entry : demoCatalog()->messages())
        if (entry.message->name == message) {
            can::Frame frame = frameOf(entry.bus, entry.message->id.value, "0000000000000000", entry.message->id.extended);
            entry.plan.encode(frame.data.data(), static_cast<std::uint32_t>(entry.message->find(signal) - entry.message->signals.data()), value);
            return frame;
        }
    return {};
}

bool passes(const char* text, const can::Frame& frame)
{
    const auto filter = Filter::compile(text, demoCatalog());
    if (!filter)
        qFatal("%s: %s", text, filter.error().text().c_str());
    return filter->matches(frame.view());
}

}  // namespace

class FilterTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void everyConditionMeansWhatItSays_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<bool>("bladeStateAt5mm");
        QTest::addColumn<bool>("heartbeat");
        QTest::addColumn<bool>("lamps");
        const auto row = [](const char* text, bool blade, bool heartbeat, bool lamps) { QTest::newRow(text) << QString::fromLatin1(text) << blade << heartbeat << lamps; };
        row("", true, true, true);
        row("id 0x181", true, false, false);
        row("id 181h", true, false, false);
        row("id 0x100..0x6FF", true, false, false);
        row("id 0x18FF2103", false, false, true);
        row("id 0x18FF0000..0x18FFFFFF", false, false, true);
        row("id 0x181 mask 0x7F0", true, false, false);
        row("id 0x18FF0003 mask 0x1FFF00FF", false, false, true);
        row("name Blade*", true, false, false);
        row("name blade?tate", true, false, false);
        row("name \"*Heartbeat\"", false, true, false);
        row("from WaterUnit", false, true, false);
        row("not from WaterUnit", true, false, true);
        row("bus Implement", true, true, false);
        row("kind data", true, true, true);
        row("kind fd", false, false, false);
        row("kind error or kind remote", false, false, false);
        row("sent", false, false, false);
        row("received", true, true, true);
        row("undecoded", false, false, false);
        row("BladeState.BladeDepth > 4 mm", true, false, false);
        row("BladeDepth > 4", true, false, false);
        row("BladeDepth > 4mm and bus Implement", true, false, false);
        row("BladeDepth <= 4 mm", false, false, false);
        row("not BladeDepth > 4 mm", false, true, true);
        row("BladeDepth = 5", true, false, false);
        row("BladeDepth != 5", false, false, false);
        row("BladeMode = \"up\"", true, false, false);
        row("BladeMode != \"up\"", false, false, false);
        row("from WaterUnit and not id 0x702", false, false, false);
        row("id 0x181 or id 0x702 and bus Body", true, false, false);
        row("(id 0x181 or id 0x702) and bus Body", false, false, false);
        row("not not id 0x181", true, false, false);
        row("not (id 0x181 or bus Body)", false, true, false);
    }
    void everyConditionMeansWhatItSays()
    {
        QFETCH(QString, text);
        QFETCH(bool, bladeStateAt5mm);
        QFETCH(bool, heartbeat);
        QFETCH(bool, lamps);
        const QByteArray utf8 = text.toUtf8();
        QCOMPARE(passes(utf8, withSignal("BladeState", "BladeDepth", 5)), bladeStateAt5mm);
        QCOMPARE(passes(utf8, withSignal("WaterHeartbeat", "NetworkState", 5)), heartbeat);
        QCOMPARE(passes(utf8, withSignal("CabLamps", "Beacon", 1)), lamps);
    }

    void textsOfASignalAreCompared()
    {
        QVERIFY(passes("WaterState.Valve = \"open\"", withSignal("WaterState", "Valve", 1)));
        QVERIFY(!passes("WaterState.Valve = \"open\"", withSignal("WaterState", "Valve", 0)));
        QVERIFY(passes("WaterState.Valve != \"open\"", withSignal("WaterState", "Valve", 0)));
    }

    void aMultiplexedSignalIsCarriedOnlyByItsOwnSelector()
    {
        QVERIFY(!passes("Height1_03 = 0", [] {
            can::Frame frame = frameOf(3, 0x310, "00");
            frame.kind = can::FrameKind::fd;
            frame.length = 64;
            return frame;
        }()));
        QVERIFY(passes("Height0_03 = 0", [] {
            can::Frame frame = frameOf(3, 0x310, "00");
            frame.kind = can::FrameKind::fd;
            frame.length = 64;
            return frame;
        }()));
    }

    void mistakesAreNamedWithTheirColumn_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<int>("column");
        QTest::addColumn<QString>("words");
        const auto row = [](const char* text, int column, const char* words) { QTest::newRow(text) << QString::fromUtf8(text) << column << QString::fromUtf8(words); };
        row("id", 3, "an identifier such as");
        row("id 0x800", 4, "expected an identifier");
        row("id 0x200..0x18FF2103", 11, "begins with 11 bits and ends with 29");
        row("id 0x300..0x200", 11, "ends before it begins");
        row("id 0x100 mask 0xFFFF", 15, "mask of 11 bits");
        row("from Nobody", 6, "no database has a node");
        row("bus Attic", 5, "there is no bus");
        row("kind strange", 6, "data, fd, remote or error");
        row("BladeDepth > 4 bar", 16, "unit of BladeDepth is mm");
        row("BladeDepth > deep", 14, "a number");
        row("BladeDepth 4", 12, "a comparison");
        row("WaterState.Valve = \"ajar\"", 20, "has no text");
        row("Counter > 3", 1, "several messages");
        row("Depth > 3", 1, "neither a condition nor a signal");
        row("(id 0x100", 10, "')'");
        row("id 0x100 id 0x200", 10, "'and', 'or' or the end");
        row("and", 1, "a condition");
        row("id 0x100 or", 12, "a condition");
        row("name \"Blade", 6, "closing quote");
    }
    void mistakesAreNamedWithTheirColumn()
    {
        QFETCH(QString, text);
        QFETCH(int, column);
        QFETCH(QString, words);
        const auto filter = Filter::compile(text.toStdString(), demoCatalog());
        QVERIFY(!filter);
        QCOMPARE(filter.error().column, column);
        QVERIFY2(QString::fromStdString(filter.error().text()).contains(words), filter.error().text().c_str());
    }

    void depthAndLengthAreLimited()
    {
        QVERIFY(!Filter::compile(std::string(5000, '('), demoCatalog()));
        QVERIFY(!Filter::compile(std::string(70000, ' ') + "id 0x1", demoCatalog()));
        std::string many = "id 0x1";
        for (int i = 0; i < 2000; ++i)
            many += " or id 0x1";
        QVERIFY(!Filter::compile(many, demoCatalog()));
    }

    void theVerdictForAnIdentifierNeverContradictsAFrame()
    {
        std::mt19937 random(21);
        const char* const texts[] = {"BladeDepth > 4 or from WaterUnit", "not (kind fd or id 0x100..0x200)", "undecoded and not sent", "(bus Body or kind error) and received", "not Flow < 6 and not name Blade*"};
        for (const char* text : texts) {
            const auto filter = Filter::compile(text, demoCatalog());
            QVERIFY(filter.has_value());
            for (int i = 0; i < 3000; ++i) {
                can::Frame frame = frameOf(static_cast<std::uint8_t>(random() % 4), random() % 0x800);
                for (auto& byte : frame.data)
                    byte = static_cast<std::uint8_t>(random());
                frame.kind = static_cast<can::FrameKind>(random() % 4);
                frame.direction = static_cast<can::Direction>(random() % 3);
                const Verdict verdict = filter->verdict(trace::TraceKey::of(frame));
                if (verdict != Verdict::depends)
                    QCOMPARE(filter->matches(frame.view()), verdict == Verdict::always);
            }
        }
    }

    void theScanFindsWhatEachFrameByItselfWould()
    {
        std::mt19937 random(22);
        trace::Trace trace;
        const auto filter = Filter::compile("BladeDepth > 4 or id 0x300..0x3FF", demoCatalog());
        FilterScan scan(*filter);
        std::vector<trace::Row> wanted;
        for (int round = 0; round < 5; ++round) {
            for (int i = 0; i < 30000; ++i) {
                can::Frame frame = random() % 3 == 0 ? withSignal("BladeState", "BladeDepth", random() % 10) : frameOf(1, random() % 0x800);
                frame.time = can::Time(i);
                if (filter->matches(frame.view()))
                    wanted.push_back(trace.rows());
                trace.append(frame.view());
            }
            while (!scan.advance(trace.snapshot(), 7001)) {
            }
        }
        QCOMPARE(scan.rows().size(), wanted.size());
        for (std::size_t i = 0; i < wanted.size(); ++i)
            QCOMPARE(scan.rows()[i], wanted[i]);
    }

    void patternsFit()
    {
        QVERIFY(fitsPattern("BladeState", "*state"));
        QVERIFY(fitsPattern("abcabc", "a*c*c"));
        QVERIFY(!fitsPattern("abc", "a?"));
        QVERIFY(fitsPattern("", "*"));
        QVERIFY(!fitsPattern("", "?"));
    }
};

QTEST_APPLESS_MAIN(FilterTest)
#include "filter_test.moc"
