// SPDX-License-Identifier: GPL-3.0-or-later
// Physical values are the doubles nearest to the decimal result, and 64 bits are exact everywhere.
#include <QTest>

#include <charconv>
#include <cstring>
#include <nlohmann/json.hpp>
#include <random>

#include "sanitized.h"
#include "database/codec.h"
#include "database/database_json.h"
#include "database/dbc_reader.h"
#include "database/dbc_writer.h"
#include "filter/filter_scan.h"
#include "filter/filter_stream.h"

using namespace wavetrope;
using namespace wavetrope::database;

namespace {

// raw x mantissa x 10^exponent + offset x 10^exponent, digit for digit, read back by the library.
double exactly(__int128 raw, __int128 mantissa, __int128 offset, int exponent)
{
    __int128 sum = raw * mantissa + offset;
    std::string digits;
    const bool negative = sum < 0;
    for (unsigned __int128 rest = negative ? -static_cast<unsigned __int128>(sum) : static_cast<unsigned __int128>(sum); rest != 0;
        rest /= 10)
        digits.insert(digits.begin(), static_cast<char>('0' + static_cast<int>(rest % 10)));
    const std::string text = (negative ? "-" : "") + (digits.empty() ? "0" : digits) + "e" + std::to_string(exponent);
    double value = 0;
    std::from_chars(text.data(), text.data() + text.size(), value);
    return value;
}

double fromText(const std::string& text)
{
    double value = 0;
    std::from_chars(text.data(), text.data() + text.size(), value);
    return value;
}

Signal signalOf(unsigned length, bool isSigned, const std::string& factor, const std::string& offset)
{
    Signal signal;
    signal.name = "S";
    signal.length = length;
    signal.isSigned = isSigned;
    signal.factor = fromText(factor);
    signal.offset = fromText(offset);
    signal.factorText = exactDecimal(factor, signal.factor);
    signal.offsetText = exactDecimal(offset, signal.offset);
    return signal;
}

DbcReading read(const std::string& text) { return readDbc(text, "test.dbc"); }

const std::string head = "VERSION \"\"\n\nNS_ :\n\nBS_:\n\nBU_: N\n\n";

// A trace of frames of one message, a catalog for it.
struct Traffic {
    trace::Trace trace;
    std::shared_ptr<Catalog> catalog = std::make_shared<Catalog>();

