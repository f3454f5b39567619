// SPDX-License-Identifier: GPL-3.0-or-later
// Identifiers, times, spans and bit rates as engineers write them, and as the program writes them back.
#include <QTest>

#include <random>

#include "base/error.h"
#include "base/time_text.h"
#include "can/bit_rate.h"
#include "can/identifier.h"

using namespace wavetrope;
using namespace wavetrope::can;

class TextTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void spansAreReadToTheNanosecond_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<qint64>("nanoseconds");
        const auto row = [](const char* text, qint64 value) { QTest::newRow(text) << QString::fromLatin1(text) << value; };
        row("0", 0);
        row("1", 1'000'000'000);
        row("1s", 1'000'000'000);
        row("1 s", 1'000'000'000);
        row("  1 s  ", 1'000'000'000);
        row("1.5 s", 1'500'000'000);
        row(".5 s", 500'000'000);
        row("5. s", 5'000'000'000);
        row("250 ms", 250'000'000);
        row("0.25 ms", 250'000);
        row("20us", 20'000);
        row("1ns", 1);
        row("0.1 ns", 0);
        row("1.9 ns", 1);
        row("2 min", 120'000'000'000);
        row("2 h", 7'200'000'000'000);
        row("1.000000001 s", 1'000'000'001);
        row("1.0000000019 s", 1'000'000'001);
        row("-3 ms", -3'000'000);
        row("+3 ms", 3'000'000);
        row("1800000000.000029000", 1'800'000'000'000'029'000);
        row("9223372036.854775807", 9'223'372'036'854'775'807);
    }
    void spansAreReadToTheNanosecond()
    {
        QFETCH(QString, text);
        QFETCH(qint64, nanoseconds);
        const auto span = spanFromText(text.toStdString());
        QVERIFY(span.has_value());
        QCOMPARE(span->count(), nanoseconds);
    }

    void whatIsNoSpanIsRefused_data()
    {
        QTest::addColumn<QString>("text");
        for (const char* text : {"", " ", ".", "s", "ms", "one s", "1 day", "1..5 s", "1.5.5 s", "1,5 s", "1e3 s", "0x10 ms", "--1 s",
                 "1 s 2", "9223372037 s", "99999999999999999999999999", "3000000000 h"})
            QTest::newRow(text) << QString::fromLatin1(text);
    }
    void whatIsNoSpanIsRefused()
    {
        QFETCH(QString, text);
        QVERIFY(!spanFromText(text.toStdString()).has_value());
    }

    void momentsCountFromTheFirstFrameOrFrom1970_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<qint64>("origin");
        QTest::addColumn<bool>("valid");
        QTest::addColumn<qint64>("moment");
        QTest::newRow("absolute") << "12.5" << qint64{7} << true << qint64{12'500'000'000};
        QTest::newRow("relative") << "+12.5s" << qint64{7} << true << qint64{12'500'000'007};
        QTest::newRow("relative in ms") << "+10 ms" << qint64{1'000'000'000} << true << qint64{1'010'000'000};
        QTest::newRow("past the end") << "+9000000000 s" << qint64{9'000'000'000'000'000'000} << false << qint64{0};
        QTest::newRow("word") << "noon" << qint64{0} << false << qint64{0};
        QTest::newRow("only a sign") << "+" << qint64{0} << false << qint64{0};
    }
    void momentsCountFromTheFirstFrameOrFrom1970()
    {
        QFETCH(QString, text);
        QFETCH(qint64, origin);
        QFETCH(bool, valid);
        QFETCH(qint64, moment);
        const auto read = momentFromText(text.toStdString(), Time(origin));
        QCOMPARE(read.has_value(), valid);
        if (read)
            QCOMPARE(read->count(), moment);
    }

    void rangesAreReadAsTheyAreTyped_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<bool>("width");
        QTest::addColumn<qint64>("from");
        QTest::addColumn<qint64>("to");
        const auto row = [](const char* text, qint64 from, qint64 to) {
            QTest::newRow(text) << QString::fromUtf8(text) << false << from << to;
        };
        row("44 to 50", 44'000'000'000, 50'000'000'000);
        row("44.0 to 50.0 s", 44'000'000'000, 50'000'000'000);
        row("  44..50", 44'000'000'000, 50'000'000'000);
        row("44-50", 44'000'000'000, 50'000'000'000);
        row("44 - 50 s", 44'000'000'000, 50'000'000'000);
        row("44 \u2013 50", 44'000'000'000, 50'000'000'000);
        row("-2 to 3", -2'000'000'000, 3'000'000'000);
        row("-2--1", -2'000'000'000, -1'000'000'000);
        row("12 to 18.5 ms", 12'000'000, 18'500'000);
        row("12 ms to 18.5", 12'000'000, 18'500'000);
        row("900 ms to 1.5 s", 900'000'000, 1'500'000'000);
        row("1:02.5 to 1:03", 62'500'000'000, 63'000'000'000);
        row("1:00:00 to 1:00:00.000000001", 3'600'000'000'000, 3'600'000'000'001);
        row("0:59.999 - 2 min", 59'999'000'000, 120'000'000'000);
        row("50 to 1:00", 50'000'000'000, 60'000'000'000);
        row("0 to 87600 h", 0, 315'360'000'000'000'000);
        const auto wide = [](const char* text, qint64 to) { QTest::newRow(text) << QString::fromUtf8(text) << true << qint64{0} << to; };
        wide("10 s", 10'000'000'000);
        wide("1ns", 1);
        wide("0.5 h", 1'800'000'000'000);
    }
    void rangesAreReadAsTheyAreTyped()
    {
        QFETCH(QString, text);
        QFETCH(bool, width);
        QFETCH(qint64, from);
        QFETCH(qint64, to);
        const auto range = rangeFromText(text.toStdString());
        if (!range)
            QFAIL(range.error().text().c_str());
        QCOMPARE(range->from.has_value(), !width);
        QCOMPARE(range->from.value_or(Time(0)).count(), from);
        QCOMPARE(range->to.count(), to);
    }

    void whatIsNoRangeIsRefusedInWords_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("words");
        const auto row = [](const char* text, const char* words) {
            QTest::newRow(text) << QString::fromUtf8(text) << QString::fromUtf8(words);
        };
        row("", "missing");
        row("50 to 44", "behind the beginning");
        row("44 to 44", "behind the beginning");
        row("44", "'44' is no range");
        row("soon", "'soon' is no range");
        row("44 to soon", "'soon' is no time");
        row("1:60 to 2:00", "'1:60' is no time");
        row("1:99:00 to 2:00:00", "'1:99:00' is no time");
        row("1:2:3:4 to 5", "'1:2:3:4' is no time");
        row(": to 5", "':' is no time");
        row("1:1 s to 5", "'1:1 s' is no time");
        row("999999999:59:59 to 9999999999 h", "is no time");
        row("0 s", "wider than nothing");
        row("-5 s", "wider than nothing");
        row("1 to 2 to 3", "'2 to 3' is no time");
    }
    void whatIsNoRangeIsRefusedInWords()
    {
        QFETCH(QString, text);
        QFETCH(QString, words);
        const auto range = rangeFromText(text.toStdString());
        QVERIFY(!range);
        QVERIFY2(QString::fromStdString(range.error().text()).contains(words), range.error().text().c_str());
        QVERIFY(!range.error().remedy.empty());
    }

    void secondsAreWrittenWithNineDecimalsAndReadBackTheSame()
    {
        std::mt19937_64 random(41);
        for (int i = 0; i < 5000; ++i) {
            const Time time(static_cast<std::int64_t>(random() >> 1));
            const std::string text = secondsText(time);
            QCOMPARE(text.size() - text.find('.'), 10U);
            QCOMPARE(spanFromText(text).value(), time);
        }
        QCOMPARE(secondsText(Time(0)), std::string("0.000000000"));
        QCOMPARE(secondsText(Time(-1)), std::string("-0.000000001"));
        QCOMPARE(secondsText(Time(-1'500'000'000)), std::string("-1.500000000"));
    }

    void spansAreWrittenForPeople_data()
    {
        QTest::addColumn<qint64>("nanoseconds");
        QTest::addColumn<QString>("text");
        QTest::newRow("s") << qint64{1'500'000'000} << "1.5 s";
        QTest::newRow("ms") << qint64{250'000'000} << "250 ms";
        QTest::newRow("us") << qint64{20'000} << "20 us";
        QTest::newRow("ns") << qint64{500} << "0.5 us";
        QTest::newRow("negative") << qint64{-2'000'000} << "-2 ms";
        QTest::newRow("zero") << qint64{0} << "0 us";
    }
    void spansAreWrittenForPeople()
    {
        QFETCH(qint64, nanoseconds);
        QFETCH(QString, text);
        QCOMPARE(QString::fromStdString(spanText(Time(nanoseconds))), text);
    }

    void bitRatesAreReadAndWritten_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<bool>("valid");
        QTest::addColumn<uint>("nominal");
        QTest::addColumn<uint>("data");
        QTest::addColumn<QString>("written");
        const auto good = [](const char* text, uint nominal, uint data, const char* written) {
            QTest::newRow(text) << QString::fromLatin1(text) << true << nominal << data << QString::fromLatin1(written);
        };
        good("500k", 500'000, 0, "500k");
        good("500K", 500'000, 0, "500k");
        good("500000", 500'000, 0, "500k");
        good("1M", 1'000'000, 0, "1M");
        good("0.5M", 500'000, 0, "500k");
        good("33.333k", 33'333, 0, "33333");
        good("500k/2M", 500'000, 2'000'000, "500k/2M");
        good("500k/2000k", 500'000, 2'000'000, "500k/2M");
        good("250000/4500000", 250'000, 4'500'000, "250k/4500k");
        good("1k", 1'000, 0, "1k");
        good("20M", 20'000'000, 0, "20M");
        for (const char* text :
            {"", "k", "fast", "500kk", "500 k", "-500k", "999", "21M", "500k/", "/2M", "500k/fast", "500k/2M/8M", "nan", "1e99"})
            QTest::newRow(text) << QString::fromLatin1(text) << false << 0U << 0U << QString();
    }
    void bitRatesAreReadAndWritten()
    {
        QFETCH(QString, text);
        QFETCH(bool, valid);
        QFETCH(uint, nominal);
        QFETCH(uint, data);
        QFETCH(QString, written);
        const auto rate = bitRateFromText(text.toStdString());
        QCOMPARE(rate.has_value(), valid);
        if (!rate)
            return;
        QCOMPARE(rate->nominal, nominal);
        QCOMPARE(rate->data, data);
        QCOMPARE(QString::fromStdString(toText(*rate)), written);
        QCOMPARE(bitRateFromText(toText(*rate)), rate);
    }

    void bitsTakeTheirTime_data()
    {
        QTest::addColumn<uint>("nominalBits");
        QTest::addColumn<uint>("dataBits");
        QTest::addColumn<uint>("nominalRate");
        QTest::addColumn<uint>("dataRate");
        QTest::addColumn<qint64>("nanoseconds");
        QTest::newRow("500k") << 100U << 0U << 500'000U << 0U << qint64{200'000};
        QTest::newRow("250k") << 111U << 0U << 250'000U << 0U << qint64{444'000};
        QTest::newRow("FD") << 30U << 400U << 500'000U << 2'000'000U << qint64{60'000 + 200'000};
        QTest::newRow("FD without a faster rate") << 30U << 400U << 500'000U << 0U << qint64{860'000};
        QTest::newRow("a rate that does not divide") << 3U << 0U << 83'333U << 0U << qint64{36'000};
        QTest::newRow("1M") << 1U << 0U << 1'000'000U << 0U << qint64{1'000};
    }
    void bitsTakeTheirTime()
    {
        QFETCH(uint, nominalBits);
        QFETCH(uint, dataBits);
        QFETCH(uint, nominalRate);
        QFETCH(uint, dataRate);
        QFETCH(qint64, nanoseconds);
        const WireLength bits{static_cast<std::uint16_t>(nominalBits), static_cast<std::uint16_t>(dataBits), 0};
        QCOMPARE(duration(bits, {nominalRate, dataRate}).count(), nanoseconds);
        const std::int64_t intermission = (3'000'000'000LL + nominalRate / 2) / nominalRate;
        QVERIFY(std::abs(occupancy(bits, {nominalRate, dataRate}).count() - nanoseconds - intermission) <= 1);
    }

    void identifiersSortByBaseFirst()
    {
        QVERIFY((Identifier{1, false} < Identifier{2, false}));
        QVERIFY((Identifier{1, false} != Identifier{1, true}));
        QCOMPARE(Identifier::fromKey(Identifier{0x18FF2103, true}.key()), (Identifier{0x18FF2103, true}));
        QCOMPARE(Identifier::fromKey(Identifier{0x7FF, false}.key()), (Identifier{0x7FF, false}));
        QVERIFY(!(Identifier{0x800, false}.valid()));
        QVERIFY((Identifier{0x800, true}.valid()));
        QVERIFY(!(Identifier{0x20000000, true}.valid()));
    }

    void everyIdentifierIsReadBackAsWritten()
    {
        for (std::uint32_t value = 0; value <= 0x7FF; ++value)
            QCOMPARE(identifierFromText(toText(Identifier{value, false})), (Identifier{value, false}));
        std::mt19937 random(42);
        for (int i = 0; i < 5000; ++i) {
            const Identifier id{static_cast<std::uint32_t>(random() & 0x1FFFFFFF), true};
            QCOMPARE(identifierFromText(toText(id)), id);
        }
    }

    void identifierTextsThatAreNone_data()
    {
        QTest::addColumn<QString>("text");
        for (const char* text : {"", "0x", "h", "x1F0", "1F0x", "0x1G0", "0x1F0h ", " 1F0", "1F 0", "1234", "0x12345", "1234567",
                 "123456789", "0x2000000000", "-1", "+1F", "FFFFFFFF"})
            QTest::newRow(text) << QString::fromLatin1(text);
    }
    void identifierTextsThatAreNone()
    {
        QFETCH(QString, text);
        QVERIFY(!identifierFromText(text.toStdString()).has_value());
    }

    void errorsSayWhereWhatAndWhatToDo_data()
    {
        QTest::addColumn<QString>("where");
        QTest::addColumn<int>("line");
        QTest::addColumn<int>("column");
        QTest::addColumn<QString>("remedy");
        QTest::addColumn<QString>("text");
        QTest::newRow("all") << "a.dbc" << 3 << 7 << "Mend it" << "a.dbc:3:7: odd. Mend it";
        QTest::newRow("no column") << "a.dbc" << 3 << 0 << "" << "a.dbc:3: odd";
        QTest::newRow("file only") << "a.dbc" << 0 << 0 << "" << "a.dbc: odd";
        QTest::newRow("line only") << "" << 3 << 0 << "" << "line 3: odd";
        QTest::newRow("column only") << "" << 0 << 7 << "" << "column 7: odd";
        QTest::newRow("filter") << "filter" << 0 << 7 << "" << "filter: column 7: odd";
        QTest::newRow("nothing") << "" << 0 << 0 << "" << "odd";
    }
    void errorsSayWhereWhatAndWhatToDo()
    {
        QFETCH(QString, where);
        QFETCH(int, line);
        QFETCH(int, column);
        QFETCH(QString, remedy);
        QFETCH(QString, text);
        const Error error{"odd", where.toStdString(), line, column, remedy.toStdString()};
        QCOMPARE(QString::fromStdString(error.text()), text);
    }
};

QTEST_APPLESS_MAIN(TextTest)
#include "text_test.moc"
