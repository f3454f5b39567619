// SPDX-License-Identifier: GPL-3.0-or-later
// What must hold on any simulated bus, whatever is sent: nothing lost, nothing doubled, no two frames at once, the
// dominant one first; and the length of CAN FD frames against a slow reference that counts bit by bit.
#include <QTest>

#include <algorithm>
#include <array>
#include <map>
#include <random>

#include "bus/simulated_bus.h"
#include "can/wire_bits.h"

using namespace wavetrope;
using namespace wavetrope::bus;

namespace {

struct Recorder final : Listener {
    std::vector<std::pair<can::Frame, Port>> frames;
    void onFrame(const can::FrameView& frame, Port sender) override { frames.emplace_back(can::Frame(frame), sender); }
};

// Counts the bits of an FD frame one after the other, as ISO 11898-1:2015, 10.4.2 and 10.5 lay them down.
can::WireLength slowFdLength(const can::Frame& frame)
{
    std::vector<std::pair<int, bool>> bits;  // value, and whether it is sent in the data phase
    const auto put = [&](std::uint32_t value, int width, bool data) {
        for (int bit = width - 1; bit >= 0; --bit)
            bits.emplace_back((value >> bit) & 1U, data);
    };
    put(0, 1, false);
    if (frame.id.extended) {
        put(frame.id.value >> 18, 11, false);
        put(3, 2, false);
        put(frame.id.value & 0x3FFFF, 18, false);
        put(0, 1, false);
    } else {
        put(frame.id.value, 11, false);
        put(0, 2, false);
    }
    put(1, 1, false);
    put(0, 1, false);
    put(frame.brs ? 1 : 0, 1, false);
    put(frame.esi ? 1 : 0, 1, true);
    put(frame.dlc, 4, true);
    for (unsigned i = 0; i < frame.length; ++i)
        put(frame.data[i], 8, true);

    can::WireLength length;
    const auto count = [&](bool data) { ++(data && frame.brs ? length.dataBits : length.nominalBits); };
    int run = 0;
    int last = -1;
    for (std::size_t i = 0; i < bits.size(); ++i) {
        count(bits[i].second);
        run = bits[i].first == last ? run + 1 : 1;
        last = bits[i].first;
        if (run == 5 && i + 1 < bits.size()) {  // behind the last data bit the fixed stuff bit stands instead
            ++length.stuffBits;
            count(bits[i + 1].second);          // the stuff bit goes with the bit that it precedes
            last = 1 - last;
            run = 1;
        }
    }
    const int crcField = frame.length > 16 ? 4 + 21 : 4 + 17;
    for (int i = 0; i < crcField; ++i) {
        if (i % 4 == 0)
            count(true);  // a fixed stuff bit in front of every fourth
        count(true);
    }
    for (int i = 0; i < 10; ++i)
        count(false);  // CRC delimiter, acknowledge and its delimiter, end of frame
    return length;
}

can::Frame randomFrame(std::mt19937& random, bool fd)
{
    can::Frame frame;
    frame.id.extended = random() % 2 != 0;
    frame.id.value = random() & (frame.id.extended ? 0x1FFFFFFFU : 0x7FFU);
    frame.kind = fd ? can::FrameKind::fd : random() % 10 == 0 ? can::FrameKind::remote : can::FrameKind::data;
    frame.brs = fd && random() % 2 != 0;
    frame.esi = fd && random() % 4 == 0;
    frame.dlc = static_cast<std::uint8_t>(random() % (fd ? 16 : 9));
    frame.length = frame.kind == can::FrameKind::remote ? std::uint8_t{0} : static_cast<std::uint8_t>(can::lengthOfDlc(frame.dlc));
    const unsigned style = random() % 4;
    for (auto& byte : frame.data)
        byte = style == 0 ? std::uint8_t{0} : style == 1 ? std::uint8_t{0xFF} : static_cast<std::uint8_t>(random());
    return frame;
}

}  // namespace

class BusPropertyTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void fdLengthsAgreeWithCountingBitByBit()
    {
        std::mt19937 random(81);
        for (int i = 0; i < 30'000; ++i) {
            const can::Frame frame = randomFrame(random, true);
            const can::WireLength fast = can::wireLength(frame.view());
            const can::WireLength slow = slowFdLength(frame);
            QVERIFY2(fast == slow, qPrintable(QStringLiteral("%1 dlc %2 brs %3: %4+%5 against %6+%7")
                                           .arg(QString::fromStdString(can::toText(frame.id)))
                                           .arg(frame.dlc)
                                           .arg(frame.brs)
                                           .arg(fast.nominalBits)
                                           .arg(fast.dataBits)
                                           .arg(slow.nominalBits)
                                           .arg(slow.dataBits)));
        }
    }

    void nothingIsLostDoubledOrSentAtOnce_data()
    {
        QTest::addColumn<bool>("fd");
        QTest::addColumn<int>("nodes");
        QTest::newRow("one classic node") << false << 1;
        QTest::newRow("eight classic nodes") << false << 8;
        QTest::newRow("five FD nodes") << true << 5;
    }
    void nothingIsLostDoubledOrSentAtOnce()
    {
        QFETCH(bool, fd);
        QFETCH(int, nodes);
        std::mt19937 random(82);
        const can::BitRate rate{500'000, fd ? 2'000'000U : 0U};
        clock::Scheduler scheduler;
        SimulatedBus bus(scheduler, {rate, 0, 10'000, true});
        Recorder recorder;
        bus.listen(&recorder);
        for (int i = 0; i < nodes; ++i)
            bus.attach("node", can::Direction::received);
        // Each node has identifiers of its own: its number in the lowest bits.
        using Key = std::pair<std::uint32_t, can::FrameKind>;  // data goes before remote
        std::map<Key, std::vector<std::array<std::uint8_t, 64>>> offered;
        std::size_t count = 0;
        for (int round = 0; round < 400; ++round) {
            for (unsigned k = 0; k < random() % 6; ++k) {
                const auto port = random() % static_cast<unsigned>(nodes);
                can::Frame frame = randomFrame(random, fd);
                frame.id.value = (frame.id.value & ~7U) | port;
                QVERIFY(bus.offer(port, frame));
                offered[{frame.id.key(), frame.kind}].push_back(frame.data);
                ++count;
            }
            scheduler.runUntil(scheduler.now() + std::chrono::microseconds(random() % 900));
        }
        scheduler.runUntil(scheduler.now() + std::chrono::seconds(5));
        QCOMPARE(recorder.frames.size(), count);
        std::map<Key, std::size_t> seen;
        Time free{0};
        for (const auto& [frame, port] : recorder.frames) {
            QCOMPARE(frame.id.value & 7U, port);
            const can::WireLength bits = can::wireLength(frame.view());
            QVERIFY(frame.time - can::duration(bits, rate) >= free);  // it began when the one before had gone
            free = frame.time + can::duration({can::intermissionBits, 0, 0}, rate);
            // Frames of one identifier keep the order in which they were offered.
            const Key key{frame.id.key(), frame.kind};
            QVERIFY(std::equal(frame.data.begin(), frame.data.begin() + frame.length, offered[key][seen[key]++].begin()));
        }
    }

    void ofThoseThatWaitTheDominantGoesFirst()
    {
        std::mt19937 random(83);
        for (int round = 0; round < 200; ++round) {
            clock::Scheduler scheduler;
            SimulatedBus bus(scheduler, {{500'000, 0}, 0, 64, true});
            Recorder recorder;
            bus.listen(&recorder);
            std::vector<std::uint32_t> keys;
            for (unsigned i = 0; i < 8; ++i) {
                can::Frame frame = randomFrame(random, false);
                frame.id.value = (frame.id.value & ~7U) | i;
                bus.offer(bus.attach("node", can::Direction::received), frame);
                keys.push_back(can::arbitrationBits(frame));
            }
            scheduler.runUntil(std::chrono::milliseconds(10));
            std::sort(keys.begin(), keys.end());
            QCOMPARE(recorder.frames.size(), keys.size());
            for (std::size_t i = 0; i < keys.size(); ++i)
                QCOMPARE(can::arbitrationBits(recorder.frames[i].first), keys[i]);
        }
    }

    void aFullBusCarriesFrameBehindFrame()
    {
        clock::Scheduler scheduler;
        SimulatedBus bus(scheduler, {{250'000, 0}, 0, 200, true});
        Recorder recorder;
        bus.listen(&recorder);
        const Port port = bus.attach("node", can::Direction::received);
        std::mt19937 random(84);
        std::int64_t busy = 0;
        for (int i = 0; i < 100; ++i) {
            can::Frame frame = randomFrame(random, false);
            bus.offer(port, frame);
            busy += can::occupancy(can::wireLength(frame.view()), {250'000, 0}).count();
        }
        scheduler.runUntil(std::chrono::seconds(1));
        QCOMPARE(recorder.frames.size(), 100U);
        QCOMPARE(recorder.frames.back().first.time.count() + 3 * 4000, busy);
    }

    // Faults on the wire against a plain model of fault confinement (ISO 11898-1:2015, 12.1.4): one sender, two receivers that stay active.
    void faultsCountAsTheStandardSays()
    {
        using Kind = WireFault::Kind;
        for (unsigned seed = 1; seed <= 60; ++seed) {
            std::mt19937 random(seed);
            clock::Scheduler scheduler;
            SimulatedBus bus(scheduler, {{250'000, 0}, 0, 64, random() % 2 == 0});
            const Port sender = bus.attach("sender", can::Direction::received);
            const Port first = bus.attach("first", can::Direction::received), second = bus.attach("second", can::Direction::received);
            Recorder recorder;
            bus.listen(&recorder);
            const Time bit(4'000);
            unsigned transmit = 0, receive = 0;
            std::uint64_t errors = 0;
            for (int round = 0; round < 60; ++round) {
                can::Frame frame = randomFrame(random, false);
                frame.kind = can::FrameKind::data;
                frame.dlc = frame.length = static_cast<std::uint8_t>(1 + random() % 8);
                if (frame.id == can::Identifier{0x7FE, false})
                    continue;
                const auto trace = can::wireTrace(frame.view());
                const bool stuffed = std::any_of(
                    trace.begin(), trace.end(), [](const can::WireBit& one) { return one.stuff && !one.arbitration; });
                WireFault fault;
                fault.kind = std::array{Kind::bit, Kind::stuff, Kind::crc, Kind::form, Kind::acknowledge}[random() % 5];
                fault.times = random() % 3 == 0 ? 1 + random() % 10 : 1 + random() % 2;
                fault.from = scheduler.now();
                if (random() % 2 == 0)
                    fault.id = frame.id;
                const bool wanted = random() % 2 == 0 && (fault.kind != Kind::stuff || stuffed);
                // Bus off is another matter.
                while (fault.times > 1 && transmit + 8 * fault.times > 255)
                    --fault.times;
                if (wanted && transmit + 8 * fault.times <= 255) {
                    WireFault other = fault;
                    other.id = can::Identifier{0x7FE, false};
                    other.times = 1;
                    bus.disturb(other);  // goes by
                    bus.disturb(fault);
                } else {
                    fault.times = 0;
                }
                const std::size_t before = recorder.frames.size();
                QVERIFY(bus.offer(sender, frame));
                scheduler.runUntil(scheduler.now() + std::chrono::milliseconds(400));
                const auto whole = static_cast<std::int64_t>(can::wireLength(frame.view()).nominalBits);
                QCOMPARE(recorder.frames.size() - before, std::size_t{fault.times} + 1);
                for (std::size_t i = before; i < recorder.frames.size(); ++i) {
                    const can::Frame& seen = recorder.frames[i].first;
                    const bool last = i + 1 == recorder.frames.size();
                    QCOMPARE(seen.kind == can::FrameKind::error, !last);
                    const bool passive = transmit >= 128;
                    if (i > before) {
                        // Behind an error frame three bits, and eight more for a sender that is passive.
                        const Time start = recorder.frames[i - 1].first.time + bit * (3 + (passive ? 8 : 0));
                        const bool unheard = fault.kind == Kind::acknowledge && passive;
                        if (last)
                            QCOMPARE(seen.time, start + bit * whole);
                        else if (fault.kind == Kind::form)
                            QCOMPARE(seen.time, start + bit * (whole - 9 + 6 + 8));
                        else if (fault.kind == Kind::crc || fault.kind == Kind::acknowledge)
                            QCOMPARE(seen.time, start + bit * (whole - 8 + (unheard ? 6 : 7) + 8));
                        else
                            QVERIFY(seen.time > start + bit * (14 + 8) && seen.time < start + bit * (whole + 12 + 8));
                    }
                    if (!last) {
                        ++errors;
                        const bool unheard = fault.kind == Kind::acknowledge && passive;
                        transmit += unheard ? 0 : 8;
                        receive += unheard ? 0 : 1;
                        continue;
                    }
                    QVERIFY(std::equal(frame.data.begin(), frame.data.begin() + frame.length, seen.data.begin()));
                    transmit -= transmit > 0 ? 1 : 0;
                    receive -= receive > 0 ? 1 : 0;
                }
                QCOMPARE(bus.counters(sender).transmit(), transmit);
                QCOMPARE(bus.counters(first).receive(), receive);
                QCOMPARE(bus.counters(second).receive(), receive);
                QCOMPARE(bus.disturbed(), errors);
            }
        }
    }

    void aDisturbedSenderGoesBusOff()
    {
        clock::Scheduler scheduler;
        SimulatedBus bus(scheduler, {{250'000, 0}, 0, 64, true});
        const Port sender = bus.attach("sender", can::Direction::received);
        (void)bus.attach("other", can::Direction::received);
        Recorder recorder;
        bus.listen(&recorder);
        bus.disturb({WireFault::Kind::form, std::nullopt, Time{0}, 32});
        can::Frame frame;
        frame.id = {0x181, false};
        frame.dlc = frame.length = 8;
        QVERIFY(bus.offer(sender, frame));
        scheduler.runUntil(std::chrono::seconds(1));
        QCOMPARE(recorder.frames.size(), std::size_t{32});
        QVERIFY(bus.isOff(sender));
        QCOMPARE(bus.counters(sender).transmit(), 256U);
        QVERIFY((recorder.frames.back().first.id.value & 0x40U) != 0);
        bus.restart(sender);
        QVERIFY(bus.offer(sender, frame) || bus.waiting(sender) > 0);
        scheduler.runUntil(std::chrono::seconds(2));
        QVERIFY(!bus.isOff(sender));
        QCOMPARE(recorder.frames.back().first.kind, can::FrameKind::data);
    }
};

QTEST_APPLESS_MAIN(BusPropertyTest)
#include "bus_property_test.moc"
