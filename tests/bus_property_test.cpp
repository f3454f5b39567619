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
};

QTEST_APPLESS_MAIN(BusPropertyTest)
#include "bus_property_test.moc"
