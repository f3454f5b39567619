// SPDX-License-Identifier: GPL-3.0-or-later
// Reading signal databases, and decoding and encoding with them.
#include <QTest>

#include <cmath>
#include <random>

#include "vector_file.h"
#include "database/codec.h"
#include "database/layout.h"
#include "database/dbc_reader.h"

using namespace wavetrope;
using namespace wavetrope::database;

namespace {

can::Frame frameOf(std::uint32_t id, bool extended, const QByteArray& hex)
{
    can::Frame frame;
    frame.id = {id, extended};
    frame.length = static_cast<std::uint8_t>(hex.size() / 2);
    frame.kind = frame.length > 8 ? can::FrameKind::fd : can::FrameKind::data;
    frame.data = bytesOf(hex);
    return frame;
}

// Obviously right and slow: walks the bits one by one in the order that the format defines.
std::uint64_t slowBits(const Signal& signal, const std::uint8_t* payload)
{
    std::uint64_t value = 0;
    if (signal.order == ByteOrder::intel) {
        for (unsigned i = 0; i < signal.length; ++i) {
            const unsigned at = signal.startBit + i;
            value |= static_cast<std::uint64_t>((payload[at / 8] >> (at % 8)) & 1U) << i;
        }
    } else {
        unsigned at = signal.startBit;
        for (unsigned i = 0; i < signal.length; ++i) {
            value = value << 1 | ((payload[at / 8] >> (at % 8)) & 1U);
            at = at % 8 == 0 ? at + 15 : at - 1;
        }
    }
    return value;
}

Signal randomSignal(std::mt19937& random)
{
    for (;;) {
        Signal signal;
        signal.order = random() % 2 != 0 ? ByteOrder::intel : ByteOrder::motorola;
        signal.length = 1 + random() % 64;
        signal.startBit = random() % 512;
        signal.isSigned = random() % 2 != 0;
        const SignalPlan plan = planOf(signal);
        if (plan.lastByte < 64)
            return signal;
    }
}

const std::string& smallText()
{
    static const std::string text = [] {
        QFile file(dataPath("small.dbc"));
        return file.open(QIODevice::ReadOnly) ? file.readAll().toStdString() : std::string();
    }();
    return text;
}

}  // namespace

class DatabaseTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void everyReferenceRowDecodesToTheSameValue()
    {
        const auto reading = readDbcFile(dataPath("signals.dbc").toStdString());
        QVERIFY(reading.has_value());
        for (const Error& problem : reading->problems)
            qWarning("%s", problem.text().c_str());
        QVERIFY(reading->problems.empty());
        const auto rows = vectorRows("signals.csv");
        QVERIFY(rows.size() == 1302);
        for (const auto& row : rows) {
            const QByteArray name = row.join(',');
            const can::Frame frame = frameOf(row[0].toUInt(nullptr, 16), row[1] == "1", row[2]);
            const Message* message = reading->database.find(frame.id);
            QVERIFY2(message != nullptr, name.constData());
            const Signal* signal = message->find(row[3].toStdString());
            QVERIFY2(signal != nullptr, name.constData());
            const MessagePlan plan(*message);
            Decoded decoded;
            const bool active = plan.decodeOne(frame.view(), static_cast<std::uint32_t>(signal - message->signals.data()), decoded);
            QVERIFY2(active == (row[4] == "1"), name.constData());
            if (!active)
                continue;
            // The reference computes in doubles; ours is the one nearest to the decimal result.
            const double expected = row[6].toDouble();
            QVERIFY2(std::abs(decoded.value - expected) <= 1e-12 * std::max(std::abs(expected), std::abs(signal->offset))
                         || decoded.value == expected || (std::isnan(decoded.value) && row[6] == "nan"),
                (name + " got " + numberText(decoded.value).c_str()).constData());
            if (signal->type == ValueType::integer)
                QVERIFY2(rawText(planOf(*signal), decoded.bits) == row[5].toStdString(), name.constData());
            else
                QVERIFY2(decoded.raw == row[5].toDouble() || (std::isnan(decoded.raw) && row[5] == "nan"), name.constData());
        }
    }

    void oddTextsOfTheReferenceDatabaseAreRead()
    {
        const auto reading = readDbcFile(dataPath("signals.dbc").toStdString());
        QVERIFY(reading.has_value());
        const Message* message = reading->database.find("Msg00Heat");
        QVERIFY(message != nullptr);
        QCOMPARE(message->find("WinchMode_0_3")->textOf(1), std::string_view("On; or so"));
        QVERIFY(message->find("RotorCount_0_1")->comment.starts_with("Says \"so\"; over"));
        const Message* angle = reading->database.find("Msg03Angle");
        QCOMPARE(angle->find("HatchMode_3_0")->unit, std::string("\xC2\xB0"
                                                                 "C"));  // code page 1252 became UTF-8
        QVERIFY(!angle->find("HatchMode_3_0")->minimum);                            // [0|0] is no range
    }

    void allLinesEndsReadAlike()
    {
        for (const char* end : {"\n", "\r\n", "\r"}) {
            const std::string text = QString::fromStdString(smallText()).replace("\n", end).toStdString();
            const DbcReading reading = readDbc(text, "small.dbc");
            QCOMPARE(reading.problems.size(), 0U);
            QCOMPARE(reading.database.nodes.size(), 2U);
            QCOMPARE(reading.database.messages.size(), 2U);
            const Message& blade = reading.database.messages[0];
            QCOMPARE(blade.cycleTime, Time(20'000'000));
            QCOMPARE(blade.signals[1].textOf(1), std::string_view("shaving"));
            QCOMPARE(blade.signals[1].receivers, (std::vector<std::string>{"Heater"}));
            QCOMPARE(reading.database.nodes[0].comment, std::string("pushes \"snow\""));
            const Message& lamp = reading.database.messages[1];
            QVERIFY(lamp.id.extended);
            QCOMPARE(lamp.id.value, 0x18FF2103U);
            QVERIFY(lamp.sender.empty());
        }
    }

    void aBadStatementIsNamedWithItsPlaceAndTheRestIsRead()
    {
        std::string text = smallText();
        const auto at = text.find("BO_ 2566856963");
        text.insert(at, " SG_ Broken : 0|x@1+ (1,0) [0|0] \"\" Heater\nBO_ 5000 TooBig: 8 Plough\n");
        const DbcReading reading = readDbc(text, "small.dbc");
        QCOMPARE(reading.problems.size(), 2U);
        QCOMPARE(reading.problems[0].line, 10);
        QCOMPARE(reading.problems[0].column, 17);
        QVERIFY(reading.problems[0].what.find("length in bits") != std::string::npos);
        QVERIFY(reading.problems[1].what.find("outside 11 or 29 bits") != std::string::npos);
        QCOMPARE(reading.database.messages.size(), 2U);
    }

    void whatIsNoDatabaseIsRefused()
    {
        QVERIFY(!readDbcFile("/nonexistent/x.dbc"));
        QVERIFY(!readDbcFile("/"));
        const auto pcap = readDbcFile(dataPath("capture-a.pcapng").toStdString());
        QVERIFY(!pcap);
        QVERIFY(pcap.error().text().find("not a signal database") != std::string::npos);
    }

    void junkGivesAReadingAndNeverMore()
    {
        std::mt19937 random(11);
        const std::string base = smallText();
        for (int i = 0; i < 3000; ++i) {
            std::string text = base;
            for (int k = 0; k < 4; ++k)
                text[random() % text.size()] = static_cast<char>(random());
            if (i % 7 == 0)
                text.resize(random() % text.size());
            const DbcReading reading = readDbc(text, "x");
            QVERIFY(reading.database.messages.size() <= 4);
            for (const Message& message : reading.database.messages)
                for (const Signal& signal : message.signals)
                    QVERIFY(planOf(signal).lastByte < maxMessageLength);
        }
    }

    void fastBitsAgreeWithTheSlowReference()
    {
        std::mt19937 random(5);
        for (int i = 0; i < 50000; ++i) {
            const Signal signal = randomSignal(random);
            std::uint8_t payload[64];
            for (auto& byte : payload)
                byte = static_cast<std::uint8_t>(random());
            QCOMPARE(planOf(signal).rawBits(payload), slowBits(signal, payload));
        }
    }

    // A message of several frames: the bytes that it has are all that is read and written.
    void payloadsOfAnyLengthAreDecodedAndEncodedToTheirLastBit()
    {
        std::mt19937_64 random(8);
        std::mt19937 shape(13);
        unsigned atTheEnd = 0;
        for (int i = 0; i < 4000; ++i) {
            const auto length = static_cast<unsigned>(1 + random() % (i % 4 == 0 ? maxMessageLength : 130));
            Message message;
            message.length = length;
            for (int k = 0; k < 3; ++k) {
                Signal signal = randomSignal(shape);
                const int start = startFromLeast(static_cast<unsigned>(random() % (length * 8)), signal.length, signal.order);
                if (start < 0 || bitsOf(signal).empty())
                    continue;
                signal.startBit = static_cast<unsigned>(start);
                signal.name = "S" + std::to_string(k);
                message.signals.push_back(signal);
            }
            const MessagePlan plan(message);
            std::vector<std::uint8_t> payload(length);   // not a byte more: the sanitizer sees what reads behind it
            for (auto& byte : payload)
                byte = static_cast<std::uint8_t>(random());
            std::vector<std::uint8_t> longer = payload;
            longer.resize(maxMessageLength + 9);
            std::vector<Decoded> decoded;
            const unsigned missing = plan.decode(can::Payload(payload), decoded);
            QCOMPARE(decoded.size() + missing, message.signals.size());
            for (std::uint32_t s = 0; s < message.signals.size(); ++s) {
                const Signal& signal = message.signals[s];
                const std::vector<unsigned> bits = bitsOf(signal);
                const unsigned last = *std::max_element(bits.begin(), bits.end()) / 8;
                const bool there = last < length;
                atTheEnd += last == length - 1 ? 1 : 0;
                Decoded one;
                QCOMPARE(plan.decodeOne(can::Payload(payload), s, one), there);
                std::vector<std::uint8_t> changed = payload;
                const std::uint64_t value = random() & plan.plan(s).mask;
                QCOMPARE(plan.encodeBits(changed, s, value), there);
                if (!there) {
                    QVERIFY(changed == payload);
                    QVERIFY(!plan.encode(changed, s, 1));
                    continue;
                }
                QCOMPARE(one.bits, slowBits(signal, longer.data()));
                QVERIFY(std::any_of(decoded.begin(), decoded.end(), [&](const Decoded& d) { return d.signal == s && d.bits == one.bits; }));
                std::vector<std::uint8_t> expected = payload;
                for (std::size_t k = 0; k < bits.size(); ++k) {
                    expected[bits[k] / 8] = static_cast<std::uint8_t>(expected[bits[k] / 8] & ~(1U << bits[k] % 8));
                    expected[bits[k] / 8] |= static_cast<std::uint8_t>((value >> k & 1U) << bits[k] % 8);
                }
                QVERIFY(changed == expected);
                QVERIFY(plan.encodeBits(changed, s, one.bits));
                QVERIFY(changed == payload);
            }
        }
        QVERIFY(atTheEnd > 20);
    }

    void whatIsEncodedDecodesToTheSameAndTouchesNothingElse()
    {
        std::mt19937_64 random(6);
        std::mt19937 shape(9);
        for (int i = 0; i < 20000; ++i) {
            Message message;
            message.length = 64;
            message.signals.push_back(randomSignal(shape));
            Signal& signal = message.signals[0];
            signal.factor = 0.5;
            signal.offset = -3;
            const MessagePlan plan(message);
            can::Frame frame;
            frame.kind = can::FrameKind::fd;
            frame.length = 64;
            for (auto& byte : frame.data)
                byte = static_cast<std::uint8_t>(random());
            const can::Frame before = frame;
            const std::uint64_t bits = random() & (signal.length == 64 ? ~0ULL : (1ULL << signal.length) - 1);
            plan.encodeBits(frame.data, 0, bits);
            QCOMPARE(slowBits(signal, frame.data.data()), bits);
            Decoded decoded;
            QVERIFY(plan.decodeOne(frame.view(), 0, decoded));
            if (std::abs(decoded.raw) < 1e15) {
                can::Frame again = before;
                plan.encode(again.data, 0, decoded.value);
                QCOMPARE(again.data, frame.data);
            }
            // Clearing the signal in both leaves the same bytes: nothing else was touched.
            can::Frame cleared = before;
            plan.encodeBits(cleared.data, 0, 0);
            plan.encodeBits(frame.data, 0, 0);
            QCOMPARE(frame.data, cleared.data);
        }
    }

    void encodingLimitsToWhatTheBitsHold()
    {
        const DbcReading reading = readDbc(smallText(), "x");
        const MessagePlan plan(reading.database.messages[0]);
        can::Frame frame = frameOf(291, false, "0000000000000000");
        Decoded decoded;
        plan.encode(frame.data, 0, 1e9);
        QVERIFY(plan.decodeOne(frame.view(), 0, decoded));
        QCOMPARE(decoded.value, 327.67);
        plan.encode(frame.data, 0, -1e9);
        QVERIFY(plan.decodeOne(frame.view(), 0, decoded));
        QCOMPARE(decoded.value, -327.68);
    }

    void aShortPayloadDecodesWhatIsThere()
    {
        const DbcReading reading = readDbc(smallText(), "x");
        const MessagePlan plan(reading.database.messages[0]);
        std::vector<Decoded> out;
        QCOMPARE(plan.decode(frameOf(291, false, "1027").view(), out), 1U);
        QCOMPARE(out.size(), 1U);
        QCOMPARE(out[0].value, 100.0);
    }
};

QTEST_APPLESS_MAIN(DatabaseTest)
#include "database_test.moc"
