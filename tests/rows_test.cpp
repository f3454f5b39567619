// SPDX-License-Identifier: GPL-3.0-or-later
// Rows of an outbox as documents have them: made, pasted, moved, edited while they go out; and what traffic tells of its signals.
#include <QTest>

#include <algorithm>
#include <array>
#include <random>
#include <set>

#include "database/compose.h"
#include "drive/message_text.h"
#include "drive/recognise.h"
#include "rig/outbox_edits.h"
#include "sending_world.h"

using namespace wavetrope;
using namespace wavetrope::drive;
using namespace std::chrono_literals;
using nlohmann::json;
using rig::RowPlace;

class RowsTest : public QObject {
    Q_OBJECT

    static void put(World& world, const json& outbox) { world.outbox->put(outboxFromJson(JsonReader(outbox, "/outbox"))); }
    static const database::CatalogMessage& messageOf(const database::Catalog& catalog, const char* name)
    {
        return *rig::messageOfRow(catalog, "Main", name);
    }

private Q_SLOTS:
    // Whatever was on the bus, a row made of it sends the same bytes.
    void framesComeBackThroughRows()
    {
        std::mt19937_64 random(41);
        std::size_t asMessages = 0, asTexts = 0;
        for (int round = 0; round < 600; ++round) {
            World world("[]");
            can::Frame frame;
            frame.id = {static_cast<std::uint32_t>(513 + random() % 6), false};
            const auto* message = world.catalog->find(0, frame.id);
            frame.length = static_cast<std::uint8_t>(message != nullptr ? message->message->length : random() % 9);
            frame.dlc = can::dlcOfLength(frame.length);
            for (unsigned i = 0; i < frame.length; ++i)
                frame.data[i] = static_cast<std::uint8_t>(random() % 4 == 0 ? 0 : random());
            if (message != nullptr && message->message->name == "BladeCommand")
                frame.data[3] &= 0xF3;      // bits of no signal
            const json row = rig::rowFromFrame(*world.catalog, frame.view(), Time{0});
            asMessages += row.contains("message") ? 1U : 0U;
            put(world, json::array({{{"name", "G"}, {"rows", json::array({row})}}}));
            QVERIFY2(world.outbox->problem(0).empty(), (world.outbox->problem(0) + row.dump()).c_str());
            world.outbox->send(0);
            world.run(5ms);
            QCOMPARE(world.frames.size(), std::size_t{1});
            QVERIFY2(world.frames[0].id == frame.id && world.frames[0].length == frame.length
                         && std::equal(frame.data.begin(), frame.data.begin() + frame.length, world.frames[0].data.begin()),
                row.dump().c_str());
            // And as text, where it has no more in it than that tells.
            const auto again = rig::rowsFromText(*world.catalog, rig::textOfRow(row), 0);
            if (!again) {       // what is beyond its range is not taken from a text
                QVERIFY2(
                    again.error().what.find("which its database tells as the limit") != std::string::npos, again.error().text().c_str());
                continue;
            }
            ++asTexts;
            put(world, json::array({{{"name", "G"}, {"rows", *again}}}));
            world.outbox->send(0);
            world.run(5ms);
            QVERIFY2(std::equal(frame.data.begin(), frame.data.begin() + frame.length, world.frames.back().data.begin()),
                rig::textOfRow(row).c_str());
        }
        QVERIFY(asMessages > 100 && asTexts > 100);
    }

    void whatIsKnownOfAFrameGoesWithIt()
    {
        const auto catalog = bladeCatalog();
        const auto typed = messageFromText("0x201 5E 81 02 01");
        json row = rig::rowFromFrame(*catalog, typed->frame->view(), 20ms);
        QCOMPARE(row.dump(),
            std::string(
                R"({"bus":"Main","every":"20 ms","message":"BladeCommand","signals":{"CommandedDepth":3.5,"Count":0,"Release":{"label":"on"},"Tilt":1},"starts":false})"));
        // A bit of no signal is only in the frame.
        const auto odd = messageFromText("0x201 5E 81 02 05");
        row = rig::rowFromFrame(*catalog, odd->frame->view(), Time{0});
        QCOMPARE(row["frame"].get<std::string>(), std::string("0x201 5E 81 02 05"));
        QVERIFY(!row.contains("every"));
        // A page that the selector leaves out is not spoken of.
        const auto page = messageFromText("0x202 02 07 00 09");
        row = rig::rowFromFrame(*catalog, page->frame->view(), Time{0});
        QVERIFY(row["signals"].contains("Second") && !row["signals"].contains("First"));
        QCOMPARE(rig::rowFromMessage(*catalog, messageOf(*catalog, "Paged"))["message"].get<std::string>(), std::string("Paged"));
    }

