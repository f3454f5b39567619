// SPDX-License-Identifier: GPL-3.0-or-later
// The rig document and the run that it describes: nodes, story, replay.
#include <QTemporaryDir>
#include <QTest>

#include <atomic>
#include <cmath>
#include <fstream>
#include <map>
#include <set>
#include <thread>

#include "formula/formula.h"
#include "filter/filter_stream.h"
#include "formats/trace_sink.h"
#include "measure/load_bins.h"
#include "drive/member.h"
#include "rig/session.h"
#include "sanitized.h"

using namespace wavetrope;
using namespace wavetrope::rig;

namespace {

const std::string demoRig = WAVETROPE_DEMO "/rig.json";
const std::string lapRig = WAVETROPE_DEMO "/lap.json";

std::unique_ptr<Session> open(const std::string& path, const SessionOptions& options = {})
{
    const auto rig = loadRig(path);
    if (!rig)
        qFatal("%s", rig.error().text().c_str());
    auto session = Session::create(*rig, loadDatabases(*rig), options);
    if (!session)
        qFatal("%s", session.error().text().c_str());
    return std::move(*session);
}

std::string bytesOfFile(const std::string& path)
{
    std::ifstream file(path, std::ios::binary);
    return {std::istreambuf_iterator<char>(file), {}};
}

bool entered(Session& session, const char* node, const char* state)
{
    for (const drive::Node* each : session.all<drive::Node>())
        if (each->name() == node)
            return std::any_of(
                each->states().begin(), each->states().end(), [&](const drive::StateChange& change) { return change.state == state; });
    return false;
}

// The value of a signal in its newest frame.
double newest(Session& session, const char* name)
{
    const auto refs = session.catalog()->findSignals(name);
    const auto snapshot = session.trace().snapshot();
    const auto identifier = snapshot.trace().find({refs.at(0).message->bus, false, refs.at(0).message->message->id});
    database::Decoded decoded;
    if (!identifier
        || !refs[0].message->plan.decodeOne(snapshot.frame(snapshot.previousOf(*identifier, trace::noRow)), refs[0].index, decoded))
        qFatal("no value of %s", name);
    return decoded.value;
}

// A wall clock that only goes on when somebody waits.
struct WaitingClock : clock::WallClock {
    Time at{0};
    Time now() override { return at; }
    void waitFor(Time span) override { at += span; }
};

const std::string& recordedLap()
{
    static QTemporaryDir folder;
    static const std::string path = [] {
        const std::string file = folder.filePath("lap.pcapng").toStdString();
        SessionOptions options;
        options.measured = false;
        auto session = open(lapRig, options);
        if (!session->record(file))
            qFatal("cannot record");
        session->runFor(std::chrono::seconds(60), nullptr);
        if (!session->finishRecording())
            qFatal("cannot finish");
        return file;
    }();
    return path;
}

std::vector<drive::Route> onlyWaterUnit() { return {{1, 1, drive::Senders::only, {"WaterUnit"}}}; }

}  // namespace

class RigTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void filtersAreKeptInTheDocument()
    {
        const auto rig = rigFromText(R"({"wavetrope": 1, "name": "x", "filters": [{"name": "a", "expression": "id 0x1"}]})", "rig.json");
        QVERIFY(rig.has_value());
        Rig changed = *rig;
        changed.keepFilter("deep cut", "@a or id 0x2");
        changed.keepFilter("a", "id 0x3");
        QCOMPARE(changed.namedFilters().size(), std::size_t{2});
        QCOMPARE(QByteArray::fromStdString(changed.namedFilters().at("a")), QByteArray("id 0x3"));
        const auto again = rigFromText(changed.document.dump(), "rig.json");
        QVERIFY2(again.has_value(), again ? "" : again.error().text().c_str());
        QVERIFY(again->namedFilters() == changed.namedFilters());
        changed.keepFilter("a", "");
        QVERIFY(!changed.namedFilters().contains("a"));
        QCOMPARE(changed.document["filters"].size(), std::size_t{1});
    }

    void eventsUseTheFiltersOfTheRig()
    {
        const auto text = [](const char* when) {
            return std::string(
                       R"({"wavetrope": 1, "name": "x", "buses": [{"name": "Main", "rate": "500k"}], "filters": [{"name": "beat", "expression": "id 0x100"}],
                "nodes": [{"name": "A", "buses": ["Main"], "sends": [{"id": "0x100", "length": 1, "every": "10 ms"}]}], "events": [{"name": "seen", "when": ")")
                   + when + "\"}]}";
        };
        const auto rig = rigFromText(text("@beat and byte 0 = 0"), "rig.json");
        QVERIFY2(rig.has_value(), rig ? "" : rig.error().text().c_str());
        auto session = Session::create(*rig, loadDatabases(*rig));
        QVERIFY2(session.has_value(), session ? "" : session.error().text().c_str());
        (*session)->runFor(std::chrono::milliseconds(100), nullptr);
        QCOMPARE((*session)->measures().read([](const measure::MeasureState& s) { return s.events.events().size(); }), std::size_t{1});
        const auto wrong = rigFromText(text("@bat"), "rig.json");
        const auto refused = Session::create(*wrong, loadDatabases(*wrong));
        QVERIFY(!refused && refused.error().text().find("there is no filter 'bat'") != std::string::npos);
    }

    void reportsComeBackAsTheyWere()
    {
        const std::string text =
            R"({"wavetrope": 1, "name": "R", "buses": [], "reports": [{"name": "Day", "title": "The day", "later": 7, "parts": [
            {"heading": "First", "note": [1, 2]}, {"text": ""},
            {"view": "lanes", "set-up": {"lanes": [["A:B.C"]]}, "from": "44 s", "to": "50.5 s", "a": "46.9 s", "width": 500, "kept": true},
            {"view": "load", "page": "Analyse", "title": "Load"}]}, {"name": "Night"}]})";
        auto rig = rigFromText(text, "r.json");
        QVERIFY2(rig, rig ? "" : rig.error().text().c_str());
        QCOMPARE(rig->reports.size(), std::size_t{2});
        const ReportSpec& day = rig->reports[0];
        QVERIFY(day.title == "The day" && day.parts.size() == 4 && day.parts[0].words == "First");
        QVERIFY(day.parts[2].from == std::chrono::seconds(44) && day.parts[2].to == std::chrono::milliseconds(50'500) && !day.parts[2].b);
        QVERIFY(day.parts[2].width == 500 && day.parts[2].height == ReportPart::usualHeight && day.parts[3].page == "Analyse");
        // Written as they were, with what is not understood; a report without parts has the list of them.
        nlohmann::json expected = nlohmann::json::parse(text)["reports"];
        expected[1]["parts"] = nlohmann::json::array();
        QVERIFY(toJson(rig->reports) == expected);
        // Changed, read again.
        std::vector<ReportSpec> next = rig->reports;
        next[0].parts.erase(next[0].parts.begin());
        next[0].parts[1].b = std::chrono::milliseconds(48'100);
        rig->setReports(next);
        QVERIFY(rig->changed());
        const auto again = rigFromText(rig->document.dump(), "r.json");
        QVERIFY(again && again->reports[0].parts.size() == 3 && again->reports[0].parts[1].b == std::chrono::milliseconds(48'100));
        QVERIFY(again->document["reports"][0]["parts"][1]["kept"] == true);
        rig->setReports({});
        QVERIFY(!rig->document.contains("reports"));
        const std::pair<const char*, const char*> mistakes[] = {{R"([{"title": "x"}])", "name"},
            {R"([{"name": "a"}, {"name": "a"}])", "twice"}, {R"([{"name": "a", "parts": [{}]}])", "/reports/0/parts/0"},
            {R"([{"name": "a", "parts": [{"view": ""}]}])", "view"},
            {R"([{"name": "a", "parts": [{"view": "lanes", "from": "5 s", "to": "4 s"}]}])", "to"},
            {R"([{"name": "a", "parts": [{"view": "lanes", "width": 3}]}])", "width"},
            {R"([{"name": "a", "parts": [{"view": "lanes", "height": 99999}]}])", "height"},
            {R"([{"name": "a", "parts": [{"view": "lanes", "a": "soon"}]}])", "/a"}, {R"([{"name": "a", "parts": 3}])", "parts"}};
        for (const auto& [wrong, place] : mistakes) {
            const auto refused = rigFromText(
                std::string(R"({"wavetrope": 1, "name": "R", "buses": [], "reports": )") + wrong + "}", "r.json");
            QVERIFY2(!refused && refused.error().text().find(place) != std::string::npos, wrong);
        }
    }

    void expressionsOfNodesAreWorkedOut_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<double>("value");
        const auto row = [](const char* text, double value) { QTest::newRow(text) << QString::fromLatin1(text) << value; };
        row("1 + 2 * 3", 7);
        row("(1 + 2) * 3", 9);
        row("-2 - -3", 1);
        row("7 % 4", 3);
        row("-1 % 4", -1);
        row("if(1 / 0 = 0, 1, 2)", 2);
        row("round(-2.5)", -3);
        row("3 > 2 and not 1 = 2", 1);
        row("0 or 2 < 1", 0);
        row("min(3, 2) + max(1, 5)", 7);
        row("clamp(12, 0, 10)", 10);
        row("if(x > 1, 10, 20)", 10);
        row("ramp(5, 0, 10)", 0.5);
        row("ramp(20, 0, 10)", 1);
        row("between(3, 3, 4) + between(4, 3, 4)", 1);
        row("abs(-2.5) + floor(1.9) + round(1.5)", 5.5);
        row("x * x", 9);
    }
    void expressionsOfNodesAreWorkedOut()
    {
        QFETCH(QString, text);
        QFETCH(double, value);
        const auto formula = formula::Formula::compile(
            text.toStdString(), formula::Use::node, [](std::string_view name) -> Expected<std::uint32_t> {
                if (name == "x")
                    return 0U;
                return fail("unknown");
            });
        QVERIFY2(formula.has_value(), formula ? "" : formula.error().text().c_str());
        formula::Random random(1);
        QCOMPARE(formula->evaluate({3.0}, random), value);
    }

    void aMistypedExpressionSaysWhere()
    {
        const auto resolve = [](std::string_view) -> Expected<std::uint32_t> { return fail("unknown"); };
        const auto compile = [&](std::string_view text) { return formula::Formula::compile(text, formula::Use::node, resolve); };
        QCOMPARE(compile("1 + + 2").error().column, 5);
        QCOMPARE(compile("2 * Speed").error().column, 5);
        QVERIFY(!compile("min(1)"));
        QVERIFY(!compile(std::string(3000, '(')));
        QVERIFY(!compile(""));
        QVERIFY(compile("mean(1, 2 s)").error().what.find("derived signals") != std::string::npos);
    }

    void brokenRigsAreRefusedWithTheirPlace_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("words");
        const auto row = [](const char* text, const char* words) {
            QTest::newRow(words) << QString::fromLatin1(text) << QString::fromLatin1(words);
        };
        row("{\n \"wavetrope\": 1,\n oops }", "rig.json:3:2");
        row("[]", "expected an object");
        row("{}", "/wavetrope");
        row(R"({"wavetrope": 9})", "version 9");
        row(R"({"wavetrope": 1, "buses": {}})", "/buses");
        row(R"({"wavetrope": 1, "buses": [{"name": "A", "rate": "fast"}]})", "/buses/0/rate");
        row(R"({"wavetrope": 1, "buses": [{"name": "A", "rate": "500k"}, {"name": "A", "rate": "500k"}]})", "two buses");
        row(R"({"wavetrope": 1, "nodes": [{"name": "N", "sends": [{"message": "M", "every": "soon"}]}]})", "/nodes/0/sends/0/every");
        row(R"({"wavetrope": 1, "nodes": [{"name": "N", "sends": [{"message": "M", "every": "1 ns"}]}]})", "20 us or more");
        row(R"({"wavetrope": 1, "nodes": [{"name": "N", "values": [{"v": {"wave": 1}}]}]})", "unknown source 'wave'");
        row(R"({"wavetrope": 1, "begins": "yesterday"})", "/begins");
        row(R"({"wavetrope": 1, "like": "../../etc/passwd"})", "/like");
        row(R"({"wavetrope": 1, "like": "missing.json"})", "cannot be read");
    }
    void brokenRigsAreRefusedWithTheirPlace()
    {
        QFETCH(QString, text);
        QFETCH(QString, words);
        const auto rig = rigFromText(text.toStdString(), "/nowhere/rig.json");
        QVERIFY(!rig);
        QVERIFY2(QString::fromStdString(rig.error().text()).contains(words), rig.error().text().c_str());
    }

    void nestingThatWouldExhaustTheStackIsRefused()
    {
        QVERIFY(!rigFromText(std::string(200000, '['), "x"));
        QVERIFY(!loadRig("/"));
        QVERIFY(!loadRig("/nonexistent.json"));
    }

    void unknownFieldsOfADocumentAreKept()
    {
        QTemporaryDir folder;
        const std::string path = folder.filePath("rig.json").toStdString();
        auto rig = rigFromText(
            R"({"wavetrope": 1, "name": "x", "colour of the shed": "green", "pages": [{"name": "p", "odd": [1, 2]}]})", path);
        QVERIFY(rig.has_value());
        QVERIFY(saveRig(*rig, path).has_value());
        QVERIFY(!QFile::exists(QString::fromStdString(path + ".part")));
        const auto again = loadRig(path);
        QVERIFY(again->document == rig->document);
    }

    void aNodeThatNamesWhatIsNotThereIsRefused()
    {
        auto rig = loadRig(demoRig);
        rig->nodes[0].sends[0].message = "NoSuchMessage";
        const auto session = Session::create(*rig, loadDatabases(*rig));
        QVERIFY(!session);
        QVERIFY(session.error().text().find("node Traction") != std::string::npos);
        SessionOptions options;
        options.without = {"Nobody"};
        const auto good = loadRig(demoRig);
        QVERIFY(!Session::create(*good, loadDatabases(*good), options));
    }

    void sameRigAndSeedGiveTheSameBytesPacedOrNot()
    {
        QTemporaryDir folder;
        std::vector<std::string> files;
        const auto record = [&](const char* name, clock::WallClock* wall, std::optional<std::uint64_t> seed) {
            const std::string path = folder.filePath(name).toStdString();
            SessionOptions options;
            options.seed = seed;
            auto session = open(demoRig, options);
            QVERIFY(session->record(path).has_value());
            session->runFor(std::chrono::seconds(3), wall);
            QVERIFY(session->finishRecording().has_value());
            files.push_back(bytesOfFile(path));
        };
        WaitingClock wall;
        record("one.pcapng", nullptr, {});
        record("two.pcapng", nullptr, {});
        record("paced.pcapng", &wall, {});
        record("other.pcapng", nullptr, 99);
        QVERIFY(files[0].size() > 500'000);
        QVERIFY(files[0] == files[1]);
        QVERIFY(files[0] == files[2]);
        QVERIFY(files[0] != files[3]);
    }

    // Each with a filter of its own, begun in the middle of a run: what it asks of frames from before is known to it.
    void recordingsGoOnSideBySide()
    {
        QTemporaryDir folder;
        auto session = open(demoRig);
        session->runFor(std::chrono::seconds(2), nullptr);
        const std::vector<std::pair<std::string, std::string>> wanted{{"all.pcapng", ""}, {"water.pcapng", "from WaterUnit"},
            {"changes.pcapng", "Echo00 changes"}, {"tenth.pcapng", "bus Body every 10"}};
        const trace::Row from = session->trace().rows();
        for (const auto& [name, filter] : wanted)
            QVERIFY2(session->record(folder.filePath(QString::fromStdString(name)).toStdString(), filter).has_value(), filter.c_str());
        const auto again = session->record(folder.filePath("all.pcapng").toStdString());
        QVERIFY(!again && again.error().what.find("goes on") != std::string::npos);
        session->runFor(std::chrono::seconds(1), nullptr);
        QCOMPARE(session->recordings().size(), wanted.size());
        QVERIFY(session->recording().on && session->recording().frames == session->trace().rows() - from);
        // One ends, the others go on.
        const trace::Row first = session->trace().rows();
        QVERIFY(session->finishRecording(folder.filePath("all.pcapng").toStdString()).has_value());
        session->runFor(std::chrono::seconds(1), nullptr);
        QCOMPARE(session->recordings().size(), wanted.size() - 1);
        QVERIFY(session->finishRecording().has_value());
        session->runFor(std::chrono::milliseconds(100), nullptr);
        QVERIFY(!session->recording().on && session->recordings().empty());
        const trace::Snapshot snapshot(session->trace(), session->trace().rows());
        const trace::Row last = [&] {
            trace::Row row = 0;
            while (row < snapshot.rows() && snapshot.time(row) <= session->begins() + std::chrono::seconds(4))
                ++row;
            return row;
        }();
        for (const auto& [name, filter] : wanted) {
            trace::Trace recorded;
            formats::TraceSink sink(recorded);
            QVERIFY(formats::readLogFile(folder.filePath(QString::fromStdString(name)).toStdString(), sink).has_value());
            const auto compiled = filter::Filter::compile(filter, session->catalog());
            QVERIFY(compiled.has_value());
            filter::FilterStream stream(*compiled, session->begins());
            const trace::Row until = name == "all.pcapng" ? first : last;
            trace::Row at = 0;
            for (trace::Row row = 0; row < until; ++row)
                if (stream.passes(snapshot.frame(row)) && row >= from) {
                    QVERIFY2(at < recorded.rows(), name.c_str());
                    QCOMPARE(recorded.snapshot().time(at), snapshot.time(row));
                    QVERIFY(recorded.snapshot().frame(at).id == snapshot.frame(row).id);
                    ++at;
                }
            QCOMPARE(at, recorded.rows());
            QVERIFY2(at > 5, name.c_str());
        }
    }

    void theStoryHappensAtItsTimes()
    {
        if (test::sanitized)
            QSKIP("takes long; the replay goes the same ways");
        auto session = open(demoRig);
        session->runFor(std::chrono::seconds(88), nullptr);
        std::map<std::string, double> at;
        std::vector<double> bursts;
        session->measures().read([&](const measure::MeasureState& state) {
            for (const measure::Event& event : state.events.events()) {
                const double seconds = static_cast<double>((event.time - session->begins()).count()) * 1e-9;
                if (event.kind == measure::EventKind::burst)
                    bursts.push_back(seconds);
                else
                    at.try_emplace(event.text, seconds);
            }
            return 0;
        });
        QVERIFY(std::abs(at.at("rut") - 31) < 0.1);
        QVERIFY(std::abs(at.at("chatter") - 47.1) < 0.1);
        QVERIFY(std::abs(at.at("SeatAndPedals missed 3 beats") - 74) < 0.1);
        QVERIFY(std::abs(at.at("flow low") - 80.1) < 0.3);      // a hold time counts from its beginning
        QCOMPARE(bursts.size(), 3U);
        QVERIFY(std::abs(bursts[0] - 60) < 0.03 && bursts[1] - bursts[0] > 1 && bursts[2] - bursts[1] > 1);
        QVERIFY(entered(*session, "Display", "warning lit"));
        for (const bus::Health& health : session->health())
            QCOMPARE(health.lost, 0U);
        // Blade depth answers the rut 120 ms later.
        const auto refs = session->catalog()->findSignals("BladeState.BladeDepth");
        const auto identifier = session->trace().find({1, false, {0x181, false}});
        double answered = 0;
        session->trace().snapshot().eachOf(*identifier, 0, [&](trace::Row, const can::FrameView& frame) {
            database::Decoded decoded;
            const double seconds = static_cast<double>((frame.time - session->begins()).count()) * 1e-9;
            if (seconds > 30 && refs[0].message->plan.decodeOne(frame, refs[0].index, decoded) && decoded.value > 4.5) {
                answered = seconds;
                return false;
            }
            return true;
        });
        QVERIFY2(answered > 31.09 && answered < 31.17, std::to_string(answered).c_str());
    }

    void theLoadOfImplementBurstsOverShortSpansOnly()
    {
        if (test::sanitized)
            QSKIP("takes long; the replay goes the same ways");
        SessionOptions options;
        options.measured = false;
        auto session = open(demoRig, options);
        session->runFor(std::chrono::seconds(64), nullptr);
        const Time begins = session->begins();
        measure::LoadBins fast({250'000, 0}, std::chrono::milliseconds(20));
        measure::LoadBins slow({250'000, 0}, std::chrono::seconds(1));
        const auto snapshot = session->trace().snapshot();
        for (trace::Row row = 0; row < snapshot.rows(); ++row) {
            const can::FrameView frame = snapshot.frame(row);
            if (frame.bus == 1) {
                fast.add(frame);
                slow.add(frame);
            }
        }
        double highFast = 0;
        double highSlow = 0;
        for (Time t = begins + std::chrono::seconds(58); t < begins + std::chrono::seconds(64); t += std::chrono::milliseconds(20)) {
            highFast = std::max(highFast, fast.bin(fast.indexOf(t)).busy / 2e5);
            highSlow = std::max(highSlow, slow.bin(slow.indexOf(t)).busy / 1e7);
        }
        QVERIFY(highFast >= 85);
        QVERIFY(highSlow <= 45);
    }

    void aReplayMakesTheDisplayReactAsToTheRealThing_data()
    {
        QTest::addColumn<double>("speed");
        if (!test::sanitized)   // the same at length
            QTest::newRow("recorded pace") << 1.0;
        QTest::newRow("ten times") << 10.0;
    }
    void aReplayMakesTheDisplayReactAsToTheRealThing()
    {
        QFETCH(double, speed);
        SessionOptions options;
        options.without = {"WaterUnit"};
        options.measured = false;
        auto session = open(demoRig, options);
        QVERIFY(session->loadPlayback(recordedLap()).has_value());
        session->playback().route(onlyWaterUnit());
        QVERIFY(session->playback().chosen() > 3000);
        QVERIFY(session->collisions().empty());
        session->playback().setPace({speed});
        session->playback().play();
        session->runFor(Time(static_cast<std::int64_t>(43e9 / speed)), nullptr);
        // The recorded flow was too low from second 40 on; the live rig's would be good until second 80.
        if (speed == 1.0) {
            QVERIFY(entered(*session, "Display", "warning lit"));
            QVERIFY(entered(*session, "VehicleController", "limited: water flow low"));
            QCOMPARE(newest(*session, "DisplayWarnings.WaterFlowLow"), 1.0);
        }
        // What Display shows is the recording's tank (430 l at the start), not the live rig's (500 l).
        const double shown = newest(*session, "ShownTankLevel");
        QVERIFY2(std::abs(shown - (430 - 1.22 * (43 - 9))) < 1.0, std::to_string(shown).c_str());
        session->playback().setPace({0});
        session->runFor(std::chrono::seconds(20), nullptr);
        QVERIFY(session->playback().finished());
        QCOMPARE(session->playback().sent(), session->playback().chosen());

        options.without.clear();
        auto without = open(demoRig, options);
        without->runFor(std::chrono::seconds(43), nullptr);
        QVERIFY(!entered(*without, "Display", "warning lit"));
        QVERIFY(std::abs(newest(*without, "ShownTankLevel") - shown) > 20);
    }

    void replayedFramesCarryTheTimeOfTheRunAndAreMarkedSent()
    {
        SessionOptions options;
        options.without = {"WaterUnit"};
        auto session = open(demoRig, options);
        QVERIFY(session->loadPlayback(recordedLap()).has_value());
        session->playback().route(onlyWaterUnit());
        session->runFor(std::chrono::seconds(5), nullptr);
        session->playback().play();
        session->runFor(std::chrono::seconds(5), nullptr);
        const auto identifier = session->trace().find({1, false, {0x182, false}});
        QVERIFY(identifier.has_value());
        const auto snapshot = session->trace().snapshot();
        QVERIFY(snapshot.time(snapshot.nextOf(*identifier, 0)) > session->begins() + std::chrono::seconds(5));
        std::uint64_t count = 0;
        snapshot.eachOf(*identifier, 0, [&](trace::Row, const can::FrameView& frame) {
            count += frame.direction == can::Direction::sent ? 1 : 0;
            return true;
        });
        QVERIFY(count >= 98 && count == snapshot.countOf(*identifier));
    }

    void singleStepsSendOneFrameEach()
    {
        SessionOptions options;
        options.without = {"WaterUnit"};
        auto session = open(demoRig, options);
        QVERIFY(session->loadPlayback(recordedLap()).has_value());
        session->playback().route(onlyWaterUnit());
        for (std::uint64_t i = 1; i <= 5; ++i) {
            session->playback().step(1);
            session->runFor(std::chrono::milliseconds(20), nullptr);
            QCOMPARE(session->playback().sent(), i);
            QVERIFY(!session->playback().playing());
        }
    }

    void rangeLoopAndSeekKeepToTheirStretch()
    {
        SessionOptions options;
        options.without = {"WaterUnit"};
        auto session = open(demoRig, options);
        QVERIFY(session->loadPlayback(recordedLap()).has_value());
        auto& playback = session->playback();
        playback.route(onlyWaterUnit());
        const Time start = playback.logStart();
        playback.setRange(start + std::chrono::seconds(10), start + std::chrono::seconds(11));
        playback.play();
        session->runFor(std::chrono::seconds(3), nullptr);
        QVERIFY(!playback.playing());
        const auto once = playback.sent();
        QVERIFY(once > 60 && once < 90);
        playback.setLoop(true);
        playback.play();
        session->runFor(std::chrono::milliseconds(2950), nullptr);
        QVERIFY(playback.playing());
        QVERIFY(playback.sent() > once * 3);
        playback.seek(start + std::chrono::milliseconds(10'500));
        QCOMPARE(playback.position(), start + std::chrono::milliseconds(10'500));
    }

    void aCollisionIsNamedBeforeTheFirstFrame()
    {
        auto session = open(demoRig);
        QVERIFY(session->loadPlayback(recordedLap()).has_value());
        session->playback().route(onlyWaterUnit());
        const auto collisions = session->collisions();
        QCOMPARE(collisions.size(), 4U);
        QCOMPARE(collisions[0].node, std::string("WaterUnit"));
        QVERIFY(collisions[0].words(*session->catalog()).find("Implement is also sent by WaterUnit") != std::string::npos);
        session->actor("WaterUnit")->setOn(false);
        QVERIFY(session->collisions().empty());
    }

    // Nodes and playback by one face; reports change when something did.
    void whoActsIsListedAndTellsHowItIs()
    {
        auto session = open(demoRig);
        // With playback, the outbox, a dialogue, questions and faults.
        QCOMPARE(session->actors().size(), session->all<drive::Node>().size() + session->all<drive::Member>().size() + 5);
        QCOMPARE(session->all<drive::Member>().size(), std::size_t{7});
        QCOMPARE(session->actor("playback"), static_cast<drive::Actor*>(&session->playback()));
        QVERIFY(session->actor("nobody") == nullptr);
        QVERIFY(session->loadPlayback(recordedLap()).has_value());
        session->playback().route(onlyWaterUnit());
        session->call([](Session&) {});
        const auto reportOf = [&](std::string_view name) {
            for (const drive::ActorReport& report : session->reports())
                if (report.name == name)
                    return report;
            return drive::ActorReport{};
        };
        QCOMPARE(reportOf("playback").as<drive::PlaybackFacts>()->sent, 0U);
        QVERIFY(reportOf("playback").as<drive::NodeFacts>() == nullptr);
        QVERIFY(reportOf("playback").buses == std::vector<std::uint8_t>{1});
        QVERIFY(reportOf("WaterUnit").on && reportOf("WaterUnit").as<drive::NodeFacts>() != nullptr);
        QCOMPARE(session->playbackReport().collisions.size(), 4U);
        // What playback sends is what its frames are.
        std::set<std::uint32_t> chosen;
        for (const drive::SentIdentifier& sent : session->playback().sends()) {
            QCOMPARE(unsigned{sent.bus}, 1U);
            QVERIFY(chosen.insert(sent.id.key()).second);
        }
        QCOMPARE(chosen.size(), std::size_t{5});  // and what it answers to who reads its objects
        session->call([](Session& s) {
            s.actor("WaterUnit")->setOn(false);
            s.playback().play();
        });
        const std::uint64_t before = session->actor("playback")->changes();
        session->runFor(std::chrono::seconds(2), nullptr);
        QVERIFY(session->actor("playback")->changes() != before);
        QVERIFY(!reportOf("WaterUnit").on);
        QVERIFY(session->playbackReport().collisions.empty());
        QVERIFY(reportOf("playback").as<drive::PlaybackFacts>()->sent > 50);
        // Off, it rests, and does not begin again before it is on.
        session->call([](Session& s) {
            s.actor("playback")->setOn(false);
            s.playback().play();
        });
        const auto sent = session->playback().sent();
        session->runFor(std::chrono::seconds(1), nullptr);
        QCOMPARE(session->playback().sent(), sent);
        QVERIFY(!reportOf("playback").on && !reportOf("playback").as<drive::PlaybackFacts>()->playing);
        session->call([](Session& s) {
            s.actor("playback")->setOn(true);
            s.playback().play();
        });
        session->runFor(std::chrono::seconds(1), nullptr);
        QVERIFY(session->playback().sent() > sent);
    }

    void aNodeTakenOutFallsSilentAndComesBack()
    {
        auto session = open(demoRig);
        session->runFor(std::chrono::seconds(2), nullptr);
        const auto identifier = session->trace().find({1, false, {0x182, false}});
        session->actor("WaterUnit")->setOn(false);
        const auto before = session->trace().snapshot().countOf(*identifier);
        session->runFor(std::chrono::seconds(2), nullptr);
        QVERIFY(session->trace().snapshot().countOf(*identifier) <= before + 1);
        session->actor("WaterUnit")->setOn(true);
        session->runFor(std::chrono::seconds(2), nullptr);
        const auto after = session->trace().snapshot().countOf(*identifier);
        QVERIFY(after >= before + 38 && after <= before + 42);
    }

    void requestsAreCarriedOutByOneThreadAtATime()
    {
        // Several threads ask, while the run is started and stopped beside them: no two requests overlap, none is lost, and
        // one that asks again from within is answered.
        auto session = open(demoRig);
        clock::SteadyClock wall;
        std::atomic<int> within{0};
        std::atomic<bool> overlapped{false};
        std::atomic<int> done{0};
        const auto request = [&](Session& s) {
            if (within.fetch_add(1) != 0)
                overlapped = true;
            std::this_thread::yield();
            s.call([&](Session&) { ++done; });
            within.fetch_sub(1);
        };
        std::vector<std::thread> askers;
        for (int i = 0; i < 3; ++i)
            askers.emplace_back([&, i] {
                for (int n = 0; n < 200; ++n)
                    if (i == 0)
                        session->call(request);
                    else
                        session->post(request);
            });
        for (int i = 0; i < 20; ++i) {
            session->start(wall, 20);
            std::this_thread::yield();
            session->stop();
        }
        for (std::thread& asker : askers)
            asker.join();
        session->stop();
        QVERIFY(!overlapped);
        QCOMPARE(done.load(), 600);
    }

    void theRunGoesOnWhileOthersAskAndPost()
    {
        auto session = open(demoRig);
        clock::SteadyClock wall;
        session->start(wall, 20);
        bool off = false;
        session->call([&](Session& s) {
            s.actor("Cab")->setOn(false);
            off = true;
        });
        QVERIFY(off);
        QTRY_VERIFY(session->now() > session->begins() + std::chrono::seconds(2));
        for (const NodeReport& report : session->nodeReports())
            QCOMPARE(report.on, report.name != "Cab");
        session->stop();
        const auto rows = session->trace().rows();
        QVERIFY(rows > 5000);
        QVERIFY(!session->running());
        QCOMPARE(session->trace().rows(), rows);
    }
};

QTEST_GUILESS_MAIN(RigTest)
#include "rig_test.moc"
