// SPDX-License-Identifier: GPL-3.0-or-later
// Frames that are handed from bus to bus.
#include <QTest>

#include <nlohmann/json.hpp>

#include <map>
#include <random>

#include "drive/gateway.h"
#include "rig/session.h"

using namespace wavetrope;
using namespace wavetrope::rig;

namespace {

// Three buses, of which the last one carries CAN FD; two senders, and what a test adds.
nlohmann::json threeBuses(const nlohmann::json& gateways)
{
    return {{"wavetrope", 1}, {"name", "Three"}, {"begins", "2027-02-01T18:00:00Z"},
        {"buses", {{{"name", "A"}, {"rate", "500k"}}, {{"name", "B"}, {"rate", "250k"}}, {{"name", "C"}, {"rate", "500k/2M"}}}},
        {"nodes", nlohmann::json::array(
                      {{{"name", "Ten"}, {"buses", {"A"}},
                           {"sends", {{{"id", "0x100"}, {"length", 2}, {"every", "10 ms"}, {"signals", {{"0", "t * 100"}, {"1", 7}}}},
                                         {{"id", "0x101"}, {"length", 8}, {"every", "20 ms"}}}}},
                          {{"name", "Back"}, {"buses", {"B"}}, {"sends", {{{"id", "0x200"}, {"length", 1}, {"every", "50 ms"}}}}}})},
        {"gateways", gateways}};
}

std::unique_ptr<Session> open(const nlohmann::json& document, const SessionOptions& options = {})
{
    const auto rig = rigFromText(document.dump(), "three.json");
    if (!rig)
        qFatal("%s", rig.error().text().c_str());
    auto session = Session::create(*rig, loadDatabases(*rig), options);
    if (!session)
        qFatal("%s", session.error().text().c_str());
    return std::move(*session);
}

std::vector<can::Frame> heard(const Session& session, std::uint8_t bus, std::uint32_t id)
{
    std::vector<can::Frame> out;
    const trace::Snapshot snapshot = session.trace().snapshot();
    for (trace::Row row = 0; row < snapshot.rows(); ++row)
        if (const can::FrameView frame = snapshot.frame(row); frame.bus == bus && frame.id.value == id)
            out.emplace_back(frame);
    return out;
}

}  // namespace