    void rowsOfASpreadsheet_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("rows");
        const auto row = [](const char* text, const char* rows) {
            QTest::newRow(text) << QString::fromLatin1(text) << QString::fromLatin1(rows);
        };
        row("0x1F0 11 22", R"([{"bus":"Main","frame":"0x1F0 11 22","starts":false}])");
        row("0x1F0\t11\t0x22\t20 ms\tOther\tfirst",
            R"([{"bus":"Other","comment":"first","every":"20 ms","frame":"0x1F0 11 22","starts":false}])");
        row("message\tevery\n0x310\tfd\t01\n", R"([{"bus":"Main","frame":"0x310 fd 01","starts":false}])");
        row("BladeCommand\tCommandedDepth=3.5 mm\tRelease=not available\r\n",
            R"([{"bus":"Main","message":"BladeCommand","signals":{"CommandedDepth":3.5,"Release":{"label":"not available"}},"starts":false}])");
        row("BladeCommand CommandedDepth=1 Tilt=2\t1 s\t\"said \"\"so\"\"\"",
            "[{\"bus\":\"Main\",\"comment\":\"said \\\"so\\\"\",\"every\":\"1 "
            "s\",\"message\":\"BladeCommand\",\"signals\":{\"CommandedDepth\":1,\"Tilt\":2},\"starts\":false}]");
        row("\n0x100\n\n0x101\n", R"([{"bus":"Main","frame":"0x100","starts":false},{"bus":"Main","frame":"0x101","starts":false}])");
        row("", "there is no message");
        row("0x100\n0x101 223\n", "line 2: column 7");
        row("Blade Depth=1", "no database of the rig has the message 'Blade'");
        row("BladeCommand CommandedDepth=13", "above 12 mm");
    }
    void rowsOfASpreadsheet()
    {
        QFETCH(QString, text);
        QFETCH(QString, rows);
        const auto catalog = bladeCatalog();
        const auto read = rig::rowsFromText(*catalog, text.toStdString(), 0);
        if (!rows.startsWith('[')) {
            QVERIFY(!read);
            QVERIFY2(QString::fromStdString(read.error().text()).contains(rows), read.error().text().c_str());
            return;
        }
        QVERIFY2(read.has_value(), read ? "" : read.error().text().c_str());
        QCOMPARE(QString::fromStdString(json(*read).dump()), rows);
    }

    void whatIsNoTextIsNotPasted()
    {
        const auto catalog = bladeCatalog();
        QVERIFY(!rig::rowsFromText(*catalog, "0x100\t\xBB", 0));
        // Words with an equals sign in them are words.
        const auto rows = rig::rowsFromText(*catalog, "0x100\tif a, b = c", 0);
        QVERIFY(rows.has_value() && (*rows)[0]["comment"] == "if a, b = c");
    }

    // Moving at random keeps every row, and the order of those that move and of those that stay.
    void movesKeepEveryRow()
    {
        std::mt19937 random(5);
        for (int round = 0; round < 2000; ++round) {
            json outbox = json::array();
            int number = 0;
            for (unsigned g = 0; g < 1 + random() % 3; ++g) {
                json rows = json::array();
                for (unsigned r = 0; r < random() % 5; ++r)
                    rows.push_back({{"n", number++}});
                outbox.push_back({{"name", std::to_string(g)}, {"rows", rows}});
            }
            std::vector<RowPlace> moved;
            std::vector<int> movedNumbers, stay;
            for (std::size_t g = 0; g < outbox.size(); ++g)
                for (std::size_t r = 0; r < outbox[g]["rows"].size(); ++r) {
                    const bool goes = random() % 3 == 0;
                    if (goes)
                        moved.push_back({g, r});
                    (goes ? movedNumbers : stay).push_back(outbox[g]["rows"][r]["n"].get<int>());
                }
            if (moved.empty())
                continue;
            const std::size_t group = random() % outbox.size();
            const RowPlace before{group, random() % (outbox[group]["rows"].size() + 1)};
            const int behind = before.row < outbox[group]["rows"].size() ? outbox[group]["rows"][before.row]["n"].get<int>() : -1;
            const RowPlace at = rig::moveRows(outbox, moved, before);
            std::vector<int> got, gotMoved, gotStay;
            for (const json& one : outbox)
                for (const json& row : one["rows"]) {
                    const int n = row["n"].get<int>();
                    const bool goes = std::find(movedNumbers.begin(), movedNumbers.end(), n) != movedNumbers.end();
                    (goes ? gotMoved : gotStay).push_back(n);
                    got.push_back(n);
                }
            QCOMPARE(got.size(), static_cast<std::size_t>(number));
            QCOMPARE(gotMoved, movedNumbers);
            QCOMPARE(gotStay, stay);
            // They stand together, in front of what they were put in front of.
            const json& into = outbox[at.group]["rows"];
            for (std::size_t i = 0; i < movedNumbers.size(); ++i)
                QCOMPARE(into[at.row + i]["n"].get<int>(), movedNumbers[i]);
            if (behind >= 0 && std::find(movedNumbers.begin(), movedNumbers.end(), behind) == movedNumbers.end())
                QCOMPARE(into[at.row + movedNumbers.size()]["n"].get<int>(), behind);
        }
        json empty;
        rig::insertRows(empty, {0, 0}, {{{"bus", "Main"}, {"frame", "0x1"}}});
        QCOMPARE(empty.dump(), std::string(R"([{"name":"By hand","rows":[{"bus":"Main","frame":"0x1"}]}])"));
        QCOMPARE(rig::freeGroupName(empty, "By hand"), std::string("By hand 2"));
    }

    void bitsAreTurnedRound()
    {
        const auto catalog = bladeCatalog();
        const database::CatalogMessage& blade = messageOf(*catalog, "BladeCommand");
        for (unsigned bit = 0; bit < 32; ++bit) {
            json row = {{"bus", "Main"}, {"message", "BladeCommand"}, {"signals", {{"CommandedDepth", 1}, {"Tilt", 0}}}};
            const auto spec = [&] {
                const json outbox = json::array({{{"name", "G"}, {"rows", json::array({row})}}});
                return outboxFromJson(JsonReader(outbox, "/outbox"))[0].rows[0];
            };
            const auto before = rig::stillPayload(spec(), &blade);
            const auto turned = rig::toggleBit(row, &blade, *before, bit);
            if (bit == 22 || bit == 23 || bit == 26 || bit == 27) {
                QVERIFY(!turned && turned.error().what == "no signal has this bit");
                continue;
            }
            if (!turned) {      // its database tells a range
                QVERIFY2(
                    turned.error().what.find("which its database tells as the limit") != std::string::npos, turned.error().what.c_str());
                continue;
            }
            const auto after = rig::stillPayload(spec(), &blade);
            for (unsigned i = 0; i < 32; ++i)
                QCOMPARE(((*before)[i / 8] ^ (*after)[i / 8]) >> i % 8 & 1, i == bit ? 1 : 0);
        }
        json raw = {{"bus", "Main"}, {"frame", "0x100 01 02"}};
        QVERIFY(rig::toggleBit(raw, nullptr, std::vector<std::uint8_t>{1, 2}, 15));
        QCOMPARE(raw["bytes"]["1"].get<int>(), 0x82);
        QVERIFY(!rig::toggleBit(raw, nullptr, std::vector<std::uint8_t>{1, 2}, 16));
        raw["bytes"]["0"] = {{"counter", {{"modulo", 4}}}};
        QVERIFY(!rig::toggleBit(raw, nullptr, std::vector<std::uint8_t>{1, 2}, 0));
        QVERIFY(rig::setBytes(raw, "0A 0B").has_value() && raw["bytes"]["0"] == 10);
        QVERIFY(rig::setBytes(raw, "0A 0B 0C").has_value() && raw["frame"] == "0x100 0A 0B 0C" && !raw.contains("bytes"));
        QVERIFY(!rig::setBytes(raw, "1 2 3 4 5 6 7 8 9") && !rig::setBytes(raw, "remote 3"));
    }

    // A value beyond its range is refused, or the nearest goes where the row says so.
    void framesGetAnotherForm()
    {
        const auto form = [](nlohmann::json row, const rig::FrameForm& wanted) -> std::string {
            const nlohmann::json before = row;
            const auto done = rig::setForm(row, wanted);
            if (!done && row != before)
                return "half done";
            return done ? row["frame"].get<std::string>() : done.error().text();
        };
        const nlohmann::json base = {{"bus", "A"}, {"frame", "0x1F0 11 22 33"}};
        QCOMPARE(form(base, {.extended = true}), std::string("0x000001F0 11 22 33"));
        QCOMPARE(form(base, {.kind = can::FrameKind::fd}), std::string("0x1F0 fd 11 22 33"));
        QCOMPARE(form(base, {.kind = can::FrameKind::fd, .brs = true, .length = 12}),
            std::string("0x1F0 fdbrs 11 22 33 00 00 00 00 00 00 00 00 00"));
        QCOMPARE(form(base, {.kind = can::FrameKind::remote}), std::string("0x1F0 remote 3"));
        QCOMPARE(form(base, {.length = 1}), std::string("0x1F0 11"));
        QVERIFY(form(base, {.length = 9}).find("9 bytes do not fit into a classic frame") != std::string::npos);
        QVERIFY(form(base, {.kind = can::FrameKind::fd, .length = 9}).find("no CAN FD frame has 9 bytes") != std::string::npos);
        QVERIFY(form({{"frame", "0x18FEF121 01"}}, {.extended = false}).find("more than 11 bits") != std::string::npos);
        QVERIFY(form({{"frame", "0x310 fd 00 00 00 00 00 00 00 00 00 00 00 01"}}, {.kind = can::FrameKind::data}).find("12 bytes")
                != std::string::npos);
        QCOMPARE(form({{"frame", "0x1F0 remote 4"}}, {.kind = can::FrameKind::data}), std::string("0x1F0 00 00 00 00"));
        QVERIFY(form({{"message", "BladeCommand"}}, {.length = 1}).find("no frame by itself") != std::string::npos);
        // Bytes that were edited go with those that the frame has no more.
        nlohmann::json edited = {{"frame", "0x1F0 11 22 33"}, {"bytes", {{"0", 5}, {"2", 7}}}};
        QVERIFY(rig::setForm(edited, {.length = 2}));
        QVERIFY(edited == nlohmann::json({{"frame", "0x1F0 11 22"}, {"bytes", {{"0", 5}}}}));
        // Every form reads back as what it says.
        std::mt19937 random(3);
        for (int i = 0; i < 3000; ++i) {
            nlohmann::json row = {{"frame", std::array{"0x1F0 11 22 33", "0x00000123 fd 01", "0x5 remote 2"}[random() % 3]}};
            const auto kind = static_cast<can::FrameKind>(random() % 3);
            const rig::FrameForm wanted{.extended = random() % 2 == 0, .kind = kind, .brs = random() % 2 == 0, .length = random() % 70};
            const auto done = rig::setForm(row, wanted);
            const bool fits = kind == can::FrameKind::fd
                                  ? *wanted.length <= 64 && can::lengthOfDlc(can::dlcOfLength(*wanted.length)) == *wanted.length
                                  : *wanted.length <= 8;
            QCOMPARE(done.has_value(), fits);
            if (!done)
                continue;
            const auto read = drive::messageFromText(row["frame"].get<std::string>());
            QVERIFY(read && read->frame);
            QVERIFY(read->frame->kind == kind && read->frame->id.extended == *wanted.extended);
            QCOMPARE(read->frame->brs, kind == can::FrameKind::fd && *wanted.brs);
            QCOMPARE(kind == can::FrameKind::remote ? read->frame->dlc : read->frame->length, static_cast<std::uint8_t>(*wanted.length));
        }
    }

    void valuesBeyondTheirRange()
    {
        const auto catalog = bladeCatalog();
        const database::CatalogMessage& blade = messageOf(*catalog, "BladeCommand");
        json row = {{"bus", "Main"}, {"message", "BladeCommand"}};
        for (const char* wrong : {"13", "-1", "21", "deep"})
            QVERIFY(!rig::setSignal(row, blade, "CommandedDepth", wrong));
        QVERIFY(!row.contains("signals"));
        row["overflow"] = "limit";
        for (const auto& [typed, value] :
            std::initializer_list<std::pair<const char*, double>>{{"13", 12}, {"-1", 0}, {"21", 12}, {"3.456", 3.46}}) {
            QVERIFY(rig::setSignal(row, blade, "CommandedDepth", typed).has_value());
            QCOMPARE(row["signals"]["CommandedDepth"].get<double>(), value);
        }
        QVERIFY(!rig::setSignal(row, blade, "CommandedDepth", "deep") && !rig::setSignal(row, blade, "Depth", "1"));
    }

    void valuesAreStepped()
    {
        const auto catalog = bladeCatalog();
        const auto step = [&](const char* name, double from, double steps) {
            const auto ref = catalog->findSignal(name);
            const database::SignalPlan& plan = ref->message->plan.plan(ref->index);
            bool fits = true;
            const std::uint64_t bits = database::MessagePlan::bitsOf(plan, from, fits);
            return plan.physicalOf(database::steppedBits(ref->signal(), plan, bits, steps));
        };
        QCOMPARE(step("BladeCommand.CommandedDepth", 3.4, 1), 3.5);
        QCOMPARE(step("BladeCommand.CommandedDepth", 3.4, -10), 2.4);
        QCOMPARE(step("BladeCommand.CommandedDepth", 3.4, 0.1), 3.41);
        QCOMPARE(step("BladeCommand.CommandedDepth", 11.99, 10), 12.0);
        QCOMPARE(step("BladeCommand.CommandedDepth", 0, -1), 0.0);
        QCOMPARE(step("BladeCommand.Release", 0, 1), 1.0);
        QCOMPARE(step("BladeCommand.Release", 1, 10), 3.0);         // from text to text
        QCOMPARE(step("BladeCommand.Release", 3, 1), 3.0);
        QCOMPARE(step("BladeCommand.Release", 2, -1), 1.0);
        QCOMPARE(step("BladeCommand.Count", 3, 0.1), 4.0);          // no finer than a raw value
        QCOMPARE(step("Float.Share", 0.5, 1), 1.5);
        // Whatever is stepped stays where it may be.
        std::mt19937 random(3);
        for (const database::CatalogMessage& message : catalog->messages())
            for (std::uint32_t i = 0; i < message.message->signals.size(); ++i) {
                const database::Signal& signal = message.message->signals[i];
                const database::SignalPlan& plan = message.plan.plan(i);
                std::uint64_t bits = database::startBitsOf(signal, plan);
                const auto [low, high] = database::rangeOf(signal, plan);
                for (int k = 0; k < 400; ++k) {
                    bits = database::steppedBits(signal, plan, bits, std::array{-10.0, -1.0, -0.1, 0.1, 1.0, 10.0}[random() % 6]);
                    const double value = plan.physicalOf(bits);
                    QVERIFY2(signal.texts.empty() ? value >= low - 1e-9 && value <= high + 1e-9 : true, signal.name.c_str());
                }
            }
    }

    void countersAndChecksumsAreRecognised()
    {
        const auto catalog = bladeCatalog();
        const database::CatalogMessage& blade = messageOf(*catalog, "BladeCommand");
        const database::CatalogMessage& paged = messageOf(*catalog, "Paged");
        std::mt19937 random(9);
        const auto frames = [&](const database::CatalogMessage& of, std::uint32_t place, const MessageEncoder::Filling& filling,
                                unsigned count) {
            MessageEncoder encoder(of);
            encoder.fill(place, filling);
            std::vector<std::vector<std::uint8_t>> out;
            for (unsigned k = 0; k < count; ++k) {
                std::vector<std::uint8_t> payload(of.message->length);
                for (std::uint8_t& byte : payload)
                    byte = static_cast<std::uint8_t>(random());
                payload[0] = of.message->name == "Paged" ? 2 : payload[0];
                encoder.take(payload);
                const can::Frame& made = encoder.encode(
                    [](std::uint32_t) { return 0.0; }, database::Overflow::limit, [](std::uint32_t, double) {});
                out.emplace_back(made.data.begin(), made.data.begin() + made.length);
            }
            return out;
        };
        for (const std::uint64_t modulo : {16U, 10U, 3U}) {
            const auto found = recognise(blade, 3, frames(blade, 3, CounterSpec{modulo}, 40));
            QVERIFY(found.has_value() && std::get<CounterSpec>(*found).modulo == modulo);
        }
        // Not seen to begin anew yet: its bits say.
        QCOMPARE(std::get<CounterSpec>(*recognise(blade, 3, frames(blade, 3, CounterSpec{16}, 9))).modulo, 16U);
        QVERIFY(!recognise(blade, 3, frames(blade, 3, CounterSpec{16}, 7)));
        QVERIFY(!recognise(blade, 0, frames(blade, 3, CounterSpec{16}, 40)));
        for (const Checksum kind : {Checksum::sum8, Checksum::xor8, Checksum::crc8}) {
            const auto found = recognise(paged, 3, frames(paged, 3, kind, 12));
            QVERIFY(found.has_value() && std::get<Checksum>(*found) == kind);
        }
        auto broken = frames(paged, 3, Checksum::crc8, 12);
        broken[5][3] ^= 1;
        QVERIFY(!recognise(paged, 3, broken));
        auto jumps = frames(blade, 3, CounterSpec{16}, 20);
        jumps.erase(jumps.begin() + 7);
        QVERIFY(!recognise(blade, 3, jumps));
    }

    // A row that goes out otherwise begins anew, with its counts; what was asked for waits with what it takes the place of.
    void rowsGoOnAsTheyAreEdited()
    {
        World world("[]");
        json outbox = json::parse(
            R"([{"name": "G", "rows": [{"bus": "Main", "message": "BladeCommand", "every": "10 ms", "signals": {"CommandedDepth": 1}}]}])");
        put(world, outbox);
        world.outbox->go(0);
        world.run(25ms);
        QCOMPARE(world.facts(0).sent, 3U);
        outbox[0]["rows"][0]["every"] = "4 ms";
        put(world, outbox);
        QVERIFY(world.facts(0).going);
        world.run(21ms);
        QCOMPARE(world.facts(0).sent, 3U + 6U);
        QCOMPARE(world.frames[3].time, world.over(world.begins + 25ms, world.frames[3]));
        // An edit at once: waits for its beat alone, and says for which.
        world.scheduler.runUntil(world.begins + 46ms);
        outbox[0]["rows"][0]["signals"]["CommandedDepth"] = 2;
        put(world, outbox);
        QVERIFY(world.facts(0).waiting == (std::vector<OutboxRowFacts::Waiting>{{0, 100}}));
        QCOMPARE(*world.facts(0).next, world.begins + 49ms);
        world.run(4ms);
        QVERIFY(world.facts(0).waiting.empty());
        QCOMPARE(unsigned{world.frames.back().data[0]}, 200U);
        // Back before its beat: nothing waits.
        outbox[0]["rows"][0]["signals"]["CommandedDepth"] = 3;
        put(world, outbox);
        outbox[0]["rows"][0]["signals"]["CommandedDepth"] = 2;
        put(world, outbox);
        QVERIFY(world.facts(0).waiting.empty());
        // In answer from now on: no beat any more.
        outbox[0]["rows"][0].erase("every");
        outbox[0]["rows"][0]["answer"] = "id 0x111";
        put(world, outbox);
        const std::size_t before = world.frames.size();
        world.run(50ms);
        QVERIFY(world.facts(0).going && world.frames.size() == before);
        // By hand: it rests.
        outbox[0]["rows"][0].erase("answer");
        put(world, outbox);
        QVERIFY(!world.facts(0).going);
        // Edited at rest: it waits for being sent.
        outbox[0]["rows"][0]["signals"]["CommandedDepth"] = 4;
        put(world, outbox);
        QCOMPARE(world.facts(0).waiting.size(), std::size_t{1});
        world.outbox->send(0);
        world.run(5ms);
        QVERIFY(world.facts(0).waiting.empty());
        QCOMPARE(world.frames.back().data[0] | (world.frames.back().data[1] & 0xF) << 8, 400);
        // While all are held nothing goes out, and it is counted.
        world.outbox->setOn(false);
        world.outbox->send(0);
        world.run(5ms);
        QCOMPARE(world.facts(0).withheld, 1U);
        world.outbox->setOn(true);
    }

    void keysHoldAndPress()
    {
        World world(R"([{"name": "G", "rows": [{"bus": "Main", "frame": "0x100 1", "key": "F9"},
            {"bus": "Main", "frame": "0x101 1", "key": "F9", "held": true, "every": "10 ms"}]}])");
        world.outbox->key(0, true);
        world.outbox->key(1, true);
        world.run(25ms);
        world.outbox->key(0, false);
        world.outbox->key(1, true);         // it is down already
        world.outbox->key(1, false);
        world.run(50ms);
        QCOMPARE(world.facts(0).sent, 1U);
        QCOMPARE(world.facts(1).sent, 3U);
        QVERIFY(!world.facts(1).going);
        world.outbox->key(1, true);
        world.run(5ms);
        QCOMPARE(world.facts(1).sent, 4U);
    }

    // Somebody else's frames of the same identifier are counted, one's own are not.
    void othersAreHeard()
    {
        World world(
            R"([{"name": "G", "rows": [{"bus": "Main", "frame": "0x100 1", "every": "10 ms"}, {"bus": "Other", "frame": "0x100 1"}]}])");
        world.outbox->go(0);
        world.run(45ms);
        QCOMPARE(world.facts(0).foreign, 0U);
        const auto typed = messageFromText("0x100 02");
        QVERIFY(world.main.offer(world.partner, *typed->frame));
        world.run(5ms);
        QCOMPARE(world.facts(0).foreign, 1U);
        QCOMPARE(world.facts(0).foreignLast, world.frames.back().time);
        QCOMPARE(world.facts(1).foreign, 0U);
    }

    // Off the bus after too many errors: it says so, what is taken waits, and what finds no room tells why.
    void busOffIsTold()
    {
        World world(R"([{"name": "G", "rows": [{"bus": "Main", "frame": "0x100 1", "every": "1 ms"}]}])");
        const bus::Port own = world.partner + 1;        // attached behind it
        world.outbox->go(0);
        world.run(3500us);
        QVERIFY(!world.facts(0).busOff && world.facts(0).refused == 0);
        world.main.corruptNext(own, 64);
        world.run(60ms);
        QVERIFY(world.facts(0).busOff);
        const std::uint64_t sent = world.facts(0).sent;
        world.run(200ms);
        QCOMPARE(world.facts(0).sent, sent);
        QVERIFY(world.facts(0).refused > 0);
        QCOMPARE(world.facts(0).refusedWhy, std::string("bus is off"));
        QVERIFY(world.facts(0).going);
        // A bus that is merely full says that.
        World full(R"([{"name": "G", "rows": [{"bus": "Other", "frame": "0x100 1 2 3 4 5 6 7 8", "every": "10 us"}]}])");
        full.outbox->go(0);
        full.run(10ms);
        QVERIFY(full.facts(0).refused > 100 && !full.facts(0).busOff);
        QCOMPARE(full.facts(0).refusedWhy, std::string("queue full"));
    }

    void groupsAreFiles()
    {
        const json group = json::parse(R"({"name": "G", "rows": [{"bus": "Main", "frame": "0x1F0 11", "every": "10 ms"}]})");
        const auto back = rig::groupFromFile(rig::groupAsFile(group).dump());
        QVERIFY(back.has_value() && *back == group);
        for (const char* wrong : {"", "[]", "{}", R"({"outbox": []})", R"({"outbox": [{"name": "G", "rows": [{"bus": "Main"}]}]})",
                 R"({"outbox": [{"name": "A"}, {"name": "B"}]})"})
            QVERIFY2(!rig::groupFromFile(wrong), wrong);
        QVERIFY(rig::groupFromFile(R"({"outbox": [{"name": "G", "rows": [{"bus": "Main"}]}]})").error().where.find("/outbox/0/rows/0")
                != std::string::npos);
    }
};

QTEST_GUILESS_MAIN(RowsTest)
#include "rows_test.moc"
