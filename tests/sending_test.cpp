// SPDX-License-Identifier: GPL-3.0-or-later
// Messages as they are typed, payloads put together from values, and the rows of an outbox against a plain model.
#include <QTest>

#include <algorithm>
#include <map>
#include <random>

#include "database/compose.h"
#include "drive/message_text.h"
#include "sending_world.h"

using namespace wavetrope;
using namespace wavetrope::drive;
using database::GivenBits;

namespace {

using namespace std::chrono_literals;

// Bit by bit, as the words of the format say it.
void putPlainly(std::vector<std::uint8_t>& payload, const database::Signal& signal, std::uint64_t bits)
{
    unsigned at = signal.startBit;
    for (unsigned i = 0; i < signal.length; ++i) {
        const unsigned bit = signal.order == database::ByteOrder::intel ? i : signal.length - 1 - i;
        const auto mask = static_cast<std::uint8_t>(1U << (at % 8));
        payload[at / 8] = static_cast<std::uint8_t>((bits >> bit & 1U) != 0 ? payload[at / 8] | mask : payload[at / 8] & ~mask);
        at = signal.order == database::ByteOrder::intel ? at + 1 : at % 8 == 0 ? at + 15 : at - 1;
    }
}

}  // namespace

class SendingTest : public QObject {
    Q_OBJECT

