// SPDX-License-Identifier: GPL-3.0-or-later
// A document is read, measured and looked at by threads of their own.
#include <QTemporaryDir>
#include <QTest>

#include <atomic>
#include <random>
#include <thread>

#include "rig/run_document.h"
#include "formats/log_file.h"

using namespace wavetrope;
using namespace wavetrope::rig;

namespace {

constexpr int frames = 200'000;

}  // namespace

class DocumentTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    std::string path_;
    std::vector<std::int64_t> times_;
    rig::Rig rig_;

    // What the interface thread does between two pictures: takes over what was prepared, and looks at some of it.
    void look(RunDocument& document, std::mt19937& random)
    {
        document.adopt();
        if (!document.begun())
            return;
        const auto snapshot = document.trace().snapshot();
        const std::uint64_t measured = document.measures().read([](const measure::MeasureState& state) { return state.rows; });
        trace::TimeIndex order = document.measures().order();
        order.follow(snapshot);
        if (snapshot.rows() == 0)
            return;
        for (int i = 0; i < 16; ++i) {
            const trace::Row row = random() % snapshot.rows();
            QCOMPARE(snapshot.time(row).count(), times_[row]);
            const trace::Row found = order.newestAt(snapshot.time(row));
            QVERIFY(found < order.rows());
        }
        QVERIFY(measured <= document.trace().rows());
        QVERIFY(snapshot.latest() >= snapshot.earliest());
        QVERIFY(document.percentRead() <= 100);
        (void)document.problem();
    }

private Q_SLOTS:
    void initTestCase()
    {
        qputenv("XDG_STATE_HOME", folder_.path().toUtf8());
        qputenv("XDG_CONFIG_HOME", folder_.path().toUtf8());
        path_ = folder_.filePath("long.pcapng").toStdString();
        rig_ = *rig::loadRig(WAVETROPE_DEMO "/rig.json");
        const trace::TraceBus buses[] = {{"Chassis", {500'000, 0}}, {"Implement", {500'000, 2'000'000}}};
        auto file = formats::LogFile::create(path_, buses);
        QVERIFY(file.has_value());
        std::mt19937 random(1);
        for (int i = 0; i < frames; ++i) {
            can::Frame frame;
            frame.bus = static_cast<std::uint8_t>(i % 2);
            frame.id = {0x100 + static_cast<std::uint32_t>(random() % 40), false};
            // One stamp in a thousand runs backwards.
            times_.push_back(1'000'000'000'000 + std::int64_t{i} * 20'000 - (random() % 1000 == 0 ? 500'000 : 0));
            frame.time = Time(times_.back());
            frame.length = frame.dlc = 8;
            (*file)->write(frame.view());
        }
        QVERIFY((*file)->finish().has_value());
    }

    void aLogIsLookedAtWhileItIsReadAndMeasured()
    {
        auto document = RunDocument::log(path_, rig_);
        std::mt19937 random(2);
        while (!document->ready())
            look(*document, random);
        look(*document, random);
        QVERIFY(document->problem().empty());
        QCOMPARE(document->trace().rows(), std::uint64_t{frames});
        QVERIFY(document->measures().read([](const measure::MeasureState& state) { return state.rows == frames; }));
        // Made beside measuring: no look has to put anything in order.
        const trace::TimeIndex order = document->measures().order();
        QCOMPARE(order.rows(), std::uint64_t{frames});
        QVERIFY(order.strays() > 0 && order.strays() < frames / 20);
        std::vector<std::int64_t> sorted = times_;
        std::sort(sorted.begin(), sorted.end());
        const auto snapshot = document->trace().snapshot();
        for (std::size_t i = 0; i < sorted.size(); i += 97)
            QCOMPARE(snapshot.time(order.rowAt(i)).count(), sorted[i]);
    }

    void readingIsCancelledAndLeftAtAnyTime()
    {
        std::mt19937 random(3);
        for (int round = 0; round < 12; ++round) {
            auto document = RunDocument::log(path_, rig_);
            const std::uint64_t until = random() % frames;
            while (!document->ready() && document->trace().rows() < until)
                look(*document, random);
            if (round % 2 == 0) {
                document->cancelReading();
                while (!document->ready())
                    look(*document, random);
                QVERIFY(document->trace().rows() > 0 || until == 0 || document->problem().find("cancelled") != std::string::npos);
            }
            // Else its end finds it reading.
        }
    }

    void aLogThatGrowsIsReadOn()
    {
        const std::string growing = folder_.filePath("growing.pcapng").toStdString();
        QFile whole(QString::fromStdString(path_));
        QVERIFY(whole.open(QIODevice::ReadOnly));
        const QByteArray bytes = whole.readAll();
        QFile target(QString::fromStdString(growing));
        QVERIFY(target.open(QIODevice::WriteOnly));
        target.write(bytes.left(bytes.size() / 2));
        target.flush();
        auto document = RunDocument::log(growing, rig_, {}, true);
        std::mt19937 random(4);
        while (!document->ready())
            look(*document, random);
        const std::uint64_t half = document->trace().rows();
        QVERIFY(half > 0 && half < frames);
        target.write(bytes.mid(bytes.size() / 2));
        target.flush();
        while (document->trace().rows() < frames)
            look(*document, random);
        QVERIFY(document->follows());
    }

    void aRunTakesRequestsOfSeveralThreads()
    {
        auto document = RunDocument::live(rig_, 20.0);
        QVERIFY(document.has_value());
        rig::Session& session = *(*document)->session();
        std::atomic<int> done{0};
        std::atomic<bool> enough{false};
        std::vector<std::thread> others;
        for (int t = 0; t < 2; ++t)
            others.emplace_back([&, t] {
                while (!enough) {
                    session.call([&](rig::Session& s) { s.all<drive::Node>()[static_cast<std::size_t>(t)]->setOn(done % 2 == 0); });
                    session.post([&](rig::Session&) { ++done; });
                    (void)session.nodeReports();
                    (void)session.playbackReport();
                    (void)session.health();
                    (void)session.keeping();
                }
            });
        std::atomic<bool> loaded{false};
        bool found = true;
        session.readForPlayback({{path_, Time{0}, false, {}}}, [&](Expected<formats::ReadReport> report) { loaded = report.has_value(); });
        while ((*document)->trace().rows() < 4000 || done < 200 || !loaded) {
            const auto snapshot = (*document)->trace().snapshot();
            (*document)->measures().read([](const measure::MeasureState& state) { return state.events.events().size(); });
            const trace::TimeIndex order = (*document)->measures().order();
            found = found && (order.rows() == 0 || snapshot.rows() == 0 || order.newestAt(snapshot.latest()) != trace::noRow);
        }
        enough = true;
        for (std::thread& other : others)
            other.join();
        session.stop();
        QVERIFY(found);
        QVERIFY(session.playbackReport().loaded);
        QVERIFY((*document)->trace().monotone());
    }
};

QTEST_GUILESS_MAIN(DocumentTest)
#include "document_test.moc"
