// SPDX-License-Identifier: GPL-3.0-or-later
// What happens inside a frame when transmitters disagree or misread, bit by bit; and fault confinement around it.
#include <QTest>

#include <random>

#include "bus/collision.h"
#include "bus/simulated_bus.h"
#include "can/wire_bits.h"

using namespace wavetrope;
using namespace wavetrope::bus;
using can::ErrorState;

namespace {

Transmitter transmitter(const char* bits, ErrorState state = ErrorState::active)
{
    Transmitter out;
    out.state = state;
    for (const char* at = bits; *at != '\0'; ++at)
        if (*at != ' ')
            out.bits.push_back({static_cast<std::uint8_t>(*at == '1' ? 1 : 0), false, false, false, can::Place::data});
    return out;
}

// A common head that stuffs nothing, and a tail that changes often.
const std::string head = "0 0101 0101";
const std::string tail = " 0110 0110 0110 0110 0110 0110";

constexpr Audience activeReceivers{true, false};

struct Seen : Listener {
    virtual ~Seen() = default;
    std::vector<can::Frame> frames;
    void onFrame(const can::FrameView& frame, Port) override { frames.emplace_back(frame); }
};

can::Frame frameOf(std::uint32_t id, std::uint8_t first)
{
    can::Frame frame;
    frame.id = {id, false};
    frame.length = frame.dlc = 1;
    frame.data[0] = first;
    return frame;
}

}  // namespace

class CollisionTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void agreeingTransmittersBothGetThrough()
    {
        const auto outcome = followCollision({transmitter((head + tail).c_str()), transmitter((head + tail).c_str())}, activeReceivers);
        QVERIFY(outcome.survived[0] && outcome.survived[1]);
        QVERIFY(!outcome.transmitterFlagged[0] && !outcome.transmitterFlagged[1]);
        QVERIFY(!outcome.active.flagged);
    }

    void twoActiveOnesDestroyEachOther()
    {
        const auto outcome = followCollision(
            {transmitter((head + "0" + tail).c_str()), transmitter((head + "1" + tail).c_str())}, activeReceivers);
        QVERIFY(!outcome.anySurvivor());
        QVERIFY(outcome.transmitterFlagged[0] && outcome.transmitterFlagged[1]);
        QVERIFY(outcome.active.flagged);
    }

    void aPassiveOneLeavesTheDominantFrameAlone()
    {
        const auto outcome = followCollision(
            {transmitter((head + "0" + tail).c_str(), ErrorState::passive), transmitter((head + "1" + tail).c_str(), ErrorState::passive)},
            activeReceivers);
        QVERIFY(outcome.survived[0] && !outcome.survived[1]);
        QVERIFY(!outcome.transmitterFlagged[0]);
        QVERIFY(outcome.transmitterFlagged[1]);
        QVERIFY(!outcome.active.flagged);
    }

    void anActiveOneWithTheRecessiveBitDestroysThePassiveOne()
    {
        const auto outcome = followCollision(
            {transmitter((head + "0" + tail).c_str(), ErrorState::passive), transmitter((head + "1" + tail).c_str(), ErrorState::active)},
            activeReceivers);
        QVERIFY(!outcome.anySurvivor());
        QVERIFY(outcome.transmitterFlagged[0] && outcome.transmitterFlagged[1]);
    }

    void aMisreadBitRaisesAFlagThatReceiversAnswer()
    {
        Transmitter alone = transmitter((head + tail).c_str());
        alone.misreads = 10;
        const auto outcome = followCollision({alone}, activeReceivers);
        QVERIFY(!outcome.anySurvivor());
        QVERIFY(outcome.transmitterFlagged[0]);
        QVERIFY(outcome.active.flagged);
        QVERIFY(outcome.bits >= 11 + 6 + 8 && outcome.bits <= 11 + 12 + 8);
    }

    void aPassiveTransmittersFlagIsAnsweredByTheReceivers()
    {
        Transmitter alone = transmitter((head + tail).c_str(), ErrorState::passive);
        alone.misreads = 10;
        const auto outcome = followCollision({alone}, activeReceivers);
        QVERIFY(!outcome.anySurvivor());
        QVERIFY(outcome.active.flagged);
    }

    void theLengthIsThatOfFlagsAndDelimiter_data()
    {
        QTest::addColumn<int>("at");
        for (const int at : {1, 5, 9, 14, 20})
            QTest::newRow(QByteArray::number(at).constData()) << at;
    }
    void theLengthIsThatOfFlagsAndDelimiter()
    {
        QFETCH(int, at);
        Transmitter one = transmitter("0101 0101 0101 0101 0101 0101 0101 0101");
        Transmitter two = one;
        one.bits[static_cast<std::size_t>(at)].value = 0;
        two.bits[static_cast<std::size_t>(at)].value = 1;
        const auto outcome = followCollision({one, two}, activeReceivers);
        QVERIFY(!outcome.anySurvivor());
        const auto behind = outcome.bits - static_cast<std::size_t>(at) - 1;
        QVERIFY2(behind >= 6 + 8 && behind <= 12 + 8, std::to_string(behind).c_str());
    }

    void manyRandomFramesEndWithOneOutcome()
    {
        std::mt19937 random(61);
        for (int i = 0; i < 3000; ++i) {
            std::vector<Transmitter> parties;
            const std::uint32_t id = random() % 0x800;
            const unsigned count = 2 + random() % 3;
            for (unsigned k = 0; k < count; ++k) {
                const can::Frame frame = frameOf(id, static_cast<std::uint8_t>(random()));
                parties.push_back(
                    {can::wireTrace(frame.view()), random() % 2 != 0 ? ErrorState::active : ErrorState::passive, std::nullopt});
            }
            const auto outcome = followCollision(parties, {random() % 2 != 0, random() % 2 != 0});
            QVERIFY(outcome.anySurvivor() || outcome.bits >= 8);
            for (std::size_t k = 0; k < count; ++k)
                QVERIFY(!(outcome.survived[k] && outcome.transmitterFlagged[k]));
            if (!outcome.anySurvivor())
                QVERIFY(std::any_of(
                    outcome.transmitterFlagged.begin(), outcome.transmitterFlagged.end(), [](bool flagged) { return flagged; }));
        }
    }

    // ISO 11898-1:2015, 12.1.4.2 rule b, is about all receivers: beside active ones a passive one finds the same error in the
    // same bit, and its flag is complete with the same six.
    void passiveReceiversSeeWhatActiveOnesSee()
    {
        std::mt19937 random(17);
        unsigned dominantBehind = 0;
        for (int i = 0; i < 3000; ++i) {
            Transmitter one{can::wireTrace(frameOf(random() % 0x800, static_cast<std::uint8_t>(random())).view()),
                random() % 2 != 0 ? ErrorState::active : ErrorState::passive, std::nullopt};
            one.misreads = random() % one.bits.size();
            std::vector<Transmitter> parties{one};
            if (random() % 2 != 0) {
                Transmitter two = one;
                two.misreads.reset();
                two.bits[random() % two.bits.size()].value ^= 1U;
                parties.push_back(std::move(two));
            }
            const auto outcome = followCollision(parties, {true, true});
            QCOMPARE(outcome.passive.flagged, outcome.active.flagged);
            QCOMPARE(outcome.passive.sawDominant, outcome.active.sawDominant);
            dominantBehind += outcome.passive.sawDominant ? 1 : 0;
        }
        QVERIFY(dominantBehind > 10);
    }

    void oneSideActiveTheOtherPassiveFollowsTheCounters()
    {
        clock::Scheduler scheduler;
        SimulatedBus bus(scheduler, SimulatedBusOptions{{500'000, 0}, 0, 64, true});
        Seen seen;
        bus.listen(&seen);
        const Port weak = bus.attach("weak", can::Direction::received);
        const Port strong = bus.attach("strong", can::Direction::received);
        bus.corruptNext(weak, 16);
        bus.offer(weak, frameOf(0x100, 1));
        while (can::flagsActively(bus.counters(weak).state()))
            scheduler.runUntil(scheduler.now() + std::chrono::microseconds(10));
        QCOMPARE(bus.counters(weak).transmit(), 128U);
        QCOMPARE(bus.counters(strong).transmit(), 0U);
        QVERIFY(bus.counters(strong).receive() >= 16);
        scheduler.runUntil(scheduler.now() + std::chrono::milliseconds(2));
        QCOMPARE(bus.counters(weak).transmit(), 127U);
        QCOMPARE(seen.frames.back().kind, can::FrameKind::data);
    }

    void errorFramesSayWhoIsWorstOff()
    {
        clock::Scheduler scheduler;
        SimulatedBus bus(scheduler, SimulatedBusOptions{{500'000, 0}, 3, 64, true});
        Seen seen;
        bus.listen(&seen);
        const Port port = bus.attach("node", can::Direction::received);
        bus.attach("other", can::Direction::received);
        bus.corruptNext(port, 3);
        bus.offer(port, frameOf(0x100, 1));
        scheduler.runUntil(std::chrono::milliseconds(5));
        QCOMPARE(seen.frames.size(), 4U);
        for (unsigned i = 0; i < 3; ++i) {
            const can::Frame& frame = seen.frames[i];
            QCOMPARE(frame.kind, can::FrameKind::error);
            QCOMPARE(unsigned{frame.bus}, 3U);
            QCOMPARE(unsigned{frame.data[6]}, 8 * (i + 1));
            QVERIFY((frame.id.value & 0x88U) == 0x88U);
        }
    }

    void frameOfThePassiveFdSenderCarriesItsState()
    {
        clock::Scheduler scheduler;
        SimulatedBus bus(scheduler, SimulatedBusOptions{{500'000, 2'000'000}, 0, 64, true});
        Seen seen;
        bus.listen(&seen);
        const Port port = bus.attach("node", can::Direction::received);
        bus.attach("other", can::Direction::received);
        bus.corruptNext(port, 17);
        can::Frame frame = frameOf(0x100, 1);
        frame.kind = can::FrameKind::fd;
        frame.brs = true;
        bus.offer(port, frame);
        scheduler.runUntil(std::chrono::milliseconds(20));
        QCOMPARE(seen.frames.back().kind, can::FrameKind::fd);
        QVERIFY(seen.frames.back().esi);
        QCOMPARE(bus.counters(port).transmit(), 135U);
    }

    void receiveCountersComeDownWithGoodFrames()
    {
        clock::Scheduler scheduler;
        SimulatedBus bus(scheduler, SimulatedBusOptions{{500'000, 0}, 0, 64, true});
        const Port port = bus.attach("node", can::Direction::received);
        const Port listener = bus.attach("listener", can::Direction::received);
        bus.corruptNext(port, 10);
        for (int i = 0; i < 40; ++i)
            bus.offer(port, frameOf(0x100, static_cast<std::uint8_t>(i)));
        scheduler.runUntil(std::chrono::microseconds(1100));
        QVERIFY(bus.counters(listener).receive() > 0);
        scheduler.runUntil(std::chrono::milliseconds(40));
        QCOMPARE(bus.counters(listener).receive(), 0U);
        QCOMPARE(bus.counters(port).transmit(), 80U - 40U);
    }
};

QTEST_APPLESS_MAIN(CollisionTest)
#include "collision_test.moc"