    static std::vector<std::uint8_t> bytes(std::initializer_list<int> values)
    {
        std::vector<std::uint8_t> out;
        for (const int value : values)
            out.push_back(static_cast<std::uint8_t>(value));
        return out;
    }

private Q_SLOTS:
    void framesAreReadAsTheyAreTyped_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("again");
        const auto row = [](const char* text, const char* again) {
            QTest::newRow(text) << QString::fromLatin1(text) << QString::fromLatin1(again);
        };
        row("0x1F0 11 22 33", "0x1F0 11 22 33");
        row("  1f0   0x1 2 fD ", "0x1F0 01 02 FD");
        row("0x1F0", "0x1F0");
        row("0x18FEF121 fd 01 02 03", "0x18FEF121 fd 01 02 03");
        row("0x18FEF121 FD 01 02 03", "0x18FEF121 FD 01 02 03");
        row("0x000001F0 0xFD", "0x000001F0 FD");
        row("0x1F0 remote 8", "0x1F0 remote 8");
        row("0x1F0 remote", "0x1F0 remote 0");
        row("0x310 fd 11 22", "0x310 fd 11 22");
        row("0x310 fdbrs 11 22", "0x310 fdbrs 11 22");
        row("0x310 fd 1 2 3 4 5 6 7 8 9 a b c", "0x310 fd 01 02 03 04 05 06 07 08 09 0A 0B 0C");
    }
    void framesAreReadAsTheyAreTyped()
    {
        QFETCH(QString, text);
        QFETCH(QString, again);
        const auto typed = messageFromText(text.toStdString());
        QVERIFY2(typed.has_value(), typed ? "" : typed.error().text().c_str());
        QVERIFY(typed->frame.has_value());
        QCOMPARE(QString::fromStdString(toText(typed->frame->view())), again);
        QCOMPARE(can::lengthOfDlc(typed->frame->dlc),
            typed->frame->kind == can::FrameKind::remote ? unsigned{typed->frame->dlc} : unsigned{typed->frame->length});
    }

    void mistakesInMessagesAreToldWithTheirColumn_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("words");
        QTest::addColumn<int>("column");
        const auto row = [](const char* text, const char* words, int column) {
            QTest::newRow(text) << QString::fromLatin1(text) << QString::fromLatin1(words) << column;
        };
        row("", "missing", 0);
        row("0x1F00 11", "no identifier", 1);
        row("0x3FFFFFFF 11", "no identifier", 1);
        row("0x1F0 112", "no byte", 7);
        row("0x1F0 11 remote", "no byte", 10);
        row("0x1F0 1 2 3 4 5 6 7 8 9", "up to 8 bytes", 23);
        row("0x1F0 remote 9", "no length code", 14);
        row("0x1F0 remote 8 1", "no bytes", 16);
        row("0x310 fd 1 2 3 4 5 6 7 8 9", "has 9 bytes", 26);
        row("Blade Depth", "and not 'Depth'", 7);
        row("Blade A=1 A=2", "twice", 11);
        row("Blade A=\"1 2", "not closed", 7);
    }
    void mistakesInMessagesAreToldWithTheirColumn()
    {
        QFETCH(QString, text);
        QFETCH(QString, words);
        QFETCH(int, column);
        const auto typed = messageFromText(text.toStdString());
        QVERIFY(!typed);
        QVERIFY2(QString::fromStdString(typed.error().what).contains(words), typed.error().text().c_str());
        QCOMPARE(typed.error().column, column);
    }

    void valuesAreReadAsTheyAreTyped_data()
    {
        QTest::addColumn<QString>("signal");
        QTest::addColumn<QString>("text");
        QTest::addColumn<quint64>("bits");
        QTest::addColumn<QString>("words");
        const auto good = [](const char* signal, const char* text, quint64 bits) {
            QTest::addRow("%s=%s", signal, text) << QString::fromLatin1(signal) << QString::fromLatin1(text) << bits << QString();
        };
        const auto bad = [](const char* signal, const char* text, const char* words) {
            QTest::addRow("%s=%s", signal, text)
                << QString::fromLatin1(signal) << QString::fromLatin1(text) << quint64{0} << QString::fromLatin1(words);
        };
        good("BladeCommand.CommandedDepth", "3.5", 350);
        good("BladeCommand.CommandedDepth", "\"3.5 mm\"", 350);
        good("BladeCommand.CommandedDepth", "3.5mm", 350);
        good("BladeCommand.CommandedDepth", "0xA", 1000);
        good("BladeCommand.CommandedDepth", "-0.01", 0xFFF);
        good("BladeCommand.CommandedDepth", "1e0", 100);
        good("BladeCommand.CommandedDepth", "3.504", 350);
        good("BladeCommand.CommandedDepth", "3.506", 351);
        good("BladeCommand.Tilt", "-3", 0);
        good("BladeCommand.Tilt", "+0.1", 31);
        good("BladeCommand.Release", "on", 1);
        good("BladeCommand.Release", "\"not available\"", 3);
        good("BladeCommand.Release", "2", 2);
        good("Real.Whole", "18446744073709551615", ~quint64{0});
        good("Real.Whole", "9007199254740993", 9007199254740993U);
        good("Float.Share", "0.5", 0x3F000000);
        bad("BladeCommand.CommandedDepth", "20.48", "cannot hold 20.48. Its 12 bits hold -20.48 to 20.47 mm");
        bad("BladeCommand.CommandedDepth", "3.5 deg", "Its unit is mm");
        bad("BladeCommand.CommandedDepth", "deep", "It takes a number");
        bad("BladeCommand.CommandedDepth", "nan", "is no value");
        bad("BladeCommand.CommandedDepth", "", "has no value");
        bad("BladeCommand.Release", "onn", "Did you mean on?");
        bad("BladeCommand.Release", "4", "cannot hold 4");
        bad("BladeCommand.Release", "1 s", "It has no unit");
        bad("Real.Whole", "18446744073709551616", "cannot hold");
        bad("Real.Whole", "-1", "cannot hold");
        bad("Float.Share", "1e300", "cannot hold");
    }
    void valuesAreReadAsTheyAreTyped()
    {
        QFETCH(QString, signal);
        QFETCH(QString, text);
        QFETCH(quint64, bits);
        QFETCH(QString, words);
        const auto catalog = bladeCatalog();
        const auto ref = catalog->findSignal(signal.toStdString());
        QVERIFY(ref.has_value());
        const auto read = database::bitsFromText(ref->signal(), ref->message->plan.plan(ref->index), text.toStdString());
        if (!words.isEmpty()) {
            QVERIFY(!read);
            QVERIFY2(QString::fromStdString(read.error().text()).contains(words), read.error().text().c_str());
            return;
        }
        QVERIFY2(read.has_value(), read ? "" : read.error().text().c_str());
        QCOMPARE(quint64{*read}, bits);
    }

    // Whatever is read of a value means the same when it is typed again.
    void readingsAreTakenAsTheyAreShown()
    {
        std::mt19937_64 random(21);
        const auto catalog = bladeCatalog();
        for (const database::CatalogMessage& message : catalog->messages())
            for (std::uint32_t i = 0; i < message.message->signals.size(); ++i)
                for (int round = 0; round < 200; ++round) {
                    const database::Signal& signal = message.message->signals[i];
                    const database::SignalPlan& plan = message.plan.plan(i);
                    std::uint64_t bits = random() & plan.mask;
                    if (signal.type != database::ValueType::integer)
                        bits = 0x3F800000U + (bits & 0x3FFFFFU);        // an everyday number
                    const auto again = database::bitsFromText(signal, plan, database::readingOf(signal, plan, bits));
                    QVERIFY2(again.has_value(), database::readingOf(signal, plan, bits).c_str());
                    QVERIFY2(
                        *again == bits || signal.type != database::ValueType::integer, database::readingOf(signal, plan, bits).c_str());
                }
    }

    void payloadsHaveWhatIsGivenAndStartValues()
    {
        const auto catalog = bladeCatalog();
        const auto compose = [&](const char* name, std::vector<GivenBits> given) {
            const auto message = std::find_if(
                catalog->messages().begin(), catalog->messages().end(), [&](const auto& one) { return one.message->name == name; });
            return database::compose(*message->message, message->plan, given);
        };
        // CommandedDepth 350, Tilt's start value 40.
        auto made = compose("BladeCommand", {{0, 350}});
        QVERIFY(made && made->payload == bytes({0x5E, 0x81, 0x02, 0x00}));
        QVERIFY(made->unset == (std::vector<std::uint32_t>{1, 2, 3}));
        // The selector's start value chooses the page; another one is chosen by giving it.
        made = compose("Paged", {});
        QVERIFY(made && made->payload == bytes({2, 7, 0, 0}) && made->unset == (std::vector<std::uint32_t>{0, 2, 3}));
        made = compose("Paged", {{0, 0}, {3, 0x55}});
        QVERIFY(made && made->payload == bytes({0, 9, 0, 0x55}) && made->unset == (std::vector<std::uint32_t>{1}));
        made = compose("Paged", {{0, 5}});
        QVERIFY(made && made->payload == bytes({5, 0, 0, 0}));
        made = compose("Paged", {{1, 100}});
        QVERIFY(!made);
        QCOMPARE(made.error().text(), std::string("First is not in this frame of Paged: Page is count. It is there where Page is flow"));
    }

    // Random messages with pages and pages within them, beside putting each bit where it belongs.
    void payloadsAgreeWithPuttingBitByBit()
    {
        std::mt19937 random(31);
        const auto upTo = [&](unsigned most) { return static_cast<unsigned>(random() % (most + 1)); };
        std::size_t refused = 0, paged = 0;
        for (int round = 0; round < 4000; ++round) {
            database::Message message;
            message.name = "M";
            message.length = 8;
            const auto add = [&](const char* name, unsigned firstByte, unsigned count) -> database::Signal& {
                database::Signal signal;
                signal.name = name + std::to_string(message.signals.size());
                signal.order = random() % 2 == 0 ? database::ByteOrder::intel : database::ByteOrder::motorola;
                signal.length = 1 + upTo(8 * count - 1);
                signal.startBit = signal.order == database::ByteOrder::intel ? 8 * firstByte + upTo(8 * count - signal.length)
                                                                             : 8 * firstByte + 7;
                signal.isSigned = random() % 2 == 0;
                if (random() % 2 == 0)
                    signal.startRaw = static_cast<double>(signal.isSigned ? -1 : 1) * upTo((1U << std::min(signal.length - 1U, 20U)) - 1U);
                message.signals.push_back(signal);
                return message.signals.back();
            };
            database::Signal& selector = add("S", 0, 1);
            selector.mux = database::MuxRole::selector;
            selector.length = 3;
            selector.isSigned = false;
            selector.order = database::ByteOrder::intel;
            selector.startBit = upTo(5);
            selector.startRaw = random() % 2 == 0 ? std::optional<double>(upTo(3)) : std::nullopt;
            add("P", 1, 2);
            for (unsigned page = 0; page < 3; ++page) {
                database::Signal& on = add("Q", 3, 2);
                on.mux = database::MuxRole::multiplexed;
                on.muxValue = page;
            }
            database::Signal& inner = add("I", 5, 1);
            inner.mux = database::MuxRole::multiplexed;
            inner.muxValue = 1;
            inner.alsoSelector = true;
            inner.length = 2;
            inner.isSigned = false;
            inner.order = database::ByteOrder::intel;
            inner.startBit = 40;
            inner.startRaw = upTo(3);
            const std::string innerName = inner.name;
            message.signals[0].name = "Selector";
            for (unsigned page = 0; page < 2; ++page) {
                database::Signal& on = add("R", 6, 2);
                on.mux = database::MuxRole::multiplexed;
                on.muxSelector = innerName;
                on.muxRanges = {{page, page}};
            }
            for (database::Signal& signal : message.signals)
                if (signal.mux == database::MuxRole::multiplexed && signal.muxSelector.empty())
                    signal.muxSelector = "Selector";
            const database::MessagePlan plan(message);
            std::vector<GivenBits> given;
            std::map<std::uint32_t, std::uint64_t> wanted;
            for (std::uint32_t i = 0; i < message.signals.size(); ++i)
                if (random() % (i == 0 ? 2 : 5) == 0) {
                    given.push_back({i, random() & plan.plan(i).mask});
                    wanted[i] = given.back().bits;
                }
            std::shuffle(given.begin(), given.end(), random);
            // By hand: a value of a signal, given or of its start.
            const auto value = [&](std::uint32_t i) {
                if (const auto found = wanted.find(i); found != wanted.end())
                    return found->second;
                return static_cast<std::uint64_t>(static_cast<std::int64_t>(message.signals[i].startRaw.value_or(0))) & plan.plan(i).mask;
            };
            const std::uint64_t page = value(0);
            std::vector<std::uint8_t> payload(8);
            std::vector<std::uint32_t> unset;
            bool fits = true;
            for (std::uint32_t i = 0; i < message.signals.size(); ++i) {
                const database::Signal& signal = message.signals[i];
                const bool onPage = signal.mux != database::MuxRole::multiplexed
                                    || (signal.muxSelector == "Selector" && signal.muxValue == page)
                                    || (signal.muxSelector == innerName && page == 1 && signal.muxRanges[0].from == value(5));
                fits = fits && (onPage || !wanted.contains(i));
                if (!onPage)
                    continue;
                putPlainly(payload, signal, value(i));
                if (!wanted.contains(i))
                    unset.push_back(i);
            }
            const auto made = database::compose(message, plan, given);
            QCOMPARE(made.has_value(), fits);
            if (!fits) {
                ++refused;
                continue;
            }
            paged += page < 3 ? 1 : 0;
            QVERIFY(made->payload == payload);
            QVERIFY(made->unset == unset);
            // And what is read of it is what was given.
            for (const auto& [signal, bits] : wanted) {
                database::Decoded decoded;
                QVERIFY(plan.decodeOne(can::Payload(made->payload), signal, decoded) && decoded.bits == bits);
            }
        }
        QVERIFY(refused > 500 && paged > 500);
    }

    // Beat k at the begin + offset + k periods, whatever the bus does; so many of them; up to a moment.
    void beatsAreExact()
    {
        World world(R"([{"name": "G", "rows": [
            {"bus": "Main", "message": "BladeCommand", "signals": {"CommandedDepth": 3.5, "Release": {"label": "on"}, "Count": {"counter": {"modulo": 16}}}, "every": "10 ms", "count": 20},
            {"bus": "Main", "frame": "0x310 fdbrs 11 22", "every": "7 ms", "offset": "3 ms"},
            {"bus": "Other", "frame": "0x18FEF121 AA", "at": "42 ms", "burst": 3, "apart": "5 ms"},
            {"bus": "Other", "frame": "0x1F0 remote 4"}]}])");
        world.outbox->takePart({"G"});
        world.outbox->endAt(world.begins + 500ms);
        bool over = false;
        world.outbox->whenDone([&] { over = true; });
        world.outbox->start();
        world.run(499ms);
        QVERIFY(!over);
        world.run(2ms);
        QVERIFY(over && world.outbox->done());
        std::map<std::uint32_t, std::vector<can::Frame>> by;
        for (const can::Frame& frame : world.frames)
            by[frame.id.value].push_back(frame);
        QCOMPARE(by.size(), std::size_t{3});
        QCOMPARE(by[513].size(), std::size_t{20});
        QCOMPARE(by[0x310].size(), std::size_t{72});        // 3 ms + 71 x 7 ms is 500 ms: the last beat counts
        QCOMPARE(by[0x18FEF121].size(), std::size_t{3});
        for (std::size_t k = 0; k < 20; ++k) {
            const can::Frame& frame = by[513][k];
            QCOMPARE(frame.time, world.over(world.begins + k * 10ms, frame));
            QVERIFY(frame.data[0] == 0x5E && frame.data[1] == 0x81 && frame.data[2] == 0x02 && frame.data[3] == (1 | (k % 16) << 4U));
            QCOMPARE(frame.direction, can::Direction::sent);
        }
        for (std::size_t k = 0; k < 72; ++k) {
            const can::Frame& frame = by[0x310][k];
            const Time alone = world.over(world.begins + 3ms + k * 7ms, frame);
            // Where the other one has the bus, it waits.
            QVERIFY(frame.time == alone || (frame.time > alone && frame.time < alone + 400us));
            QVERIFY(frame.kind == can::FrameKind::fd && frame.brs && frame.length == 2);
        }
        for (std::size_t k = 0; k < 3; ++k)
            QCOMPARE(by[0x18FEF121][k].time, world.over(world.begins + 42ms + k * 5ms, by[0x18FEF121][k]));
        QCOMPARE(world.facts(0).sent, 20U);
        QCOMPARE(world.facts(1).sent, 72U);
        QVERIFY(std::chrono::abs(world.facts(0).kept - 10ms) < 10us && !world.facts(0).going && world.facts(3).sent == 0);
    }

    // More than the bus can carry: what it can goes out, the rest is counted.
    void aBusThatIsFullRefuses()
    {
        World world(R"([{"name": "G", "rows": [{"bus": "Other", "frame": "0x100 1 2 3 4 5 6 7 8", "every": "1 us"}]}])");
        world.outbox->takePart({"G"});
        world.outbox->endAt(world.begins + 100ms);
        world.outbox->start();
        world.run(300ms);
        QVERIFY(world.outbox->done());
        const OutboxRowFacts facts = world.facts(0);
        QCOMPARE(facts.sent, std::uint64_t{world.frames.size()});
        QCOMPARE(facts.offered, facts.sent);
        QCOMPARE(facts.sent + facts.refused, 100'001U);
        // The newest of what was refused, each with its moment: at 1 us there was never room for two in a row.
        QCOMPARE(facts.refusals.size(), std::size_t{64});
        for (std::size_t i = 0; i < facts.refusals.size(); ++i)
            QVERIFY(facts.refusals[i] <= world.begins + 100ms && (i == 0 || facts.refusals[i] - facts.refusals[i - 1] >= 1us));
        QVERIFY(facts.refusals.back() >= world.begins + 100ms - 200us);
        QVERIFY(facts.sent > 90 && facts.sent < 200);
        for (std::size_t i = 1; i < world.frames.size(); ++i)       // back to back
            QCOMPARE(world.frames[i].time - world.frames[i - 1].time, world.frames[1].time - world.frames[0].time);
    }

    // An answer to each frame that passes; so many; one that answers itself is held.
    void framesAreAnswered()
    {
        World world(R"([{"name": "G", "rows": [
            {"bus": "Main", "frame": "0x300 A1", "answer": "Page = 2", "after": "2 ms"},
            {"bus": "Other", "frame": "0x301 A2", "answer": "id 0x202", "count": 3},
            {"bus": "Main", "frame": "0x302 A3", "answer": "id 0x303 or id 0x302", "after": "1 ms"}]}])");
        world.outbox->takePart({"G"});
        world.outbox->start();
        const auto ask = [&](unsigned id, std::uint8_t first) {
            can::Frame frame;
            frame.id = {id, false};
            frame.length = frame.dlc = 4;
            frame.data[0] = first;
            QVERIFY(world.main.offer(world.partner, frame));
        };
        for (int i = 0; i < 6; ++i) {
            ask(0x202, i % 2 == 0 ? 2 : 0);
            world.run(10ms);
        }
        std::vector<can::Frame> asked, late, other;
        for (const can::Frame& frame : world.frames)
            (frame.id.value == 0x202 ? asked : frame.id.value == 0x300 ? late : other).push_back(frame);
        QCOMPARE(asked.size(), std::size_t{6});
        QCOMPARE(late.size(), std::size_t{3});
        QCOMPARE(other.size(), std::size_t{3});
        for (std::size_t i = 0; i < 3; ++i) {
            QCOMPARE(late[i].time, world.over(asked[2 * i].time + 2ms, late[i]));
            QVERIFY(other[i].id.value == 0x301 && other[i].time > asked[i].time && other[i].time < asked[i].time + 2ms);
        }
        QVERIFY(!world.facts(1).going && world.facts(0).going);
        world.frames.clear();
        ask(0x303, 0);
        world.run(1s);
        QCOMPARE(world.facts(2).sent, 64U);
        QVERIFY(!world.facts(2).going);
        QVERIFY2(world.facts(2).problem.find("answered answers 64 times") != std::string::npos, world.facts(2).problem.c_str());
        QVERIFY(world.facts(0).problem.empty());
    }

    // At random: rows begun, held, sent and edited, beside a plain list of what is due.
    void aRandomSequenceGivesTheFramesOfAPlainModel()
    {
        std::uint64_t all = 0;
        for (unsigned seed = 0; seed < 40; ++seed) {
            std::mt19937 random(seed);
            World world(R"([{"name": "G", "rows": [
                {"bus": "Main", "frame": "0x110 00 00", "every": "11 ms"},
                {"bus": "Main", "frame": "0x111 00 00", "every": "17 ms", "gathers": true, "count": 9},
                {"bus": "Main", "frame": "0x112 00 00"},
                {"bus": "Main", "frame": "0x113 00 00", "every": "29 ms", "offset": "4 ms", "gathers": true}]}])");
            struct Plain {
                Time every{}, offset{};
                bool gathers = false;
                int count = 0;
                bool going = false;
                Time origin{};
                int beat = 0;
                std::map<unsigned, unsigned> now{}, waits{};
            };
            std::vector<Plain> plain = {{11ms, 0ms, false, 0}, {17ms, 0ms, true, 9}, {0ms, 0ms, false, 0}, {29ms, 4ms, true, 0}};
            std::vector<std::tuple<Time, unsigned, unsigned, unsigned>> wanted;     // offered, row, bytes
            const auto note = [&](Time time, unsigned row) { wanted.emplace_back(time, row, plain[row].now[0], plain[row].now[1]); };
            const auto passTo = [&](Time until) {
                for (unsigned row = 0; row < 4; ++row)
                    for (Plain& one = plain[row]; one.going && one.origin + one.beat * one.every <= until;) {
                        note(one.origin + one.beat * one.every, row);
                        ++one.beat;
                        one.going = one.count == 0 || one.beat < one.count;
                    }
            };
            for (int step = 0; step < 60; ++step) {
                const unsigned row = random() % 4;
                Plain& one = plain[row];
                const Time now = world.scheduler.now();
                switch (random() % 4) {
                case 0:
                    world.outbox->go(row);
                    if (row == 2) {
                        note(now, row);
                    } else {
                        one.going = true;
                        one.origin = now + one.offset;
                        one.beat = 0;
                    }
                    break;
                case 1:
                    world.outbox->hold(row);
                    one.going = false;
                    break;
                case 2:
                    world.outbox->send(row);
                    for (const auto& [place, value] : std::exchange(one.waits, {}))
                        one.now[place] = value;
                    note(now, row);
                    break;
                default: {
                    const unsigned place = random() % 2, value = random() % 256;
                    QVERIFY(world.outbox->set(row, place, value));
                    one.waits.erase(place);
                    if (!one.gathers || !one.going)
                        one.now[place] = value;
                    else if (one.now[place] != value)
                        one.waits[place] = value;
                }
                }
                QVERIFY(world.facts(row).waiting.size() >= one.waits.size());
                // Not at the instant of a beat, where it would be open which comes first.
                const Time next = now + std::chrono::microseconds(1000 * (random() % 40) + 500 + step);
                world.scheduler.runUntil(next);
                passTo(next);
            }
            for (std::size_t row = 0; row < 4; ++row)
                world.outbox->hold(row);
            world.run(10ms);        // what waits for the bus
            std::stable_sort(wanted.begin(), wanted.end(), [](const auto& a, const auto& b) { return std::get<0>(a) < std::get<0>(b); });
            QCOMPARE(world.frames.size(), wanted.size());
            all += wanted.size();
            // The wire may turn round what is offered together; each row by itself keeps its order.
            for (unsigned row = 0; row < 4; ++row) {
                std::vector<std::tuple<Time, unsigned, unsigned, unsigned>> due;
                for (const auto& one : wanted)
                    if (std::get<1>(one) == row)
                        due.push_back(one);
                std::size_t k = 0;
                for (const can::Frame& frame : world.frames)
                    if (frame.id.value == 0x110 + row) {
                        QVERIFY(frame.data[0] == std::get<2>(due[k]) && frame.data[1] == std::get<3>(due[k]));
                        QVERIFY(frame.time >= world.over(std::get<0>(due[k]), frame) && frame.time < std::get<0>(due[k]) + 3ms);
                        ++k;
                    }
                QCOMPARE(k, due.size());
            }
        }
        QVERIFY(all > 2000);
    }

    // A signal that follows a source, until somebody gives it a value.
    void signalsFollowSources()
    {
        World world(R"([{"name": "G", "rows": [{"bus": "Main", "message": "BladeCommand", "every": "10 ms",
            "signals": {"CommandedDepth": {"ramp": {"begins": 0, "lasts": "1 s", "from": 0, "to": 10}}, "Tilt": "BladeCommand.CommandedDepth / 10",
                        "Count": {"counter": {"modulo": 4}}}}]}])");
        world.outbox->takePart({"G"});
        world.outbox->start();
        world.run(505ms);
        const auto depth = [&](const can::Frame& frame) { return (frame.data[0] | (frame.data[1] & 0xF) << 8) * 0.01; };
        QCOMPARE(world.frames.size(), std::size_t{51});
        for (std::size_t k = 0; k < 51; ++k) {
            QVERIFY(std::abs(depth(world.frames[k]) - 0.1 * static_cast<double>(k)) < 0.006);
            QCOMPARE(world.frames[k].data[3] >> 4, static_cast<int>(k % 4));
            // What it heard itself say with the beat before.
            const int tilt = (world.frames[k].data[1] >> 4 | (world.frames[k].data[2] & 0x3F) << 4);
            if (k > 0)
                QVERIFY(std::abs(tilt * 0.1 - 3 - depth(world.frames[k - 1]) / 10) < 0.06);
        }
        QVERIFY(world.outbox->set(0, 0, 350));
        world.run(10ms);
        QCOMPARE(depth(world.frames.back()), 3.5);
        QVERIFY(!world.outbox->set(0, 9, 1));
    }

    // Rows are edited while they go out: beats and counters go on, what gathers waits, and what is new rests.
    void editedRowsKeepTheirBeat()
    {
        World world(R"([{"name": "G", "rows": [
            {"bus": "Main", "message": "BladeCommand", "every": "10 ms", "signals": {"CommandedDepth": 1, "Count": {"counter": {"modulo": 16}}}},
            {"bus": "Main", "frame": "0x310 01 02", "every": "10 ms", "gathers": true},
            {"bus": "Main", "frame": "0x311 01", "every": "10 ms"}]}])");
        const auto put = [&](const char* groups) {
            const auto document = nlohmann::json::parse(groups);
            world.outbox->put(outboxFromJson(JsonReader(document, "/outbox")));
        };
        world.outbox->takePart({"G"});
        world.outbox->start();
        world.run(95ms);
        // In another order, with other values, one gone and one new.
        put(R"([{"name": "G", "rows": [
            {"bus": "Main", "message": "BladeCommand", "every": "10 ms", "signals": {"CommandedDepth": 2, "Count": {"counter": {"modulo": 16}}}},
            {"bus": "Main", "frame": "0x310 01 02", "every": "10 ms", "gathers": true, "bytes": {"0": 9}},
            {"bus": "Main", "frame": "0x312 01", "every": "10 ms"}]}])");
        QCOMPARE(world.facts(1).waiting.size(), std::size_t{1});
        QVERIFY(world.facts(0).going && world.facts(1).going && !world.facts(2).going);
        world.run(100ms);
        world.outbox->send(1);
        world.run(4ms);
        QCOMPARE(world.facts(1).waiting.size(), std::size_t{0});
        put(R"([{"name": "First", "rows": [{"bus": "Main", "frame": "0x310 01 02", "every": "10 ms", "gathers": true, "bytes": {"0": 9}}]},
            {"name": "G", "rows": [{"bus": "Main", "message": "BladeCommand", "every": "10 ms", "signals": {"CommandedDepth": 2, "Count": {"counter": {"modulo": 16}}}}]}])");
        QVERIFY(world.facts(0).going && world.facts(1).going);
        world.run(100ms);
        std::map<std::uint32_t, std::vector<can::Frame>> by;
        for (const can::Frame& frame : world.frames)
            by[frame.id.value].push_back(frame);
        QCOMPARE(by[0x311].size(), std::size_t{10});
        QVERIFY(!by.contains(0x312));
        QCOMPARE(by[513].size(), std::size_t{30});
        for (std::size_t k = 0; k < 30; ++k) {
            QCOMPARE(by[513][k].data[3] >> 4, static_cast<int>(k % 16));
            QCOMPARE(unsigned{by[513][k].data[0]}, k < 10 ? 100U : 200U);
            QVERIFY(by[513][k].time > world.begins + k * 10ms && by[513][k].time < world.begins + k * 10ms + 1ms);
        }
        QCOMPARE(by[0x310].size(), std::size_t{31});        // one by hand
        for (std::size_t k = 0; k < 31; ++k)
            QCOMPARE(unsigned{by[0x310][k].data[0]}, k < 20 ? 1U : 9U);
        QCOMPARE(world.facts(0).sent, 31U);
        // Rows that go out are taken away, all of them.
        put(R"([{"name": "G", "rows": []}])");
        world.run(50ms);
        QVERIFY(world.outbox->done() && world.outbox->rowCount() == 0);
        put(R"([{"name": "G", "rows": [{"bus": "Main", "frame": "0x313 01"}]}])");
        world.outbox->send(0);
        world.run(5ms);
        QVERIFY(world.facts(0).sent == 1 && world.outbox->done());
    }

    void whatCannotBeSentSaysWhy_data()
    {
        QTest::addColumn<QString>("row");
        QTest::addColumn<QString>("words");
        const auto row = [](const char* json, const char* words) {
            QTest::newRow(words) << QString::fromLatin1(json) << QString::fromLatin1(words);
        };
        row(R"({"bus": "Mian", "frame": "0x1F0"})", "no bus 'Mian'. Did you mean Main?");
        row(R"({"bus": "Main", "message": "BladeComand"})",
            "no database of Main has the message 'BladeComand'. Did you mean BladeCommand?");
        row(R"({"bus": "Main", "message": "BladeCommand", "signals": {"Depth": 1}})", "has no signal 'Depth'");
        row(R"({"bus": "Main", "message": "BladeCommand", "signals": {"CommandedDepth": 21}})", "CommandedDepth cannot hold 21");
        row(R"({"bus": "Main", "message": "BladeCommand", "signals": {"Release": {"label": "up"}}})", "no text \"up\"");
        row(R"({"bus": "Main", "message": "Paged", "signals": {"First": 1}})", "First is not in this frame of Paged");
        row(R"({"bus": "Other", "frame": "0x310 fd 11"})", "bus Other");
        row(R"({"bus": "Main", "frame": "0x310 11", "answer": "Page ="})", "answer Page =");
        row(R"({"bus": "Main", "frame": "0x310 11", "bytes": {"3": 1}})", "has no byte '3'");
    }
    void whatCannotBeSentSaysWhy()
    {
        QFETCH(QString, row);
        QFETCH(QString, words);
        World world(
            QStringLiteral(R"([{"name": "G", "rows": [%1, {"bus": "Main", "frame": "0x100 1", "every": "10 ms"}]}])").arg(row).toUtf8());
        QVERIFY2(QString::fromStdString(world.outbox->problem(0)).contains(words), world.outbox->problem(0).c_str());
        world.outbox->takePart({"G"});
        world.outbox->start();
        world.outbox->go(0);
        world.outbox->send(0);
        world.run(25ms);
        // The other row goes out all the same.
        QCOMPARE(world.facts(0).offered, 0U);
        QCOMPARE(world.facts(1).sent, 3U);
    }

    void documentsThatAreWrongSayWhere_data()
    {
        QTest::addColumn<QString>("row");
        QTest::addColumn<QString>("where");
        const auto row = [](const char* json, const char* where) {
            QTest::newRow(json) << QString::fromLatin1(json) << QString::fromLatin1(where);
        };
        row(R"({"frame": "0x1F0"})", "/outbox/0/rows/0/bus");
        row(R"({"bus": "Main"})", "/outbox/0/rows/0");
        row(R"({"bus": "Main", "frame": "0x1F0", "message": "X"})", "/outbox/0/rows/0");
        row(R"({"bus": "Main", "frame": "0x1F0 1 2 3 4 5 6 7 8 9"})", "/outbox/0/rows/0/frame");
        row(R"({"bus": "Main", "frame": "0x1F0", "every": "0 ms"})", "/outbox/0/rows/0/every");
        row(R"({"bus": "Main", "frame": "0x1F0", "every": "1 ms", "at": "2 s"})", "/outbox/0/rows/0");
        row(R"({"bus": "Main", "frame": "0x1F0", "held": true})", "/outbox/0/rows/0/held");
        row(R"({"bus": "Main", "frame": "0x1F0", "burst": 0})", "/outbox/0/rows/0/burst");
        row(R"({"bus": "Main", "frame": "0x1F0", "count": -1})", "/outbox/0/rows/0/count");
        row(R"({"bus": "Main", "frame": "0x1F0", "overflow": "wrap"})", "/outbox/0/rows/0/overflow");
        row(R"({"bus": "Main", "frame": "0x1F0", "bytes": {"0": {"wobble": 1}}})", "/outbox/0/rows/0/bytes/0");
    }
    void documentsThatAreWrongSayWhere()
    {
        QFETCH(QString, row);
        QFETCH(QString, where);
        const auto document = nlohmann::json::parse(QStringLiteral(R"([{"name": "G", "rows": [%1]}])").arg(row).toStdString());
        try {
            (void)outboxFromJson(JsonReader(document, "/outbox"));
            QFAIL("it was taken");
        } catch (const JsonFailure& failure) {
            QCOMPARE(QString::fromStdString(failure.error.where), where);
            QVERIFY(!failure.error.what.empty());
        }
    }
};

QTEST_GUILESS_MAIN(SendingTest)
#include "sending_test.moc"
