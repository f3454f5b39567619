// SPDX-License-Identifier: GPL-3.0-or-later
// Boards as documents have them, and where their items go.
#include <QTest>

#include <algorithm>
#include <random>

#include "base/json_reader.h"
#include "board/arrange.h"
#include "rig/rig.h"
#include "rig/session.h"

using namespace wavetrope;
using namespace wavetrope::board;
using nlohmann::json;

class BoardsTest : public QObject {
    Q_OBJECT

    static std::vector<Board> read(const json& boards) { return boardsFromJson(JsonReader(boards, "/boards")); }
    static void noOverlap(const std::vector<Item>& items)
    {
        for (std::size_t i = 0; i < items.size(); ++i) {
            QVERIFY(items[i].at.inside());
            for (std::size_t k = 0; k < i; ++k)
                QVERIFY2(!items[i].at.overlaps(items[k].at), (items[i].of.name + " over " + items[k].of.name).c_str());
        }
    }

private Q_SLOTS:
    void whatIsWrittenIsRead()
    {
        const auto rig = rig::loadRig(WAVETROPE_DEMO "/rig.json");
        QVERIFY(rig.has_value());
        QCOMPARE(rig->boards.size(), std::size_t{2});
        QVERIFY(read(toJson(rig->boards)) == rig->boards);
        for (const Board& one : rig->boards)
            noOverlap(one.items);
        rig::Rig next = *rig;
        next.setBoards({});
        QVERIFY(!next.document.contains("boards"));
        next.setBoards(rig->boards);
        QVERIFY(read(next.document["boards"]) == rig->boards);
        Item all;
        all.shown = Shown::button;
        all.of = {Binding::Kind::row, "G/0x1F0", {}};
        all.at = {20, 21, 4, 3};
        all.label = "Horn";
        all.sets = 2;
        all.rests = -1;
        all.text = "Blow";
        all.press = "F9";
        all.from = -1.5;
        all.above = 3;
        all.decimals = 0;
        all.old = std::chrono::milliseconds(150);
        all.span = std::chrono::seconds(60);
        all.also = "A:B.C";
        QVERIFY(itemFromJson(JsonReader(toJson(all))) == all);
    }

    void documentsThatAreWrongSayWhere_data()
    {
        QTest::addColumn<QString>("items");
        QTest::addColumn<QString>("where");
        const auto row = [](const char* items, const char* where) {
            QTest::newRow(items) << QString::fromLatin1(items) << QString::fromLatin1(where);
        };
        row(R"([{"at": [0, 0, 4, 4]}])", "/boards/0/items/0/show");
        row(R"([{"show": "clock", "at": [0, 0, 4, 4]}])", "/boards/0/items/0/show");
        row(R"([{"show": "bar"}])", "/boards/0/items/0/at");
        row(R"([{"show": "bar", "at": [0, 0, 4]}])", "/boards/0/items/0/at");
        row(R"([{"show": "bar", "at": [21, 0, 4, 4]}])", "/boards/0/items/0/at");
        row(R"([{"show": "bar", "at": [0, 0, 0, 4]}])", "/boards/0/items/0/at");
        row(R"([{"show": "bar", "at": [0, 0, 1e9, 4]}])", "/boards/0/items/0/at/2");
        row(R"([{"show": "bar", "at": [0, 0, 4, 4]}, {"show": "bar", "at": [3, 3, 4, 4]}])", "/boards/0/items/1/at");
        row(R"([{"show": "bar", "signal": "a", "derived": "b", "at": [0, 0, 4, 4]}])", "/boards/0/items/0");
        row(R"([{"show": "slider", "signal": "a", "at": [0, 0, 4, 4]}])", "/boards/0/items/0");
        row(R"([{"show": "bar", "row": "a/b", "at": [0, 0, 4, 4]}])", "/boards/0/items/0");
        row(R"([{"show": "bar", "signal": "a", "value": "b", "at": [0, 0, 4, 4]}])", "/boards/0/items/0/value");
        row(R"([{"show": "bar", "from": 3, "to": 3, "at": [0, 0, 4, 4]}])", "/boards/0/items/0/to");
        row(R"([{"show": "bar", "old": "soon", "at": [0, 0, 4, 4]}])", "/boards/0/items/0/old");
    }
    void documentsThatAreWrongSayWhere()
    {
        QFETCH(QString, items);
        QFETCH(QString, where);
        const json boards = json::array({{{"name", "B"}, {"items", json::parse(items.toStdString())}}});
        try {
            (void)read(boards);
            QFAIL("it was taken");
        } catch (const JsonFailure& failure) {
            QCOMPARE(QString::fromStdString(failure.error.where), where);
            QVERIFY(!failure.error.what.empty());
        }
    }

