// SPDX-License-Identifier: GPL-3.0-or-later
// The messages of a trace beside it: the same as those that a stream tells of one after the other, while the trace grows, whatever is asked of it when.
#include <QTest>

#include <map>
#include <random>
#include <thread>

#include "loaded_log.h"
#include "can/parameter_group.h"
#include "measure/message_index.h"
#include "measure/sample_feed.h"
#include "vector_file.h"

using namespace wavetrope;

namespace {

struct Told {
    measure::Message message;
    trace::Row row = 0;
};

std::vector<Told> oneAfterTheOther(const trace::Snapshot& log, const std::vector<std::vector<protocol::Spoken>>& spoken)
{
    std::vector<Told> told;
    protocol::MessageStream stream(
        [&](const protocol::MessageRow& row) {
            Told one;
            one.row = row.number;
            one.message.head = row.head;
            one.message.frame = log.frame(row.number);
            one.message.frame.id = row.id;
            one.message.data.assign(row.data.begin(), row.data.end());
            one.message.lasted = row.lasted;
            one.message.what = row.what;
            one.message.pieces.assign(row.pieces.begin(), row.pieces.end());
            told.push_back(std::move(one));
        },
        [](const protocol::Transfer&) {});
    for (std::size_t bus = 0; bus < spoken.size(); ++bus)
        stream.speak(static_cast<std::uint8_t>(bus), spoken[bus]);
    for (trace::Row row = 0; row < log.rows(); ++row)
        stream.onFrame(log.frame(row));
    stream.finish();
    return told;
}

bool same(const measure::Message& a, const measure::Message& b)
{
    const auto head = [](const measure::Message& one) {
        return one.head ? std::tuple(true, one.head->protocol, one.head->kind, one.head->source, one.head->destination)
                        : std::tuple(false, protocol::Protocol::vehicle, protocol::Kind::transport, protocol::Party{}, protocol::Party{});
    };
    return head(a) == head(b) && a.frame.id == b.frame.id && a.frame.time == b.frame.time && a.frame.bus == b.frame.bus && a.data == b.data
           && a.lasted == b.lasted && a.what == b.what && a.pieces == b.pieces;
}

}  // namespace

