// SPDX-License-Identifier: GPL-3.0-or-later
// Electronic data sheets, values in their types, process data as messages, and a server of objects against a client that is the product's own only in that
// it asks: what comes back is compared with what the sheet says.
#include <QTemporaryDir>
#include <QTest>

#include <sqlite3.h>

#include <random>

#include "command_line.h"
#include "database/codec.h"
#include "protocol/dictionary_review.h"
#include "protocol/dictionary_talk.h"
#include "protocol/mapping.h"
#include "protocol/names.h"
#include "protocol/network.h"
#include "protocol/object_server.h"
#include "protocol/process_data.h"
#include "protocol/traffic_class.h"
#include "protocol/trouble_codes.h"

using namespace wavetrope;
using namespace wavetrope::protocol;
using test::cli;
using Bytes = std::vector<std::uint8_t>;

namespace {

constexpr const char* sheet = R"eds([DeviceInfo]
ProductName=Blade
ProductNumber=7
[MandatoryObjects]
SupportedObjects=1
1=0x1000
[1000]
ParameterName=Device type
DataType=0x0007
AccessType=ro
DefaultValue=0x191
[1017]
ParameterName=Heartbeat period
DataType=0x6
AccessType=rw
DefaultValue=0500
[1800]
ParameterName=Sending 1
ObjectType=0x9
SubNumber=2
[1800sub0]
ParameterName=Highest
DataType=5
AccessType=const
DefaultValue=1
[1800sub1]
ParameterName=Identifier
DataType=7
AccessType=rw
DefaultValue=$NODEID+0x180
[1A00]
ParameterName=Mapping 1
ObjectType=9
[1a00sub0]
ParameterName=Count
DataType=5
AccessType=rw
DefaultValue=4
[1a00sub1]
ParameterName=One
DataType=7
DefaultValue=0x21000110
[1a00sub2]
ParameterName=Two
DataType=7
DefaultValue=0x00050008
[1a00sub3]
ParameterName=Three
DataType=7
DefaultValue=0x21000208
[1a00sub4]
ParameterName=Four
DataType=7
DefaultValue=0x21000320
[2001]
ParameterName=Blade set-up
ObjectType=9
[2001sub1]
ParameterName=Deepest depth
DataType=0x0003
AccessType=rw
LowLimit=-50
HighLimit=2000
DefaultValue=1200
[2001sub2]
ParameterName=Label
DataType=9
AccessType=rw
DefaultValue=ice
[2001sub3]
ParameterName=Secret
DataType=7
AccessType=wo
[2010]
ParameterName=Block
ObjectType=2
AccessType=rw
[2100]
ParameterName=Measured
ObjectType=9
[2100sub1]
ParameterName=Depth
DataType=3
AccessType=ro
PDOMapping=1
LowLimit=-100
HighLimit=100
[2100sub2]
ParameterName=Mode
DataType=5
AccessType=ro
PDOMapping=1
[2100sub3]
ParameterName=Force
DataType=8
AccessType=ro
PDOMapping=1
[2200]
ParameterName=Channel
ObjectType=8
DataType=6
AccessType=rw
DefaultValue=3
CompactSubObj=3
[2200Name]
NrOfEntries=1
2=Middle
[2200Value]
NrOfEntries=1
3=0x11
)eds";

Dictionary read(const QByteArray& text)
{
    auto dictionary = dictionaryFromText(std::string_view(text.constData(), static_cast<std::size_t>(text.size())), "blade.eds");
    return dictionary ? *dictionary : Dictionary{};
}

// A talk with a server; every frame takes a millisecond.
Answer have(Talk& talk, ObjectServer& server)
{
    Time now{1'000'000'000};
    talk.begin(now);
    for (int turns = 0; turns < 100'000 && !talk.answer(); ++turns) {
        const auto asked = talk.take();
        for (can::Frame frame : asked) {
            frame.time = now += Time(1'000'000);
            server.hear(frame.view());
        }
        const auto answered = server.take();
        for (can::Frame frame : answered) {
            frame.time = now += Time(1'000'000);
            talk.hear(frame.view());
        }
        if (asked.empty() && answered.empty()) {
            now = std::max(now, talk.due());
            talk.passed(now);
        }
    }
    for (const can::Frame& frame : talk.take())
        server.hear(frame.view());
    return talk.answer().value_or(Answer{false, {}, "it never ends"});
}

std::string readFile(const char* path)
{
    QFile file(QString::fromLatin1(path));
    return file.open(QIODevice::ReadOnly) ? file.readAll().toStdString() : std::string();
}

}  // namespace

class DictionaryTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void theSheetIsRead()
    {
        for (const char* ends : {"\n", "\r\n", "\r"}) {
            const Dictionary one = read(QByteArray("\xEF\xBB\xBF; a comment") + ends + QByteArray(sheet).replace("\n", ends));
            QVERIFY2(one.problems.empty(), one.problems.empty() ? "" : one.problems.front().text().c_str());
            QCOMPARE(one.product, std::string("Blade"));
            QCOMPARE(*one.productNumber, 7U);
            QCOMPARE(one.entries.size(), std::size_t{20});
            const ObjectEntry* depth = one.find({0x2001, 1});
            QVERIFY(depth != nullptr && depth->type == ObjectType::integer16 && depth->access == Access::readWrite);
            QCOMPARE(one.nameOf(*depth), std::string("Blade set-up.Deepest depth"));
            QVERIFY(*one.initialOf(*depth, 4) == (Bytes{0xB0, 0x04}));
            QVERIFY(*one.initialOf(*one.find({0x1017, 0}), 4) == (Bytes{0x40, 0x01}));  // octal, 0500
            QVERIFY(*one.initialOf(*one.find({0x1800, 1}), 4) == (Bytes{0x84, 0x01, 0, 0}));
            QVERIFY(one.find({0x2010, 0})->type == ObjectType::domain);
            QCOMPARE(one.nameOf(*one.find({0x2200, 2})), std::string("Channel.Middle"));
            QVERIFY(*one.initialOf(*one.find({0x2200, 3}), 4) == (Bytes{0x11, 0}));
            QVERIFY(*one.initialOf(*one.find({0x2200, 1}), 4) == (Bytes{3, 0}));
        }
    }

    void objectsAreFoundByName()
    {
        const Dictionary one = read(sheet);
        for (const char* text :
            {"0x2001:01", "Deepest depth", "deepestdepth", "Blade set-up.Deepest depth", "BLADE SET-UP.deepest_depth"}) {
            const auto place = one.placeOf(text);
            QVERIFY2(place && place->index == 0x2001 && place->sub == 1, text);
        }
        QVERIFY(one.placeOf("Deepest dept").error().remedy.find("Deepest depth") != std::string::npos);
        QVERIFY(!one.placeOf("nothing of the kind"));
    }

    void valuesComeBack()
    {
        std::mt19937_64 random(11);
        for (const ObjectType type : {ObjectType::integer8, ObjectType::integer16, ObjectType::integer24, ObjectType::integer32,
                 ObjectType::integer40, ObjectType::integer48, ObjectType::integer56, ObjectType::integer64, ObjectType::unsigned8,
                 ObjectType::unsigned16, ObjectType::unsigned24, ObjectType::unsigned32, ObjectType::unsigned40, ObjectType::unsigned48,
                 ObjectType::unsigned56, ObjectType::unsigned64, ObjectType::real32, ObjectType::real64, ObjectType::octetString})
            for (int turn = 0; turn < 200; ++turn) {
                Bytes bytes(type == ObjectType::octetString ? 1 + random() % 20 : bitsOf(type) / 8);
                for (auto& byte : bytes)
                    byte = static_cast<std::uint8_t>(turn == 0 ? 0xFF : turn == 1 ? 0x00 : random());
                const std::string text = valueText(type, bytes);
                if (isReal(type) && (text.find("nan") != std::string::npos || text.find("inf") != std::string::npos))
                    continue;
                const auto again = bytesOfValue(type, text);
                QVERIFY2(again && *again == bytes, text.c_str());
            }
        QCOMPARE(valueText(ObjectType::integer16, {0xFE, 0xFF}), std::string("-2"));
        QCOMPARE(valueText(ObjectType::unsigned16, {0xFE}), std::string("FE"));  // of another length
        QVERIFY(*bytesOfValue(ObjectType::unsigned16, "0x1F") == (Bytes{0x1F, 0}));
        for (const auto& [type, text] : std::initializer_list<std::pair<ObjectType, const char*>>{{ObjectType::unsigned8, "256"},
                 {ObjectType::unsigned8, "-1"}, {ObjectType::integer8, "128"}, {ObjectType::integer8, "-129"}, {ObjectType::boolean, "2"},
                 {ObjectType::real32, "1e39"}, {ObjectType::unsigned16, "1.5"}, {ObjectType::unsigned16, ""}})
            QVERIFY2(!bytesOfValue(type, text), text);
        QVERIFY(*bytesOfValue(ObjectType::integer8, "-128") == Bytes{0x80});
        const Dictionary one = read(sheet);
        QVERIFY(Dictionary::bytesFor(*one.find({0x2001, 1}), "-50", 4));
        QVERIFY(Dictionary::bytesFor(*one.find({0x2001, 1}), "2001", 4).error().what.find("limits") != std::string::npos);
    }

    void processDataAreMessages()
    {
        const Dictionary one = read(sheet);
        const ProcessData data = processDataOf(one, 4, "Node4");
        QVERIFY2(data.findings.empty(), data.findings.empty() ? "" : data.findings.front().c_str());
        QCOMPARE(data.database.messages.size(), std::size_t{1});
        const database::Message& message = data.database.messages.front();
        QCOMPARE(message.name, std::string("Node4Sent1"));
        QCOMPARE(message.id.value, 0x184U);
        QCOMPARE(message.length, 8U);
        QCOMPARE(message.signals.size(), std::size_t{3});
        const auto is = [&](std::size_t i, const char* name, unsigned start, unsigned length) {
            const database::Signal& signal = message.signals[i];
            return signal.name == name && signal.startBit == start && signal.length == length;
        };
        QVERIFY(is(0, "Measured_Depth", 0, 16) && message.signals[0].isSigned && *message.signals[0].minimum == -100);
        QVERIFY(is(1, "Measured_Mode", 24, 8) && !message.signals[1].isSigned);
        QVERIFY(is(2, "Measured_Force", 32, 32) && message.signals[2].type == database::ValueType::single);
        // What was written goes before the sheet; off, and what contradicts itself.
        const WrittenObjects off{{0x180001, {0x84, 0x01, 0, 0x80}}};
        QVERIFY(processDataOf(one, 4, "Node4", off).database.messages.empty());
        const WrittenObjects wrong{{0x1A0001, {0x08, 0x01, 0x01, 0x30}}, {0x1A0003, {0x40, 0x02, 0x00, 0x21}}};
        const ProcessData odd = processDataOf(one, 4, "Node4", wrong);
        QVERIFY(odd.findings.size() >= 2);
        QVERIFY(odd.findings[0].find("0x3001:01") != std::string::npos && odd.findings[1].find("does not fit") != std::string::npos);
    }

    // Total: any bytes give a dictionary or an error, within bounds.
    void whateverComesIsRead()
    {
        for (const char* text : {"", "x", "[", "[1000", "[1000]\nParameterName", "=1\n[1000]", "[2000]\nCompactSubObj=99999\nDataType=5\n",
                 "[1000]\nDataType=0xFFFFFFFFFFFFFFFFFF\n", "[1000sub0]\nDataType=5\n", "[1000]\nDataType=5\nAccessType=maybe\n"}) {
            const auto one = dictionaryFromText(text, "x.eds");
            QVERIFY2(one || !one.error().what.empty(), text);
        }
        QVERIFY(!dictionaryFromText("[FileInfo]\nFileName=x\n", "x.eds"));
        QByteArray large;
        for (unsigned i = 0; i < 0x10000; i += 1)
            large += "[" + QByteArray::number(i, 16).rightJustified(4, '0') + "]\nObjectType=8\nDataType=5\nCompactSubObj=254\n";
        const auto tooMany = dictionaryFromText(large.toStdString(), "x.eds");
        QVERIFY(!tooMany && tooMany.error().what.find("300000") != std::string::npos);
        QByteArray many;
        for (unsigned i = 0; i < 0x10000; ++i)
            many += "[" + QByteArray::number(i, 16).rightJustified(4, '0') + "]\nDataType=5\n";
        QCOMPARE(dictionaryFromText(many.toStdString(), "x.eds")->entries.size(), std::size_t{0x10000});
        std::mt19937 random(5);
        for (int turn = 0; turn < 300; ++turn) {
            QByteArray text(sheet);
            for (int i = 0; i < 20; ++i)
                text[static_cast<qsizetype>(random() % static_cast<unsigned>(text.size()))] = static_cast<char>(random());
            if (const auto one = dictionaryFromText(text.toStdString(), "x.eds"))
                (void)processDataOf(*one, 5, "N");
        }
    }

    void theServerAnswers()
    {
        ObjectServer server(read(sheet), 4);
        std::mt19937 random(3);
        for (const bool block : {false, true})
            for (const std::size_t size : {std::size_t{1}, std::size_t{4}, std::size_t{5}, std::size_t{7}, std::size_t{8}, std::size_t{889},
                     std::size_t{890}, std::size_t{5000}}) {
                Bytes data(size);
                for (auto& byte : data)
                    byte = static_cast<std::uint8_t>(random());
                const auto write = objectWrite(4, {0x2010, 0}, data, block);
                const Answer written = have(*write, server);
                QVERIFY2(written.good, written.words.c_str());
                const auto again = objectRead(4, {0x2010, 0}, block);
                const Answer got = have(*again, server);
                QVERIFY2(got.good && got.data == data, got.words.c_str());
            }
        const auto refused = [&](std::unique_ptr<Talk> talk, const char* words) {
            const Answer answer = have(*talk, server);
            return !answer.good && answer.words.find(words) != std::string::npos;
        };
        QVERIFY(refused(objectRead(4, {0x3000, 0}, false), "no such object"));
        QVERIFY(refused(objectRead(4, {0x2001, 9}, false), "no such sub-index"));
        QVERIFY(refused(objectRead(4, {0x2001, 3}, false), "only be written"));
        QVERIFY(refused(objectWrite(4, {0x1000, 0}, {1, 2, 3, 4}, false), "only be read"));
        QVERIFY(refused(objectWrite(4, {0x2001, 1}, {1, 2, 3, 4}, false), "wrong length"));
        QVERIFY(refused(objectWrite(4, {0x2001, 1}, {0xFF, 0x7F}, false), "too large"));
        const auto read1 = objectRead(4, {0x2001, 1}, false);
        QVERIFY(have(*read1, server).data == (Bytes{0xB0, 4}));
    }

    // A whole dictionary: what differs is found, written back, and kept in a file that reads the same.
    void aWholeDictionaryIsComparedLoadedAndStored()
    {
        const Dictionary one = read(sheet);
        ObjectServer server(one, 4);
        std::mt19937 random(9);
        for (int turn = 0; turn < 20; ++turn) {
            WrittenObjects changed;
            for (const auto& [key, entry] : one.entries)
                if (entry.access == Access::readWrite && isWhole(entry.type) && random() % 3 == 0)
                    changed[key] = {static_cast<std::uint8_t>(random() % 40), 0, 0, 0};
            for (auto& [key, value] : changed) {
                value.resize(bitsOf(one.entries.at(key).type) / 8);
                QVERIFY(server.set(one.entries.at(key).place, value));
            }
            std::erase_if(changed, [&](const auto& item) {
                const auto file = one.initialOf(one.entries.at(item.first), 4);
                return !file || *file == item.second;
            });
            const auto reading = dictionaryRead(4, one);
            QVERIFY2(have(*reading, server).good, reading->answer()->words.c_str());
            QVERIFY(reading->refused().empty());
            const auto differences = differencesOf(one, 4, *reading);
            QCOMPARE(differences.size(), changed.size());
            for (const ObjectDifference& difference : differences)
                QCOMPARE(difference.node, valueText(difference.entry->type, changed.at(Dictionary::keyOf(difference.entry->place))));
            // Kept as a DCF, it says what the node has.
            for (const char* ends : {"\n", "\r\n"}) {
                const std::string dcf = dcfText(QByteArray(sheet).replace("\n", ends).toStdString(), one, 4, reading->values());
                const auto again = dictionaryFromText(dcf, "x.dcf");
                QVERIFY(again && again->node == 4 && again->problems.empty());
                QCOMPARE(again->entries.size(), one.entries.size());
                for (const auto& [key, value] : reading->values())
                    if (const ObjectEntry& entry = again->entries.at(key); isWhole(entry.type) && entry.place.index != 0x2200)
                        QVERIFY2(*again->initialOf(entry, 4) == value, entry.name.c_str());
                QCOMPARE(dcfText(dcf, *again, 4, reading->values()), dcf);
            }
            const auto load = dictionaryLoad(4, one);
            QVERIFY2(have(*load, server).good, load->answer()->words.c_str());
            const auto after = dictionaryRead(4, one);
            QVERIFY(have(*after, server).good && differencesOf(one, 4, *after).empty());
        }
        ObjectServer nobody(one, 5);
        const auto silent = dictionaryRead(4, one);
        QVERIFY(!have(*silent, nobody).good);
    }

    void classesOfTraffic()
    {
        const std::vector<Spoken> all{
            {"a", Protocol::objects, {}}, {"a", Protocol::vehicle, {}}, {"a", Protocol::diagnostics, {{{0x7E0, false}, {0x7E8, false}}}}};
        const auto of = [&](std::uint32_t id, bool wide = false) {
            return std::string(trafficClass(all, {id, wide}, can::FrameKind::data));
        };
        QCOMPARE(of(0x000), std::string("network"));
        QCOMPARE(of(0x701), std::string("network"));
        QCOMPARE(of(0x080), std::string("sync"));
        QCOMPARE(of(0x100), std::string("time"));
        QCOMPARE(of(0x081), std::string("emergency"));
        QCOMPARE(of(0x181), std::string("process data"));
        QCOMPARE(of(0x57F), std::string("process data"));
        QCOMPARE(of(0x581), std::string("service data"));
        QCOMPARE(of(0x680), std::string("plain"));
        QCOMPARE(of(0x7E0), std::string("diagnostics"));
        QCOMPARE(of(0x18EAFF00, true), std::string("requests"));
        QCOMPARE(of(0x18ECFF00, true), std::string("transport"));
        QCOMPARE(of(0x18EEFF00, true), std::string("claim"));
        QCOMPARE(of(0x18E8FF00, true), std::string("acknowledge"));
        QCOMPARE(of(0x18FECA00, true), std::string("diagnostics"));
        QCOMPARE(of(0x18FEF100, true), std::string("parameter data"));
        QCOMPARE(std::string(trafficClass({}, {0x181, false}, can::FrameKind::data)), std::string("plain"));
        QCOMPARE(std::string(trafficClass(all, {0x181, false}, can::FrameKind::remote)), std::string("plain"));
    }

    void troubleCodesAreTakenApart()
    {
        const Bytes two{0x04, 0xFF, 0x12, 0x34, 0xA5, 0x07, 0x01, 0x00, 0x1F, 0xFF};
        const TroubleMessage message = troubleOf(two);
        QCOMPARE(message.lamps(), std::string("amber lamp"));
        QCOMPARE(message.codes.size(), std::size_t{2});
        QVERIFY((message.codes[0] == TroubleCode{0x53412, 5, 7}));
        QVERIFY((message.codes[1] == TroubleCode{1, 31, 127}));
        QVERIFY(troubleOf(Bytes{0, 0xFF, 0, 0, 0, 0, 0xFF, 0xFF}).codes.empty());
        QVERIFY(troubleOf(Bytes{0x55}).codes.empty());
    }

    void sheetsAreWrittenAsTheyAreRead()
    {
        for (const std::string& text : {std::string(sheet), readFile(WAVETROPE_DEMO "/blade.eds"), readFile(WAVETROPE_DEMO "/water.eds")}) {
            const auto read = dictionaryFromText(text, "a.eds");
            QVERIFY(read);
            const auto again = dictionaryFromText(sheetOf(*read), "b.eds");
            QVERIFY2(again && again->problems.empty(),
                again ? again->problems.empty() ? "" : again->problems[0].text().c_str() : again.error().text().c_str());
            QVERIFY(again->vendorNumber == read->vendorNumber && again->productNumber == read->productNumber
                    && again->product == read->product);
            QVERIFY(again->objects == read->objects);
            QCOMPARE(again->entries.size(), read->entries.size());
            for (const auto& [key, entry] : read->entries) {
                const ObjectEntry& other = again->entries.at(key);
                QVERIFY2(other.name == entry.name && other.type == entry.type && other.access == entry.access
                             && other.mappable == entry.mappable && other.initial == entry.initial && other.low == entry.low
                             && other.high == entry.high && other.set == entry.set,
                    entry.name.c_str());
            }
        }
    }

    // Without a file: read from the node, and heard in what was recorded of that.
    void mappingsAreLearned()
    {
        QTemporaryDir folder;
        QVERIFY(QFile::copy(QStringLiteral(WAVETROPE_DEMO "/blade.eds"), folder.filePath(QStringLiteral("blade.eds"))));
        QFile file(folder.filePath(QStringLiteral("rig.json")));
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(
            R"json({"wavetrope": 1, "name": "Bench", "buses": [{"name": "A", "rate": "500k", "protocols": ["objects"], "dictionaries": {"1": "blade.eds"}}],
            "nodes": [{"name": "Blade", "buses": ["A"], "objects": {"bus": "A", "node": 1}}]})json");
        file.close();
        const QString log = folder.filePath(QStringLiteral("log.pcapng")), learned = folder.filePath(QStringLiteral("learned.dcf")),
                      heardFile = folder.filePath(QStringLiteral("heard.dcf"));
        test::Answer answer = cli({QStringLiteral("object"), QStringLiteral("mapping"), file.fileName(), QStringLiteral("1"), learned,
            QStringLiteral("--virtual"), QStringLiteral("--record"), log});
        QVERIFY2(answer.code == 0, qPrintable(answer.err));
        answer = cli({QStringLiteral("dictionary"), QStringLiteral("heard"), log, QStringLiteral("A.1"), heardFile,
            QStringLiteral("--protocol"), QStringLiteral("A=objects")});
        QVERIFY2(answer.code == 0, qPrintable(answer.err));
        const auto known = readDictionary(WAVETROPE_DEMO "/blade.eds");
        const auto wanted = processDataOf(*known, 1, "Node1").database;
        QCOMPARE(wanted.messages.size(), std::size_t{1});
        for (const QString& path : {learned, heardFile}) {
            const auto made = readDictionary(path.toStdString());
            QVERIFY2(made && made->problems.empty(), qPrintable(path));
            const auto got = processDataOf(*made, 1, "Node1");
            QVERIFY2(got.findings.empty(), got.findings.empty() ? "" : got.findings[0].c_str());
            QCOMPARE(got.database.messages.size(), wanted.messages.size());
            const database::Message &a = wanted.messages[0], &b = got.database.messages[0];
            QVERIFY(a.id == b.id && a.length == b.length && a.signals.size() == b.signals.size());
            for (std::size_t i = 0; i < a.signals.size(); ++i) {
                QVERIFY(a.signals[i].startBit == b.signals[i].startBit && a.signals[i].length == b.signals[i].length);
                // Names come from the rig's file where there is one, else from the numbers.
                QCOMPARE(b.signals[i].name, path == learned ? a.signals[i].name : "Object_2110_Object_2110_0" + std::to_string(i + 1));
            }
        }
        QCOMPARE(cli({QStringLiteral("object"), QStringLiteral("mapping"), file.fileName(), QStringLiteral("9"),
                         folder.filePath(QStringLiteral("no.dcf")), QStringLiteral("--virtual")})
                     .code,
            1);
        QVERIFY(!QFile::exists(folder.filePath(QStringLiteral("no.dcf"))));
        QCOMPARE(cli({QStringLiteral("dictionary"), QStringLiteral("heard"), log, QStringLiteral("A.2"),
                         folder.filePath(QStringLiteral("no.dcf")), QStringLiteral("--protocol"), QStringLiteral("A=objects")})
                     .code,
            2);
        // What the rig's own file says of that log: nothing is wrong but that its process data never came.
        answer = cli({QStringLiteral("dictionary"), QStringLiteral("review"), log, QStringLiteral("--rig"), file.fileName()});
        QVERIFY2(answer.code == 0, qPrintable(answer.err));
        QCOMPARE(answer.out,
            QStringLiteral("bus,node,object,name,times,first,words\n"
                           "A,1,0x1802:01,Process data 3 sent.Identifier,1,,\"the file has it sent as 0x381, and it never came\"\n"));
    }

    void trafficContradictsDictionaries()
    {
        const auto dictionary = readDictionary(WAVETROPE_DEMO "/blade.eds");
        QVERIFY(dictionary);
        DictionaryReview review(*dictionary, 1);
        MessageStream stream([&](const MessageRow& row) { review.take(row); }, [](const Transfer&) {});
        stream.speak(0, {*spokenFromText("a=objects")});
        Time now = std::chrono::seconds(1'800'000'000);
        const auto say = [&](std::uint32_t id, const Bytes& bytes, Time behind = std::chrono::milliseconds(1)) {
            can::Frame frame;
            frame.id = {id, false};
            frame.time = now += behind;
            frame.length = frame.dlc = static_cast<std::uint8_t>(bytes.size());
            std::copy(bytes.begin(), bytes.end(), frame.data.begin());
            stream.onFrame(frame.view());
        };
        const auto reads = [&](unsigned index, unsigned sub, const Bytes& value) {
            const auto low = static_cast<std::uint8_t>(index), high = static_cast<std::uint8_t>(index >> 8);
            say(0x601, {0x40, low, high, static_cast<std::uint8_t>(sub), 0, 0, 0, 0});
            Bytes answer{static_cast<std::uint8_t>(0x43U | (4 - value.size()) << 2), low, high, static_cast<std::uint8_t>(sub), 0, 0, 0, 0};
            std::copy(value.begin(), value.end(), answer.begin() + 4);
            say(0x581, answer);
        };
        reads(0x2001, 3, {2});  // as it should be
        reads(0x1018, 1, {0xA2, 1, 0, 0});
        say(0x381, {1, 2, 3, 4, 5, 6, 7, 8});
        for (int i = 0; i < 10; ++i)
            say(0x701, {5}, std::chrono::milliseconds(500));
        QVERIFY2(review.found().empty(), review.found().empty() ? "" : review.found()[0].words.c_str());
        reads(0x2001, 3, {9});  // outside of its limits, twice
        reads(0x2001, 3, {9});
        reads(0x2001, 1, {1, 2, 3, 4});  // other types
        reads(0x2999, 0, {1});
        reads(0x1018, 1, {0xA3, 1, 0, 0});
        say(0x381, {1, 2, 3});
        stream.finish();
        QStringList words;
        for (const Contradiction& one : review.found())
            words << QStringLiteral("%1:%2 %3x %4")
                         .arg(one.place.index, 0, 16)
                         .arg(one.place.sub)
                         .arg(one.times)
                         .arg(QString::fromStdString(one.words));
        QCOMPARE(words.join(QLatin1Char('\n')),
            QStringLiteral(
                "1018:1 1x the file says 418, and it is 419\n1a02:0 1x the file maps 8 bytes, and frames have 3\n"
                "2001:1 1x the file says unsigned, 2 bytes, and 4 bytes came\n2001:3 2x the file's limits are 0 to 3, and it was 9\n"
                "2999:0 1x the node gives it, and the file has no such object"));
        // Heartbeats of another period.
        DictionaryReview slow(*dictionary, 1);
        MessageStream beats([&](const MessageRow& row) { slow.take(row); }, [](const Transfer&) {});
        beats.speak(0, {*spokenFromText("a=objects")});
        for (int i = 0; i < 10; ++i) {
            can::Frame frame;
            frame.id = {0x701, false};
            frame.time = std::chrono::seconds(i + 1);
            frame.length = frame.dlc = 1;
            frame.data[0] = 5;
            beats.onFrame(frame.view());
        }
        QCOMPARE(slow.found().size(), std::size_t{2});  // and the process data that never came
        QCOMPARE(slow.found()[0].words, std::string("the file says 500 ms, and heartbeats come every 1000 ms"));
    }

    void numbersHaveNamesOfOnesOwn()
    {
        const auto names = namesFromText("\xEF\xBB\xBFkind,number,name\r\nmanufacturer,26,\"Made-up, "
                                         "\"\"works\"\"\"\r\n\r\nfunction,0x3C,Display\nparameter,520201, Wash water \n",
            "a.csv");
        QVERIFY2(names.has_value(), names ? "" : names.error().text().c_str());
        QCOMPARE(names->manufacturers.at(26), std::string("Made-up, \"works\""));
        QCOMPARE(named(60, &names->functions), std::string("60 Display"));
        QCOMPARE(named(61, &names->functions), std::string("61"));
        QCOMPARE(named(60, nullptr), std::string("60"));
        QCOMPARE(words(TroubleCode{520201, 1, 3}, &*names), std::string("parameter 520201 Wash water: ") + failureWords(1) + " (1)");
        QVERIFY(UnitName{0x201C3C0003400028}.words(&*names).find("function 60 Display 0, unit 0, manufacturer 26 Made-up, \"works\",")
                != std::string::npos);
        for (const auto& [text, line, wanted] :
            std::initializer_list<std::tuple<const char*, int, const char*>>{{"", 0, "empty"}, {"number,name\n", 1, "head"},
                {"kind,number,name\nmaker,1,A\n", 2, "none of"}, {"kind,number,name\nfunction,256,A\n", 2, "0 to 255"},
                {"kind,number,name\n\nfunction,1\n", 3, "three cells"}, {"kind,number,name\nfunction,1,\n", 2, "a name"},
                {"kind,number,name\nfunction,1,\"A\n", 2, "quotes"}, {"kind,number,name\nfunction,1,\"A\"B\n", 2, "quotes"}}) {
            const auto wrong = namesFromText(text, "a.csv");
            QVERIFY2(!wrong && wrong.error().text().find(wanted) != std::string::npos && wrong.error().line == line, text);
        }
        QVERIFY(!readNames("/nowhere/names.csv"));
        QVERIFY(readNames(WAVETROPE_DEMO "/names.csv").has_value());
    }

    // A row of the outbox asks: by its period, and in answer to a frame; nobody there is a row that was refused.
    void rowsAsk()
    {
        QTemporaryDir folder;
        QFile eds(folder.filePath(QStringLiteral("blade.eds"))), file(folder.filePath(QStringLiteral("rig.json")));
        QVERIFY(eds.open(QIODevice::WriteOnly) && eds.write(sheet) > 0);
        eds.close();
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(
            R"json({"wavetrope": 1, "name": "Bench", "buses": [{"name": "A", "rate": "500k", "protocols": ["objects"], "dictionaries": {"4": "blade.eds"}}],
            "nodes": [{"name": "Blade", "buses": ["A"], "objects": {"bus": "A", "node": 4}}],
            "outbox": [{"name": "Asks", "rows": [{"bus": "A", "ask": "write 4 deepest_depth 700", "every": "100 ms", "count": 3},
                {"bus": "A", "ask": "read 4 0x2001:01", "answer": "id 0x584 and byte 0 = 0x60", "after": "5 ms"},
                {"bus": "A", "ask": "read 9 0x2001", "at": "500 ms"}, {"bus": "A", "ask": "read 4 Nothing"}]}]})json");
        file.close();
        const QString log = folder.filePath(QStringLiteral("log.pcapng"));
        test::Answer answer = cli({QStringLiteral("run"), file.fileName(), QStringLiteral("--virtual"), QStringLiteral("--for"),
            QStringLiteral("4s"), QStringLiteral("--outbox"), QStringLiteral("--record"), log});
        QVERIFY2(answer.err.contains(QLatin1String("no object")), qPrintable(answer.err));  // of the row that cannot be
        answer = cli({QStringLiteral("transfers"), log, QStringLiteral("--protocol"), QStringLiteral("A=objects")});
        QCOMPARE(answer.out.count(QLatin1String(",service-write,,4,0x2001:01,2,2,whole")), 3);
        QCOMPARE(answer.out.count(QLatin1String(",service-read,,4,0x2001:01,2,2,whole")), 3);
        QVERIFY2(answer.out.contains(QLatin1String(",service-read,,9,0x2001:00,0,2,timeout")), qPrintable(answer.out));
        answer = cli({QStringLiteral("decode"), log, QStringLiteral("--rig"), file.fileName(), QStringLiteral("--signals"),
            QStringLiteral("Node4.*")});
        QCOMPARE(answer.out.count(QLatin1String(",700,700,")), 6);
    }

    // Syncs with a counter, the time, and a heartbeat that stays away: told as an emergency until it is back.
    void machinesAreLed()
    {
        QTemporaryDir folder;
        const QString rig = folder.filePath(QStringLiteral("rig.json")), log = folder.filePath(QStringLiteral("log.pcapng"));
        QFile file(rig);
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(R"json({"wavetrope": 1, "name": "Bench", "buses": [{"name": "A", "rate": "500k", "protocols": ["objects"]}],
            "nodes": [{"name": "Master", "buses": ["A"], "objects": {"bus": "A", "node": 1, "sync": {"every": "10 ms", "counter": true},
                          "time": {"every": "1 s"}, "watches": {"4": "700 ms"}}},
                      {"name": "Unit", "buses": ["A"], "script": {"text":
                          "every('beat', 0.5) on.timer('beat', function() local t = time() if t < 2 or t > 4 then send('0x704', {5}) end end)"}}]})json");
        file.close();
        test::Answer answer = cli({QStringLiteral("run"), rig, QStringLiteral("--virtual"), QStringLiteral("--for"), QStringLiteral("6s"),
            QStringLiteral("--record"), log});
        QVERIFY2(answer.code == 0, qPrintable(answer.err));
        answer = cli(
            {QStringLiteral("list"), log, QStringLiteral("--messages"), QStringLiteral("--protocol"), QStringLiteral("A=objects")});
        int syncs = 0, times = 0;
        QStringList emergencies;
        unsigned counter = 0;
        double first = 0;
        for (const QString& line : answer.out.split(QLatin1Char('\n'))) {
            const QStringList cells = line.split(QLatin1Char(','));
            if (cells.size() < 9)
                continue;
            if (first == 0)
                first = cells[0].toDouble();
            if (cells[3] == QLatin1String("sync")) {
                ++syncs;
                counter = counter % 240 + 1;
                QCOMPARE(cells[8].toUInt(nullptr, 16), counter);
            }
            times += cells[3] == QLatin1String("time") && cells[7] == QLatin1String("6") ? 1 : 0;
            if (cells[3] == QLatin1String("emergency"))
                emergencies << QStringLiteral("%1 %2 %3").arg(cells[4], cells[8]).arg(cells[0].toDouble() - first, 0, 'f', 1);
        }
        QVERIFY2(syncs >= 598 && syncs <= 601 && times >= 5 && times <= 6, qPrintable(QStringLiteral("%1 %2").arg(syncs).arg(times)));
        QCOMPARE(emergencies.size(), 2);
        QVERIFY2(emergencies[0].startsWith(QLatin1String("1 3081110400000000 2.")), qPrintable(emergencies.join(QLatin1Char('\n'))));
        QVERIFY2(emergencies[1].startsWith(QLatin1String("1 0000000400000000 4.")), qPrintable(emergencies.join(QLatin1Char('\n'))));
        for (const QStringList& asks : {QStringList{QStringLiteral("sync"), rig}, QStringList{QStringLiteral("time"), rig},
                 QStringList{QStringLiteral("state"), rig, QStringLiteral("all"), QStringLiteral("start")},
                 QStringList{QStringLiteral("sync"), rig, QStringLiteral("--every"), QStringLiteral("20ms"), QStringLiteral("--for"),
                     QStringLiteral("1s")}}) {
            answer = cli(QStringList{QStringLiteral("object")} + asks + QStringList{QStringLiteral("--virtual")});
            QVERIFY2(answer.code == 0, qPrintable(asks.join(QLatin1Char(' ')) + answer.err));
        }
        QCOMPARE(cli({QStringLiteral("object"), QStringLiteral("state"), rig, QStringLiteral("4"), QStringLiteral("begin"),
                         QStringLiteral("--virtual")})
                     .code,
            2);
        QCOMPARE(cli({QStringLiteral("object"), QStringLiteral("sync"), rig, QStringLiteral("--every"), QStringLiteral("20ms"),
                         QStringLiteral("--virtual")})
                     .code,
            2);
    }

    // A node of a rig answers from its sheet; a name, a value in its type, what the log says of it.
    void onTheCommandLine()
    {
        QTemporaryDir folder;
        const auto write = [&](const char* name, const QByteArray& text) {
            QFile file(folder.filePath(QLatin1String(name)));
            return file.open(QIODevice::WriteOnly) && file.write(text) == text.size() ? file.fileName() : QString();
        };
        QVERIFY(!write("blade.eds", sheet).isEmpty());
        const QString rig = write("rig.json",
            R"json({"wavetrope": 1, "name": "Bench", "buses": [{"name": "A", "rate": "500k", "protocols": ["objects"], "dictionaries": {"4": "blade.eds"}}],
            "nodes": [{"name": "Blade", "buses": ["A"], "objects": {"bus": "A", "node": 4}},
                      {"name": "Service", "buses": ["A"], "objects": {"bus": "A", "reads": [{"every": "20 ms", "node": 4, "object": "0x2001:02"}]}}]})json");
        const auto asked = [&](const QStringList& what) {
            return cli(QStringList{QStringLiteral("object")} + what + QStringList{QStringLiteral("--virtual")});
        };
        test::Answer answer = asked({QStringLiteral("read"), rig, QStringLiteral("4"), QStringLiteral("Deepest depth")});
        QVERIFY2(answer.code == 0 && answer.out == QLatin1String("1200\n"), qPrintable(answer.out + answer.err));
        answer = asked({QStringLiteral("read"), rig, QStringLiteral("4"), QStringLiteral("Label"), QStringLiteral("--block")});
        QVERIFY2(answer.code == 0 && answer.out == QLatin1String("ice\n"), qPrintable(answer.out + answer.err));
        // What was said last is in the log too: the transfer is whole.
        const QString asking = folder.filePath(QStringLiteral("asking.pcapng"));
        answer = asked({QStringLiteral("read"), rig, QStringLiteral("4"), QStringLiteral("Label"), QStringLiteral("--block"),
            QStringLiteral("--after"), QStringLiteral("25ms"), QStringLiteral("--record"), asking});
        QCOMPARE(answer.code, 0);
        answer = cli({QStringLiteral("transfers"), asking, QStringLiteral("--protocol"), QStringLiteral("A=objects")});
        QVERIFY2(answer.out.count(QLatin1String("0x2001:02,3,")) >= 1 && !answer.out.contains(QLatin1String("unfinished")),
            qPrintable(answer.out));
        answer = asked({QStringLiteral("write"), rig, QStringLiteral("4"), QStringLiteral("0x2001:01"), QStringLiteral("-12")});
        QVERIFY2(answer.code == 0, qPrintable(answer.err));
        answer = asked({QStringLiteral("write"), rig, QStringLiteral("4"), QStringLiteral("0x2001:01"), QStringLiteral("5000")});
        QVERIFY2(answer.code == 2 && answer.err.contains(QLatin1String("limits")), qPrintable(answer.err));
        answer = asked({QStringLiteral("read"), rig, QStringLiteral("4"), QStringLiteral("Depest depth")});
        QVERIFY2(answer.code == 2 && answer.err.contains(QLatin1String("Did you mean")), qPrintable(answer.err));
        answer = asked({QStringLiteral("compare"), rig, QStringLiteral("4")});
        QVERIFY2(answer.code == 0 && answer.out == QLatin1String("object,name,file,node,refused\n"), qPrintable(answer.out + answer.err));
        answer = asked({QStringLiteral("load"), rig, QStringLiteral("4")});
        QCOMPARE(answer.code, 0);
        const QString dcf = folder.filePath(QStringLiteral("blade.dcf"));
        answer = asked({QStringLiteral("store"), rig, QStringLiteral("4"), dcf});
        QVERIFY2(answer.code == 0 && readDictionary(dcf.toStdString())->node == 4, qPrintable(answer.err));
        QCOMPARE(asked({QStringLiteral("store"), rig, QStringLiteral("4"), dcf}).code, 2);  // it is there
        QCOMPARE(asked({QStringLiteral("compare"), rig, QStringLiteral("9")}).code, 2);  // nothing says which dictionary
        const QString log = folder.filePath(QStringLiteral("run.pcapng"));
        answer = cli({QStringLiteral("run"), rig, QStringLiteral("--virtual"), QStringLiteral("--for"), QStringLiteral("1s"),
            QStringLiteral("--record"), log});
        QVERIFY2(answer.code == 0, qPrintable(answer.err));
        answer = cli({QStringLiteral("decode"), log, QStringLiteral("--protocol"), QStringLiteral("A=objects"),
            QStringLiteral("--dictionary"), QStringLiteral("A.4=") + folder.filePath(QStringLiteral("blade.eds"))});
        QVERIFY2(answer.code == 0 && answer.out.count(QLatin1String(",A,0x604,Node4,Blade_set_up_Label,,,,ice\n")) == 49,
            qPrintable(answer.out.left(500) + answer.err));
        // The rig says the same, and values are written as any.
        const test::Answer byRig = cli({QStringLiteral("decode"), log, QStringLiteral("--rig"), rig});
        QCOMPARE(byRig.out, answer.out);
        const QString csv = folder.filePath(QStringLiteral("values.csv"));
        answer = cli(
            {QStringLiteral("convert"), log, csv, QStringLiteral("--rig"), rig, QStringLiteral("--time"), QStringLiteral("epoch")});
        QVERIFY2(answer.code == 0, qPrintable(answer.err));
        QFile values(csv);
        QVERIFY(values.open(QIODevice::ReadOnly));
        QCOMPARE(QString::fromUtf8(values.readAll()), byRig.out);
        answer = cli({QStringLiteral("load"), log, QStringLiteral("--by"), QStringLiteral("class"), QStringLiteral("--rig"), rig});
        QVERIFY2(answer.code == 0 && answer.out.contains(QLatin1String("\nA,service data,")), qPrintable(answer.out + answer.err));
        for (const QStringList& wrong : {QStringList{QStringLiteral("A.4")}, {QStringLiteral("A=x.eds")}, {QStringLiteral("A.128=x.eds")},
                 {QStringLiteral("B.4=") + folder.filePath(QStringLiteral("blade.eds"))}, {QStringLiteral("A.4=nowhere.eds")}})
            QCOMPARE(cli({QStringLiteral("decode"), log, QStringLiteral("--protocol"), QStringLiteral("A=objects"),
                             QStringLiteral("--dictionary"), wrong.front()})
                         .code,
                2);
    }

    // Derived signals are what they were, whether buses speak or not.
    void derivedSignalsGoByMessagesToo()
    {
        QTemporaryDir folder;
        for (const char* name : {"chassis.dbc", "implement.dbc", "body.dbc", "scanner.dbc", "blade.eds", "water.eds"})
            QVERIFY(QFile::copy(QStringLiteral(WAVETROPE_DEMO "/") + QLatin1String(name), folder.filePath(QLatin1String(name))));
        QFile demo(QStringLiteral(WAVETROPE_DEMO "/rig.json")), silent(folder.filePath(QStringLiteral("rig.json")));
        QVERIFY(demo.open(QIODevice::ReadOnly) && silent.open(QIODevice::WriteOnly));
        silent.write(demo.readAll().replace("\"protocols\"", "\"spoken\""));
        silent.close();
        const QString log = folder.filePath(QStringLiteral("run.pcapng"));
        QCOMPARE(cli({QStringLiteral("run"), demo.fileName(), QStringLiteral("--virtual"), QStringLiteral("--for"), QStringLiteral("12s"),
                         QStringLiteral("--record"), log})
                     .code,
            0);
        const auto decoded = [&](const QString& rig) {
            return cli({QStringLiteral("decode"), log, QStringLiteral("--rig"), rig, QStringLiteral("--signals"), QStringLiteral("*Depth*"),
                QStringLiteral("--filter"), QStringLiteral("name Blade* or name Level*")});
        };
        const test::Answer by = decoded(demo.fileName()), without = decoded(silent.fileName());
        QVERIFY2(by.code == 0 && by.out.count(QLatin1String(",DepthError,")) > 100, qPrintable(by.out.left(400) + by.err));
        QCOMPARE(by.out.count(QLatin1Char('\n')), without.out.count(QLatin1Char('\n')));
        QVERIFY(by.out == without.out);
    }

    // A node's script asks as somebody would.
    void scriptsAsk()
    {
        QTemporaryDir folder;
        QFile eds(folder.filePath(QStringLiteral("blade.eds")));
        QVERIFY(eds.open(QIODevice::WriteOnly) && eds.write(sheet) > 0);
        eds.close();
        QFile rig(folder.filePath(QStringLiteral("rig.json")));
        QVERIFY(rig.open(QIODevice::WriteOnly));
        rig.write(R"json({"wavetrope": 1, "name": "Bench", "buses": [{"name": "A", "rate": "500k", "dictionaries": {"4": "blade.eds"}}],
            "nodes": [{"name": "Blade", "buses": ["A"], "objects": {"bus": "A", "node": 4}},
                {"name": "Display", "buses": ["A"], "address": {"bus": "A", "name": "8000000000000001", "address": "0x21",
                    "sends": [{"group": "0xFEF1", "every": "100 s", "phase": "50 s", "data": "01 02 03 04 05 06 07 08 09 0A 0B"}]}},
                {"name": "Tester", "buses": ["A"], "script": {"text":
                "on.start(function() timer('later', 1) object.read(4, '0x2001:01', function(bytes, why) log('read', bytes or why) end) object.write(4, '0x1000:00', '01 02 03 04', function(why) log('write', why) end) object.write(4, '0x2001:01', 'FE FF', function(why) log('written', why) object.read(4, '0x2001:01', function(bytes) log('then', bytes) end) end) end) on.timer('later', function() group.request('0xFEF1', 0x21, function(bytes, why) log('group', bytes or why) end) group.send('0xFEF2', nil, '0A 0B') diagnose('0x7E0/0x7E8', '22 F1 90', function(bytes, why) log('server', bytes or why) end) end)"}}]})json");
        rig.close();
        const test::Answer answer = cli({QStringLiteral("run"), rig.fileName(), QStringLiteral("--virtual"), QStringLiteral("--for"),
            QStringLiteral("4s"), QStringLiteral("--states"), QStringLiteral("--log")});
        QVERIFY2(answer.code == 0, qPrintable(answer.err));
        for (const char* line : {"Tester,read B0 04\n", "it can only be read (0x06010002)", "Tester,written nil\n", "Tester,then FE FF\n",
                 "Tester,group 01 02 03 04 05 06 07 08 09 0A 0B\n", "Tester,server no answer\n"})
            QVERIFY2(
                answer.out.contains(QLatin1String(line)), qPrintable(QLatin1String(line) + QLatin1String(" / ") + answer.out + answer.err));
    }

    // Frames of whole messages, chosen by a filter over these.
    void messagesAreConverted()
    {
        QTemporaryDir folder;
        QFile file(folder.filePath(QStringLiteral("rig.json")));
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(R"json({"wavetrope": 1, "name": "Bench", "buses": [{"name": "A", "rate": "250k", "protocols": ["vehicle"]}],
            "events": [{"name": "warm", "when": "id 0x18FEF021"}],
            "nodes": [{"name": "Display", "buses": ["A"], "address": {"bus": "A", "name": "8000000000000001", "address": "0x21",
                "sends": [{"group": "0xFEF0", "every": "100 ms", "data": "01 02 03"}, {"group": "0xFEF1", "every": "500 ms", "data": "01 02 03 04 05 06 07 08 09 0A 0B"},
                          {"group": "0xFECA", "every": "1 s", "troubles": true}], "troubles": [{"when": "warm", "parameter": 520201, "failure": 1}]}},
                {"name": "Other", "buses": ["A"], "address": {"bus": "A", "name": "0000000000000009", "address": "0x30", "requests": [{"group": "0xFEF1", "to": "0x21", "every": "2 s", "phase": "700 ms"}, {"group": "0xFEE0", "to": "0x21", "every": "2 s", "phase": "900 ms"}]}}]})json");
        file.close();
        const QString log = folder.filePath(QStringLiteral("run.pcapng")), part = folder.filePath(QStringLiteral("part.pcapng"));
        test::Answer answer = cli({QStringLiteral("run"), file.fileName(), QStringLiteral("--virtual"), QStringLiteral("--for"),
            QStringLiteral("4s"), QStringLiteral("--record"), log});
        QVERIFY2(answer.code == 0, qPrintable(answer.err));
        const QStringList speaks{QStringLiteral("--protocol"), QStringLiteral("A=vehicle")};
        const test::Answer all = cli(QStringList{QStringLiteral("transfers"), log} + speaks);
        QVERIFY2(all.out.count(QLatin1String(",group,0x21,,0xFEF1,11,3,whole")) >= 7
                     && all.out.contains(QLatin1String(",group,0x21,0x30,0xFEF1,11,5,whole")),
            qPrintable(all.out));
        const test::Answer list = cli(QStringList{QStringLiteral("list"), log, QStringLiteral("--messages")} + speaks);
        QVERIFY2(list.out.count(QLatin1String(",vehicle,claim,")) == 2 && list.out.contains(QLatin1String(",vehicle,acknowledge,0x21,")),
            qPrintable(list.out.left(800)));
        answer = cli(
            QStringList{QStringLiteral("convert"), log, part, QStringLiteral("--filter"), QStringLiteral("id 0x1CFEF121")} + speaks);
        QVERIFY2(answer.code == 0, qPrintable(answer.err));
        const test::Answer some = cli(QStringList{QStringLiteral("list"), part, QStringLiteral("--messages")} + speaks);
        QVERIFY2(some.out.count(QLatin1Char('\n')) > 7 && !some.out.contains(QLatin1String("transport"))
                     && !some.out.contains(QLatin1String("0x18FEF021")),
            qPrintable(some.out));
        QCOMPARE(some.out.count(QLatin1String("0x1CFEF121,11,0102030405060708090A0B\n")),
            list.out.count(QLatin1String("0x1CFEF121,11,0102030405060708090A0B\n")));
        // A filter looks at all of a message: its length, and signals behind the bytes of a frame.
        QFile database(folder.filePath(QStringLiteral("site.dbc")));
        QVERIFY(database.open(QIODevice::WriteOnly));
        database.write("VERSION \"\"\nNS_ :\nBS_:\nBU_: Display\nBO_ 2633954081 Site: 100 Display\n SG_ Late : 720|16@1+ (1,0) [0|0] \"\" "
                       "Vector__XXX\nBO_ 2633953569 Often: 11 Display\n SG_ Ninth : 72|16@1+ (1,0) [0|0] \"\" Vector__XXX\n");
        database.close();
        const QString far = folder.filePath(QStringLiteral("far.pcapng"));
        QByteArray bytes;
        for (int i = 0; i < 100; ++i)
            bytes += QByteArray::number(i, 16).rightJustified(2, '0') + ' ';
        answer = cli(
            {QStringLiteral("group"), QStringLiteral("send"), file.fileName(), QStringLiteral("0xFEF3"), QString::fromLatin1(bytes),
                QStringLiteral("--from"), QStringLiteral("0x77"), QStringLiteral("--virtual"), QStringLiteral("--record"), far});
        QVERIFY2(answer.code == 0, qPrintable(answer.err));
        const auto counted = [&](const char* filter) {
            return cli(QStringList{QStringLiteral("count"), far, QStringLiteral("--database"), database.fileName(),
                           QStringLiteral("--filter"), QLatin1String(filter)}
                       + speaks)
                .out.trimmed();
        };
        QCOMPARE(counted("length > 64"), QStringLiteral("1"));
        QCOMPARE(counted("Site.Late = 23386"), QStringLiteral("1"));  // 0x5B5A
        QCOMPARE(counted("Site.Late = 23387"), QStringLiteral("0"));
        // Tables and databases have messages, too: 100 bytes in one row, and what stands behind those of a frame as a column.
        const QStringList known = QStringList{QStringLiteral("--database"), database.fileName()} + speaks;
        const QString table = folder.filePath(QStringLiteral("table.csv"));
        answer = cli(QStringList{QStringLiteral("convert"), far, table, QStringLiteral("--wide"), QStringLiteral("--signals"),
                         QStringLiteral("Site.*")}
                     + known);
        QVERIFY2(answer.code == 0, qPrintable(answer.err));
        QString rows = QString::fromStdString(readFile(table.toUtf8().constData()));
        QVERIFY2(rows.startsWith(QLatin1String("time [s],A.Site.Late\n")) && rows.endsWith(QLatin1String(",23386\n")), qPrintable(rows));
        answer = cli(QStringList{QStringLiteral("convert"), log, table, QStringLiteral("--step"), QStringLiteral("1s"),
                         QStringLiteral("--signals"), QStringLiteral("Often.*"), QStringLiteral("--overwrite")}
                     + known);
        QVERIFY2(answer.code == 0, qPrintable(answer.err));
        rows = QString::fromStdString(readFile(table.toUtf8().constData()));
        QVERIFY2(
            rows.startsWith(QLatin1String("time [s],A.Often.Ninth\n0.000000000,\n")) && rows.endsWith(QLatin1String("3.000000000,2826\n")),
            qPrintable(rows));
        const QString stored = folder.filePath(QStringLiteral("stored.sqlite"));
        answer = cli(
            QStringList{QStringLiteral("convert"), far, stored, QStringLiteral("--filter"), QStringLiteral("length > 64")} + known);
        QVERIFY2(answer.code == 0, qPrintable(answer.err));
        sqlite3* opened = nullptr;
        QCOMPARE(sqlite3_open_v2(stored.toUtf8().constData(), &opened, SQLITE_OPEN_READONLY, nullptr), SQLITE_OK);
        sqlite3_stmt* asked = nullptr;
        QCOMPARE(
            sqlite3_prepare_v2(opened,
                "SELECT count(*), max(length(data)), max(value.value), max(message.name) FROM frame JOIN value USING (frame) JOIN message "
                "ON message.message = frame.message",
                -1, &asked, nullptr),
            SQLITE_OK);
        QCOMPARE(sqlite3_step(asked), SQLITE_ROW);
        QCOMPARE(sqlite3_column_int(asked, 0), 1);
        QCOMPARE(sqlite3_column_int(asked, 1), 100);
        QCOMPARE(sqlite3_column_double(asked, 2), 23386.0);
        QCOMPARE(QByteArray(reinterpret_cast<const char*>(sqlite3_column_text(asked, 3))), QByteArray("Site"));
        sqlite3_finalize(asked);
        sqlite3_close(opened);
        const test::Answer group = cli({QStringLiteral("group"), QStringLiteral("request"), file.fileName(), QStringLiteral("0xFEF1"),
            QStringLiteral("--to"), QStringLiteral("0x21"), QStringLiteral("--virtual")});
        QVERIFY2(group.code == 0 && group.out == QLatin1String("source,length,data\n0x21,11,0102030405060708090A0B\n"),
            qPrintable(group.out + group.err));
        const test::Answer refused = cli({QStringLiteral("group"), QStringLiteral("request"), file.fileName(), QStringLiteral("0xFEE0"),
            QStringLiteral("--to"), QStringLiteral("0x21"), QStringLiteral("--virtual")});
        QVERIFY2(refused.code == 1 && refused.err.contains(QLatin1String("does not have it")), qPrintable(refused.err));
    }
};

QTEST_APPLESS_MAIN(DictionaryTest)
#include "dictionary_test.moc"
