// SPDX-License-Identifier: GPL-3.0-or-later
// Dialogues: both partners simulated, either one played back, each limit broken on purpose, and the same machines over a log.
#include <QTemporaryDir>
#include <QTest>

#include <nlohmann/json.hpp>

#include <random>

#include "command_line.h"
#include "drive/dialogue.h"
#include "drive/manipulation.h"
#include "formats/log_loading.h"
#include "rig/manipulations.h"
#include "rig/places.h"
#include "rig/session.h"

using namespace wavetrope;
using namespace wavetrope::drive;
using namespace wavetrope::rig;
using namespace std::chrono_literals;
using What = DialogueEvent::What;

namespace {

// The demo's dialogue on its bus alone, begun at 1 s.
Rig docking(const std::function<void(nlohmann::json&)>& change = {})
{
    QFile file(WAVETROPE_DEMO "/rig.json");
    if (!file.open(QIODevice::ReadOnly))
        qFatal("no demo");
    const nlohmann::json demo = nlohmann::json::parse(file.readAll().toStdString());
    nlohmann::json rig;
    for (const char* key : {"wavetrope", "name", "seed", "begins", "dialogues"})
        rig[key] = demo[key];
    rig["buses"] = nlohmann::json::array({demo["buses"][1]});
    rig["nodes"] = nlohmann::json::array();
    for (const auto& node : demo["nodes"])
        if (node["name"] == "WaterUnit" || node["name"] == "FillingPost")
            rig["nodes"].push_back(node);
    rig["dialogues"][0]["begins"] = "t > 1";
    if (change)
        change(rig);
    auto made = rigFromText(rig.dump(), WAVETROPE_DEMO "/docking.json");
    if (!made)
        qFatal("%s", made.error().text().c_str());
    return std::move(*made);
}

struct Run {
    explicit Run(const Rig& rig, const std::vector<std::string>& manipulations = {}, const std::vector<std::string>& without = {})
    {
        SessionOptions options;
        options.without = without;
        auto made = Session::create(rig, loadDatabases(rig), options);
        if (!made)
            qFatal("%s", made.error().text().c_str());
        session = std::move(*made);
        dialogue = session->all<Dialogue>().front();
        for (const std::string& text : manipulations) {
            const auto wanted = manipulationFromText(text);
            if (!wanted)
                qFatal("%s", wanted.error().text().c_str());
            const auto done = node(wanted->node)->manipulate(*wanted);
            if (!done)
                qFatal("%s", done.error().text().c_str());
        }
    }
    [[nodiscard]] Node* node(const std::string& name) const { return dynamic_cast<Node*>(session->actor(name)); }
    void runFor(Time span) { session->runFor(span, nullptr); }
    [[nodiscard]] QStringList told() const { return lines(dialogue->watch()); }
    // "WaterUnit enters greeting", "WaterUnit breaks agreeing 100 144", "FillingPost ends parting: tank is full"
    [[nodiscard]] static QStringList lines(const DialogueWatch& watch)
    {
        QStringList out;
        for (const DialogueEvent& event : watch.events()) {
            QString line = QString::fromStdString(watch.spec().partners[event.partner]) + ' ' + toText(event.what);
            if (event.phase != SideSpec::rest)
                line += ' ' + QString::fromStdString(watch.spec().phases[event.phase].name);
            if (event.what == What::breaks && event.limit)
                line += QStringLiteral(" %1").arg(static_cast<double>(event.limit->count()) / 1e6);
            if (event.what == What::breaks && event.took)
                line += QStringLiteral(" %1").arg(std::round(static_cast<double>(event.took->count()) / 1e6));
            if (event.what == What::ends)
                line += ": " + QString::fromStdString(event.why);
            out << line;
        }
        return out;
    }
    std::unique_ptr<Session> session;
    Dialogue* dialogue = nullptr;
};

QStringList both(const QString& what) { return {"WaterUnit " + what, "FillingPost " + what}; }

// Frames of the water unit's state, and a signal of one of them.
std::size_t count(const Run& run, std::uint32_t id)
{
    std::size_t out = 0;
    const trace::Snapshot snapshot = run.session->trace().snapshot();
    for (trace::Row row = 0; row < snapshot.rows(); ++row)
        out += snapshot.frame(row).id.value == id ? 1 : 0;
    return out;
}

std::optional<can::Frame> frameOf(const Run& run, std::size_t place)
{
    const trace::Snapshot snapshot = run.session->trace().snapshot();
    for (trace::Row row = 0; row < snapshot.rows(); ++row)
        if (const can::FrameView frame = snapshot.frame(row); frame.id.value == 0x182 && place-- == 0)
            return can::Frame(frame);
    return std::nullopt;
}

double level(const Run& run, std::size_t place, std::uint32_t signal)
{
    const auto frame = frameOf(run, place);
    const auto* message = run.session->catalog()->find(0, can::Identifier{0x182, false});
    database::Decoded decoded;
    return !frame ? -2 : message->plan.decodeOne(frame->view(), signal, decoded) ? decoded.value : -1;
}

}  // namespace

