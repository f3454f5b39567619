// SPDX-License-Identifier: GPL-3.0-or-later
// The reader of signal databases, statement by statement, on good and on hand-broken texts; where bits lie.
#include <QTest>

#include <limits>

#include "database/catalog.h"
#include "database/codec.h"
#include "database/dbc_lexer.h"
#include "database/dbc_reader.h"

using namespace wavetrope;
using namespace wavetrope::database;

namespace {

const std::string head = "VERSION \"1\"\nBU_: A B C\nBO_ 100 State: 8 A\n SG_ Speed : 0|16@1+ (0.1,-5) [0|100] \"km/h\" B,C\n SG_ Gear : "
                         "16|4@1- (1,0) [0|0] \"\" B\n";

DbcReading read(const std::string& text) { return readDbc(text, "test.dbc"); }

// A payload with the given bytes from the front.
can::Frame frameOf(std::initializer_list<int> bytes, unsigned length = 8)
{
    can::Frame frame;
    frame.length = static_cast<std::uint8_t>(length);
    frame.kind = length > 8 ? can::FrameKind::fd : can::FrameKind::data;
    std::size_t i = 0;
    for (const int byte : bytes)
        frame.data[i++] = static_cast<std::uint8_t>(byte);
    return frame;
}

}  // namespace

class DbcTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void goodStatementsAreUnderstood_data()
    {
        QTest::addColumn<QString>("statement");
        const auto row = [](const char* statement) { QTest::newRow(statement) << QString::fromUtf8(statement); };
        row("BO_ 200 Other: 8 A");
        row("BO_ 200 Other : 8 A");
        row("BO_ 2147483848 Other: 8 A");
        row("BO_ 200 Other: 64 A");
        row("BO_ 200 Other: 8 Vector__XXX");
        row("BO_ 200 Other: 8 A\n SG_ X : 0|8@1+ (1,0) [0|0] \"\" Vector__XXX");
        row("BO_ 200 Other: 8 A\n SG_ X: 0|8@1+ (1,0) [0|0] \"\" B");
        row("BO_ 200 Other: 8 A\n SG_ X : 0|8@1+(1,0)[0|0]\"\"B");
        row("BO_ 200 Other: 8 A\n SG_ X : 7|8@0- (1e-3,-1.5E+2) [-1e3|+1e3] \"\" B , C");
        row("BO_ 200 Other: 8 A\n SG_ Sel M : 0|8@1+ (1,0) [0|0] \"\" B\n SG_ X m0 : 8|8@1+ (1,0) [0|0] \"\" B\n SG_ Y m12 : 8|8@1+ (1,0) "
            "[0|0] \"\" B");
        row("BO_ 200 Other: 8 A\n SG_ Nested m3M : 8|8@1+ (1,0) [0|0] \"\" B");
        row("CM_ \"about the whole\";");
        row("CM_ BU_ A \"about a node\";");
        row("CM_ BO_ 100 \"about a message\";");
        row("CM_ SG_ 100 Speed \"about a signal\";");
        row("CM_ SG_ 100 Speed \"over\ntwo lines; BO_ 1 X: 8 A\";");
        row("CM_ SG_ 100 Speed \"with \\\"quotes\\\" in it\";");
        row("CM_ EV_ Env \"about an environment variable\";");
        row("VAL_ 100 Gear 0 \"off\" 1 \"on\" ;");
        row("VAL_ 100 Gear -1 \"reverse\" 1 \"forward\";");
        row("VAL_ Env 0 \"off\" ;");
        row("VAL_TABLE_ OnOff 1 \"on\" 0 \"off\" ;");
        row("BA_DEF_ \"Bus\" STRING ;");
        row("BA_DEF_ BO_ \"GenMsgCycleTime\" INT 0 65535;");
        row("BA_DEF_ SG_ \"Weight\" FLOAT -1.5 1e6;");
        row("BA_DEF_ BO_ \"Kind\" ENUM \"one\",\"two\";");
        row("BA_DEF_DEF_ \"Bus\" \"CAN\";");
        row("BA_DEF_ BO_ \"GenMsgCycleTime\" INT 0 65535;\nBA_ \"GenMsgCycleTime\" BO_ 100 20;");
        row("BA_ \"Bus\" \"CAN FD\";");
        row("BA_ \"Note\" BU_ A 5;");
        row("SIG_VALTYPE_ 100 Speed : 0;");
        row("SIG_GROUP_ 100 Group 1 : Speed Gear;");
        row("SG_MUL_VAL_ 100 Speed Gear 1-1, 3-4;");
        row("BO_TX_BU_ 100 : A,B;");
        row("EV_ Env: 0 [0|1] \"\" 0 1 DUMMY_NODE_VECTOR0 Vector__XXX;");
        row("SGTYPE_ Odd : 8@1+ (1,0) [0|1] \"\" 0 , OnOff ;");
        row("BU_SG_REL_ A SG_ 100 Speed;");
        row(";;");
        row("BS_: 500000 : 1,2");
        row("NS_ : \n\tCM_\n\tBA_DEF_");
    }
    void goodStatementsAreUnderstood()
    {
        QFETCH(QString, statement);
        const DbcReading reading = read(head + statement.toStdString() + "\nBO_ 300 Last: 2 C\n SG_ End : 0|8@1+ (1,0) [0|0] \"\" A\n");
        for (const Error& problem : reading.problems)
            qWarning("%s", problem.text().c_str());
        QCOMPARE(reading.problems.size(), 0U);
        QVERIFY(reading.database.find("State") != nullptr);
        const Message* last = reading.database.find("Last");
        QVERIFY(last != nullptr && last->find("End") != nullptr);
    }

    void brokenStatementsAreNamedAndTheRestIsRead_data()
    {
        QTest::addColumn<QString>("statement");
        QTest::addColumn<int>("line");      // behind the head's five
        QTest::addColumn<QString>("words");
        const auto row = [](const char* statement, int line, const char* words) {
            QTest::newRow(statement) << QString::fromUtf8(statement) << line << QString::fromUtf8(words);
        };
        row("BO_ x Other: 8 A", 6, "an identifier");
        row("BO_ 99999999999 Other: 8 A", 6, "an identifier");
        row("BO_ 3000 Other: 8 A", 6, "outside 11 or 29 bits");
        row("BO_ 4294967295 Other: 8 A", 6, "outside 11 or 29 bits");
        row("BO_ 200 : 8 A", 6, "a message name");
        row("BO_ 200 Other 8 A", 6, "':'");
        row("BO_ 200 Other: eight A", 6, "a length in bytes");
        row("BO_ 200 Other: 8", 7, "a sending node");
        row("BO_ 200 Other: 4096 A", 6, "more than 4095 bytes");
        row("BO_ 200 Other: 8 A\n SG_ : 0|8@1+ (1,0) [0|0] \"\" B", 7, "a signal name");
        row("BO_ 200 Other: 8 A\n SG_ X 0|8@1+ (1,0) [0|0] \"\" B", 7, "':'");
        row("BO_ 200 Other: 8 A\n SG_ X : -1|8@1+ (1,0) [0|0] \"\" B", 7, "a start bit");
        row("BO_ 200 Other: 8 A\n SG_ X : 32760|8@1+ (1,0) [0|0] \"\" B", 7, "a start bit of 0 to 32759");
        row("BO_ 200 Other: 8 A\n SG_ X : 0 8@1+ (1,0) [0|0] \"\" B", 7, "'|'");
        row("BO_ 200 Other: 8 A\n SG_ X : 0|65@1+ (1,0) [0|0] \"\" B", 7, "a length in bits of 0 to 64");
        row("BO_ 200 Other: 8 A\n SG_ X : 0|0@1+ (1,0) [0|0] \"\" B", 7, "has no bits");
        row("BO_ 200 Other: 8 A\n SG_ X : 32759|8@1+ (1,0) [0|0] \"\" B", 7, "ends behind byte 4094");
        row("BO_ 200 Other: 8 A\n SG_ X : 0|8@2+ (1,0) [0|0] \"\" B", 7, "a byte order");
        row("BO_ 200 Other: 8 A\n SG_ X : 0|8@1 (1,0) [0|0] \"\" B", 7, "'+'");
        row("BO_ 200 Other: 8 A\n SG_ X : 0|8@1+ (one,0) [0|0] \"\" B", 7, "a factor");
        row("BO_ 200 Other: 8 A\n SG_ X : 0|8@1+ (1) [0|0] \"\" B", 7, "','");
        row("BO_ 200 Other: 8 A\n SG_ X : 0|8@1+ (1,0) [0] \"\" B", 7, "'|'");
        row("BO_ 200 Other: 8 A\n SG_ X : 0|8@1+ (1,0) [0|0] km B", 7, "a unit in quotes");
        row("BO_ 200 Other: 8 A\n SG_ X q5 : 0|8@1+ (1,0) [0|0] \"\" B", 7, "M or m with a number");
        row("CM_ SG_ 100 Nothing \"x\";", 6, "which is not defined");
        row("VAL_ 100 Nothing 0 \"x\" ;", 6, "which is not defined");
        row("VAL_ 100 Gear 0 off ;", 6, "a text in quotes");
        row("SIG_VALTYPE_ 100 Speed : 1;", 6, "has 16 bits");
        row("SIG_VALTYPE_ 100 Speed : 7;", 6, "a value type");
        row("BA_ GenMsgCycleTime BO_ 100 20;", 6, "an attribute name in quotes");
        row("Nonsense here", 6, "unknown statement 'Nonsense'");
        row("| ;", 6, "a statement");
    }
    void brokenStatementsAreNamedAndTheRestIsRead()
    {
        QFETCH(QString, statement);
        QFETCH(int, line);
        QFETCH(QString, words);
        const DbcReading reading = read(head + statement.toStdString() + "\nBO_ 300 Last: 2 C\n SG_ End : 0|8@1+ (1,0) [0|0] \"\" A\n");
        QVERIFY(!reading.problems.empty());
        const Error& first = reading.problems.front();
        QVERIFY2(QString::fromStdString(first.what).contains(words), first.text().c_str());
        QCOMPARE(first.line, line);
        QVERIFY(first.column >= 1);
        QVERIFY(reading.database.find("State") != nullptr);
        QVERIFY(reading.database.find("Last") != nullptr);
    }

    void attributesGiveCycleTimeStartValueAndFrameFormat()
    {
        const DbcReading reading = read(head
                                        + "BO_ 200 Fast: 8 A\nBO_ 201 Slow: 8 A\n"
                                          "BA_DEF_ BO_ \"GenMsgCycleTime\" INT 0 65535;\nBA_DEF_ BO_ \"VFrameFormat\" ENUM "
                                          "\"StandardCAN\",\"StandardCAN_FD\";\nBA_DEF_ BO_ \"CANFD_BRS\" ENUM \"0\",\"1\";\n"
                                          "BA_DEF_DEF_ \"GenMsgCycleTime\" 100;\nBA_ \"GenMsgCycleTime\" BO_ 200 5;\nBA_ \"VFrameFormat\" "
                                          "BO_ 200 1;\nBA_ \"CANFD_BRS\" BO_ 200 \"1\";\nBA_ \"GenSigStartValue\" SG_ 100 Speed 50;\n");
        QCOMPARE(reading.problems.size(), 0U);
        const Message* fast = reading.database.find("Fast");
        QCOMPARE(fast->cycleTime, Time(5'000'000));
        QVERIFY(fast->fd && fast->brs);
        QCOMPARE(reading.database.find("Slow")->cycleTime, Time(100'000'000));
        QCOMPARE(reading.database.find("State")->find("Speed")->startRaw.value(), 50.0);
    }

    void reservedWordsAreNeverShown()
    {
        const DbcReading reading = read(
            head
            + "BU_: Vector__XXX\nBO_ 3221225472 VECTOR__INDEPENDENT_SIG_MSG: 0 Vector__XXX\n SG_ Orphan : 0|8@1+ (1,0) [0|0] \"\" "
              "Vector__XXX\nBO_ 200 Other: 8 Vector__XXX\n SG_ X : 0|8@1+ (1,0) [0|0] \"\" Vector__XXX\n");
        QCOMPARE(reading.problems.size(), 0U);
        QCOMPARE(reading.database.messages.size(), 2U);
        for (const Node& node : reading.database.nodes)
            QVERIFY(node.name.find("Vector") == std::string::npos);
        QVERIFY(reading.database.find("Other")->sender.empty());
        QVERIFY(reading.database.find("Other")->find("X")->receivers.empty());
    }

    void codePagesAreRecognised()
    {
        const auto unitOf = [](const std::string& bytes) {
            const DbcReading reading = read("BU_: A\nBO_ 1 M: 8 A\n SG_ T : 0|8@1+ (1,0) [0|0] \"" + bytes + "\" A\n");
            return reading.database.messages.at(0).signals.at(0).unit;
        };
        QCOMPARE(unitOf("\xB0"
                        "C"),
            std::string("\xC2\xB0"
                        "C"));                                             // code page 1252
        QCOMPARE(unitOf("\xC2\xB0"
                        "C"),
            std::string("\xC2\xB0"
                        "C"));                                             // UTF-8
        QCOMPARE(unitOf("\x80"), std::string("\xE2\x82\xAC"));                  // the euro sign of 1252
        QCOMPARE(unitOf("\xB5m"), std::string("\xC2\xB5m"));
        QCOMPARE(read("\xEF\xBB\xBFVERSION \"x\"\nBU_: A\n").database.network.version, std::string("x"));
    }

    void utf8IsTold_data()
    {
        QTest::addColumn<QByteArray>("bytes");
        QTest::addColumn<bool>("valid");
        QTest::newRow("ascii") << QByteArray("plain") << true;
        QTest::newRow("two bytes") << QByteArray("\xC2\xB0") << true;
        QTest::newRow("three bytes") << QByteArray("\xE2\x82\xAC") << true;
        QTest::newRow("four bytes") << QByteArray("\xF0\x9F\x98\x80") << true;
        QTest::newRow("lone follower") << QByteArray("\xB0") << false;
        QTest::newRow("cut off") << QByteArray("\xE2\x82") << false;
        QTest::newRow("overlong") << QByteArray("\xC0\x80") << false;
        QTest::newRow("past Unicode") << QByteArray("\xF5\x80\x80\x80") << false;
    }
    void utf8IsTold()
    {
        QFETCH(QByteArray, bytes);
        QFETCH(bool, valid);
        QCOMPARE(isUtf8({bytes.constData(), static_cast<std::size_t>(bytes.size())}), valid);
    }

    void theLexerKnowsWhereEachTokenStands()
    {
        DbcLexer lexer("BO_ 1\r\n\tX: -2.5e3 \"a \\\" b\"\rEnd");
        const auto next = [&](DbcToken::Kind kind, const char* text, int line, int column) {
            const DbcToken token = lexer.take();
            QCOMPARE(token.kind, kind);
            QCOMPARE(QByteArray(token.text.data(), static_cast<qsizetype>(token.text.size())), QByteArray(text));
            QCOMPARE(token.line, line);
            QCOMPARE(token.column, column);
        };
        next(DbcToken::Kind::word, "BO_", 1, 1);
        next(DbcToken::Kind::number, "1", 1, 5);
        next(DbcToken::Kind::word, "X", 2, 2);
        next(DbcToken::Kind::mark, ":", 2, 3);
        next(DbcToken::Kind::number, "-2.5e3", 2, 5);
        next(DbcToken::Kind::string, "a \\\" b", 2, 12);
        next(DbcToken::Kind::word, "End", 3, 1);
        QCOMPARE(lexer.take().kind, DbcToken::Kind::end);
    }

    // Layouts worked out by hand: payload bytes, where the signal lies, and what must come out.
    void bitsAreTakenFromWhereTheyLie_data()
    {
        QTest::addColumn<QByteArray>("payload");
        QTest::addColumn<int>("start");
        QTest::addColumn<int>("length");
        QTest::addColumn<bool>("motorola");
        QTest::addColumn<bool>("isSigned");
        QTest::addColumn<double>("raw");
        const auto row = [](const char* name, const char* hex, int start, int length, bool motorola, bool isSigned, double raw) {
            QTest::newRow(name) << QByteArray::fromHex(hex) << start << length << motorola << isSigned << raw;
        };
        row("first byte", "A500000000000000", 0, 8, false, false, 0xA5);
        row("low nibble", "A500000000000000", 0, 4, false, false, 0x5);
        row("high nibble", "A500000000000000", 4, 4, false, false, 0xA);
        row("one bit", "0001000000000000", 8, 1, false, false, 1);
        row("two bytes, least first", "3412000000000000", 0, 16, false, false, 0x1234);
        row("two bytes, most first", "1234000000000000", 7, 16, true, false, 0x1234);
        row("twelve bits across, least first", "F0AB000000000000", 4, 12, false, false, 0xABF);
        row("twelve bits across, most first", "0ABC000000000000", 3, 12, true, false, 0xABC);
        row("signed nibble", "0F00000000000000", 0, 4, false, true, -1);
        row("signed nibble, lowest", "0800000000000000", 0, 4, false, true, -8);
        row("signed byte", "0080000000000000", 8, 8, false, true, -128);
        row("signed one bit", "0100000000000000", 0, 1, false, true, -1);
        row("signed 16, most first", "FFFE000000000000", 7, 16, true, true, -2);
        row("32 bits, least first", "0000000078563412", 32, 32, false, false, 0x12345678);
        row("32 bits, most first", "1234567800000000", 7, 32, true, false, 0x12345678);
        row("40 bits", "0100000001000000", 0, 40, false, false, 4294967297.0);
        row("all 64, signed", "FFFFFFFFFFFFFFFF", 0, 64, false, true, -1);
        row("63 bits from bit 1", "0200000000000000", 1, 63, false, false, 1);
        row("63 bits, most first, from bit 6", "4000000000000000", 6, 63, true, false, 4611686018427387904.0);
        row("three bits inside, most first", "1C00000000000000", 4, 3, true, false, 7);
    }
    void bitsAreTakenFromWhereTheyLie()
    {
        QFETCH(QByteArray, payload);
        QFETCH(int, start);
        QFETCH(int, length);
        QFETCH(bool, motorola);
        QFETCH(bool, isSigned);
        QFETCH(double, raw);
        Message message;
        message.length = 8;
        Signal signal;
        signal.startBit = static_cast<unsigned>(start);
        signal.length = static_cast<unsigned>(length);
        signal.order = motorola ? ByteOrder::motorola : ByteOrder::intel;
        signal.isSigned = isSigned;
        message.signals.push_back(signal);
        const MessagePlan plan(message);
        can::Frame frame;
        frame.length = 8;
        std::copy(payload.begin(), payload.end(), reinterpret_cast<char*>(frame.data.data()));
        Decoded decoded;
        QVERIFY(plan.decodeOne(frame.view(), 0, decoded));
        QCOMPARE(decoded.raw, raw);
        can::Frame blank;
        plan.encode(blank.data, 0, raw);
        Decoded again;
        blank.length = 8;
        QVERIFY(plan.decodeOne(blank.view(), 0, again));
        QCOMPARE(again.bits, decoded.bits);
    }

    void scalingIsAppliedBothWays_data()
    {
        QTest::addColumn<double>("factor");
        QTest::addColumn<double>("offset");
        QTest::addColumn<double>("physical");
        QTest::addColumn<double>("raw");
        QTest::newRow("plain") << 1.0 << 0.0 << 42.0 << 42.0;
        QTest::newRow("tenth") << 0.1 << 0.0 << 4.2 << 42.0;
        QTest::newRow("offset") << 1.0 << -40.0 << 2.0 << 42.0;
        QTest::newRow("both") << 0.5 << 10.0 << 31.0 << 42.0;
        QTest::newRow("negative factor") << -1.0 << 0.0 << -42.0 << 42.0;
        QTest::newRow("rounded up") << 1.0 << 0.0 << 41.6 << 42.0;
        QTest::newRow("rounded down") << 1.0 << 0.0 << 42.4 << 42.0;
        QTest::newRow("too large") << 1.0 << 0.0 << 1e9 << 65535.0;
        QTest::newRow("too small") << 1.0 << 0.0 << -5.0 << 0.0;
        QTest::newRow("no number") << 1.0 << 0.0 << std::numeric_limits<double>::quiet_NaN() << 0.0;
    }
    void scalingIsAppliedBothWays()
    {
        QFETCH(double, factor);
        QFETCH(double, offset);
        QFETCH(double, physical);
        QFETCH(double, raw);
        Message message;
        message.length = 8;
        Signal signal;
        signal.length = 16;
        signal.startBit = 8;
        signal.factor = factor;
        signal.offset = offset;
        message.signals.push_back(signal);
        const MessagePlan plan(message);
        can::Frame frame = frameOf({});
        plan.encode(frame.data, 0, physical);
        Decoded decoded;
        QVERIFY(plan.decodeOne(frame.view(), 0, decoded));
        QCOMPARE(decoded.raw, raw);
    }

    void floatsAreExact()
    {
        for (const ValueType type : {ValueType::single, ValueType::floating}) {
            Message message;
            message.length = 8;
            Signal signal;
            signal.type = type;
            signal.length = type == ValueType::single ? 32 : 64;
            message.signals.push_back(signal);
            const MessagePlan plan(message);
            for (const double value : {0.0, -0.0, 1.5, -273.15, 3.4e38, 1e-40}) {
                can::Frame frame = frameOf({});
                plan.encode(frame.data, 0, value);
                Decoded decoded;
                QVERIFY(plan.decodeOne(frame.view(), 0, decoded));
                QCOMPARE(decoded.value, type == ValueType::single ? static_cast<double>(static_cast<float>(value)) : value);
            }
        }
    }

    void integersAreWrittenInFullTo64Bits()
    {
        Message message;
        message.length = 8;
        Signal signal;
        signal.length = 64;
        message.signals.push_back(signal);
        const can::Frame frame = frameOf({0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF});
        Decoded decoded;
        QVERIFY(MessagePlan(message).decodeOne(frame.view(), 0, decoded));
        QCOMPARE(rawText(planOf(signal), decoded.bits), std::string("18446744073709551615"));
        signal.isSigned = true;
        QCOMPARE(rawText(planOf(signal), decoded.bits), std::string("-1"));
        QCOMPARE(rawText(planOf(signal), 1ULL << 63), std::string("-9223372036854775808"));
    }

    void multiplexedSignalsFollowTheirSelector()
    {
        const DbcReading reading = read("BU_: A\nBO_ 1 M: 8 A\n SG_ Sel M : 0|8@1+ (1,0) [0|0] \"\" A\n SG_ One m1 : 8|8@1+ (1,0) [0|0] "
                                        "\"\" A\n SG_ Two m2 : 8|8@1+ (1,0) [0|0] \"\" A\n SG_ Always : 16|8@1+ (1,0) [0|0] \"\" A\n");
        const MessagePlan plan(reading.database.messages.at(0));
        const auto names = [&](int selector) {
            std::vector<Decoded> out;
            plan.decode(frameOf({selector, 7, 9}).view(), out);
            std::string text;
            for (const Decoded& value : out)
                text += reading.database.messages[0].signals[value.signal].name + "=" + numberText(value.value) + " ";
            return text;
        };
        QCOMPARE(names(1), std::string("Sel=1 One=7 Always=9 "));
        QCOMPARE(names(2), std::string("Sel=2 Two=7 Always=9 "));
        QCOMPARE(names(3), std::string("Sel=3 Always=9 "));
    }

    void remoteAndErrorFramesCarryNoSignals()
    {
        const DbcReading reading = read(head);
        const MessagePlan plan(reading.database.messages.at(0));
        for (const can::FrameKind kind : {can::FrameKind::remote, can::FrameKind::error}) {
            can::Frame frame = frameOf({1, 2, 3});
            frame.kind = kind;
            std::vector<Decoded> out;
            plan.decode(frame.view(), out);
            QVERIFY(out.empty());
            Decoded one;
            QVERIFY(!plan.decodeOne(frame.view(), 0, one));
        }
    }

    void theFirstDatabaseOfABusThatKnowsAnIdentifierWins()
    {
        Catalog catalog;
        const auto bus = catalog.addBus("One");
        const auto other = catalog.addBus("Two");
        catalog.attach(bus, std::make_shared<const Database>(read(head).database));
        catalog.attach(bus, std::make_shared<const Database>(
                                read("BU_: D\nBO_ 100 Rival: 8 D\nBO_ 101 Extra: 8 D\n SG_ Speed : 0|8@1+ (1,0) [0|0] \"\" D\n").database));
        QCOMPARE(catalog.find(bus, {100, false})->message->name, std::string("State"));
        QCOMPARE(catalog.find(bus, {101, false})->message->name, std::string("Extra"));
        QVERIFY(catalog.find(bus, {100, true}) == nullptr);
        QVERIFY(catalog.find(other, {100, false}) == nullptr);
        QVERIFY(catalog.find(200, {100, false}) == nullptr);
        QCOMPARE(catalog.findSignals("Speed").size(), 2U);
        QCOMPARE(catalog.findSignals("State.Speed").size(), 1U);
        QCOMPARE(catalog.findSignals("Rival.Speed").size(), 0U);
        QVERIFY(catalog.hasNode("D") && catalog.hasNode("A") && !catalog.hasNode("E"));
        QCOMPARE(catalog.findBus("Two"), 1);
        QCOMPARE(catalog.findBus("Three"), -1);
    }

    void numbersAreWrittenWithTheirDigits_data()
    {
        QTest::addColumn<double>("value");
        QTest::addColumn<int>("digits");
        QTest::addColumn<QString>("text");
        QTest::newRow("tenth") << 0.1 << 17 << "0.10000000000000001";
        QTest::newRow("whole") << 12.0 << 17 << "12";
        QTest::newRow("large") << 1e22 << 17 << "1e+22";
        QTest::newRow("small") << 1e-7 << 17 << "9.9999999999999995e-08";
        QTest::newRow("six digits") << 0.1 << 6 << "0.1";
        QTest::newRow("negative zero") << -0.0 << 17 << "-0";
        QTest::newRow("not a number") << std::numeric_limits<double>::quiet_NaN() << 17 << "nan";
        QTest::newRow("infinite") << std::numeric_limits<double>::infinity() << 17 << "inf";
    }
    void numbersAreWrittenWithTheirDigits()
    {
        QFETCH(double, value);
        QFETCH(int, digits);
        QFETCH(QString, text);
        QCOMPARE(QString::fromStdString(numberText(value, digits)), text);
    }

    void aMillionWordsOfNonsenseEndSoonWithBoundedProblems()
    {
        std::string text;
        for (int i = 0; i < 300'000; ++i)
            text += "odd ";
        text += "\n";
        for (int i = 0; i < 50'000; ++i)
            text += "BO_ x\n";
        const DbcReading reading = read(text);
        QVERIFY(reading.problems.size() <= 1001);
        QVERIFY(reading.database.messages.empty());
    }
};

QTEST_APPLESS_MAIN(DbcTest)
#include "dbc_test.moc"
