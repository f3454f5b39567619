// SPDX-License-Identifier: GPL-3.0-or-later
// What a frame is: identifiers, exact length on the wire, bit rates, times as text, error counters.
#include <QTest>

#include <random>

#include "vector_file.h"
#include "base/nearest_name.h"
#include "base/time_text.h"
#include "can/bit_rate.h"
#include "can/error_counters.h"
#include "can/error_words.h"
#include "can/wire_bits.h"
#include "can/wire_length.h"

using namespace wavetrope;
using namespace wavetrope::can;

namespace {

Frame frameOf(Identifier id, FrameKind kind, const QByteArray& hex, unsigned dlc)
{
    Frame frame;
    frame.id = id;
    frame.kind = kind;
    frame.data = bytesOf(hex);
    frame.length = static_cast<std::uint8_t>(hex.size() / 2);
    frame.dlc = static_cast<std::uint8_t>(dlc);
    return frame;
}

Frame randomFrame(std::mt19937& random, bool fd)
{
    Frame frame;
    frame.id.extended = random() % 2 != 0;
    frame.id.value = random() & (frame.id.extended ? 0x1FFFFFFFU : 0x7FFU);
    if (random() % 4 == 0)
        frame.id.value = random() % 2 != 0 ? 0 : (frame.id.extended ? 0x1FFFFFFFU : 0x7FFU);
    frame.kind = fd ? FrameKind::fd : random() % 8 == 0 ? FrameKind::remote : FrameKind::data;
    frame.dlc = static_cast<std::uint8_t>(random() % (fd ? 16 : 9));
    frame.length = frame.kind == FrameKind::remote ? std::uint8_t{0} : static_cast<std::uint8_t>(lengthOfDlc(frame.dlc));
    frame.brs = fd && random() % 2 != 0;
    frame.esi = fd && random() % 2 != 0;
    const unsigned style = random() % 3;
    for (auto& byte : frame.data)
        byte = style == 0 ? static_cast<std::uint8_t>(random()) : style == 1 ? std::uint8_t{0} : (random() % 2 != 0 ? 0xFF : 0x0F);
    return frame;
}

}  // namespace

class CanTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void anErrorFrameIsToldInWords()
    {
        const auto words = [](std::uint32_t classes, std::initializer_list<std::uint8_t> data) {
            Frame frame;
            frame.kind = FrameKind::error;
            frame.id.value = classes;
            frame.length = frame.dlc = 8;
            std::copy(data.begin(), data.end(), frame.data.begin());
            return errorWords(frame.view());
        };
        QCOMPARE(words(0x88, {0, 0, 0x04, 0x0A}), std::string("stuff error in the data"));
        QCOMPARE(words(0x08, {0, 0, 0x82, 0x19}), std::string("form error in the acknowledge slot, while sending"));
        QCOMPARE(words(0x20, {}), std::string("nobody acknowledged"));
        QCOMPARE(words(0x02, {11}), std::string("arbitration lost in bit 11"));
        QCOMPARE(words(0x204, {0, 0x30, 0, 0, 0, 0, 130, 12}),
            std::string("error passive, receiving, error passive, sending (130 sending, 12 receiving)"));
        QCOMPARE(words(0x40, {}), std::string("bus off"));
        QCOMPARE(words(0x10, {0, 0, 0, 0, 0x47}), std::string("CAN_H touches ground, CAN_L has no wire"));
        QCOMPARE(words(0x100, {}), std::string("the controller was restarted"));
        QCOMPARE(words(0x80, {}), std::string("bus error"));
        QCOMPARE(words(0, {}), std::string("error frame"));
        // One that was cut off says what it can.
        Frame empty;
        empty.kind = FrameKind::error;
        empty.id.value = 0x0C;
        QCOMPARE(errorWords(empty.view()), std::string("protocol error; trouble in the controller"));
    }

    void everyReferenceRowHasTheSameBitsOnTheWire()
    {
        const auto rows = vectorRows("wire_bits.csv");
        QVERIFY(rows.size() > 200);
        for (const auto& row : rows) {
            const bool fd = row[0] == "fd";
            Frame frame = frameOf({row[1].toUInt(nullptr, 16), row[2] == "1"},
                fd              ? FrameKind::fd
                : row[3] == "1" ? FrameKind::remote
                                : FrameKind::data,
                row[7], row[6].toUInt());
            frame.brs = row[4] == "1";
            frame.esi = row[5] == "1";
            const WireLength bits = wireLength(frame.view());
            const QByteArray name = row.join(',');
            QVERIFY2(bits.nominalBits == row[8].toUInt(), name.constData());
            QVERIFY2(bits.dataBits == row[9].toUInt(), name.constData());
            QVERIFY2(bits.stuffBits == row[10].toUInt(), name.constData());
        }
    }

    void lengthByTableAgreesWithTheBitsThemselves()
    {
        std::mt19937 random(7);
        for (int i = 0; i < 20000; ++i) {
            const Frame frame = randomFrame(random, false);
            const auto bits = wireBits(frame.view());
            QCOMPARE(wireLength(frame.view()).nominalBits, bits.size() + 10);
        }
    }

    void stuffedBitsNeverHoldSixOfAKind()
    {
        std::mt19937 random(8);
        for (int i = 0; i < 5000; ++i) {
            unsigned run = 0;
            std::uint8_t last = 2;
            for (const auto bit : wireBits(randomFrame(random, i % 2 == 0).view())) {
                run = bit == last ? run + 1 : 1;
                last = bit;
                QVERIFY(run <= 5);
            }
        }
    }

    void anErrorFrameWithItsIntermissionCountsSeventeenBits()
    {
        Frame frame;
        frame.kind = FrameKind::error;
        QCOMPARE(occupancy(wireLength(frame.view()), BitRate{500000, 0}), Time(17 * 2000));
    }

    void arbitrationPutsStandardBeforeExtendedAndDataBeforeRemote()
    {
        const auto bits = [](std::uint32_t value, bool extended, FrameKind kind = FrameKind::data) {
            FrameHead head;
            head.id = {value, extended};
            head.kind = kind;
            return arbitrationBits(head);
        };
        QVERIFY(bits(0x123, false) < bits(0x123U << 18, true));
        QVERIFY(bits(0x123, false, FrameKind::remote) < bits(0x123U << 18, true));
        QVERIFY(bits(0x123, false) < bits(0x123, false, FrameKind::remote));
        QVERIFY(bits(0x122U << 18 | 0x3FFFF, true) < bits(0x123, false));
        QVERIFY(bits(0x100, true) < bits(0x100, true, FrameKind::remote));
    }

    void identifiersAreReadAsEngineersTypeThem_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<bool>("valid");
        QTest::addColumn<uint>("value");
        QTest::addColumn<bool>("extended");
        QTest::newRow("plain") << "1F0" << true << 0x1F0U << false;
        QTest::newRow("prefix") << "0x1f0" << true << 0x1F0U << false;
        QTest::newRow("suffix") << "1F0h" << true << 0x1F0U << false;
        QTest::newRow("short") << "0x7" << true << 0x7U << false;
        QTest::newRow("29 bits") << "0x18FF2103" << true << 0x18FF2103U << true;
        QTest::newRow("29 bits, small") << "00000123" << true << 0x123U << true;
        QTest::newRow("past 11 bits") << "0x800" << false << 0U << false;
        QTest::newRow("past 29 bits") << "0x20000000" << false << 0U << false;
        QTest::newRow("five digits") << "0x12345" << false << 0U << false;
        QTest::newRow("word") << "Blade" << false << 0U << false;
        QTest::newRow("empty") << "" << false << 0U << false;
    }
    void identifiersAreReadAsEngineersTypeThem()
    {
        QFETCH(QString, text);
        QFETCH(bool, valid);
        QFETCH(uint, value);
        QFETCH(bool, extended);
        const auto id = identifierFromText(text.toStdString());
        QCOMPARE(id.has_value(), valid);
        if (id) {
            QCOMPARE(id->value, value);
            QCOMPARE(id->extended, extended);
            QCOMPARE(identifierFromText(toText(*id)), id);
        }
    }

    void bitRatesAndSpansAreReadWithTheirUnits()
    {
        QCOMPARE(bitRateFromText("500k/2M").value(), (BitRate{500000, 2000000}));
        QCOMPARE(bitRateFromText("83.333k").value().nominal, 83333U);
        QVERIFY(!bitRateFromText("500x"));
        QVERIFY(!bitRateFromText("0"));
        QCOMPARE(toText(BitRate{250000, 0}), std::string("250k"));
        QCOMPARE(spanFromText("250 ms").value(), Time(250'000'000));
        QCOMPARE(spanFromText("1.5s").value(), Time(1'500'000'000));
        QCOMPARE(spanFromText("0.000000001").value(), Time(1));
        QVERIFY(!spanFromText("12 parsec"));
        QVERIFY(!spanFromText("99999999999999999999 s"));
        QCOMPARE(momentFromText("+2s", Time(5)).value(), Time(2'000'000'005));
        QCOMPARE(secondsText(Time(1'800'000'000'000'029'000)), std::string("1800000000.000029000"));
    }

    void dlcAndLengthAgree()
    {
        for (unsigned dlc = 0; dlc < 16; ++dlc)
            QCOMPARE(unsigned{dlcOfLength(lengthOfDlc(dlc))}, dlc);
        QCOMPARE(unsigned{dlcOfLength(9)}, 9U);
        QCOMPARE(unsigned{dlcOfLength(33)}, 14U);
    }

    void countersLeadToPassiveBusOffAndBack()
    {
        ErrorCounters counters;
        for (int i = 0; i < 15; ++i)
            counters.transmitterSentErrorFlag();
        QCOMPARE(counters.state(), ErrorState::warning);
        counters.transmitterSentErrorFlag();
        QCOMPARE(counters.transmit(), 128U);
        QCOMPARE(counters.state(), ErrorState::passive);
        counters.transmitted();
        QCOMPARE(counters.state(), ErrorState::warning);
        for (int i = 0; i < 17; ++i)
            counters.transmitterSentErrorFlag();
        QCOMPARE(counters.state(), ErrorState::busOff);
        counters.recover();
        QCOMPARE(counters.transmit() + counters.receive(), 0U);
    }

    void aMistypedNameFindsTheOneThatWasMeant_data()
    {
        QTest::addColumn<QString>("word");
        QTest::addColumn<QString>("meant");
        const auto row = [](const char* word, const char* meant) {
            QTest::newRow(word) << QString::fromLatin1(word) << QString::fromLatin1(meant);
        };
        row("BladeDeph", "BladeDepth");     // a letter left out
        row("BladeeDepth", "BladeDepth");   // one too many
        row("BlaedDepth", "BladeDepth");    // two swapped
        row("bladedepth", "BladeDepth");    // capitals aside
        row("Valv", "Valve");
        row("WaterSt", "WaterState");       // a beginning
        row("Flwo", "Flow");
        row("Zamboni42", "");               // nothing near
        row("", "");
        row("xy", "");
    }
    void aMistypedNameFindsTheOneThatWasMeant()
    {
        QFETCH(QString, word);
        QFETCH(QString, meant);
        const std::vector<std::string> names{"BladeDepth", "SideTilt", "Valve", "Flow", "WaterState", "TankLevel", ""};
        QCOMPARE(QString::fromStdString(nearestName(word.toStdString(), names)), meant);
        const QString asked = QString::fromStdString(didYouMean(word.toStdString(), names));
        QCOMPARE(asked.isEmpty(), meant.isEmpty());
        QVERIFY(asked.contains(meant));
    }

    void wordsOfAnyLengthAreLookedUpInBoundedTime()
    {
        const std::vector<std::string> names(200, std::string(5000, 'a'));
        QVERIFY(nearestName(std::string(5000, 'b'), names).empty());
        QVERIFY(nearestName("a", names).empty());
        QVERIFY(nearestName("a", {}).empty());
    }
};

QTEST_APPLESS_MAIN(CanTest)
#include "can_test.moc"