    // Beside looking at every place there is.
    void theNearestFreePlaceIsTaken()
    {
        std::mt19937 random(11);
        int none = 0;
        for (int round = 0; round < 400; ++round) {
            std::vector<Item> items;
            for (unsigned i = 0; i < random() % 20; ++i) {
                Item item;
                const Cells wanted{static_cast<int>(random() % 24), static_cast<int>(random() % 24), 1 + static_cast<int>(random() % 9),
                    1 + static_cast<int>(random() % 9)};
                if (const auto at = freePlace(items, wanted)) {
                    item.at = *at;
                    items.push_back(item);
                }
            }
            noOverlap(items);
            const Cells wanted{static_cast<int>(random() % 24), static_cast<int>(random() % 24), 1 + static_cast<int>(random() % 12),
                1 + static_cast<int>(random() % 12)};
            const auto found = freePlace(items, wanted);
            const auto free = [&](const Cells& at) {
                return at.inside() && std::none_of(items.begin(), items.end(), [&](const Item& one) { return one.at.overlaps(at); });
            };
            int best = 1 << 20;
            for (int row = 0; row < 24; ++row)
                for (int column = 0; column < 24; ++column)
                    if (free({column, row, wanted.wide, wanted.high}))
                        best = std::min(
                            best, (row - wanted.row) * (row - wanted.row) + (column - wanted.column) * (column - wanted.column));
            QCOMPARE(found.has_value(), best < 1 << 20);
            none += found ? 0 : 1;
            if (found) {
                QVERIFY(free(*found) && found->wide == wanted.wide && found->high == wanted.high);
                QCOMPARE((found->row - wanted.row) * (found->row - wanted.row)
                             + (found->column - wanted.column) * (found->column - wanted.column),
                    best);
            }
        }
        QVERIFY(none > 5);
        // Its own cells are free for what moves.
        std::vector<Item> whole(1);
        whole[0].at = {0, 0, 24, 24};
        QVERIFY(!freePlace(whole, {0, 0, 1, 1}));
        QVERIFY(freePlace(whole, {0, 0, 12, 1}, 0).has_value());
    }

    void everyNodeOfTheDemoHasItsBoard()
    {
        const auto rig = rig::loadRig(WAVETROPE_DEMO "/rig.json");
        const auto databases = rig::loadDatabases(*rig);
        const auto catalog = rig::catalogOf(*rig, databases);
        std::size_t lamps = 0, states = 0, bars = 0;
        for (const drive::NodeSpec& node : rig->nodes) {
            const Made made = boardForNode(*catalog, node.name);
            std::size_t signals = 0;
            for (const auto& message : catalog->messages())
                signals += message.message->sender == node.name ? message.message->signals.size() : 0;
            QCOMPARE(made.made.items.size() + made.leftOut, signals);
            QVERIFY2(made.leftOut == 0 || made.made.items.size() >= 48, node.name.c_str());
            noOverlap(made.made.items);
            for (const Item& item : made.made.items) {
                QVERIFY(item.at.wide >= 3 && item.at.high >= 3);
                lamps += item.shown == Shown::lamp ? 1U : 0U;
                states += item.shown == Shown::state ? 1U : 0U;
                bars += item.shown == Shown::bar ? 1U : 0U;
                const bool known = std::any_of(catalog->messages().begin(), catalog->messages().end(), [&](const auto& message) {
                    return std::any_of(message.message->signals.begin(), message.message->signals.end(), [&](const auto& signal) {
                        return message.message->sender == node.name && pathOf(*catalog, message, signal) == item.of.name;
                    });
                });
                QVERIFY2(known, item.of.name.c_str());
            }
        }
        QVERIFY(lamps > 0 && states > 3 && bars > 20);
        QVERIFY(boardForNode(*catalog, "Nobody").made.items.empty());
    }