class GatewayTest : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void whatItsFilterPassesIsHandedOver()
    {
        auto session = open(threeBuses({{{"name", "Bridge"},
            {"routes", {{{"from", "A"}, {"to", "B"}, {"filter", "id 0x100"}, {"rewrite", {"id 0x100 = 0x18FEF121"}}, {"delay", "3 ms"}},
                           {{"from", "B"}, {"to", "A"}}}}}}));
        session->runFor(std::chrono::seconds(1), nullptr);
        const auto from = heard(*session, 0, 0x100), to = heard(*session, 1, 0x18FEF121);
        QCOMPARE(from.size(), std::size_t{100});
        QCOMPARE(to.size(), std::size_t{100});
        for (std::size_t i = 0; i < 100; ++i) {
            QVERIFY(to[i].id.extended && std::equal(to[i].data.begin(), to[i].data.begin() + 2, from[i].data.begin()));
            // Its last bit, the time that it was kept, and its own time on the slower bus, at the soonest.
            const Time took = can::duration(can::wireLength(to[i].view()), {250'000, 0});
            QVERIFY(to[i].time - from[i].time >= std::chrono::milliseconds(3) + took);
            QVERIFY(to[i].time - from[i].time < std::chrono::milliseconds(4) + took);
            QCOMPARE(to[i].direction, can::Direction::sent);
        }
        QVERIFY(heard(*session, 1, 0x101).empty());
        // The other way round, and not what it has put there itself.
        QCOMPARE(heard(*session, 0, 0x200).size(), heard(*session, 1, 0x200).size());
        QVERIFY(heard(*session, 0, 0x18FEF121).empty());
        const auto reports = session->nodeReports();
        const auto bridge = std::find_if(reports.begin(), reports.end(), [](const NodeReport& one) { return one.name == "Bridge"; });
        QVERIFY(bridge != reports.end() && bridge->on && bridge->states.back().state == "hands over");
        QCOMPARE(bridge->variables.at("handed over"), 120.0);
        QVERIFY((bridge->buses == std::vector<std::uint8_t>{0, 1}));
        // It sends what it handed over: others who send the same are named.
        bool known = false;
        for (const drive::SentIdentifier& one : session->actor("Bridge")->sends())
            known = known || (one.bus == 1 && one.id.value == 0x18FEF121);
        QVERIFY(known);
    }

    void takenOutItHandsNothingOver()
    {
        const auto document = threeBuses({{{"name", "Bridge"}, {"routes", {{{"from", "A"}, {"to", "B"}, {"delay", "25 ms"}}}}}});
        SessionOptions options;
        options.without = {"Bridge"};
        auto session = open(document, options);
        session->runFor(std::chrono::milliseconds(205), nullptr);
        QVERIFY(heard(*session, 1, 0x100).empty());
        session->actor("Bridge")->setOn(true);
        session->runFor(std::chrono::milliseconds(200), nullptr);
        const auto some = heard(*session, 1, 0x100).size();
        QVERIFY(some >= 16 && some <= 19);
        session->actor("Bridge")->setOn(false);         // with it goes what it keeps
        session->runFor(std::chrono::milliseconds(200), nullptr);
        QVERIFY(heard(*session, 1, 0x100).size() <= some + 1);
    }

    void whatABusCannotCarryIsCounted()
    {
        auto document = threeBuses({{{"name", "Bridge"}, {"routes", {{{"from", "C"}, {"to", "A"}}, {{"from", "A"}, {"to", "C"}}}}}});
        document["nodes"].push_back({{"name", "Wide"}, {"buses", {"C"}},
            {"sends", {{{"id", "0x300"}, {"length", 32}, {"every", "100 ms"}}, {{"id", "0x301"}, {"length", 4}, {"every", "100 ms"}}}}});
        auto session = open(document);
        session->runFor(std::chrono::seconds(1), nullptr);
        const auto* bridge = dynamic_cast<drive::Gateway*>(session->actor("Bridge"));
        QVERIFY(bridge != nullptr);
        const auto wide = heard(*session, 2, 0x300);
        const bool fd = !wide.empty() && wide.front().kind == can::FrameKind::fd;
        QCOMPARE(bridge->notCarried(), fd ? wide.size() : std::size_t{0});
        QVERIFY(fd);
        QVERIFY(heard(*session, 0, 0x300).empty());
        QCOMPARE(heard(*session, 2, 0x100).size(), heard(*session, 0, 0x100).size());
    }

    // Two that hand to each other hand round and round; the buses bound it, and it is seen.
    void aCircleOfTwoFillsItsBusesAndNoMore()
    {
        auto session = open(threeBuses({{{"name", "There"}, {"routes", {{{"from", "A"}, {"to", "B"}, {"filter", "id 0x101"}}}}},
            {{"name", "Back again"}, {"routes", {{{"from", "B"}, {"to", "A"}, {"filter", "id 0x101"}}}}}}));
        session->runFor(std::chrono::seconds(2), nullptr);
        const auto round = heard(*session, 1, 0x101);
        QVERIFY(round.size() > 500 && round.size() < 4000);
        QVERIFY(session->trace().rows() < 20'000);
    }

    // Random routes beside a plain model: each frame that passes comes once, in order, changed as it is said.
    void randomRoutesDoWhatIsSaid()
    {
        for (std::uint32_t seed = 1; seed <= 60; ++seed) {
            std::mt19937 random(seed);
            nlohmann::json document = threeBuses(nlohmann::json::array());
            document["nodes"] = nlohmann::json::array();
            struct Send {
                int bus;
                std::uint32_t id;
            };
            std::vector<Send> sends;
            for (int bus = 0; bus < 3; ++bus) {
                nlohmann::json node = {{"name", "N" + std::to_string(bus)}, {"buses", {std::string(1, static_cast<char>('A' + bus))}}};
                for (int i = 0; i < 3; ++i) {
                    const std::uint32_t id = 0x100U + static_cast<std::uint32_t>(bus) * 0x10 + static_cast<std::uint32_t>(i);
                    node["sends"].push_back({{"id", QStringLiteral("0x%1").arg(id, 3, 16, QLatin1Char('0')).toStdString()}, {"length", 3},
                        {"every", std::to_string(10 + random() % 40) + " ms"}, {"phase", std::to_string(random() % 9000) + " us"},
                        {"signals", {{"0", "noise(20) + 100"}, {"2", 9}}}});
                    sends.push_back({bus, id});
                }
                document["nodes"].push_back(node);
            }
            nlohmann::json routes = nlohmann::json::array();
            struct Wanted {
                int from, to;
                std::uint32_t low, high, before, behind;
            };
            std::vector<Wanted> wanted;
            for (int i = 0; i < 3; ++i) {
                const int from = static_cast<int>(random() % 3), to = (from + 1 + static_cast<int>(random() % 2)) % 3;
                const std::uint32_t low = 0x100 + random() % 0x22, high = low + random() % 0x12, before = sends[random() % sends.size()].id;
                const std::uint32_t behind = 0x400 + static_cast<std::uint32_t>(i);
                const auto hex = [](std::uint32_t id) { return QStringLiteral("0x%1").arg(id, 3, 16, QLatin1Char('0')).toStdString(); };
                routes.push_back({{"from", std::string(1, static_cast<char>('A' + from))},
                    {"to", std::string(1, static_cast<char>('A' + to))}, {"filter", "id " + hex(low) + ".." + hex(high)},
                    {"rewrite", {"id " + hex(before) + " = " + hex(behind)}}, {"delay", std::to_string(random() % 3 * 1500) + " us"}});
                wanted.push_back({from, to, low, high, before, behind});
            }
            document["gateways"] = nlohmann::json::array({{{"name", "G"}, {"routes", routes}}});
            auto session = open(document);
            session->runFor(std::chrono::milliseconds(500), nullptr);
            // All that stands on a bus and was sent by nobody else came over a route, each once.
            std::map<std::pair<int, std::uint32_t>, std::vector<std::array<std::uint8_t, 3>>> come, due;
            const trace::Snapshot snapshot = session->trace().snapshot();
            const Time late = session->now() - std::chrono::milliseconds(20);
            for (trace::Row row = 0; row < snapshot.rows(); ++row) {
                const can::FrameView frame = snapshot.frame(row);
                const std::array<std::uint8_t, 3> bytes{frame.data[0], frame.data[1], frame.data[2]};
                const bool own = std::any_of(
                    sends.begin(), sends.end(), [&](const Send& one) { return one.bus == frame.bus && one.id == frame.id.value; });
                if (!own) {
                    come[{frame.bus, frame.id.value}].push_back(bytes);
                    continue;
                }
                if (frame.time < late)
                    for (const Wanted& route : wanted)
                        if (route.from == frame.bus && frame.id.value >= route.low && frame.id.value <= route.high)
                            due[{route.to, frame.id.value == route.before ? route.behind : frame.id.value}].push_back(bytes);
            }
            for (auto& [key, frames] : due) {
                auto& there = come[key];
                QVERIFY2(there.size() >= frames.size(),
                    qPrintable(QStringLiteral("seed %1: %2 of %3").arg(seed).arg(there.size()).arg(frames.size())));
                // Over one route alone their order is that of the bus.
                const auto routesTo = std::count_if(wanted.begin(), wanted.end(), [&](const Wanted& one) { return one.to == key.first; });
                if (routesTo > 1) {
                    std::sort(frames.begin(), frames.end());
                    std::sort(there.begin(), there.end());
                    QVERIFY2(std::includes(there.begin(), there.end(), frames.begin(), frames.end()), qPrintable(QString::number(seed)));
                } else {
                    QVERIFY2(std::equal(frames.begin(), frames.end(), there.begin()), qPrintable(QString::number(seed)));
                }
            }
            for (const auto& [key, frames] : come)
                QVERIFY2(frames.empty() || due.contains(key) || frames.size() <= 3, qPrintable(QString::number(seed)));
        }
    }

    void whatIsWrongIsSaid_data()
    {
        QTest::addColumn<QString>("gateway");
        QTest::addColumn<QString>("words");
        QTest::newRow("no name") << R"({"routes": [{"from": "A", "to": "B"}]})" << "name";
        QTest::newRow("no routes") << R"({"name": "G"})" << "has routes";
        QTest::newRow("one bus") << R"({"name": "G", "routes": [{"from": "A", "to": "A"}]})" << "another bus";
        QTest::newRow("no bus") << R"({"name": "G", "routes": [{"from": "A", "to": "Z"}]})" << "no bus 'Z'";
        QTest::newRow("filter") << R"({"name": "G", "routes": [{"from": "A", "to": "B", "filter": "id"}]})"
                                << "/gateways/0/routes/0/filter";
        QTest::newRow("rewriting") << R"({"name": "G", "routes": [{"from": "A", "to": "B", "rewrite": "id 0x1 0x2"}]})"
                                   << "/routes/0/rewrite";
        QTest::newRow("delay") << R"({"name": "G", "routes": [{"from": "A", "to": "B", "delay": "1 h"}]})" << "a minute at the most";
        QTest::newRow("a node's name") << R"({"name": "Ten", "routes": [{"from": "A", "to": "B"}]})"
                                       << "two nodes and gateways called 'Ten'";
    }
    void whatIsWrongIsSaid()
    {
        QFETCH(const QString, gateway);
        QFETCH(const QString, words);
        auto document = threeBuses(nlohmann::json::array({nlohmann::json::parse(gateway.toStdString())}));
        const auto rig = rigFromText(document.dump(), "three.json");
        std::string problem = rig ? std::string() : rig.error().text();
        if (rig)
            if (const auto session = Session::create(*rig, loadDatabases(*rig)); !session)
                problem = session.error().text();
        QVERIFY2(problem.find(words.toStdString()) != std::string::npos, problem.c_str());
    }
};

QTEST_APPLESS_MAIN(GatewayTest)
#include "gateway_test.moc"
