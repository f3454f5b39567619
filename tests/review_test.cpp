// SPDX-License-Identifier: GPL-3.0-or-later
// Review, layout, multiplexing, matching and coverage of signal databases.
#include <QTest>

#include <random>

#include "database/catalog.h"
#include "database/dbc_reader.h"
#include "database/dbc_writer.h"
#include "database/diff.h"
#include "database/layout.h"
#include "database/review.h"
#include "measure/coverage.h"
#include "measure/signal_series.h"

using namespace wavetrope;
using namespace wavetrope::database;

namespace {

// Made wrong on purpose: every kind of finding is in it.
const std::string wrong = R"(VERSION ""
BU_: Pump Valve Pump
BO_ 100 Overlapping: 8 Pump
 SG_ A : 0|12@1+ (1,0) [0|0] "" Valve
 SG_ B : 8|8@1+ (1,0) [0|0] "" Valve
BO_ 101 Outside: 2 Pump
 SG_ Long : 8|16@1+ (1,0) [0|0] "" Valve
BO_ 102 Ranges: 8 Pump
 SG_ TooWide : 0|8@1+ (0.5,0) [0|500] "bar" Valve
 SG_ Turned : 8|8@1+ (1,0) [90|10] "bar" Valve
 SG_ Flat : 16|8@1+ (0,0) [0|0] "bar" Valve
 SG_ Start : 24|4@1+ (1,0) [0|0] "" Nobody
 SG_ Start : 32|4@1+ (1,0) [0|0] "" Valve
BO_ 102 Again: 8 Pump
BO_ 103 Ranges: 7 Ghost
BO_ 104 Odd: 9 Pump
BO_ 105 Mux: 8 Pump
 SG_ Lost m1 : 0|8@1+ (1,0) [0|0] "" Valve
BA_DEF_ SG_ "GenSigStartValue" INT 0 10;
BA_DEF_DEF_ "GenSigStartValue" 0;
BA_ "GenSigStartValue" SG_ 102 Start 99;
BA_ "Unheard" BO_ 100 1;
VAL_ 102 Start 3 "three" 3 "drei" 77 "out" ;
Nonsense
)";

unsigned countOf(const std::vector<Finding>& findings, FindingKind kind)
{
    return static_cast<unsigned>(std::count_if(findings.begin(), findings.end(), [&](const Finding& f) { return f.kind == kind; }));
}

can::Frame frameOf(can::Identifier id, std::initializer_list<int> bytes, Time time = {})
{
    can::Frame frame;
    frame.id = id;
    frame.time = time;
    frame.length = frame.dlc = static_cast<std::uint8_t>(bytes.size());
    std::size_t i = 0;
    for (const int byte : bytes)
        frame.data[i++] = static_cast<std::uint8_t>(byte);
    return frame;
}

// The slow and obvious way: the bits of a signal one by one.
std::uint64_t slowBits(const Signal& signal, const std::uint8_t* payload)
{
    std::uint64_t value = 0;
    const auto bits = bitsOf(signal);
    for (std::size_t i = 0; i < bits.size(); ++i)
        value |= static_cast<std::uint64_t>(payload[bits[i] / 8] >> (bits[i] % 8) & 1U) << i;
    return value;
}

}  // namespace

class ReviewTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void everyKindOfFindingIsFound_data()
    {
        QTest::addColumn<int>("kind");
        QTest::addColumn<int>("count");
        QTest::addColumn<int>("line");
        const auto row = [](FindingKind kind, int count, int line) {
            QTest::newRow(toText(kind)) << static_cast<int>(kind) << count << line;
        };
        row(FindingKind::unreadable, 1, 24);
        row(FindingKind::overlap, 1, 5);
        row(FindingKind::outsidePayload, 1, 7);
        row(FindingKind::range, 2, 9);
        row(FindingKind::duplicateName, 3, 2);
        row(FindingKind::duplicateIdentifier, 1, 14);
        row(FindingKind::unknownSender, 1, 15);
        row(FindingKind::unknownReceiver, 1, 12);
        row(FindingKind::noSelector, 1, 18);
        row(FindingKind::noFactor, 1, 11);
        row(FindingKind::startValue, 1, 21);
        row(FindingKind::valueText, 2, 23);
        row(FindingKind::length, 1, 16);
        row(FindingKind::attribute, 2, 21);
    }
    void everyKindOfFindingIsFound()
    {
        QFETCH(int, kind);
        QFETCH(int, count);
        QFETCH(int, line);
        const DbcReading reading = readDbc(wrong, "wrong.dbc");
        const auto findings = review(reading.database, &reading);
        QCOMPARE(countOf(findings, static_cast<FindingKind>(kind)), static_cast<unsigned>(count));
        bool atLine = false;
        for (const Finding& finding : findings)
            if (finding.kind == static_cast<FindingKind>(kind)) {
                QVERIFY(!finding.what.empty());
                atLine = atLine || finding.line == line;
            }
        QVERIFY(atLine);
    }

    void rangesOfTextsAreLookedAtToo()
    {
        Database db = readDbc("BU_: A\nBO_ 1 M: 8 A\n SG_ S : 0|4@1+ (1,0) [0|0] \"\" A\n", "x").database;
        Signal signal = db.messages[0].signals[0];
        signal.texts = {{3, "inside"}, {0, "low", 5}, {5, "twice", 2}, {9, "past", 20}};
        apply(db, *Editor(db).putSignal(db.messages[0].uid, signal, "texts"));
        std::vector<std::string> words;
        for (const Finding& finding : review(db))
            if (finding.kind == FindingKind::valueText)
                words.push_back(finding.what);
        QCOMPARE(words.size(), 2U);
        QVERIFY2(words[0].find("two texts for 5") != std::string::npos, words[0].c_str());
        QVERIFY2(words[1].find("9 to 29") != std::string::npos, words[1].c_str());
    }

    void aRemedyMendsWhatItIsFor()
    {
        const DbcReading reading = readDbc(wrong, "wrong.dbc");
        unsigned remedies = 0;
        for (const Finding& finding : review(reading.database, &reading)) {
            if (!finding.mend)
                continue;
            ++remedies;
            Database mended = reading.database;
            const auto edit = finding.mend(Editor(mended));
            QVERIFY2(edit.has_value(), finding.what.c_str());
            apply(mended, *edit);
            const auto before = review(reading.database);
            const auto after = review(mended);
            QVERIFY2(countOf(after, finding.kind) < countOf(before, finding.kind), finding.what.c_str());
            revert(mended, *edit);
            QVERIFY(writeDbc(mended) == writeDbc(reading.database));
        }
        QVERIFY(remedies >= 10);
    }

    void goodDatabasesHaveNoErrors_data()
    {
        QTest::addColumn<QString>("name");
        for (const char* name : {"chassis", "implement", "body", "scanner"})
            QTest::newRow(name) << QString::fromLatin1(name);
    }
    void goodDatabasesHaveNoErrors()
    {
        QFETCH(QString, name);
        const auto reading = readDbcFile(WAVETROPE_DEMO "/" + name.toStdString() + ".dbc");
        QVERIFY(reading.has_value());
        for (const Finding& finding : review(reading->database, &*reading))
            QVERIFY2(finding.severity != Severity::error, finding.what.c_str());
    }

    void selectorsChooseWhatIsPresent()
    {
        const Database db = readDbc(
            "BU_: A\nBO_ 1 M: 8 A\n SG_ Sel M : 0|8@1+ (1,0) [0|0] \"\" A\n SG_ One m1 : 8|8@1+ (1,0) [0|0] \"\" A\n SG_ Sub m2M : 8|8@1+ "
            "(1,0) [0|0] \"\" A\n SG_ Deep m3 : 16|8@1+ (1,0) [0|0] \"\" A\n SG_ Many m5 : 16|8@1+ (1,0) [0|0] \"\" A\n"
            "SG_MUL_VAL_ 1 Deep Sub 3-3;\nSG_MUL_VAL_ 1 Many Sel 5-7, 9-9;\n",
            "x")
                                .database;
        const Message& message = db.messages.at(0);
        const MessagePlan plan(message);
        const auto present = [&](std::initializer_list<int> bytes) {
            std::vector<Decoded> decoded;
            const can::Frame frame = frameOf(message.id, bytes);
            plan.decode(frame.view(), decoded);
            QStringList names;
            for (const Decoded& value : decoded)
                names << QString::fromStdString(message.signals[value.signal].name);
            return names.join(QLatin1Char(' '));
        };
        QCOMPARE(present({1, 3, 0, 0, 0, 0, 0, 0}), QStringLiteral("Sel One"));
        QCOMPARE(present({2, 3, 0, 0, 0, 0, 0, 0}), QStringLiteral("Sel Sub Deep"));
        QCOMPARE(present({2, 4, 0, 0, 0, 0, 0, 0}), QStringLiteral("Sel Sub"));
        QCOMPARE(present({6, 3, 0, 0, 0, 0, 0, 0}), QStringLiteral("Sel Many"));
        QCOMPARE(present({9, 3, 0, 0, 0, 0, 0, 0}), QStringLiteral("Sel Many"));
        QCOMPARE(present({8, 3, 0, 0, 0, 0, 0, 0}), QStringLiteral("Sel"));
        QCOMPARE(present({2, 3}), QStringLiteral("Sel Sub"));  // short: what is there
        QCOMPARE(layoutOf(message).overlaps.size(), 0U);
        const Layout chosen = layoutOf(message, {2, -1, 3, -1, -1});
        QCOMPARE(chosen.stretches.size(), 3U);
        QVERIFY(selectorValues(message, 0) == (std::vector<std::uint64_t>{1, 2, 5, 9}));
    }

    void aCircleOfSelectorsSelectsNothing()
    {
        const Database db = readDbc("BU_: A\nBO_ 1 M: 8 A\n SG_ X m1M : 0|8@1+ (1,0) [0|0] \"\" A\n SG_ Y m1M : 8|8@1+ (1,0) [0|0] \"\" "
                                    "A\nSG_MUL_VAL_ 1 X Y 1-1;\nSG_MUL_VAL_ 1 Y X 1-1;\n",
            "x")
                                .database;
        std::vector<Decoded> decoded;
        MessagePlan(db.messages.at(0)).decode(frameOf({1, false}, {1, 1, 1, 1, 1, 1, 1, 1}).view(), decoded);
        QCOMPARE(decoded.size(), 0U);
        (void)layoutOf(db.messages[0]);
        (void)review(db);
    }

    void layoutsOfEveryKindAgreeWithTheSlowWay()
    {
        std::mt19937_64 random(5);
        for (int round = 0; round < 4000; ++round) {
            Signal signal;
            signal.order = random() % 2 == 0 ? ByteOrder::intel : ByteOrder::motorola;
            signal.length = static_cast<unsigned>(1 + random() % 64);
            const int start = startFromLeast(static_cast<unsigned>(random() % 512), signal.length, signal.order);
            if (start < 0)
                continue;
            signal.startBit = static_cast<unsigned>(start);
            const SignalPlan plan = planOf(signal);
            std::uint8_t payload[81];   // of the longest that starts in the first 64, and what may be read behind it
            for (auto& byte : payload)
                byte = static_cast<std::uint8_t>(random());
            QCOMPARE(plan.rawBits(payload), slowBits(signal, payload));
            std::uint8_t copy[81];
            std::copy(std::begin(payload), std::end(payload), copy);
            const std::uint64_t bits = random() & (signal.length == 64 ? ~0ULL : (1ULL << signal.length) - 1);
            plan.store(copy, bits);
            QCOMPARE(slowBits(signal, copy), bits);
            for (const unsigned bit : bitsOf(signal)) {  // nothing else moved
                const auto mask = static_cast<std::uint8_t>(1U << bit % 8);
                copy[bit / 8] = static_cast<std::uint8_t>((copy[bit / 8] & ~mask) | (payload[bit / 8] & mask));
            }
            QVERIFY(std::equal(std::begin(payload), std::end(payload), copy));
            QCOMPARE(startFromLeast(bitsOf(signal).front(), signal.length, signal.order), start);
        }
    }

    void runsCoverExactlyTheBits()
    {
        Message message;
        message.length = 8;
        Signal signal;
        signal.order = ByteOrder::motorola;
        signal.startBit = 3;
        signal.length = 12;
        message.signals.push_back(signal);
        const Layout layout = layoutOf(message);
        QCOMPARE(layout.stretches.size(), 2U);
        QCOMPARE(layout.stretches[0].row, 0U);
        QCOMPARE(layout.stretches[0].from, 4U);
        QCOMPARE(layout.stretches[0].to, 7U);
        QVERIFY(layout.stretches[0].first && !layout.stretches[0].last);
        QCOMPARE(layout.stretches[1].row, 1U);
        QCOMPARE(layout.stretches[1].to, 7U);
        QVERIFY(layout.stretches[1].last);
        QCOMPARE(std::count(layout.used.begin(), layout.used.end(), true), 12);
    }

    void physicalValuesComeBackWhereTheyCan()
    {
        std::mt19937_64 random(9);
        for (int round = 0; round < 20000; ++round) {
            Message message;
            message.length = 8;
            Signal signal;
            signal.length = static_cast<unsigned>(1 + random() % 50);
            signal.isSigned = random() % 2 == 0;
            const double factors[] = {1, 0.1, 0.01, 0.05, 2.5, -0.25, 1e-6, 1.0 / 3};
            signal.factor = factors[random() % 8];
            signal.offset = static_cast<double>(static_cast<std::int64_t>(random() % 2001) - 1000);
            message.signals.push_back(signal);
            const MessagePlan plan(message);
            const std::uint64_t bits = random() & ((1ULL << signal.length) - 1);
            const double raw = plan.plan(0).rawValue(bits);
            if (std::abs(raw) + std::abs(signal.offset / signal.factor) >= 0x1p50)
                continue;
            can::Frame frame = frameOf({1, false}, {0, 0, 0, 0, 0, 0, 0, 0});
            QVERIFY(plan.encode(frame.data, 0, plan.plan(0).physical(raw), Overflow::refuse));
            Decoded decoded;
            QVERIFY(plan.decodeOne(frame.view(), 0, decoded));
            QCOMPARE(decoded.bits, bits);
        }
    }

    void valuesThatDoNotFitAreRefusedWhereAsked()
    {
        Message message;
        message.length = 8;
        Signal signal;
        signal.length = 8;
        signal.factor = 0.5;
        message.signals.push_back(signal);
        const MessagePlan plan(message);
        std::uint8_t payload[64] = {0x77};
        QVERIFY(!plan.encode(payload, 0, 128, Overflow::refuse));
        QVERIFY(!plan.encode(payload, 0, -1, Overflow::refuse));
        QCOMPARE(payload[0], 0x77);
        QVERIFY(!plan.encode(payload, 0, 128));
        QCOMPARE(payload[0], 0xFF);
        QVERIFY(plan.encode(payload, 0, 10, Overflow::refuse));
        QCOMPARE(payload[0], 20);
    }

    void startValuesFillWhatNobodySet()
    {
        const Database db = readDbc(
            "BU_: A\nBO_ 1 M: 8 A\n SG_ Sel M : 0|8@1+ (1,0) [0|0] \"\" A\n SG_ On m2 : 8|8@1+ (1,0) [0|0] \"\" A\n SG_ Off m3 : 16|8@1+ "
            "(1,0) [0|0] \"\" A\n SG_ Plain : 24|8@1+ (1,0) [0|0] \"\" A\n"
            "BA_DEF_ SG_ \"GenSigStartValue\" INT 0 255;\nBA_ \"GenSigStartValue\" SG_ 1 Sel 2;\nBA_ \"GenSigStartValue\" SG_ 1 On "
            "11;\nBA_ \"GenSigStartValue\" SG_ 1 Off 12;\nBA_ \"GenSigStartValue\" SG_ 1 Plain 13;\n",
            "x")
                                .database;
        std::uint8_t payload[64] = {};
        MessagePlan(db.messages.at(0)).fillStart(payload);
        QCOMPARE(payload[0], 2);
        QCOMPARE(payload[1], 11);
        QCOMPARE(payload[2], 0);
        QCOMPARE(payload[3], 13);
    }

    void groupsIgnorePrioritySourceAndDestination_data()
    {
        QTest::addColumn<quint32>("seen");
        QTest::addColumn<bool>("explained");
        QTest::newRow("itself") << 0x18FEF121U << true;
        QTest::newRow("other priority") << 0x0CFEF121U << true;
        QTest::newRow("other source") << 0x18FEF133U << true;
        QTest::newRow("other group") << 0x18FEF221U << false;
        QTest::newRow("data page counts") << 0x19FEF121U << false;
        QTest::newRow("extended data page counts") << 0x1AFEF121U << false;
        QTest::newRow("addressed, other destination") << 0x18DA5566U << true;
        QTest::newRow("addressed, other format") << 0x18DB1021U << false;
    }
    void groupsIgnorePrioritySourceAndDestination()
    {
        QFETCH(quint32, seen);
        QFETCH(bool, explained);
        const auto db = std::make_shared<const Database>(
            readDbc("BU_: A\nBO_ 2566844705 Broadcast: 8 A\nBO_ 2564428833 Addressed: 8 A\n", "x").database);
        QCOMPARE(db->messages.at(0).id.value, 0x18FEF121U);
        Catalog group;
        group.attach(group.addBus("B", Match::group), db);
        QCOMPARE(group.find(0, {seen, true}) != nullptr, explained);
        QVERIFY(group.find(0, {seen & 0x7FF, false}) == nullptr);
        Catalog full;
        full.attach(full.addBus("B"), db);
        QCOMPARE(full.find(0, {seen, true}) != nullptr, seen == 0x18FEF121U);
    }

    void aMaskSaysWhichBitsMatter()
    {
        const auto db = std::make_shared<const Database>(
            readDbc("BU_: A\nBO_ 384 M: 8 A\nBA_DEF_ BO_ \"IdentifierMask\" HEX 0 536870911;\nBA_ \"IdentifierMask\" BO_ 384 2032;\n", "x")
                .database);
        Catalog catalog;
        catalog.attach(catalog.addBus("B"), db);
        QVERIFY(catalog.find(0, {0x180, false}) != nullptr && catalog.find(0, {0x18F, false}) != nullptr);
        QVERIFY(catalog.find(0, {0x190, false}) == nullptr && catalog.find(0, {0x18F, true}) == nullptr);
    }

    void coverageCountsWhatIsExplained()
    {
        const auto db = std::make_shared<const Database>(
            readDbc("BU_: A\nBO_ 2566844705 Broadcast: 8 A\nBO_ 2566844961 Silent: 8 A\n SG_ X : 0|8@1+ (1,0) [0|0] \"\" A\nBA_DEF_ BO_ "
                    "\"GenMsgCycleTime\" INT 0 1000;\nBA_ \"GenMsgCycleTime\" BO_ 2566844705 50;\n",
                "x")
                .database);
        const auto other = std::make_shared<const Database>(readDbc("BU_: A\nBO_ 2566844705 Otherwise: 8 A\n", "y").database);
        Catalog catalog;
        catalog.attach(catalog.addBus("B", Match::group), db);
        catalog.attach(0, other);
        trace::Trace trace;
        for (int i = 0; i < 100; ++i) {
            const Time at = std::chrono::milliseconds(i * 100);
            trace.append(frameOf({i % 2 == 0 ? 0x18FEF121U : 0x0CFEF144U, true}, {1, 2, 3, 4, 5, 6, 7, 8}, at).view());
            trace.append(frameOf({0x1CECFF21, true}, {1, 2, 3, 4, 5, 6, 7, 8}, at).view());
            if (i < 10)
                trace.append(frameOf({0x18FEF121, true}, {1, 2}, at).view());
            if (i < 30)
                trace.append(frameOf({0x123, false}, {1}, at).view());
        }
        const measure::Coverage coverage = measure::coverageOf(trace.snapshot(), catalog);
        using measure::CoverageClass;
        QCOMPARE(coverage.identifiers.size(), 4U);
        QCOMPARE(coverage.count(CoverageClass::explained), 2U);
        QCOMPARE(coverage.frames(CoverageClass::explained), 110U);
        QCOMPARE(coverage.frames(CoverageClass::transport), 100U);
        QCOMPARE(coverage.frames(CoverageClass::unexplained), 30U);
        QCOMPARE(coverage.identifiers.front().id.value, 0x123U);
        QCOMPARE(coverage.neverSeen.size(), 1U);
        QCOMPARE(coverage.conflicts.size(), 1U);
        std::uint64_t shorter = 0;
        for (const auto& entry : coverage.identifiers)
            shorter += entry.shorter;
        QCOMPARE(shorter, 10U);
        const auto findings = measure::reviewTraffic(coverage, *db);
        QCOMPARE(countOf(findings, FindingKind::cycleTime), 2U);
        QCOMPARE(countOf(findings, FindingKind::seenLength), 1U);
        Database mended = *db;
        for (const Finding& finding : findings)
            if (finding.kind == FindingKind::cycleTime) {
                apply(mended, *finding.mend(Editor(mended)));
                break;
            }
        QVERIFY(mended.messages[0].cycleTime > std::chrono::milliseconds(100));
        // A signal of a group is read from every source.
        QCOMPARE(measure::identifiersOf(trace, catalog.messages().front()).size(), 2U);
    }

    void aDiffTellsFieldByField()
    {
        const std::string old = "BU_: A B\nBO_ 1 Same: 8 A\n SG_ X : 0|8@1+ (1,0) [0|0] \"\" B\n SG_ Y : 8|8@1+ (1,0) [0|0] \"\" B\nBO_ 2 "
                                "Moved: 8 A\nBO_ 3 Gone: 8 A\n";
        const std::string now = "BU_: A\nBO_ 1 Same: 8 A\n SG_ X : 0|8@1- (0.5,0) [0|0] \"mm\" A\n SG_ Z : 16|8@1+ (1,0) [0|0] \"\" A\nBO_ "
                                "9 Moved: 8 A\nBO_ 4 Fresh: 8 A\n";
        QStringList lines;
        for (const Change& change : diff(readDbc(old, "x").database, readDbc(now, "x").database))
            lines << QString::fromStdString(std::string(toText(change.kind)) + ' ' + change.object
                                            + (change.field.empty() ? "" : ' ' + change.field + ' ' + change.before + " > " + change.after)
                                            + (change.ofMessage ? ' ' + can::toText(change.id) : ""));
        QCOMPARE(
            lines, (QStringList{QStringLiteral("removed node B"), QStringLiteral("removed Gone 0x003"),
                       QStringLiteral("changed Same.X sign unsigned > signed 0x001"), QStringLiteral("changed Same.X factor 1 > 0.5 0x001"),
                       QStringLiteral("changed Same.X unit  > mm 0x001"), QStringLiteral("changed Same.X receivers B > A 0x001"),
                       QStringLiteral("removed Same.Y 0x001"), QStringLiteral("added Same.Z 0x001"),
                       QStringLiteral("changed Moved identifier 0x002 > 0x009 0x009"), QStringLiteral("added Fresh 0x004")}));
    }
};

QTEST_APPLESS_MAIN(ReviewTest)
#include "review_test.moc"