    void patternsMakeBoards()
    {
        const auto rig = rig::loadRig(WAVETROPE_DEMO "/rig.json");
        const auto databases = rig::loadDatabases(*rig);
        const auto catalog = rig::catalogOf(*rig, databases);
        const auto pattern = patternFromText(R"({"pattern": "State", "items": [
            {"show": "dial", "signal": "*State.*Depth", "at": [0, 0, 12, 12]},
            {"show": "state", "signal": "BladeMode", "at": [12, 0, 12, 6]},
            {"show": "bar", "signal": "Missing.Signal", "at": [12, 6, 12, 6]},
            {"show": "title", "text": "A state", "at": [0, 12, 24, 3]}]})",
            "p.json");
        QVERIFY2(pattern.has_value(), pattern ? "" : pattern.error().text().c_str());
        const Made made = boardByPattern(*catalog, *pattern, "BladeUnit");
        QCOMPARE(made.made.items.size(), std::size_t{3});
        QCOMPARE(made.made.items[0].of.name, std::string("Implement:BladeState.BladeDepth"));
        QCOMPARE(made.made.items[1].of.name, std::string("Implement:BladeState.BladeMode"));
        QCOMPARE(made.missing, std::vector<std::string>{"Missing.Signal"});
        for (const char* wrong : {"", "no json", "[]", R"({"items": []})", R"({"pattern": "P", "items": [{"show": "bar"}]})",
                 R"({"pattern": "P", "items": [{"show": "bar", "at": [0,0,4,4]}, {"show": "bar", "at": [0,0,4,4]}]})"})
            QVERIFY2(!patternFromText(wrong, "p.json"), wrong);
        QVERIFY(patternFromText("{}", "p.json").error().where == "p.json");
    }

    // A variable of a node that is driven: what it sends follows.
    void variablesOfNodesAreDriven()
    {
        const auto rig = rig::loadRig(WAVETROPE_DEMO "/rig.json");
        const auto databases = rig::loadDatabases(*rig);
        auto session = rig::Session::create(*rig, databases);
        QVERIFY(session.has_value());
        rig::Session& run = **session;
        const auto water = [&]() -> drive::Node& {
            for (drive::Node* one : run.all<drive::Node>())
                if (one->name() == "WaterUnit")
                    return *one;
            qFatal("no WaterUnit");
        };
        run.runFor(std::chrono::seconds(12), nullptr);
        QCOMPARE(*water().value("open"), 1.0);
        QVERIFY(water().setVariable("closed", 1));
        QCOMPARE(*water().value("open"), 0.0);
        QCOMPARE(water().states().back().state, std::string("closed"));
        run.runFor(std::chrono::seconds(1), nullptr);
        QCOMPARE(*water().value("flow"), 0.0);
        QVERIFY(water().setVariable("closed", 0));
        run.runFor(std::chrono::seconds(1), nullptr);
        QCOMPARE(*water().value("open"), 1.0);
        QVERIFY(!water().setVariable("open", 1) && !water().setVariable("nothing", 1));
    }
};

QTEST_GUILESS_MAIN(BoardsTest)
#include "boards_test.moc"