    explicit Traffic(const std::string& dbc)
    {
        trace.addBus({"A", {500'000, 0}});
        catalog->addBus("A");
        catalog->attach(0, std::make_shared<const Database>(read(dbc).database));
    }
    void add(std::uint64_t payload)
    {
        can::Frame frame;
        frame.id = {0x100, false};
        frame.length = frame.dlc = 8;
        std::memcpy(frame.data.data(), &payload, 8);
        frame.time = Time(static_cast<std::int64_t>(trace.rows()) * 1'000'000);
        trace.append(frame.view());
    }
    std::vector<trace::Row> passing(const std::string& text, unsigned threads = 1)
    {
        auto filter = filter::Filter::compile(text, catalog);
        if (!filter)
            qFatal("%s", filter.error().text().c_str());
        filter::FilterScan scan(*filter);
        while (!scan.advance(trace.snapshot(), {~std::uint64_t{0}, threads, nullptr})) {}
        std::vector<trace::Row> rows;
        scan.rows().each(0, [&](trace::Row row) {
            rows.push_back(row);
            return true;
        });
        return rows;
    }
};

}  // namespace

class ValuesTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void tenthsAreTenths()
    {
        const SignalPlan plan = planOf(signalOf(16, false, "0.1", "0"));
        QCOMPARE(plan.physicalOf(716), 71.6);
        for (std::uint64_t raw = 0; raw < 65536; ++raw)
            QCOMPARE(plan.physicalOf(raw), static_cast<double>(raw) / 10);
    }

    void everyValueIsTheNearestDouble()
    {
        std::mt19937_64 random(11);
        for (int i = 0; i < 20'000; ++i) {
            const int exponent = -static_cast<int>(random() % 12);
            const auto mantissa = static_cast<std::int64_t>(random() % 100'000) - 50'000;
            const auto offset = static_cast<std::int64_t>(random() % 1'000'000'000) - 500'000'000;
            const unsigned length = 1 + static_cast<unsigned>(random() % 64);
            const bool isSigned = random() % 2 == 0;
            const Signal signal = signalOf(length, isSigned, std::to_string(mantissa) + "e" + std::to_string(exponent),
                std::to_string(offset) + "e" + std::to_string(exponent));
            const SignalPlan plan = planOf(signal);
            const std::uint64_t bits = random() & plan.mask;
            const double expected = exactly(plan.whole(bits), mantissa, offset, exponent);
            if (plan.physicalOf(bits) != expected)
                QFAIL(qPrintable(QStringLiteral("raw %1 x %2e%3 + %4e%3: %5, not %6")
                        .arg(QString::fromStdString(wholeText(plan.whole(bits))))
                        .arg(mantissa)
                        .arg(exponent)
                        .arg(offset)
                        .arg(expected, 0, 'g', 17)
                        .arg(plan.physicalOf(bits), 0, 'g', 17)));
        }
    }

    void floatsAreScaledExactlyToo()
    {
        Signal signal = signalOf(32, true, "0.1", "-40");
        signal.type = ValueType::single;
        const SignalPlan plan = planOf(signal);
        // 0.5 has few bits: (0.5 x 1 - 400) / 10 is exact but for the division.
        QCOMPARE(plan.physicalOf(std::bit_cast<std::uint32_t>(0.5F)), -39.95);
        // 0.1F is 0.100000001490116119384765625, a tenth of which is 0.0100000001490116119384765625.
        QCOMPARE(plan.physicalOf(std::bit_cast<std::uint32_t>(0.1F)), -39.9899999998509883880615234375);
        QVERIFY(std::isnan(plan.physicalOf(0x7FC00000U)));
    }

    void encodingGivesBackTheRawValue()
    {
        std::mt19937_64 random(12);
        for (int i = 0; i < 5000; ++i) {
            const unsigned length = 1 + static_cast<unsigned>(random() % 44);
            const char* factors[] = {"0.1", "0.001", "0.3", "-0.25", "1e3", "7"};
            const char* offsets[] = {"0", "-40", "0.05", "273.15"};
            const SignalPlan plan = planOf(signalOf(length, random() % 2 == 0, factors[random() % 6], offsets[random() % 4]));
            const std::uint64_t bits = random() & plan.mask;
            bool fits = false;
            QCOMPARE(MessagePlan::bitsOf(plan, plan.physicalOf(bits), fits), bits);
            QVERIFY(fits);
        }
    }

    void wholeNumbersOfSixtyFourBitsKeepEveryBit()
    {
        const SignalPlan shifted = planOf(signalOf(64, false, "1", "-9223372036854775808"));
        QCOMPARE(shifted.physicalOf(0x8000000000000001U), 1.0);
        bool fits = false;
        QCOMPARE(MessagePlan::bitsOf(shifted, 1, fits), 0x8000000000000001U);
        const auto reading = read(head
                                  + "BO_ 256 M: 8 N\n SG_ A : 0|64@1+ (1,0) [0|0] \"\" N\n\nVAL_ 256 A 18446744073709551615 \"all ones\" "
                                    "9223372036854775808 \"high\" 0 \"none\" ;\n");
        QVERIFY(reading.problems.empty());
        const Signal& signal = reading.database.messages.at(0).signals.at(0);
        QCOMPARE(textOf(signal, ~std::uint64_t{0}), std::string_view("all ones"));
        QCOMPARE(textOf(signal, std::uint64_t{1} << 63), std::string_view("high"));
        QCOMPARE(textOf(signal, ~std::uint64_t{0} - 1), std::string_view());
        QVERIFY(writeDbc(reading.database).find("18446744073709551615 \"all ones\"") != std::string::npos);
        const auto back = readDatabaseJson(toJson(reading.database).dump(), {});
        QVERIFY(back.has_value());
        QVERIFY(back->messages[0].signals[0].texts == signal.texts);
    }

    void whatCannotBeHeldIsAFindingWithItsLine()
    {
        const auto key = read(head
                              + "BO_ 256 M: 8 N\n SG_ A : 0|64@1+ (1,0) [0|0] \"\" N\n\nVAL_ 256 A 18446744073709551616 \"too large\" 1.5 "
                                "\"half\" 2 \"two\" ;\n");
        QCOMPARE(key.problems.size(), 2U);
        QCOMPARE(key.problems[0].line, 12);
        QCOMPARE(key.database.messages[0].signals[0].texts.size(), 1U);
        const auto factor = read(head + "BO_ 256 M: 8 N\n SG_ A : 0|8@1+ (1e-400,0) [0|0] \"\" N\n");
        QCOMPARE(factor.problems.size(), 1U);
        QCOMPARE(factor.problems[0].line, 10);
    }

    void aFactorOfManyDigitsMeansWhatIsWritten()
    {
        const auto reading = read(head + "BO_ 256 M: 8 N\n SG_ A : 0|32@1+ (0.3333333333333333333333,0) [0|0] \"\" N\n");
        const Signal& signal = reading.database.messages.at(0).signals.at(0);
        QCOMPARE(signal.factorText, std::string("0.3333333333333333333333"));
        QCOMPARE(planOf(signal).physicalOf(3'000'000'000), 999'999'999.9999999999999);
        Database changed = reading.database;
        changed.messages[0].signals[0].comment = "new";
        const auto written = writeDbc(changed, reading.database, reading.source);
        QVERIFY(written && written->find("(0.3333333333333333333333,0)") != std::string::npos);
    }

    void filtersFindTheValuesThatAreShown()
    {
        Traffic traffic(head + "BO_ 256 M: 8 N\n SG_ Heat : 0|16@1+ (0.1,0) [0|0] \"degC\" N\n SG_ Down : 16|8@1- (-0.1,5) [0|0] \"\" N\n");
        for (std::uint64_t raw = 0; raw < 1000; ++raw)
            traffic.add(raw | (raw & 0xFF) << 16);
        QCOMPARE(traffic.passing("Heat = 71.6"), (std::vector<trace::Row>{716}));
        QCOMPARE(traffic.passing("Heat between 71.5 and 71.7"), (std::vector<trace::Row>{715, 716, 717}));
        QCOMPARE(traffic.passing("Heat > 99.8"), (std::vector<trace::Row>{999}));
        QCOMPARE(traffic.passing("Heat < 0.1"), (std::vector<trace::Row>{0}));
        QCOMPARE(traffic.passing("Heat != 0").size(), 999U);
        QCOMPARE(traffic.passing("Heat > 7000").size(), 0U);
        QCOMPARE(traffic.passing("Heat <= 7000").size(), 1000U);
        QCOMPARE(traffic.passing("Heat changes by 0.1").size(), 999U);
        QCOMPARE(traffic.passing("Heat rises above 50"), (std::vector<trace::Row>{501}));
        // Falling with the raw value: -128..127 become 17.8..-7.7.
        QCOMPARE(traffic.passing("Down >= 17.8").size(), traffic.passing("byte 2 = 128").size());
        QCOMPARE(traffic.passing("Down between 4.9 and 5").size(), traffic.passing("byte 2 = 0 or byte 2 = 1").size());
    }

    void everyComparisonAgreesWithThePhysicalValue()
    {
        std::mt19937_64 random(13);
        const char* factors[] = {"1", "0.1", "-0.5", "0.007", "3", "0"};
        const char* marks[] = {"<", "<=", "=", "!=", ">=", ">"};
        for (int round = 0; round < 60; ++round) {
            const bool isSigned = random() % 2 == 0;
            const unsigned length = 2 + static_cast<unsigned>(random() % 9);
            const std::string factor = factors[random() % 6];
            Traffic traffic(head + "BO_ 256 M: 8 N\n SG_ S : 0|" + std::to_string(length) + "@1" + (isSigned ? "-" : "+") + " (" + factor
                            + ",-3.5) [0|0] \"\" N\n");
            const SignalPlan& plan = traffic.catalog->messages().front().plan.plan(0);
            for (int i = 0; i < 300; ++i)
                traffic.add(random());
            for (int k = 0; k < 12; ++k) {
                const double with = plan.physicalOf(random() & plan.mask);
                const std::string number = numberText(with);
                const std::string mark = marks[random() % 6];
                const auto rows = traffic.passing("S " + mark + " " + number);
                std::vector<trace::Row> expected;
                for (trace::Row row = 0; row < traffic.trace.rows(); ++row) {
                    const double value = plan.physicalOf(plan.rawBits(traffic.trace.snapshot().frame(row).payload()));
                    const bool holds = mark == "<"    ? value < with
                                       : mark == "<=" ? value <= with
                                       : mark == "="  ? value == with
                                       : mark == "!=" ? value != with
                                       : mark == ">=" ? value >= with
                                                      : value > with;
                    if (holds)
                        expected.push_back(row);
                }
                QVERIFY2(rows == expected, ("S " + mark + " " + number + " of factor " + factor).c_str());
            }
        }
    }

    void sixtyFourBitsAreComparedToTheLast()
    {
        Traffic traffic(head + "BO_ 256 M: 8 N\n SG_ Big : 0|64@1+ (1,0) [0|0] \"\" N\n");
        for (const std::uint64_t raw : {~std::uint64_t{0}, ~std::uint64_t{0} - 1, std::uint64_t{1} << 63, (std::uint64_t{1} << 63) + 1})
            traffic.add(raw);
        QCOMPARE(traffic.passing("Big = 18446744073709551615"), (std::vector<trace::Row>{0}));
        QCOMPARE(traffic.passing("Big > 18446744073709551614"), (std::vector<trace::Row>{0}));
        QCOMPARE(traffic.passing("Big <= 9223372036854775808"), (std::vector<trace::Row>{2}));
        QCOMPARE(traffic.passing("Big = 0x8000000000000001"), (std::vector<trace::Row>{3}));
        QCOMPARE(traffic.passing("Big < 9223372036854775808.5"), (std::vector<trace::Row>{2}));
        QCOMPARE(traffic.passing("Big changes").size(), 3U);     // doubles tell none of the first two apart
    }

    void whatIsNotANumberIsRememberedAcrossSegments()
    {
        Traffic traffic(head + "BO_ 256 M: 8 N\n SG_ Heat : 0|64@1- (1,0) [0|0] \"\" N\n\nSIG_VALTYPE_ 256 Heat : 2;\n");
        const auto nan = std::bit_cast<std::uint64_t>(std::numeric_limits<double>::quiet_NaN());
        const std::uint64_t rows = 2 * trace::segmentRows + 100;
        for (std::uint64_t i = 0; i < rows; ++i)
            traffic.add(i % trace::segmentRows == trace::segmentRows - 1 ? nan : std::bit_cast<std::uint64_t>(5.0));
        const auto one = traffic.passing("Heat changes", 1);
        // Into it and out of it, at the end of each of two segments.
        QCOMPARE(
            one, (std::vector<trace::Row>{trace::segmentRows - 1, trace::segmentRows, 2 * trace::segmentRows - 1, 2 * trace::segmentRows}));
        QCOMPARE(traffic.passing("Heat changes", 3), one);
        filter::FilterStream stream(*filter::Filter::compile("Heat changes", traffic.catalog));
        std::vector<trace::Row> streamed;
        const auto snapshot = traffic.trace.snapshot();
        for (trace::Row row = 0; row < snapshot.rows(); ++row)
            if (stream.passes(snapshot.frame(row)))
                streamed.push_back(row);
        QCOMPARE(streamed, one);
    }

    void deeplyNestedWithinEnds()
    {
        Traffic traffic(head + "BO_ 256 M: 8 N\n SG_ Heat : 0|16@1+ (0.1,0) [0|0] \"degC\" N\n");
        for (int i = 0; i < test::some(100'000, 20'000); ++i)
            traffic.add(static_cast<std::uint64_t>(i % 50));
        std::string text = "Heat = 1";
        for (int depth = 0; depth < 150; ++depth)
            text = "within 2 ms after (" + text + ")";
        filter::FilterStream stream(*filter::Filter::compile(text, traffic.catalog));
        const auto rows = traffic.passing(text, 2);
        std::vector<trace::Row> streamed;
        const auto snapshot = traffic.trace.snapshot();
        for (trace::Row row = 0; row < snapshot.rows(); ++row)
            if (stream.passes(snapshot.frame(row)))
                streamed.push_back(row);
        QCOMPARE(rows, streamed);
        QVERIFY(!rows.empty());
    }
};

QTEST_APPLESS_MAIN(ValuesTest)
#include "values_test.moc"