class MessageIndexTest : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void whileTheTraceGrows_data()
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
                   QStringLiteral("Both=vehicle"), QStringLiteral("Both=diagnostics:0x7E0/0x7E8,0x7E1/0x7E9")};
    }
    void whileTheTraceGrows()
    {
        QFETCH(QByteArray, name);
        QFETCH(QStringList, spoken);
        const auto log = loadFile(dataPath((name + ".pcapng.gz").constData()).toStdString());
        QVERIFY(log->report.has_value());
        std::vector<std::vector<protocol::Spoken>> speaks(log->trace.buses().size());
        for (const QString& text : spoken)
            for (std::size_t bus = 0; bus < speaks.size(); ++bus)
                if (auto one = protocol::spokenFromText(text.toStdString()); one && one->bus == log->trace.buses()[bus].name)
                    speaks[bus].push_back(std::move(*one));
        const trace::Snapshot whole = log->trace.snapshot();
        const std::vector<Told> wanted = oneAfterTheOther(whole, speaks);

        measure::MessageIndex index(speaks);
        std::mt19937 random(7);
        std::size_t decided = 0;
        for (trace::Row rows = 0; rows < whole.rows();) {
            rows = std::min<trace::Row>(whole.rows(), rows + 1 + random() % 30'000);
            QVERIFY(index.advance(trace::Snapshot(log->trace, rows)));
            QVERIFY(index.seen() <= rows);
            while (decided < wanted.size() && wanted[decided].row < index.seen())
                ++decided;
            QCOMPARE(index.rows().size(), decided);  // what is decided stands, and nothing else
            for (int i = 0; i < 200 && decided > 0; ++i) {
                const std::size_t n = random() % decided;
                QCOMPARE(index.rows()[n], wanted[n].row);
            }
        }
        index.finish(whole);
        QCOMPARE(index.rows().size(), std::uint64_t{wanted.size()});
        std::uint64_t wholes = 0;
        std::map<std::pair<std::uint8_t, std::uint32_t>, trace::Row> newest;
        for (std::size_t n = 0; n < wanted.size(); ++n) {
            const Told& one = wanted[n];
            QCOMPARE(index.rows()[n], one.row);
            const bool inPieces = !one.message.pieces.empty();
            const auto found = index.wholeAt(one.row);
            QCOMPARE(found.has_value(), inPieces);
            if (inPieces) {
                QCOMPARE(*found, wholes++);
                trace::Row& before = newest.try_emplace({one.message.frame.bus, one.message.frame.id.key()}, trace::noRow).first->second;
                const auto previous = index.previous(*found);
                QCOMPARE(previous ? index.wholeRow(*previous) : trace::noRow, before);
                before = one.row;
            }
            if (inPieces || n % 16 == 0)
                QVERIFY2(same(index.at(whole, one.row), one.message), qPrintable(QStringLiteral("row %1").arg(one.row)));
        }
        QCOMPARE(index.wholes(), wholes);
        QVERIFY(wholes > 5);
        for (const measure::MessageIndex::Newest& one : index.newest()) {
            QCOMPARE(index.wholeRow(one.whole), (newest.at({one.bus, one.id.key()})));
            newest.erase({one.bus, one.id.key()});
        }
        QVERIFY(newest.empty());
    }

    // One thread follows, another looks all the while: what it sees stays as it is.
    void othersLookMeanwhile()
    {
        const auto log = loadFile(dataPath("objects.pcapng.gz").toStdString());
        QVERIFY(log->report.has_value());
        std::vector<std::vector<protocol::Spoken>> speaks(log->trace.buses().size());
        for (std::size_t bus = 0; bus < speaks.size(); ++bus)
            speaks[bus].push_back(*protocol::spokenFromText(log->trace.buses()[bus].name + "=objects"));
        const trace::Snapshot whole = log->trace.snapshot();
        measure::MessageIndex index(speaks);
        std::atomic<bool> over{false};
        std::uint64_t looked = 0, wrong = 0;
        std::thread looker([&] {
            std::mt19937 random(3);
            while (!over || looked == 0) {
                const trace::Row decided = index.seen();
                const std::uint64_t rows = index.rows().rank(decided), wholes = index.wholesBefore(decided);
                if (rows == 0)
                    continue;
                const std::uint64_t n = random() % rows;
                const trace::Row row = index.rows()[n];
                const measure::Message message = index.at(whole, row);
                wrong += row >= decided || message.frame.time != whole.time(row) ? 1U : 0U;
                if (wholes > 0) {
                    const std::uint64_t some = random() % wholes;
                    wrong += index.pieces(some).back() != index.wholeRow(some) ? 1U : 0U;
                }
                (void)index.newest();
                ++looked;
            }
        });
        for (trace::Row rows = 0; rows < whole.rows();) {
            rows = std::min<trace::Row>(whole.rows(), rows + 500);
            (void)index.advance(trace::Snapshot(log->trace, rows));
        }
        index.finish(whole);
        over = true;
        looker.join();
        QVERIFY(looked > 0);
        QCOMPARE(wrong, std::uint64_t{0});
    }

    // A signal of a message that is too long for a frame: the values of the whole messages, while the trace grows.
    void longSignalsAreCurves()
    {
        // Groups of one frame, and of twelve bytes announced to all by three addresses, one within the other.
        trace::Trace made;
        made.addBus({"a", {}});
        std::mt19937 random(11);
        Time now = std::chrono::seconds(1'800'000'000);
        const auto put = [&](std::uint32_t id, std::initializer_list<unsigned> bytes) {
            can::Frame frame;
            frame.id = {id, true};
            frame.time = now += std::chrono::microseconds(300);
            frame.length = frame.dlc = 8;
            std::copy(bytes.begin(), bytes.end(), frame.data.begin());
            made.append(frame.view());
        };
        for (unsigned round = 0; round < 4'000; ++round) {
            for (const unsigned from : {0x21U, 0x22U, 0x23U})
                put(0x1CECFF00 | from, {32, 12, 0, 2, 255, 0xF0, 0xFE, 0});
            for (unsigned piece = 1; piece <= 2; ++piece)
                for (const unsigned from : {0x21U, 0x22U, 0x23U}) {
                    put(0x1CEBFF00 | from, {piece, round & 255U, from, static_cast<unsigned>(random() & 255U),
                                               static_cast<unsigned>(random() & 255U), 5, 6, 7});
                    for (unsigned i = random() % 4; i > 0; --i)
                        put(0x18FE0021U + (random() % 200 << 8), {i, 1, 2, 3, 4, 5, 6, 7});
                }
        }
        std::vector<std::vector<protocol::Spoken>> speaks(made.buses().size());
        for (std::size_t bus = 0; bus < speaks.size(); ++bus)
            speaks[bus].push_back(*protocol::spokenFromText(made.buses()[bus].name + "=vehicle"));
        const trace::Snapshot whole = made.snapshot();
        const std::vector<Told> told = oneAfterTheOther(whole, speaks);
        // The group of which most messages came in pieces.
        std::map<std::pair<std::uint8_t, std::uint32_t>, std::vector<const Told*>> byGroup;
        for (const Told& one : told)
            if (!one.message.pieces.empty() && one.message.data.size() >= 12)
                byGroup[{one.message.frame.bus, can::ParameterGroup::of(one.message.frame.id).group}].push_back(&one);
        const auto most = std::max_element(
            byGroup.begin(), byGroup.end(), [](const auto& a, const auto& b) { return a.second.size() < b.second.size(); });
        QVERIFY(most != byGroup.end() && most->second.size() > 5);
        auto database = std::make_shared<database::Database>();
        database::Message message;
        message.name = "Long";
        message.id = most->second.front()->message.frame.id;
        message.length = 12;
        database::Signal signal;
        signal.name = "Behind";
        signal.startBit = 72;
        signal.length = 16;
        message.signals.push_back(signal);
        database->messages.push_back(message);
        auto catalog = std::make_shared<database::Catalog>();
        for (const trace::TraceBus& bus : made.buses())
            catalog->addBus(bus.name, database::Match::group);
        catalog->attach(most->first.first, database);
        std::vector<std::pair<Time, double>> wanted;
        for (const Told& one : told) {
            if (one.message.frame.bus != most->first.first || !one.message.head || one.message.head->kind == protocol::Kind::transport
                || one.message.data.size() < 11 || !one.message.frame.id.extended
                || can::ParameterGroup::of(one.message.frame.id).group != most->first.second)
                continue;
            wanted.emplace_back(one.message.frame.time, one.message.data[9] | one.message.data[10] << 8);
        }
        const database::CatalogMessage* known = catalog->find(most->first.first, message.id);
        QVERIFY(known != nullptr && wanted.size() >= most->second.size());
        const auto index = std::make_shared<measure::MessageIndex>(speaks);
        measure::SampleFeed feed(*catalog, {known, 0}, index);
        measure::Samples samples;
        for (trace::Row rows = 0; rows < whole.rows();) {
            rows = std::min<trace::Row>(whole.rows(), rows + 50'000);
            const trace::Snapshot some(made, rows);
            (void)index->advance(some);
            QVERIFY(feed.reach(some) <= rows);
            feed.take(some, rows, samples);
        }
        index->finish(whole);
        feed.take(whole, whole.rows(), samples);
        QCOMPARE(samples.size(), wanted.size());
        for (std::size_t i = 0; i < wanted.size(); ++i)
            QVERIFY(samples.times[i] == wanted[i].first && samples.values[i] == wanted[i].second);
    }

    // A filter sees all of a message, and what it remembers are messages.
    void throughAFilter_data()
    {
        QTest::addColumn<QString>("text");
        for (const char* text : {"length > 8", "byte 0 > 0x40", "gap > 20 ms", "byte 30 = 0x11 or length < 3", "every 3", "not length 8"})
            QTest::newRow(text) << QString::fromLatin1(text);
    }
    void throughAFilter()
    {
        QFETCH(QString, text);
        const auto log = loadFile(dataPath("vehicle.pcapng.gz").toStdString());
        QVERIFY(log->report.has_value());
        std::vector<std::vector<protocol::Spoken>> speaks(log->trace.buses().size());
        for (std::size_t bus = 0; bus < speaks.size(); ++bus)
            speaks[bus].push_back(*protocol::spokenFromText(log->trace.buses()[bus].name + "=vehicle"));
        const auto compiled = filter::Filter::compile(text.toStdString(), std::make_shared<const database::Catalog>());
        QVERIFY2(compiled.has_value(), compiled ? "" : compiled.error().text().c_str());
        const trace::Snapshot whole = log->trace.snapshot();
        filter::FilterStream stream(*compiled, whole.trace().origin());
        std::vector<trace::Row> wanted;
        for (const Told& one : oneAfterTheOther(whole, speaks)) {
            const protocol::MessageRow row = one.message.row();
            if (stream.passes(measure::viewOf(row), row.data.size() > can::maxLength ? &row.data : nullptr))
                wanted.push_back(one.row);
        }
        QVERIFY(!wanted.empty());
        measure::MessageIndex index(speaks, *compiled, whole.trace().origin());
        for (trace::Row rows = 0; rows < whole.rows();) {
            rows = std::min<trace::Row>(whole.rows(), rows + 7'777);
            (void)index.advance(trace::Snapshot(log->trace, rows));
        }
        index.finish(whole);
        QCOMPARE(index.rows().size(), std::uint64_t{wanted.size()});
        for (std::size_t n = 0; n < wanted.size(); ++n)
            QCOMPARE(index.rows()[n], wanted[n]);
    }
};

QTEST_GUILESS_MAIN(MessageIndexTest)
#include "message_index_test.moc"