class DialogueTest : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void theDialogueGoesOnByItself()
    {
        Run run(docking());
        run.runFor(12s);
        QCOMPARE(run.told(), both("enters greeting") + both("enters agreeing") + both("enters filling") + both("enters easing off")
                                 + both("enters parting") + both("ends parting: tank is full"));
        // Whenever asked it goes on anew; broken off it ends for the reason that was given.
        QVERIFY(run.dialogue->begin());
        run.runFor(5s);
        QCOMPARE(run.dialogue->watch().side(0).phase, std::size_t{2});
        const auto facts = std::any_cast<DialogueFacts>(run.dialogue->report().facts);
        QVERIFY(facts.partners[0].simulated && facts.partners[1].simulated && facts.partners[0].phase == 2 && facts.broken == 0);
        QVERIFY(facts.partners[0].waiting.at(0).heard > 10 && facts.partners[0].waiting.at(0).longest < 110ms);
        QVERIFY(run.dialogue->breakOff(0, 5));
        run.runFor(1s);
        QCOMPARE(run.told().mid(12), both("enters greeting") + both("enters agreeing") + both("enters filling")
                                         + both("ends filling: the operator lifts the nozzle"));
        QVERIFY(!run.dialogue->breakOff(1, 1));
    }

    void eitherSideMayBePlayedBack()
    {
        QTemporaryDir folder;
        const std::string path = folder.filePath("lap.pcapng").toStdString();
        {
            Run run(docking());
            QVERIFY(run.session->record(path));
            run.runFor(11s);
            QVERIFY(run.session->finishRecording(path));
        }
        for (const char* away : {"WaterUnit", "FillingPost"}) {
            Run run(docking(), {}, {away});
            QVERIFY(run.session->loadPlayback(path));
            std::vector<Route> routes(1);
            routes[0].to = 0;
            routes[0].senders = Senders::only;
            routes[0].nodes = {away};
            run.session->playback().route(routes);
            run.session->playback().play();
            run.runFor(11s);
            QCOMPARE(run.told(), both("enters greeting") + both("enters agreeing") + both("enters filling") + both("enters easing off")
                                     + both("enters parting") + both("ends parting: tank is full"));
            QVERIFY(run.session->playback().sent() > 35);
            const auto facts = std::any_cast<DialogueFacts>(run.dialogue->report().facts);
            QCOMPARE(facts.partners[0].simulated, std::string(away) != "WaterUnit");
        }
        // Both played back, nobody is driven: it is supervised alone.
        Run run(docking(), {}, {"WaterUnit", "FillingPost"});
        QVERIFY(run.session->loadPlayback(path));
        std::vector<Route> routes(1);
        routes[0].to = 0;
        run.session->playback().route(routes);
        run.session->playback().play();
        run.runFor(11s);
        QCOMPARE(run.told().size(), 12);
        QVERIFY(!run.dialogue->begin());
    }

    void eachLimitIsBrokenOnPurpose_data()
    {
        QTest::addColumn<QStringList>("manipulations");
        QTest::addColumn<QStringList>("tells");     // in this order, among others
        QTest::addColumn<QString>("why");
        QTest::addColumn<QStringList>("changes");   // of the rig's dialogue, "POINTER VALUE"
        const auto row = [](const char* name, const QStringList& manipulations, const QStringList& tells, const char* why,
                             const QStringList& changes = {}) { QTest::newRow(name) << manipulations << tells << QString(why) << changes; };
        row("no greeting comes back: again three times, then the end", {"FillingPost PostGreeting off"},
            {"WaterUnit enters greeting", "WaterUnit breaks greeting 200 200", "WaterUnit enters greeting",
                "WaterUnit breaks greeting 200 200", "WaterUnit enters greeting", "WaterUnit breaks greeting 200 200",
                "WaterUnit enters greeting", "WaterUnit breaks greeting 200 200", "WaterUnit ends greeting: no greeting came back",
                "FillingPost ends greeting: no greeting came back"},
            "PostGreeting was due by");
        row("a greeting comes late: asked again", {"FillingPost PostGreeting later 300ms 1 times"},
            {"WaterUnit breaks greeting 200 200", "WaterUnit enters greeting", "WaterUnit enters agreeing",
                "WaterUnit ends parting: tank is full"},
            "did not come before the phase was left");
        row("greeted, and left at that: the unit", {"WaterUnit DockLimits off"},
            {"WaterUnit breaks greeting 4000 4000", "WaterUnit ends greeting: no greeting came back",
                "FillingPost ends greeting: no greeting came back"},
            "greeting had to be left by");
        row("greeted, and left at that: the post", {"WaterUnit DockLimits off", "WaterUnit DockParting off"},
            {"WaterUnit breaks greeting 4000 5000", "FillingPost breaks greeting 5000 5000",
                "FillingPost ends greeting: the other not heard in time"},
            "greeting had to be left by");
        row("limits come late", {"FillingPost PostLimits later 60ms 1 times"},
            {"WaterUnit breaks agreeing 100 100", "WaterUnit enters agreeing", "WaterUnit enters filling",
                "WaterUnit ends parting: tank is full"},
            "PostLimits was due by");
        row("no limits: a fault", {"FillingPost PostLimits off"},
            {"WaterUnit breaks agreeing 100 100", "WaterUnit ends agreeing: the other not heard in time"}, "PostLimits");
        row("wanted before it is agreed", {}, {"WaterUnit breaks agreeing 50 29", "WaterUnit enters filling"}, "was left",
            {"1/sides/WaterUnit/sends/0/delay 8 ms", "1/sides/FillingPost/sends/0/delay 20 ms"});
        row("nothing is wanted", {"WaterUnit FillWanted off"},
            {"FillingPost breaks agreeing 2000 3000", "WaterUnit breaks agreeing 3000 3000",
                "WaterUnit ends agreeing: the other not heard in time"},
            "agreeing had to be left by");
        row("nothing is wanted, and nobody parts", {"WaterUnit FillWanted off", "WaterUnit DockParting off"},
            {"FillingPost breaks agreeing 3000 3000", "FillingPost ends agreeing: the other not heard in time"}, "FillWanted was due by");
        row("full too early", {}, {"WaterUnit breaks filling 1000 401", "WaterUnit enters easing off"}, "was left",
            {"2/sides/WaterUnit/sends/1/delay 400 ms"});
        row("what is wanted stops coming", {"WaterUnit FillWanted off from 5s"},
            {"FillingPost enters filling", "FillingPost breaks filling 150 150", "FillingPost ends filling: the other not heard in time"},
            "FillWanted was due by");
        row("one late among many breaks nothing", {"FillingPost FillActual later 200ms 1 times from 5s"},
            {"WaterUnit enters filling", "WaterUnit enters easing off"}, "");
        row("the post falls silent", {"FillingPost FillActual off from 5s"},
            {"WaterUnit breaks filling 250 250", "WaterUnit ends filling: the other not heard in time"}, "FillActual was due by");
        row("never full: eased off in time", {"WaterUnit EaseOff off 1 times"},
            {"WaterUnit breaks filling 4500 4501", "WaterUnit enters easing off", "WaterUnit ends parting: tank is full"},
            "filling had to be left by");
        row("never eased off", {"WaterUnit EaseOff off"},
            {"FillingPost breaks filling 5000 5000", "FillingPost ends filling: the other not heard in time"}, "");
        row("not eased", {"FillingPost PostEased off"},
            {"WaterUnit breaks easing off 1200 1200", "WaterUnit ends easing off: the other not heard in time"}, "PostEased was due by");
        row("not eased, and not waited for", {"FillingPost PostEased off"},
            {"WaterUnit breaks easing off 1200 1500", "WaterUnit breaks easing off 1500 1500",
                "WaterUnit ends easing off: the other not heard in time"},
            "easing off had to be left by", {"3/sides/WaterUnit/hears/0/broken"});
        row("not eased, and nobody parts", {"FillingPost PostEased off", "WaterUnit DockParting off"},
            {"FillingPost breaks easing off 2000 2000", "FillingPost ends easing off: the other not heard in time"},
            "easing off had to be left by");
        row("no parting", {"WaterUnit DockParting off"},
            {"FillingPost breaks parting 1800 1800", "WaterUnit breaks parting 2000 3000",
                "WaterUnit ends parting: the other not heard in time"},
            "DockParting was due by");
        row("no parting, and not waited for", {"WaterUnit DockParting off"},
            {"FillingPost breaks parting 1800 2500", "FillingPost breaks parting 2500 2500",
                "FillingPost ends parting: the other not heard in time"},
            "parting had to be left by", {"4/sides/FillingPost/hears/0/broken"});
        row("the pressure is too high", {"FillingPost FillActual.FillPressure = 4.8 from 5s"},
            {"WaterUnit enters filling", "WaterUnit ends filling: pressure too high"}, "");
    }
    void eachLimitIsBrokenOnPurpose()
    {
        QFETCH(const QStringList, manipulations);
        QFETCH(const QStringList, tells);
        QFETCH(const QString, why);
        QFETCH(const QStringList, changes);
        std::vector<std::string> texts;
        for (const QString& text : manipulations)
            texts.push_back(text.toStdString());
        Run run(docking([&](nlohmann::json& rig) {
            nlohmann::json& phases = rig["dialogues"][0]["phases"];
            for (const QString& change : changes) {
                const nlohmann::json::json_pointer at("/" + change.section(' ', 0, 0).toStdString());
                QVERIFY(phases.contains(at));
                if (const QString value = change.section(' ', 1); value.isEmpty())
                    phases[at.parent_pointer()].erase(at.back());
                else
                    phases[at] = value.toStdString();
            }
        }),
            texts);
        run.runFor(14s);
        const QStringList told = run.told();
        qsizetype at = 0;
        for (const QString& line : tells) {
            const qsizetype found = told.indexOf(line, at);
            QVERIFY2(found >= 0, qPrintable(line + " is not in\n" + told.mid(at).join('\n')));
            at = found + 1;
        }
        bool said = why.isEmpty();
        for (const DialogueEvent& event : run.dialogue->watch().events())
            said = said || QString::fromStdString(event.why).contains(why);
        QVERIFY(said);
        // A fault stands in the states of its node, and the dialogue rests.
        QCOMPARE(run.dialogue->watch().side(0).phase, SideSpec::rest);
        const bool fault = told.contains("WaterUnit ends filling: pressure too high");
        const auto& states = run.node("WaterUnit")->states();
        QVERIFY(!fault || std::any_of(states.begin(), states.end(), [](const StateChange& one) { return one.wrong; }));
    }

    // Over the log of a run the machines say what they said while it went on.
    void aLogIsSupervisedAsTheRunWas()
    {
        QTemporaryDir folder;
        for (const char* manipulation : {"FillingPost PostLimits later 60ms 1 times", "FillingPost FillActual off from 5s",
                 "WaterUnit EaseOff off", "FillingPost PostGreeting off", "WaterUnit WaterState again"}) {
            const std::string path = folder.filePath("run.pcapng").toStdString();
            QFile::remove(folder.filePath("run.pcapng"));
            Run run(docking(), {manipulation});
            QVERIFY(run.session->record(path));
            run.runFor(14s);
            run.session->endActors();
            QVERIFY(run.session->finishRecording(path));
            trace::Trace trace;
            QVERIFY(formats::loadLogs({{path, Time{0}, false, {}}}, trace, {}));
            auto watch = DialogueWatch::create(docking().dialogues.front(), run.session->catalog(), run.session->begins());
            QVERIFY(watch);
            const trace::Snapshot snapshot = trace.snapshot();
            for (trace::Row row = 0; row < snapshot.rows(); ++row)
                (void)watch->take(snapshot.frame(row));
            watch->finish(run.session->now());
            // Whoever is over with it by itself, without a word on the bus, is told of in the run alone.
            QStringList live = run.told(), read = Run::lines(*watch);
            for (QStringList* lines : {&live, &read})       // in the run it may be over before the rest came
                for (QString& line : *lines)
                    if (line.contains("breaks"))
                        line = line.section(' ', 0, -2);
            QVERIFY(live.size() >= read.size() - 4);
            for (qsizetype i = 0; i < std::min(live.size(), read.size()) && !live.at(i).contains("ends"); ++i)
                QCOMPARE(read.at(i), live.at(i));
        }
    }

    // Random frames against a plain model that keeps, for one side and one cyclic limit, nothing but the last moments.
    void limitsAreBrokenAtTheirInstants()
    {
        const Rig rig = docking([](nlohmann::json& json) {
            auto side = [](const char* on, const nlohmann::json& more) {
                nlohmann::json out{{"on", on}};
                out.update(more);
                return out;
            };
            json["dialogues"][0]["phases"] = nlohmann::json::array({{{"name", "one"},
                {"sides",
                    {{"WaterUnit", side("DockGreeting", {{"hears", {{{"message", "FillActual"}, {"cyclic", true}, {"within", "50 ms"}}}}})},
                        {"FillingPost", side("DockGreeting", {{"within", "400 ms"}})}}}}});
        });
        auto catalog = catalogOf(rig, loadDatabases(rig));
        for (unsigned seed = 1; seed <= 200; ++seed) {
            std::mt19937 random(seed);
            auto watch = DialogueWatch::create(rig.dialogues.front(), catalog, Time{0});
            QVERIFY(watch);
            Time now{}, since{}, last{};
            bool in = false, broken = false, withinBroken = false;
            std::vector<Time> wanted, found;
            for (int i = 0; i < 400; ++i) {
                now += random() % 8 == 0   ? Time(50ms)
                       : random() % 5 == 0 ? Time(50ms) + Time(random() % 3) - Time(1)
                                           : Time(random() % 70'000'000);
                can::Frame frame;
                frame.time = now;
                const unsigned kind = random() % 20;
                frame.id = {kind == 0 ? 0x421U : kind == 1 ? 0x425U : kind < 15 ? 0x433U : 0x182U, false};
                frame.dlc = frame.length = kind == 0 ? 2 : kind == 1 ? 1 : kind < 15 ? 6 : 8;
                if (in && !broken && now > last + 50ms) {
                    wanted.push_back(last + 50ms);
                    broken = true;
                }
                if (in && !withinBroken && now > since + 400ms) {
                    wanted.push_back(since + 400ms);
                    withinBroken = true;
                }
                if (kind == 0 && !in) {
                    in = true;
                    since = last = now;
                    broken = withinBroken = false;
                } else if (kind == 1) {
                    in = false;
                } else if (kind > 1 && kind < 15) {
                    last = now;
                    broken = false;
                }
                (void)watch->take(frame.view());
            }
            watch->advance(now);
            for (const DialogueEvent& event : watch->events())
                if (event.what == What::breaks && event.limit)
                    found.push_back(event.time);
            std::sort(wanted.begin(), wanted.end());
            QCOMPARE(found, wanted);
        }
    }

    void whatContradictsItselfIsRefused_data()
    {
        QTest::addColumn<QString>("path");
        QTest::addColumn<QString>("value");
        QTest::addColumn<QString>("says");
        QTest::newRow("one partner") << "/partners" << R"(["WaterUnit"])" << "two partners";
        QTest::newRow("the same twice") << "/partners" << R"(["WaterUnit", "WaterUnit"])" << "two partners";
        QTest::newRow("no phases") << "/phases" << "[]" << "1 to 200 phases";
        QTest::newRow("reached by nothing") << "/phases/3/sides/WaterUnit/on" << "[]" << "nothing brings WaterUnit into easing off";
        QTest::newRow("reached from itself alone")
            << "/phases/3/sides/WaterUnit/from" << R"(["easing off"])" << "nothing brings WaterUnit into";
        QTest::newRow("left by nothing") << "/ends" << "[]" << "nothing brings WaterUnit out of parting";
        QTest::newRow("limits that contradict") << "/phases/2/sides/WaterUnit/within" << "\"900 ms\"" << "may not be left before 1 s";
        QTest::newRow("no such phase") << "/phases/2/sides/WaterUnit/broken" << R"({"go": "easing of"})" << "easing off";
        QTest::newRow("no such reason") << "/phases/2/sides/WaterUnit/broken" << R"({"end": 9})" << "";
        QTest::newRow("both") << "/phases/2/sides/WaterUnit/broken" << R"({"end": 1, "fault": 1})" << "either ends or is a fault";
        QTest::newRow("a stranger's part") << "/phases/2/sides/Cab" << "{}" << "'Cab' is none of its partners";
        QTest::newRow("two of one name") << "/phases/2/name" << "\"agreeing\"" << "another phase 'agreeing'";
        QTest::newRow("no limit") << "/phases/0/sides/WaterUnit/hears/0/within" << "0" << "expected 'within'";
        QTest::newRow("too often") << "/phases/2/sides/WaterUnit/sends/0/every" << "\"1 us\"" << "20 us";
        QTest::newRow("no such message") << "/phases/0/sides/WaterUnit/hears/0/message" << "\"PostGreting\"" << "PostGreeting";
        QTest::newRow("no such bus") << "/bus" << "\"Implment\"" << "Implement";
        QTest::newRow("no such signal") << "/reason" << "\"Reason\"" << "tells the reason";
        QTest::newRow("no such value") << "/phases/2/sides/WaterUnit/ends/1/when" << "\"lited\"" << "lifted";
        QTest::newRow("a name of a node") << "/name" << "\"WaterUnit\"" << "called 'WaterUnit'";
    }
    void whatContradictsItselfIsRefused()
    {
        QFETCH(const QString, path);
        QFETCH(const QString, value);
        QFETCH(const QString, says);
        QFile file(WAVETROPE_DEMO "/rig.json");
        QVERIFY(file.open(QIODevice::ReadOnly));
        nlohmann::json json = nlohmann::json::parse(file.readAll().toStdString());
        json["dialogues"][0][nlohmann::json::json_pointer(path.toStdString())] = nlohmann::json::parse(value.toStdString());
        const auto rig = rigFromText(json.dump(), WAVETROPE_DEMO "/rig.json");
        std::string problem = rig ? "" : rig.error().text();
        if (rig) {
            const auto session = Session::create(*rig, loadDatabases(*rig));
            problem = session ? "" : session.error().text();
        }
        QVERIFY(!problem.empty());
        QVERIFY2(QString::fromStdString(problem).contains(says), problem.c_str());
    }

    void theCommandLineSupervises()
    {
        QTemporaryDir folder;
        const QString log = folder.filePath("run.pcapng"), rig = folder.filePath("rig.json");
        QFile::copy(WAVETROPE_DEMO "/implement.dbc", folder.filePath("implement.dbc"));
        QFile file(rig);
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(QByteArray::fromStdString(docking().document.dump()));
        file.close();
        const auto cli = [](const QStringList& arguments, QByteArray* out, QByteArray* err) {
            const test::Answer answer = test::cli(arguments);
            *out = answer.out.toUtf8();
            *err = answer.err.toUtf8();
            return answer.code;
        };
        QByteArray out, err;
        QCOMPARE(
            cli({"run", rig, "--for", "12s", "--virtual", "--record", log, "--manipulate", "FillingPost PostLimits later 60ms 1 times"},
                &out, &err),
            0);
        QCOMPARE(cli({"supervise", log, "--rig", rig, "--dialogue", "docking"}, &out, &err), 0);
        const QList<QByteArray> lines = out.trimmed().split('\n');
        QCOMPARE(lines.at(0), QByteArray("time,dialogue,partner,what,phase,limit_ms,took_ms,why"));
        QVERIFY2(lines.at(1).contains(",docking,WaterUnit,enters,greeting,4000,") && lines.at(1).endsWith("DockGreeting came"),
            lines.at(1).constData());
        QVERIFY2(out.contains(",docking,WaterUnit,breaks,agreeing,100,"), out.constData());
        QVERIFY(out.contains(",docking,FillingPost,ends,parting,,") && out.contains("tank is full"));
        QCOMPARE(cli({"supervise", log, "--rig", rig, "--dialogue", "dcking"}, &out, &err), 2);
        QVERIFY(err.contains("docking"));
        QCOMPARE(cli({"supervise", folder.filePath("none.pcapng"), "--rig", rig}, &out, &err), 2);
        QCOMPARE(cli({"supervise", QString(WAVETROPE_TEST_DATA) + "/capture-a.pcapng", "--rig", rig}, &out, &err), 0);
        QVERIFY(err.contains("belongs to a dialogue") || err.contains("has no bus"));
        // Faults on the wire.
        const QString harmed = folder.filePath("harmed.pcapng");
        QCOMPARE(cli({"run", rig, "--for", "3s", "--virtual", "--record", harmed, "--fault", "Implement crc 0x182 3 times at 2s", "--fault",
                         "Implement ack at 2500 ms"},
                     &out, &err),
            0);
        QCOMPARE(cli({"count", harmed, "--filter", "kind error"}, &out, &err), 0);
        QCOMPARE(out.trimmed(), QByteArray("4"));
        for (const char* wrong : {"Implement", "Implement cr 0x182", "Implment crc", "Implement crc 0x1822", "Implement crc at soon",
                 "Implement crc 0 times", "Implement crc 0x182 now", "\"Implement crc"})
            QCOMPARE(cli({"run", rig, "--for", "1s", "--virtual", "--fault", wrong}, &out, &err), 2);
    }

    void whatIsDoneOnPurposeToAMessage()
    {
        Run plain(docking());
        plain.runFor(1s);
        QCOMPARE(count(plain, 0x182), std::size_t{20});
        QCOMPARE(level(plain, 3, 2), 500.0);
        Run off(docking(), {"WaterUnit WaterState off from 100ms to 300ms"});
        off.runFor(1s);
        QCOMPARE(count(off, 0x182), std::size_t{16});
        Run again(docking(), {"WaterUnit WaterState again 3 times"});
        again.runFor(1s);
        QCOMPARE(count(again, 0x182), std::size_t{23});
        Run later(docking(),
            {"WaterUnit WaterState later 25 ms 1 time", "WaterUnit WaterState.TankLevel - 100", "WaterUnit WaterState.TankLevel * 2",
                "WaterUnit WaterState.Counter stuck from 200ms to 400ms", "WaterUnit WaterState.Valve wrong from 0.5 s"});
        later.runFor(1s);
        QCOMPARE(count(later, 0x182), std::size_t{20});
        QCOMPARE(level(later, 3, 2), 800.0);
        for (std::size_t i = 0; i < 20; ++i) {
            QCOMPARE(level(later, i, 4), i >= 4 && i < 8 ? level(later, 4, 4) : level(plain, i, 4));
            QCOMPARE(level(later, i, 3), i >= 10 ? 3.0 - level(plain, i, 3) : level(plain, i, 3));
        }
        auto facts = std::any_cast<NodeFacts>(later.node("WaterUnit")->report().facts).manipulations;
        QCOMPARE(facts.size(), std::size_t{5});
        QVERIFY(facts[0].done && facts[0].changed == 1 && !facts[0].acts && facts[1].acts && facts[1].changed == 20 && facts[3].done
                && facts[3].changed == 4 && facts[4].acts && facts[4].changed == 10);
        later.node("WaterUnit")->lift(1);
        later.runFor(100ms);
        QCOMPARE(level(later, 21, 2), 1000.0);
        later.node("WaterUnit")->liftAll();
        later.runFor(100ms);
        QCOMPARE(level(later, 23, 2), 500.0);
        facts = std::any_cast<NodeFacts>(later.node("WaterUnit")->report().facts).manipulations;
        QVERIFY(facts.empty());
        for (const char* wrong : {"WaterUnit WaterState of", "WaterUnit WaterState later", "WaterUnit WaterState later 2 h",
                 "WaterUnit WaterState.Flow + x", "WaterUnit WaterState.Flow stuck 3", "WaterUnit WaterState off 0 times",
                 "WaterUnit WaterState off x times", "WaterUnit WaterState", "WaterUnit off", "WaterUnit WaterState.Flow +", "off"})
            QVERIFY2(!manipulationFromText(wrong), wrong);
    }

    // Each frame of it, and nothing else of the node.
    void moreIsDoneOnPurpose()
    {
        enum : std::uint32_t { flow, temperature, tank, valve, counter };
        Run plain(docking());
        plain.runFor(1s);
        Run run(docking(), {"WaterUnit WaterState.TankLevel follows \"400 + 100 * t\" to 500ms",
                               "WaterUnit WaterState.Counter jumps 3 from 200 ms to 300 ms", "WaterUnit WaterState length 4 from 800 ms",
                               "WaterUnit WaterState.Counter jumps -1 from 600ms to 700ms"});
        run.runFor(1s);
        QCOMPARE(count(run, 0x182), std::size_t{20});
        for (std::size_t i = 0; i < 16; ++i) {
            const double t = static_cast<double>((frameOf(run, i)->time - run.session->begins()).count()) / 1e9;
            if (i < 10)
                QVERIFY2(std::abs(level(run, i, tank) - (400 + 100 * t)) < 1.1, qPrintable(QString::number(level(run, i, tank))));
            else
                QCOMPARE(level(run, i, tank), level(plain, i, tank));
            const double ahead = i >= 4 && i < 6 ? 3 : i >= 12 && i < 14 ? -1 : 0;
            QCOMPARE(level(run, i, counter), std::fmod(level(plain, i, counter) + ahead + 256, 256));
            QCOMPARE(level(run, i, flow), level(plain, i, flow));
            QCOMPARE(level(run, i, temperature), level(plain, i, temperature));
        }
        for (std::size_t i = 16; i < 20; ++i) {
            const auto cut = frameOf(run, i), own = frameOf(plain, i);
            QVERIFY(cut->length == 4 && cut->dlc == 4);
            QVERIFY(std::equal(cut->data.begin(), cut->data.begin() + 4, own->data.begin()));
        }
        // More often for a while; then its own beats again.
        Run often(docking(), {"WaterUnit WaterState every 10ms from 200ms to 300ms"});
        often.runFor(1s);
        QCOMPARE(count(often, 0x182), std::size_t{20 + 8});
        const auto last = frameOf(often, 27), own = frameOf(plain, 19);
        QVERIFY(std::chrono::abs(last->time - own->time) < 1ms);
        QCOMPARE(level(often, 27, counter), 27.0);
        // While something holds: an expression of the node, and a condition of the rig.
        Run held(docking([](nlohmann::json& rig) {
            rig["events"] = nlohmann::json::array({{{"name", "a beat is heard"}, {"when", "id 0x7e2"}, {"stays", "100 ms"}}});
            rig["manipulations"] = nlohmann::json::array(
                {{{"name", "empty"}, {"does", "WaterUnit WaterState.TankLevel = 0 while \"t > 0.5 and Flow < 90\""}, {"acts", true},
                     {"mine", 4}},
                    {{"name", "empty"}, {"does", "WaterUnit WaterState.Valve wrong"}},
                    {{"does", "WaterUnit WaterState.Nothing = 1"}, {"acts", true}}});
        }));
        held.runFor(1s);
        for (std::size_t i = 0; i < 20; ++i) {
            QCOMPARE(level(held, i, tank), i < 10 ? level(plain, i, tank) : 0.0);
            QCOMPARE(level(held, i, flow), level(plain, i, flow));
            QCOMPARE(level(held, i, valve), level(plain, i, valve));
        }
        QVERIFY(std::any_of(held.session->leftOut().begin(), held.session->leftOut().end(),
            [](const Error& error) { return error.what.find("no signal 'Nothing'") != std::string::npos; }));
        // In a phase of its dialogue.
        Run phased(docking(), {"WaterUnit WaterState.TankLevel = 7 in filling", "WaterUnit WaterState.Valve = 1 in \"easing off\" "});
        phased.runFor(12s);
        const auto& events = phased.dialogue->watch().events();
        const auto entered = [&](std::size_t phase) {
            return std::find_if(events.begin(), events.end(), [&](const DialogueEvent& one) {
                return one.partner == 0 && one.phase == phase;
            })->time;
        };
        for (std::size_t i = 0; i < 240; ++i) {
            const auto frame = frameOf(phased, i);
            if (std::chrono::abs(frame->time - entered(2)) < 2ms || std::chrono::abs(frame->time - entered(3)) < 2ms)
                continue;
            QCOMPARE(level(phased, i, tank) == 7, frame->time > entered(2) && frame->time < entered(3));
        }
        for (const auto& [text, words] :
            std::initializer_list<std::pair<const char*, const char*>>{{"WaterUnit WaterState.Flow = 1 in fillin", "filling"},
                {"WaterUnit WaterState.Flow = 1 while \"Fluw > 3\"", "Fluw"}, {"WaterUnit WaterState.Flow follows \"3 +\"", "3 +"},
                {"WaterUnit WaterState length 9", "classic frame has 9"}, {"WaterUnit DockGreeting every 5ms", "no period"}}) {
            const auto wanted = manipulationFromText(text);
            QVERIFY2(wanted, text);
            const auto done = phased.node("WaterUnit")->manipulate(*wanted);
            QVERIFY2(!done && done.error().text().find(words) != std::string::npos, text);
        }
        for (const char* wrong : {"A B.C jumps 1.5", "A B length -1", "A B every 0 ms", "A B every", "A B.C follows", "A B.C jumps"})
            QVERIFY2(!manipulationFromText(wrong), wrong);
    }

    // Simulated, played back, outside, off: while the run goes on.
    void aNodeIsPutSomewhereElse()
    {
        QTemporaryDir folder;
        const std::string path = folder.filePath("lap.pcapng").toStdString();
        {
            Run run(docking());
            QVERIFY(run.session->record(path));
            run.runFor(11s);
            QVERIFY(run.session->finishRecording(path));
        }
        Run run(docking());
        const auto placeOf = [&](const std::string& node) {
            run.runFor(20ms);   // it is told behind a slice
            const auto reports = run.session->nodeReports();
            return std::find_if(reports.begin(), reports.end(), [&](const NodeReport& one) { return one.name == node; })->place;
        };
        run.runFor(500ms);
        QCOMPARE(placeOf("WaterUnit"), NodePlace::simulated);
        const auto early = setPlace(*run.session, "WaterUnit", NodePlace::playedBack);
        QVERIFY(!early && early.error().what.find("no log") != std::string::npos);
        QCOMPARE(placeOf("WaterUnit"), NodePlace::simulated);
        QVERIFY(run.session->loadPlayback(path));
        const auto was = setPlace(*run.session, "WaterUnit", NodePlace::playedBack);
        QVERIFY2(was && was->find("closed since ") == 0 && was->find("lifted = 0") != std::string::npos,
            was ? was->c_str() : was.error().what.c_str());
        QCOMPARE(placeOf("WaterUnit"), NodePlace::playedBack);
        run.session->playback().play();
        run.runFor(11s);
        QCOMPARE(run.told(), both("enters greeting") + both("enters agreeing") + both("enters filling") + both("enters easing off")
                                 + both("enters parting") + both("ends parting: tank is full"));
        QVERIFY(run.session->playback().sent() > 200);
        const std::size_t played = count(run, 0x182);
        QVERIFY(setPlace(*run.session, "WaterUnit", NodePlace::off));
        QCOMPARE(placeOf("WaterUnit"), NodePlace::off);
        QCOMPARE(run.session->playback().routes().front().to, -1);
        run.runFor(500ms);
        QVERIFY(count(run, 0x182) <= played + 1);
        QVERIFY(setPlace(*run.session, "WaterUnit", NodePlace::outside));
        QCOMPARE(placeOf("WaterUnit"), NodePlace::outside);
        QVERIFY(setPlace(*run.session, "WaterUnit", NodePlace::simulated));
        QCOMPARE(placeOf("WaterUnit"), NodePlace::simulated);
        run.runFor(500ms);
        QVERIFY(count(run, 0x182) > played + 8);
        // What was routed by hand stays: taken out, it is played back; put back, the collision is named.
        std::vector<Route> routes(1);
        routes[0].to = 0;
        routes[0].senders = Senders::only;
        routes[0].nodes = {"WaterUnit"};
        run.session->playback().route(routes);
        QVERIFY(setPlace(*run.session, "WaterUnit", NodePlace::outside));
        QCOMPARE(placeOf("WaterUnit"), NodePlace::playedBack);
        QVERIFY(setPlace(*run.session, "WaterUnit", NodePlace::simulated));
        QVERIFY(!run.session->collisions().empty());
        const auto unknown = setPlace(*run.session, "WaterUnti", NodePlace::off);
        QVERIFY(!unknown && unknown.error().remedy.find("WaterUnit") != std::string::npos);
    }

    // By their name on the command line, and as they stand in the document.
    void manipulationsAreKeptInTheRig()
    {
        Rig rig = docking([](nlohmann::json& document) {
            document["manipulations"] = nlohmann::json::array(
                {{{"name", "dry"}, {"does", "WaterUnit WaterState.TankLevel = 0"}, {"mine", 4}}});
        });
        QVERIFY(!rig.changed());
        auto both = manipulationsOf(rig, "dry");
        QVERIFY(both && both->size() == 1 && both->front().does.signal == "TankLevel");
        QVERIFY(!manipulationsOf(rig, "wet"));
        auto next = rig.manipulations;
        next.push_back({"", *manipulationFromText("WaterUnit WaterState off"), {}, true});
        next.front().acts = true;
        rig.setManipulations(next);
        QCOMPARE(rig.document["manipulations"].dump(),
            std::string(
                R"j([{"acts":true,"does":"WaterUnit WaterState.TankLevel = 0","mine":4,"name":"dry"},{"acts":true,"does":"WaterUnit WaterState off"}])j"));
        const auto read = rigFromText(rig.document.dump(), rig.path);
        QVERIFY(read && read->manipulations.size() == 2 && read->manipulations[0].acts && read->manipulations[1].name.empty());
        Run run(rig);
        run.runFor(200ms);
        QCOMPARE(count(run, 0x182), std::size_t{0});
        (void)follow(*run.session, rig.manipulations, {});
        run.runFor(200ms);
        QCOMPARE(level(run, 0, 2), 500.0);
        for (const char* wrong : {R"([{"does": "WaterUnit"}])", R"([{"name": "x"}])", R"([{"does": "A B off"}, {"does": "A B off"}])"}) {
            nlohmann::json document = rig.document;
            document["manipulations"] = nlohmann::json::parse(wrong);
            QVERIFY2(!rigFromText(document.dump(), rig.path), wrong);
        }
    }
};

QTEST_APPLESS_MAIN(DialogueTest)
#include "dialogue_test.moc"
