// SPDX-License-Identifier: GPL-3.0-or-later
// Frames as messages of higher protocols: the reference logs with every kind of break in them.
#include <QTest>

#include <algorithm>

#include "loaded_log.h"
#include "protocol/message_stream.h"
#include "vector_file.h"

using namespace wavetrope;
using namespace wavetrope::protocol;

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
};

QTEST_APPLESS_MAIN(ProtocolTest)
#include "protocol_test.moc"
