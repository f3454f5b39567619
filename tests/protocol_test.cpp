// SPDX-License-Identifier: GPL-3.0-or-later
// Frames as messages of higher protocols: the reference logs with every kind of break in them.
#include <QTemporaryDir>
#include <QTest>

#include <algorithm>

#include "command_line.h"
#include "loaded_log.h"
#include "made_transfers.h"
#include "protocol/describe.h"
#include "protocol/message_stream.h"
#include "protocol/network.h"
#include "protocol/protocol_events.h"
#include "sanitized.h"
#include "vector_file.h"

using namespace wavetrope;
using namespace wavetrope::protocol;
using namespace wavetrope::test;

namespace {

struct Put {
    QList<QByteArray> messages, transfers;
};

QByteArray stamp(Time time)
{
    const auto count = time.count();
    return QByteArray::number(static_cast<qlonglong>(count / 1'000'000'000)) + '.'
           + QByteArray::number(static_cast<qlonglong>(count % 1'000'000'000)).rightJustified(9, '0');
}

Put together(const trace::Snapshot& log, const std::vector<std::string>& buses, const std::vector<std::string>& spoken)
{
    Put put;
    std::vector<Transfer> transfers;
    MessageStream stream(
        [&](const MessageRow& row) {
            const QByteArray data = QByteArray::fromRawData(
                reinterpret_cast<const char*>(row.data.data()), static_cast<qsizetype>(row.data.size()));
            put.messages << QByteArrayList{stamp(row.time), QByteArray::fromStdString(buses[row.bus]),
                row.head ? toText(row.head->protocol) : "", row.head ? toText(row.head->kind) : can::toText(row.frame),
                row.head ? QByteArray::fromStdString(toText(row.head->source)) : QByteArray(),
                row.head ? QByteArray::fromStdString(toText(row.head->destination)) : QByteArray(),
                QByteArray::fromStdString(can::toText(row.id)), QByteArray::number(row.length), data.toHex().toUpper()}
                                .join(',');
        },
        [&](const Transfer& transfer) { transfers.push_back(transfer); });
    for (std::size_t bus = 0; bus < buses.size(); ++bus) {
        std::vector<Spoken> speaks;
        for (const std::string& text : spoken) {
            const auto one = spokenFromText(text);
            if (!one)
                qFatal("%s", one.error().text().c_str());
            if (one->bus == buses[bus])
                speaks.push_back(*one);
        }
        stream.speak(static_cast<std::uint8_t>(bus), speaks);
    }
    for (trace::Row row = 0; row < log.rows(); ++row)
        stream.onFrame(log.frame(row));
    stream.finish();
    std::stable_sort(
        transfers.begin(), transfers.end(), [](const Transfer& a, const Transfer& b) { return a.numbers.front() < b.numbers.front(); });
    for (const Transfer& transfer : transfers)
        put.transfers << QByteArrayList{stamp(transfer.from), stamp(transfer.to), QByteArray::fromStdString(buses[transfer.bus]),
            toText(transfer.head.protocol), toText(transfer.head.kind), QByteArray::fromStdString(toText(transfer.head.source)),
            QByteArray::fromStdString(toText(transfer.head.destination)), QByteArray::fromStdString(whatOf(transfer)),
            QByteArray::number(static_cast<qulonglong>(transfer.bytes)), QByteArray::number(static_cast<qulonglong>(transfer.frames)),
            toText(transfer.ended)}
                             .join(',');
    return put;
}

// What stands in one list and not in the other, for people.
QByteArray differences(const QList<QByteArray>& wanted, const QList<QByteArray>& got)
{
    QByteArray out;
    int shown = 0;
    for (const QByteArray& row : wanted)
        if (!got.contains(row) && shown++ < 12)
            out += "\n- " + row.left(170);
    shown = 0;
    for (const QByteArray& row : got)
        if (!wanted.contains(row) && shown++ < 12)
            out += "\n+ " + row.left(170);
    return out.isEmpty() ? QByteArray("\nanother order") : out;
}

QList<QByteArray> lines(const char* name)
{
    QList<QByteArray> rows;
    for (const QList<QByteArray>& row : vectorRows(name))
        rows << row.join(',');
    return rows;
}

}  // namespace

class ProtocolTest : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void theReferenceLogs_data()
    {
        QTest::addColumn<QByteArray>("name");
        QTest::addColumn<QStringList>("spoken");
        QTest::newRow("vehicle") << QByteArray("vehicle") << QStringList{QStringLiteral("Field=vehicle"), QStringLiteral("Yard=vehicle")};
        QTest::newRow("objects") << QByteArray("objects")
                                 << QStringList{QStringLiteral("Press=objects"), QStringLiteral("Implement=objects")};
        QTest::newRow("diagnostics")
            << QByteArray("diagnostics")
            << QStringList{
                   QStringLiteral("Line=diagnostics:0x7E0/0x7E8,0x7E1/0x7E9,0x6F1/0x612,0x6F2/0x5F3,0x0CDE0001/0x0CDE0002,0x7E2/0x7EA"),
                   QStringLiteral("Both=vehicle"), QStringLiteral("Both=diagnostics:0x7E0/0x7E8,0x7E1/0x7E9"),
                   QStringLiteral("Bench=diagnostics:0x7E0/0x7E8,0x18DE0001/0x18DE0002,0x600/0x601")};
    }
    void theReferenceLogs()
    {
        QFETCH(QByteArray, name);
        QFETCH(QStringList, spoken);
        const auto log = loadFile(dataPath((name + ".pcapng.gz").constData()).toStdString());
        QVERIFY(log->report.has_value());
        std::vector<std::string> buses, texts;
        for (const trace::TraceBus& bus : log->trace.buses())
            buses.push_back(bus.name);
        for (const QString& text : spoken)
            texts.push_back(text.toStdString());
        const Put put = together(log->trace.snapshot(), buses, texts);
        const auto transfers = lines((name + "-transfers.csv").constData());
        QVERIFY(!transfers.isEmpty());
        if (put.transfers != transfers)
            QFAIL(differences(transfers, put.transfers).constData());
        const auto messages = lines((name + "-messages.csv").constData());
        QVERIFY(messages.size() > 1'000);
        if (put.messages != messages)
            QFAIL(differences(messages, put.messages).constData());
    }

    // The program prints what the reference says, whole; filters look at messages; mistakes are told before anything is printed.
    void onTheCommandLine()
    {
        const QString log = dataPath("vehicle.pcapng.gz");
        const QStringList spoken{
            QStringLiteral("--protocol"), QStringLiteral("Field=vehicle"), QStringLiteral("--protocol"), QStringLiteral("Yard=vehicle")};
        const auto whole = [](const char* name) {
            QFile file(dataPath(name));
            return file.open(QIODevice::ReadOnly) ? QString::fromUtf8(file.readAll()) : QString();
        };
        const test::Answer messages = cli(QStringList{QStringLiteral("list"), log, QStringLiteral("--messages")} + spoken);
        QVERIFY(messages.code == 0 && !messages.out.isEmpty());
        QCOMPARE(messages.out, whole("vehicle-messages.csv"));
        const test::Answer transfers = cli(QStringList{QStringLiteral("transfers"), log} + spoken);
        QCOMPARE(transfers.out, whole("vehicle-transfers.csv"));
        const test::Answer chosen = cli(QStringList{QStringLiteral("list"), log, QStringLiteral("--messages"), QStringLiteral("--filter"),
                                            QStringLiteral("group 0xEE00 and bus Field")}
                                        + spoken);
        QVERIFY(chosen.code == 0 && chosen.out.count(QLatin1String(",claim,")) > 10);
        QCOMPARE(chosen.out.count(QLatin1Char('\n')), chosen.out.count(QLatin1String(",claim,")) + 1);
        const test::Answer network = cli(
            QStringList{QStringLiteral("network"), log, QStringLiteral("--at"), QStringLiteral("+1s")} + spoken);
        QVERIFY(network.out.startsWith(QLatin1String("bus,node,name,state,since,what\n")));
        QVERIFY(network.out.contains(QLatin1String(",claimed,")) && network.out.contains(QLatin1String(",cannot claim,")));
        for (const auto& [arguments, words] : std::initializer_list<std::pair<QStringList, const char*>>{
                 {{QStringLiteral("transfers"), log}, "nothing says what the buses speak"},
                 {{QStringLiteral("transfers"), log, QStringLiteral("--protocol"), QStringLiteral("Nope=vehicle")}, "no bus 'Nope'"},
                 {{QStringLiteral("list"), log, QStringLiteral("--messages"), QStringLiteral("--protocol"), QStringLiteral("Field=diag")},
                     "none of"},
                 {{QStringLiteral("list"), log, QStringLiteral("--messages"), QStringLiteral("--protocol"),
                      QStringLiteral("Field=diagnostics:0x7E0")},
                     "no pair"},
                 {{QStringLiteral("list"), log, QStringLiteral("--messages"), QStringLiteral("--protocol"), QStringLiteral("Field")},
                     "expected BUS="},
                 {{QStringLiteral("network"), log, QStringLiteral("--at"), QStringLiteral("noon"), QStringLiteral("--protocol"),
                      QStringLiteral("Field=vehicle")},
                     "--at 'noon'"}}) {
            const test::Answer wrong = cli(arguments);
            QCOMPARE(wrong.code, 2);
            QVERIFY2(wrong.out.isEmpty() && wrong.err.contains(QLatin1String(words)), qPrintable(wrong.err));
        }
    }

    // A group of 290 bytes is decoded as a frame is, whatever the address that sends it; and counted as one.
    void longGroupsAreDecoded()
    {
        QTemporaryDir folder;
        QFile database(folder.filePath(QStringLiteral("long.dbc")));
        QVERIFY(database.open(QIODevice::WriteOnly));
        database.write(
            "VERSION \"\"\n\nBS_:\n\nBU_: Unit\n\nBO_ 2650139545 LongGroup: 290 Unit\n SG_ First : 0|8@1+ (1,0) [0|0] \"\" Unit\n"
            " SG_ Last : 2312|8@1+ (1,0) [0|0] \"\" Unit\n");
        database.close();
        QByteArray row;
        for (const QByteArray& one : lines("vehicle-messages.csv"))
            row = one.contains(",0x1DF5EB12,290,") ? one : row;
        const QByteArray bytes = row.split(',').last();
        QCOMPARE(bytes.size(), qsizetype{580});
        const QString log = dataPath("vehicle.pcapng.gz"), spoken = QStringLiteral("Yard=vehicle");
        const test::Answer answer = cli({QStringLiteral("decode"), log, QStringLiteral("--protocol"), spoken, QStringLiteral("--database"),
            QStringLiteral("Yard=") + database.fileName()});
        const auto line = [&](const char* signal, const QByteArray& hex) {
            const QString value = QString::number(hex.toUInt(nullptr, 16));
            return QString::fromLatin1(row.left(20)) + QStringLiteral(",Yard,0x1DF5EB12,LongGroup,") + QLatin1String(signal)
                   + QLatin1Char(',') + value + QLatin1Char(',') + value;
        };
        QVERIFY2(answer.code == 0 && answer.out.contains(line("First", bytes.left(2))) && answer.out.contains(line("Last", bytes.right(2))),
            qPrintable(answer.out + answer.err));
        const auto counted = [&](const QStringList& more) {
            return cli(QStringList{QStringLiteral("count"), log, QStringLiteral("--filter"), QStringLiteral("id 0x1DF5EB12")} + more)
                .out.trimmed();
        };
        QCOMPARE(counted({}), QStringLiteral("0"));
        QCOMPARE(counted({QStringLiteral("--protocol"), spoken}), QStringLiteral("1"));
    }

    // Of two who claim an address the smaller name has it (SAE J1939-81, 4.4); nodes tell their state; a server its session and why it refuses.
    void whoIsThere()
    {
        Network network;
        std::vector<std::vector<std::uint8_t>> bytes;
        Time at{};
        MessageStream stream([&](const MessageRow& row) { network.take(row); }, [](const Transfer&) {});
        stream.speak(0, {*spokenFromText("a=vehicle"), *spokenFromText("a=objects"), *spokenFromText("a=diagnostics:0x7E0/0x7E8")});
        const auto put = [&](std::uint32_t id, std::initializer_list<unsigned> data) {
            can::Frame frame;
            frame.id = {id, id > 0x7FF};
            frame.time = at += std::chrono::milliseconds(100);
            for (const unsigned byte : data)
                frame.data[frame.length++] = static_cast<std::uint8_t>(byte);
            frame.dlc = frame.length;
            stream.onFrame(frame.view());
        };
        const auto states = [&] {
            QStringList out;
            for (const NetworkNode& node : network.nodes(at))
                out << QString::fromStdString(toText(node.node) + ' ' + node.name + ' ' + node.state);
            return out;
        };
        put(0x18EEFF21, {2, 0, 0, 0, 0, 0, 0, 0x80});
        put(0x18EEFF21, {1, 0, 0, 0, 0, 0, 0, 0x80});
        put(0x18FEF133, {0, 0, 0, 0, 0, 0, 0, 0});
        QCOMPARE(states(), (QStringList{QStringLiteral("0x21 8000000000000001 claimed"), QStringLiteral("0x21 8000000000000002 lost"),
                               QStringLiteral("0x33  heard")}));
        QVERIFY(network.nodes(at).front().what.find("chooses its address") != std::string::npos);
        put(0x18EEFF22, {2, 0, 0, 0, 0, 0, 0, 0x80});  // it takes another
        put(0x18EEFFFE, {1, 0, 0, 0, 0, 0, 0, 0x80});
        put(0x18EEFF33, {7, 0, 0, 0, 0, 0, 0, 0});
        QCOMPARE(states(), (QStringList{QStringLiteral("0x22 8000000000000002 claimed"), QStringLiteral("0x33 0000000000000007 claimed"),
                               QStringLiteral("0xFE 8000000000000001 cannot claim")}));
        put(0x705, {0});
        at += std::chrono::seconds(1);
        put(0x705, {127});
        at += std::chrono::seconds(1);
        put(0x705, {5});
        put(0x085, {0x30, 0x81, 0, 0, 0, 0, 0, 0});
        put(0x7E0, {2, 0x10, 3});
        put(0x7E8, {2, 0x50, 3});
        put(0x7E0, {3, 0x22, 0xF1, 0x90});
        put(0x7E8, {3, 0x7F, 0x22, 0x31});
        auto nodes = network.nodes(at);
        QCOMPARE(states().mid(3), (QStringList{QStringLiteral("5  operational"), QStringLiteral("0x7E8  extended session")}));
        QVERIFY2(nodes[3].what.find("heartbeat or guarding failed") != std::string::npos, nodes[3].what.c_str());
        QVERIFY2(nodes[4].what.find("0x22 request out of range") != std::string::npos, nodes[4].what.c_str());
        at += std::chrono::seconds(5);
        QCOMPARE(states()[3], QStringLiteral("5  lost"));
    }

    // Many who talk at once, each pair by itself one conversation behind the other: what is told is what was laid down.
    // What breaks a protocol's rules, or is told of as trouble, is an event with its clause; it ends when it is over.
    void whatBreaksIsAnEvent()
    {
        ProtocolEvents events;
        MessageStream stream([&](const MessageRow& row) { events.take(row); }, [&](const Transfer& transfer) { events.take(transfer); });
        stream.speak(0, {*spokenFromText("a=objects"), *spokenFromText("a=vehicle"), *spokenFromText("a=diagnostics:0x7E0/0x7E8")});
        Time now{};
        const auto at = [&](std::int64_t ms, std::uint32_t id, bool wide, std::initializer_list<std::uint8_t> bytes) {
            can::Frame frame;
            frame.time = now = std::chrono::milliseconds(ms);
            frame.id = {id, wide};
            frame.length = frame.dlc = static_cast<std::uint8_t>(bytes.size());
            std::copy(bytes.begin(), bytes.end(), frame.data.begin());
            stream.onFrame(frame.view());
        };
        const auto only = [&](const char* what) {
            std::vector<ProtocolEvent> out;
            for (const ProtocolEvent& event : events.all())
                if (event.what.find(what) != std::string::npos)
                    out.push_back(event);
            return out;
        };
        // A heartbeat every 100 ms that stays away from 500 to 1,200 ms.
        for (int ms = 0; ms <= 500; ms += 100)
            at(ms, 0x705, false, {5});
        at(600, 0x085, false, {0x10, 0x50, 1, 0, 0, 0, 0, 0});
        at(900, 0x7E8, false, {3, 0x7F, 0x22, 0x31});
        at(910, 0x7E8, false, {3, 0x7F, 0x22, 0x78});  // it only takes longer
        at(1200, 0x705, false, {5});
        at(1210, 0x085, false, {0, 0, 0, 0, 0, 0, 0, 0});
        auto found = only("node 5");
        QCOMPARE(found.size(), std::size_t{2});  // lost, and the emergency of it
        QVERIFY(found[0].what == "emergency of node 5" && !found[0].open && found[0].to == std::chrono::milliseconds(1210));
        QVERIFY(found[0].why.find("0x5010 hardware (CiA 301, 7.2.7)") != std::string::npos);
        QVERIFY(found[1].from == std::chrono::milliseconds(700) && found[1].to == std::chrono::milliseconds(1200) && !found[1].open);
        QVERIFY(found[1].why.find("two periods of 0.100 s (CiA 301, 7.2.8.3.2)") != std::string::npos);
        found = only("service 0x22 of 0x7E8");
        QVERIFY(found.size() == 1 && found[0].why.find("refused: request out of range") == 0);
        // The larger name loses, whoever came first; from 254 it cannot claim.
        at(2000, 0x18EEFF40, true, {9, 0, 0, 0, 0, 0, 0, 0});
        at(2010, 0x18EEFF40, true, {5, 0, 0, 0, 0, 0, 0, 0});
        at(2020, 0x18EEFFFE, true, {9, 0, 0, 0, 0, 0, 0, 0});
        found = only("address 0x40");
        QVERIFY(found.size() == 1 && found[0].why.find("0000000000000009 loses it to the smaller name 0000000000000005") == 0);
        QCOMPARE(only("0000000000000009").size(), std::size_t{1});
        // Two trouble codes, of which one goes first; then none.
        at(3000, 0x1CECFF40, true, {32, 10, 0, 2, 255, 0xCA, 0xFE, 0});
        at(3050, 0x1CEBFF40, true, {1, 4, 255, 0x10, 0, 3, 1, 0x20});
        at(3100, 0x1CEBFF40, true, {2, 0, 4, 1, 255, 255, 255, 255});
        at(4000, 0x18FECA40, true, {4, 255, 0x20, 0, 4, 1, 255, 255});
        at(5000, 0x18FECA40, true, {0, 255, 0, 0, 0, 0, 255, 255});
        found = only("trouble code 16 of 0x40");
        QVERIFY(found.size() == 1 && found[0].from == std::chrono::milliseconds(3100) && found[0].to == std::chrono::milliseconds(4000)
                && !found[0].open);
        QVERIFY(
            found[0].why.find("voltage above normal") == 0 && found[0].why.find("amber lamp (SAE J1939-73, 5.7.1)") != std::string::npos);
        found = only("trouble code 32 of 0x40");
        QVERIFY(found.size() == 1 && found[0].to == std::chrono::milliseconds(5000) && !found[0].open);
        // A broadcast with a packet that is missing, pieces of nothing, and one that stays away.
        at(6000, 0x1CECFF41, true, {32, 20, 0, 3, 255, 0xF1, 0xFE, 0});
        at(6050, 0x1CEBFF41, true, {1, 1, 2, 3, 4, 5, 6, 7});
        at(6100, 0x1CEBFF41, true, {3, 1, 2, 3, 4, 5, 6, 7});
        at(6150, 0x1CEBFF41, true, {3, 1, 2, 3, 4, 5, 6, 7});
        at(7000, 0x1CECFF42, true, {32, 20, 0, 3, 255, 0xF1, 0xFE, 0});
        at(9000, 0x705, false, {5});
        found = only("group 0xFEF1 of 0x41");
        QVERIFY(found.size() == 1 && found[0].why == "a packet with a wrong number (SAE J1939-21, 5.10.1), behind 7 bytes");
        QCOMPARE(only("transport of 0x41").size(), std::size_t{1});
        found = only("group 0xFEF1 of 0x42");
        QVERIFY(found.size() == 1 && found[0].why.find("nothing came within the time limit (SAE J1939-21, 5.10.2.4)") == 0);
        // Bounded.
        ProtocolEvents few(3);
        for (int i = 0; i < 10; ++i)
            few.take(
                Transfer{{Protocol::vehicle, Kind::group, Party::address(1), {}}, 0, {}, {}, {}, 0xFEF1, 0, 1, Ended::timeout, {1}, {}});
        QCOMPARE(few.all().size(), std::size_t{3});
        QCOMPARE(few.notKept(), std::uint64_t{7});
        // What most pieces belong to.
        std::vector<Transfer> many;
        for (std::uint32_t i = 0; i < 112; ++i)
            many.push_back(
                {{Protocol::objects, Kind::serviceRead, {}, Party::node(4)}, 0, {}, {}, {}, 0x1A0000 + i % 3, 4, 2, Ended::whole, {1}, {}});
        QCOMPARE(causeOf(many).words, std::string("112 service transfers of node 4, object 0x1A00"));
        QCOMPARE(causeOf(many).frames, std::uint64_t{224});
        QVERIFY(causeOf({}).words.empty());
    }

    void madeConversationsComeBack()
    {
        MadeTransfers made(41);
        const int rounds = test::some(60, 8);
        std::size_t whole = 0, broken = 0;
        for (int round = 0; round < rounds; ++round) {
            struct Laid {
                can::Frame frame;
                std::size_t conversation;
            };
            std::vector<Conversation> talks;
            std::vector<Laid> laid;
            const auto talk = [&](std::uint8_t bus, const std::function<Conversation()>& make) {
                Time at = Time(std::chrono::seconds(1'800'000'000)) + std::chrono::microseconds(made.some(900'000));
                for (unsigned i = 0; i < 1 + made.some(5); ++i) {
                    Conversation one = make();
                    for (can::Frame& frame : one.frames) {
                        frame.time += at;
                        frame.bus = bus;
                        laid.push_back({frame, talks.size()});
                    }
                    at = one.frames.back().time + one.silence + std::chrono::microseconds(1 + made.some(2'000'000));
                    talks.push_back(std::move(one));
                }
            };
            for (std::uint8_t from = 0x10; from < 0x16; ++from) {
                talk(0, [&] { return made.vehicle(from, 255); });
                for (std::uint8_t to = 0x10; to < 0x16; ++to)
                    if (from < to)  // the other way would be heard by the same two
                        talk(0, [&] { return made.vehicle(from, to); });
            }
            for (unsigned node = 1; node < 12; ++node)
                talk(1, [&] { return made.objects(node); });
            for (unsigned pair = 0; pair < 3; ++pair)
                talk(2, [&] { return made.diagnostics({0x700 + pair, false}, {0x708 + pair, false}); });
            talk(2, [&] { return made.diagnostics({0x18DA00F1, true}, {0x18DAF100, true}); });
            // Behind a byte of address, two servers over one identifier, and mixed.
            talk(3, [&] { return made.diagnostics({0x6F1, false}, {0x612, false}, 0x12, 0xF1); });
            talk(3, [&] { return made.diagnostics({0x6F1, false}, {0x640, false}, 0x40, 0xF1); });
            talk(3, [&] { return made.diagnostics({0x18CE00F1, true}, {0x18CEF100, true}, 0x05, 0x05); });
            talk(3, [&] { return made.diagnostics({0x18CE00F1, true}, {0x18CEF100, true}, 0x07, 0x07); });
            std::stable_sort(laid.begin(), laid.end(), [](const Laid& a, const Laid& b) { return a.frame.time < b.frame.time; });
            // So that the last limits are over.
            Laid later{laid.back().frame, talks.size()};
            later.frame.time += std::chrono::seconds(6);
            later.frame.id = {0x123, false};
            later.frame.kind = can::FrameKind::data;
            laid.push_back(later);

            QList<QByteArray> wantedRows, wantedTransfers;
            std::vector<std::size_t> last(talks.size()), first(talks.size(), laid.size());
            for (std::size_t i = 0; i < laid.size(); ++i)
                if (const std::size_t which = laid[i].conversation; which < talks.size()) {
                    last[which] = i;
                    first[which] = std::min(first[which], i);
                }
            std::map<std::size_t, std::size_t> byFirst;
            for (std::size_t which = 0; which < talks.size(); ++which)
                byFirst[first[which]] = which;
            for (const auto& [at, which] : byFirst) {
                const Conversation& one = talks[which];
                (one.ended == "whole" ? whole : broken) += 1;
                wantedTransfers << QByteArrayList{stamp(laid[at].frame.time), stamp(laid[last[which]].frame.time),
                    QByteArray::fromStdString(one.kind), QByteArray::fromStdString(one.what),
                    QByteArray::number(static_cast<qulonglong>(one.bytes)), QByteArray::number(static_cast<qulonglong>(one.frames.size())),
                    QByteArray::fromStdString(one.ended)}
                                       .join(',');
            }
            const auto rowOf = [](Time time, const QByteArray& kind, const std::vector<std::uint8_t>& bytes) {
                return QByteArrayList{stamp(time), kind,
                    QByteArray(reinterpret_cast<const char*>(bytes.data()), static_cast<qsizetype>(bytes.size())).toHex()}
                    .join(',');
            };
            for (std::size_t i = 0; i < laid.size(); ++i) {
                const std::size_t which = laid[i].conversation;
                const can::Frame& frame = laid[i].frame;
                if (which < talks.size() && talks[which].ended == "whole") {
                    if (last[which] == i)
                        wantedRows << rowOf(frame.time, QByteArray::fromStdString(talks[which].kind), talks[which].data);
                } else {
                    wantedRows << rowOf(
                        frame.time, which < talks.size() ? "transport" : "data", {frame.data.begin(), frame.data.begin() + frame.length});
                }
            }

            QList<QByteArray> rows;
            std::map<std::uint64_t, QByteArray> transfers;
            MessageStream stream(
                [&](const MessageRow& row) {
                    rows << rowOf(row.time, row.head ? toText(row.head->kind) : can::toText(row.frame), {row.data.begin(), row.data.end()});
                },
                [&](const Transfer& one) {
                    transfers[one.numbers.front()] = QByteArrayList{stamp(one.from), stamp(one.to), toText(one.head.kind),
                        QByteArray::fromStdString(whatOf(one)), QByteArray::number(static_cast<qulonglong>(one.bytes)),
                        QByteArray::number(static_cast<qulonglong>(one.frames)), toText(one.ended)}
                                                         .join(',');
                });
            stream.speak(0, {*spokenFromText("a=vehicle")});
            stream.speak(1, {*spokenFromText("b=objects")});
            stream.speak(2, {*spokenFromText("c=diagnostics:0x700/0x708,0x701/0x709"),
                                *spokenFromText("c=diagnostics:0x702/0x70A,0x18DA00F1/0x18DAF100")});
            stream.speak(3, {*spokenFromText("d=diagnostics:0x6F1+12/0x612+F1,0x6F1+40/0x640+F1,0x18CE00F1+05/0x18CEF100+05"),
                                *spokenFromText("d=diagnostics:0x18CE00F1+07/0x18CEF100+07")});
            for (const Laid& one : laid)
                stream.onFrame(one.frame.view());
            stream.finish();
            QList<QByteArray> told;
            for (const auto& [number, text] : transfers)
                told << text;
            if (told != wantedTransfers)
                QFAIL(("round " + QByteArray::number(round) + differences(wantedTransfers, told)).constData());
            if (rows != wantedRows)
                QFAIL(("round " + QByteArray::number(round) + differences(wantedRows, rows)).constData());
        }
        QVERIFY(whole > static_cast<std::size_t>(rounds) * 50 && broken > static_cast<std::size_t>(rounds) * 10);
    }
};

QTEST_APPLESS_MAIN(ProtocolTest)
#include "protocol_test.moc"
