// SPDX-License-Identifier: GPL-3.0-or-later
// The simulated bus: who wins, how long a frame takes, what happens when nodes collide or fail; and the event queue.
#include <QTest>

#include <algorithm>
#include <deque>
#include <random>

#include "bus/absent_bus.h"
#include "bus/arrivals.h"
#include "bus/collision.h"
#include "bus/simulated_bus.h"
#include "clock/pacer.h"
#include "clock/scheduler.h"

using namespace wavetrope;
using namespace wavetrope::bus;
using can::ErrorState;
using can::Frame;
using can::FrameKind;

namespace {

struct Recorder final : Listener {
    std::vector<std::pair<Frame, Port>> frames;
    void onFrame(const can::FrameView& frame, Port sender) override { frames.emplace_back(Frame(frame), sender); }
};

Frame frameOf(std::uint32_t id, bool extended = false, std::uint8_t first = 0x55, FrameKind kind = FrameKind::data)
{
    Frame frame;
    frame.id = {id, extended};
    frame.kind = kind;
    frame.dlc = 2;
    frame.length = kind == FrameKind::remote ? 0 : 2;
    frame.data[0] = first;
    frame.data[1] = 0xA5;
    return frame;
}

struct Bench {
    clock::Scheduler scheduler;
    SimulatedBus bus;
    Recorder recorder;
    explicit Bench(SimulatedBusOptions options = {}) : bus(scheduler, options) { bus.listen(&recorder); }
    void run(Time span) { scheduler.runUntil(scheduler.now() + span); }
    /// Has the port misread itself off the bus.
    void driveOff(Port port, const Frame& frame)
    {
        bus.corruptNext(port, 32);
        bus.offer(port, frame);
        while (bus.counters(port).state() != ErrorState::busOff && scheduler.now() < std::chrono::milliseconds(50))
            run(std::chrono::microseconds(2));
    }
};

struct HandClock : clock::WallClock {
    Time at{0};
    Time now() override { return at; }
    void waitFor(Time span) override { at += span; }
};

// What comes from outside, in a socket and in hand.
struct Arriving final : Bus {
    std::deque<can::Frame> unread;  // in the socket still
    std::deque<can::Frame> queue;
    Port attach(std::string, can::Direction, Order) override { return 0; }
    bool offer(Port, const can::Frame&) override { return false; }
    [[nodiscard]] bool accepts(Port) const override { return false; }
    void enable(Port, bool) override {}
    [[nodiscard]] std::optional<Time> arrived() override { return queue.empty() ? std::nullopt : std::optional(queue.front().time); }
    [[nodiscard]] bool inHand() override { return unread.empty(); }
    void read()
    {
        queue.push_back(unread.front());
        unread.pop_front();
    }
    void take() override
    {
        const can::Frame frame = queue.front();
        queue.pop_front();
        deliver(frame.view(), nobody);
    }
    [[nodiscard]] Health health() const override { return {}; }
    [[nodiscard]] can::BitRate bitRate() const override { return {}; }
};

struct Heard final : Listener {
    std::vector<Time> times;
    void onFrame(const can::FrameView& frame, Port) override { times.push_back(frame.time); }
};

}  // namespace

class BusTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void eventsOfOneInstantRunByPhaseAndThenInOrder()
    {
        clock::Scheduler scheduler;
        std::vector<std::uint64_t> seen;
        const auto note = [](void* context, std::uint64_t tag) { static_cast<std::vector<std::uint64_t>*>(context)->push_back(tag); };
        scheduler.at(Time(10), note, &seen, 3, clock::Phase::settle);
        scheduler.at(Time(10), note, &seen, 1);
        scheduler.at(Time(5), note, &seen, 0);
        scheduler.at(Time(10), note, &seen, 2);
        scheduler.at(Time(11), note, &seen, 4);
        scheduler.runUntil(Time(10));
        QCOMPARE(seen, (std::vector<std::uint64_t>{0, 1, 2, 3}));
        QCOMPARE(scheduler.now(), Time(10));
        QCOMPARE(scheduler.next(), Time(11));
    }

    void virtualTimeFollowsTheWallTimesItsFactor()
    {
        HandClock wall;
        wall.at = Time(1000);
        clock::Pacer pacer(wall, Time(50), 10.0);
        QCOMPARE(pacer.target(), Time(50));
        wall.waitFor(Time(7));
        QCOMPARE(pacer.target(), Time(120));
        QCOMPARE(pacer.waitUntil(Time(220)), Time(10));
    }

    void aFrameIsStampedWithTheEndOfItsLastBit()
    {
        Bench bench;
        const Port port = bench.bus.attach("A", can::Direction::received);
        bench.bus.offer(port, frameOf(0x123));
        bench.run(std::chrono::milliseconds(1));
        QCOMPARE(bench.recorder.frames.size(), 1U);
        const auto bits = can::wireLength(frameOf(0x123).view()).nominalBits;
        QCOMPARE(bench.recorder.frames[0].first.time, Time(bits * 2000));
    }

    void backToBackFramesAreThreeBitsApart()
    {
        Bench bench;
        const Port port = bench.bus.attach("A", can::Direction::received);
        bench.bus.offer(port, frameOf(0x123));
        bench.bus.offer(port, frameOf(0x124));
        bench.run(std::chrono::milliseconds(2));
        QCOMPARE(bench.recorder.frames.size(), 2U);
        const auto second = can::wireLength(frameOf(0x124).view()).nominalBits;
        QCOMPARE(bench.recorder.frames[1].first.time - bench.recorder.frames[0].first.time, Time((second + 3) * 2000));
    }

    void fdDataPhaseRunsAtTheDataRate()
    {
        SimulatedBusOptions options;
        options.rate = {500000, 2000000};
        Bench bench(options);
        Frame frame = frameOf(0x123, false, 0x55, FrameKind::fd);
        frame.brs = true;
        frame.dlc = 15;
        frame.length = 64;
        bench.bus.offer(bench.bus.attach("A", can::Direction::received), frame);
        bench.run(std::chrono::milliseconds(2));
        const auto bits = can::wireLength(frame.view());
        QCOMPARE(bench.recorder.frames.at(0).first.time, Time(bits.nominalBits * 2000 + bits.dataBits * 500));
    }

    void theDominantIdentifierWinsAndTheOtherWaits()
    {
        Bench bench;
        const Port a = bench.bus.attach("A", can::Direction::received);
        const Port b = bench.bus.attach("B", can::Direction::received);
        const Port c = bench.bus.attach("C", can::Direction::received);
        const Port d = bench.bus.attach("D", can::Direction::received);
        bench.bus.offer(a, frameOf(0x100U << 18, true));
        bench.bus.offer(b, frameOf(0x100, false, 0, FrameKind::remote));
        bench.bus.offer(c, frameOf(0x100));
        bench.bus.offer(d, frameOf(0x0FF));
        bench.run(std::chrono::milliseconds(5));
        QCOMPARE(bench.recorder.frames.size(), 4U);
        std::vector<Port> order;
        for (const auto& [frame, port] : bench.recorder.frames)
            order.push_back(port);
        QCOMPARE(order, (std::vector<Port>{d, c, b, a}));
        QVERIFY(bench.bus.longestWait(a) > bench.bus.longestWait(b));
    }

    void aFullTransmitQueueIsCounted()
    {
        SimulatedBusOptions options;
        options.queueLimit = 3;
        Bench bench(options);
        const Port a = bench.bus.attach("A", can::Direction::received);
        for (int i = 0; i < 5; ++i)
            bench.bus.offer(a, frameOf(0x100));
        QCOMPARE(bench.bus.dropped(a), 2U);
        QCOMPARE(bench.bus.health().lost, 2U);
        bench.run(std::chrono::milliseconds(5));
        QCOMPARE(bench.recorder.frames.size(), 3U);
    }

    void identicalFramesOfTwoNodesGoOutAsOne()
    {
        Bench bench;
        const Port a = bench.bus.attach("A", can::Direction::received);
        const Port b = bench.bus.attach("B", can::Direction::received);
        bench.bus.offer(a, frameOf(0x100));
        bench.bus.offer(b, frameOf(0x100));
        bench.run(std::chrono::milliseconds(5));
        QCOMPARE(bench.recorder.frames.size(), 1U);
        QCOMPARE(bench.bus.waiting(b), 0U);
    }

    void aBusThatCannotBeOpenedCarriesNothingAndSaysWhy()
    {
        AbsentBus bus({500'000, 0}, Error{"there is no such interface", "nocan7", 0, 0, "Bring it up"});
        const Port a = bus.attach("A", can::Direction::received, Order::byPriority);
        const Port b = bus.attach("B", can::Direction::received, Order::asOffered);
        QVERIFY(a != b);
        QVERIFY(!bus.accepts(a));
        QVERIFY(!bus.offer(a, frameOf(0x100, false, 0x00)));
        QVERIFY(!bus.offer(b, frameOf(0x101, false, 0x00)));
        bus.enable(a, false);
        QVERIFY(!bus.arrived().has_value());
        bus.take();
        QCOMPARE(bus.health().state, Health::State::down);
        QCOMPARE(bus.health().lost, std::uint64_t{2});      // what nobody took is counted
        QVERIFY2(
            bus.health().words.find("nocan7") != std::string::npos && bus.health().words.find("no such interface") != std::string::npos,
            bus.health().words.c_str());
        QCOMPARE(bus.bitRate().nominal, 500'000U);
    }

    // Two buses, each read by a thread of its own: what has arrived comes in by its stamps, over both.
    void whatHasArrivedOnSeveralBusesComesInByItsStamps()
    {
        using std::chrono::microseconds;
        Heard heard;
        std::mt19937 random(11);
        for (int round = 0; round < 200; ++round) {
            heard.times.clear();
            Arriving a;
            Arriving b;
            a.listen(&heard);
            b.listen(&heard);
            for (Arriving* bus : {&a, &b}) {
                Time at{};
                for (unsigned n = random() % 40; n > 0; --n) {
                    at += microseconds(random() % 300);
                    bus->queue.push_back(frameOf(0x100));
                    bus->queue.back().time = at;
                }
            }
            const std::size_t all = a.queue.size() + b.queue.size();
            std::vector<Bus*> buses{&a, &b};
            // What is younger than the patience stays, since an older frame of the other bus may be on its way.
            const Time now = microseconds(6000);
            std::vector<Time> told;
            bringIn(buses, now, arrivalPatience, [&](Time stamp) { told.push_back(stamp); });
            QVERIFY(std::is_sorted(heard.times.begin(), heard.times.end()));
            QCOMPARE(told, heard.times);
            for (const Time time : heard.times)
                QVERIFY(time <= now - arrivalPatience);
            for (const Arriving* bus : {&a, &b})
                QVERIFY(bus->queue.empty() || bus->queue.front().time > now - arrivalPatience);
            bringIn(buses, now + arrivalPatience + microseconds(12'000), arrivalPatience);
            QCOMPARE(heard.times.size(), all);
            QVERIFY(std::is_sorted(heard.times.begin(), heard.times.end()));
        }
    }

    // However late a bus is read, no frame overtakes an older one of another bus, and all come in.
    void framesOfABusThatIsReadLateAreNotOvertaken()
    {
        using std::chrono::microseconds;
        std::mt19937 random(7);
        for (int round = 0; round < 200; ++round) {
            Heard heard;
            std::array<Arriving, 3> buses;
            std::vector<Bus*> all;
            for (Arriving& bus : buses) {
                bus.listen(&heard);
                all.push_back(&bus);
            }
            std::size_t sent = 0;
            Time at{};
            for (int step = 0; step < 300; ++step) {
                const Time asked = at;  // the machine's time is read, and then goes on
                for (unsigned n = random() % 3; n > 0; --n) {
                    at += microseconds(random() % 500);
                    auto& bus = buses[random() % buses.size()];
                    bus.unread.push_back(frameOf(0x100));
                    bus.unread.back().time = at;
                    ++sent;
                }
                for (Arriving& bus : buses)
                    if (random() % 8 == 0)  // a reader that is let run now and then
                        for (std::size_t n = random() % (bus.unread.size() + 1); n > 0 || (random() % 2 == 0 && !bus.unread.empty());
                            n -= n > 0)
                            bus.read();
                bringIn(all, asked, arrivalPatience);
                QVERIFY2(
                    std::is_sorted(heard.times.begin(), heard.times.end()), qPrintable(QString("round %1, step %2").arg(round).arg(step)));
            }
            for (Arriving& bus : buses)
                while (!bus.unread.empty())
                    bus.read();
            bringIn(all, at + arrivalPatience, arrivalPatience);
            QCOMPARE(heard.times.size(), sent);
            QVERIFY(std::is_sorted(heard.times.begin(), heard.times.end()));
        }
    }

    // A clock that was set back leaves stamps that lie ahead: they wait for nothing.
    void aStampFarAheadWaitsForNothing()
    {
        Heard heard;
        Arriving bus;
        bus.listen(&heard);
        bus.queue.push_back(frameOf(0x100));
        bus.queue.back().time = std::chrono::seconds(100);
        std::vector<Bus*> all{&bus};
        bringIn(all, std::chrono::seconds(99), arrivalPatience);
        QCOMPARE(heard.times.size(), std::size_t{0});
        bringIn(all, std::chrono::seconds(50), arrivalPatience);
        QCOMPARE(heard.times.size(), std::size_t{1});
    }

    void sameIdentifierWithDifferentDataCollidesUntilBothArePassive()
    {
        // ISO 11898-1:2015, 12.1.4.2 rule c: 8 for each flag; 10.4.4.2: a passive flag is recessive and disturbs nobody.
        Bench bench;
        const Port a = bench.bus.attach("A", can::Direction::received);
        const Port b = bench.bus.attach("B", can::Direction::received);
        bench.bus.attach("listener", can::Direction::received);
        bench.bus.offer(a, frameOf(0x100, false, 0x00));  // dominant
        bench.bus.offer(b, frameOf(0x100, false, 0xFF));
        unsigned rounds = 0;
        while (bench.recorder.frames.empty() || bench.recorder.frames.back().first.kind == FrameKind::error) {
            const std::size_t before = bench.recorder.frames.size();
            while (bench.recorder.frames.size() == before)
                bench.run(std::chrono::microseconds(2));
            if (bench.recorder.frames.back().first.kind != FrameKind::error)
                break;
            ++rounds;
            QCOMPARE(bench.bus.counters(a).transmit(), 8 * rounds);
            QCOMPARE(bench.bus.counters(b).transmit(), 8 * rounds);
            QVERIFY(rounds <= 16);
        }
        QCOMPARE(rounds, 16U);
        // Both were error-passive: B's passive flag does not disturb A, whose frame gets through and takes one off.
        QCOMPARE(bench.recorder.frames.back().second, a);
        QCOMPARE(bench.bus.counters(a).transmit(), 127U);
        QCOMPARE(bench.bus.counters(a).state(), ErrorState::warning);
        QCOMPARE(bench.bus.counters(b).transmit(), 136U);
        QCOMPARE(bench.bus.counters(b).state(), ErrorState::passive);
        const Time firstDone = bench.recorder.frames.back().first.time;
        bench.run(std::chrono::milliseconds(1));
        QCOMPARE(bench.recorder.frames.back().second, b);
        QCOMPARE(bench.bus.counters(b).transmit(), 135U);
        // Intermission and suspend transmission stood between them.
        const auto bits = can::wireLength(frameOf(0x100, false, 0xFF).view()).nominalBits;
        QCOMPARE(bench.recorder.frames.back().first.time - firstDone, Time((bits + 3 + 8) * 2000));
    }

    void receiversCountWhatTheySee()
    {
        // ISO 11898-1:2015, 12.1.4.2: rule a raises a receiver by 1, rules g and h take 1 off for a frame that came through.
        Bench bench;
        const Port a = bench.bus.attach("A", can::Direction::received);
        const Port listener = bench.bus.attach("L", can::Direction::received);
        bench.bus.corruptNext(a, 1);
        bench.bus.offer(a, frameOf(0x100));
        bench.run(std::chrono::milliseconds(2));
        QCOMPARE(bench.recorder.frames.size(), 2U);
        QCOMPARE(bench.recorder.frames[0].first.kind, FrameKind::error);
        QCOMPARE(bench.bus.counters(a).transmit(), 7U);      // 8 for the flag, 1 off for the repetition
        QCOMPARE(bench.bus.counters(listener).receive(), 0U);  // 1 for the error, 1 off again
        QCOMPARE(bench.bus.health().errors, 1U);
    }

    void thirtyTwoErrorsLeadToBusOffAndRecessiveBitsBack()
    {
        // ISO 11898-1:2015, 12.1.4.4: bus off above 255; back behind 128 sequences of 11 recessive bits, once that is asked for.
        Bench bench;
        const Port a = bench.bus.attach("A", can::Direction::received);
        bench.bus.attach("L", can::Direction::received);
        bench.driveOff(a, frameOf(0x100));
        QCOMPARE(bench.bus.counters(a).transmit(), 256U);
        QVERIFY(bench.bus.health().words.find("bus off") != std::string::npos);
        QCOMPARE(bench.bus.health().state, Health::State::busOff);
        bench.run(std::chrono::milliseconds(10));
        QCOMPARE(bench.bus.counters(a).state(), ErrorState::busOff);    // until it is asked to take part again
        bench.bus.restart(a);
        const Time offAt = bench.scheduler.now();
        bench.run(std::chrono::milliseconds(10));
        QCOMPARE(bench.bus.counters(a).state(), ErrorState::active);
        const Frame& last = bench.recorder.frames.back().first;
        QCOMPARE(last.kind, FrameKind::data);
        // Exact to the bit, on a bus that is idle all the while.
        QCOMPARE(last.time - offAt, Time(128LL * 11 * 2000) + can::duration(can::wireLength(frameOf(0x100).view()), {500'000, 0}));
    }

    void onABusyBusEachGapBetweenFramesIsOneSequence()
    {
        // 12.1.4.4 and 10.4.6.2: delimiter, end of frame and intermission are the 11 recessive bits of one sequence.
        SimulatedBusOptions options;
        options.queueLimit = 400;
        Bench bench(options);
        const Port a = bench.bus.attach("A", can::Direction::received);
        const Port b = bench.bus.attach("B", can::Direction::received);
        bench.driveOff(a, frameOf(0x001));
        bench.run(std::chrono::milliseconds(1));
        bench.recorder.frames.clear();
        for (int i = 0; i < 300; ++i)
            bench.bus.offer(b, frameOf(0x200));
        bench.run(std::chrono::microseconds(20));      // within the first frame
        bench.bus.restart(a);
        bench.run(std::chrono::milliseconds(100));
        std::size_t before = 0;
        while (before < bench.recorder.frames.size() && bench.recorder.frames[before].second != a)
            ++before;
        QCOMPARE(before, std::size_t{128});
        QCOMPARE(bench.recorder.frames.size(), std::size_t{301});
        // No bit is lost or won while frames follow each other.
        for (std::size_t i = 1; i < bench.recorder.frames.size(); ++i)
            QCOMPARE(bench.recorder.frames[i].first.time - bench.recorder.frames[i - 1].first.time,
                can::occupancy(can::wireLength(bench.recorder.frames[i].first.view()), {500'000, 0}));
    }

    void aRecessiveStuffBitOfArbitrationThatReadsDominantDoesNotCount()
    {
        // 12.1.4.2 rule c, exception B; 10.5: the sixth bit behind a start of frame and four dominant ones is such a stuff bit.
        Bench bench;
        const Port a = bench.bus.attach("A", can::Direction::received);
        bench.bus.attach("L", can::Direction::received);
        const Frame frame = frameOf(0x00F);
        const auto bits = can::wireTrace(frame.view());
        QVERIFY(bits[5].stuff && bits[5].arbitration && bits[5].value == 1);
        bench.bus.corruptNext(a, 1, 5);
        bench.bus.offer(a, frame);
        while (bench.recorder.frames.empty())
            bench.run(std::chrono::microseconds(2));
        QCOMPARE(bench.recorder.frames[0].first.kind, FrameKind::error);
        QCOMPARE(bench.bus.counters(a).transmit(), 0U);
        // Any other stuff bit counts.
        std::size_t later = 6;
        while (!(bits[later].stuff && !bits[later].arbitration))
            ++later;
        bench.run(std::chrono::milliseconds(1));
        bench.recorder.frames.clear();
        bench.bus.corruptNext(a, 1, later);
        bench.bus.offer(a, frame);
        while (bench.recorder.frames.empty())
            bench.run(std::chrono::microseconds(2));
        QCOMPARE(bench.bus.counters(a).transmit(), 8U);
    }

    void anErrorFrameTellsKindPlaceAndCounters()
    {
        // 12.1.4: what was wrong, where, and what it did to the counters, in the words of the kernel's interface (linux/can/error.h).
        Bench bench;
        const Port a = bench.bus.attach("A", can::Direction::received);
        bench.bus.attach("L", can::Direction::received);
        const Frame frame = frameOf(0x155);
        const auto bits = can::wireTrace(frame.view());
        for (const std::uint8_t value : {std::uint8_t{0}, std::uint8_t{1}}) {
            std::size_t at = 0;
            while (!(bits[at].place == can::Place::data && !bits[at].stuff && bits[at].value == value))
                ++at;
            bench.recorder.frames.clear();
            const unsigned before = bench.bus.counters(a).transmit();
            bench.bus.corruptNext(a, 1, at);
            bench.bus.offer(a, frame);
            bench.run(std::chrono::milliseconds(1));
            const Frame& error = bench.recorder.frames[0].first;
            QCOMPARE(error.kind, FrameKind::error);
            QCOMPARE(error.id.value, 0x8U | 0x80U | 0x200U);  // protocol violation, bus error, counters
            QCOMPARE(
                unsigned{error.data[2]}, (value == 0 ? 0x08U : 0x10U) | 0x80U);  // dominant or recessive bit not sent, while transmitting
            QCOMPARE(unsigned{error.data[3]}, 0x0AU);  // in the data field
            QCOMPARE(unsigned{error.data[6]}, before + 8);
        }
    }

    void theErrorStateOfAnFdSenderIsThatOfEachTry()
    {
        // 10.4.2.4, ESI: recessive as long as its sender is passive, and no longer.
        SimulatedBusOptions options;
        options.rate = {500'000, 2'000'000};
        Bench bench(options);
        const Port a = bench.bus.attach("A", can::Direction::received);
        bench.bus.attach("L", can::Direction::received);
        Frame frame = frameOf(0x155);
        frame.kind = FrameKind::fd;
        bench.driveOff(a, frame);
        bench.bus.restart(a);
        bench.run(std::chrono::milliseconds(10));
        // It was tried while passive, and goes out from a sender that is active again.
        QCOMPARE(bench.recorder.frames.back().first.kind, FrameKind::fd);
        QVERIFY(!bench.recorder.frames.back().first.esi);
    }

    void aLoneNodeGetsNoAcknowledgeAndStopsCountingWhenPassive()
    {
        // ISO 11898-1:2015, 12.1.4.2 rule c, exception A: who is passive and sees no dominant bit behind a missing acknowledge
        // does not count.
        SimulatedBusOptions options;
        options.observed = false;
        Bench bench(options);
        const Port a = bench.bus.attach("A", can::Direction::received);
        bench.bus.offer(a, frameOf(0x100));
        bench.run(std::chrono::milliseconds(20));
        QVERIFY(!bench.recorder.frames.empty());
        QVERIFY(std::all_of(bench.recorder.frames.begin(), bench.recorder.frames.end(),
            [](const auto& seen) { return seen.first.kind == FrameKind::error; }));
        QCOMPARE(bench.bus.counters(a).transmit(), 128U);
        bench.bus.attach("B", can::Direction::received);
        bench.run(std::chrono::milliseconds(1));
        QCOMPARE(bench.recorder.frames.back().first.kind, FrameKind::data);
    }

    void triesWithoutAcknowledgeAreAFramesBitsToItsSlotAndAnErrorFrameApart()
    {
        // ISO 11898-1:2015, 10.4.2.7, 10.4.4: the error flag stands where the acknowledge delimiter was.
        SimulatedBusOptions options;
        options.observed = false;
        Bench bench(options);
        const Port a = bench.bus.attach("A", can::Direction::received);
        const Frame frame = frameOf(0x100);
        const std::int64_t bit = 2000;  // ns at 500 kbit/s
        const std::int64_t upToSlot = can::wireLength(frame.view()).nominalBits - 8;
        bench.bus.offer(a, frame);
        bench.run(std::chrono::milliseconds(20));
        const auto& seen = bench.recorder.frames;
        QCOMPARE(seen[0].first.time, Time((upToSlot + 6 + 8) * bit));
        QCOMPARE(seen[1].first.time - seen[0].first.time, Time((upToSlot + 6 + 8 + 3) * bit));
        // Once passive it suspends transmission for 8 bits (10.4.6.4); from the 16th error on.
        QCOMPARE(seen[17].first.time - seen[16].first.time, Time((upToSlot + 6 + 8 + 3 + 8) * bit));
        QCOMPARE(unsigned{seen[0].first.data[3]}, 0x19U);  // the acknowledge slot
        QVERIFY((seen[0].first.id.value & 0x20U) != 0);
    }

    void aPortThatIsSwitchedOffInFlightStopsSending()
    {
        // ISO 11898-1:2015, 10.5: six equal bits are a stuff error to all who listen; who does not take part counts nothing.
        Bench bench;
        const Port a = bench.bus.attach("A", can::Direction::received);
        const Port listener = bench.bus.attach("L", can::Direction::received);
        bench.bus.offer(a, frameOf(0x100));
        bench.run(Time(20 * 2000));
        bench.bus.enable(a, false);
        const auto sent = bench.bus.counters(a).transmit();
        bench.run(std::chrono::milliseconds(1));
        QCOMPARE(bench.recorder.frames.size(), 1U);
        QCOMPARE(bench.recorder.frames[0].first.kind, FrameKind::error);
        QVERIFY(bench.recorder.frames[0].first.time <= Time((20 + 6 + 6 + 8) * 2000));
        QCOMPARE(bench.bus.counters(listener).receive(), 1U);
        QCOMPARE(bench.bus.counters(a).transmit(), sent);
    }

    void behindItsLastDominantBitAFrameIsWholeThoughItsSenderIsOff()
    {
        // ISO 11898-1:2015, 10.4.2.7: the end of frame is recessive as the idle bus is.
        Bench bench;
        const Port a = bench.bus.attach("A", can::Direction::received);
        bench.bus.attach("L", can::Direction::received);
        const Frame frame = frameOf(0x100);
        bench.bus.offer(a, frame);
        bench.run(Time((can::wireLength(frame.view()).nominalBits - 5) * 2000));
        bench.bus.enable(a, false);
        bench.run(std::chrono::milliseconds(1));
        QCOMPARE(bench.recorder.frames.size(), 1U);
        QCOMPARE(bench.recorder.frames[0].first.kind, FrameKind::data);
    }

    void twoIdenticalOnesThatSurviveAThirdAreBothDone()
    {
        // ISO 11898-1:2015, 10.4.4.2: whoever sees its own bits on the wire up to the end of frame has sent it.
        Bench bench;
        const Port a = bench.bus.attach("A", can::Direction::received);
        const Port b = bench.bus.attach("B", can::Direction::received);
        const Port c = bench.bus.attach("C", can::Direction::received);
        bench.bus.attach("L", can::Direction::received);
        // C becomes passive first: its flags then harm nobody.
        bench.bus.corruptNext(c, 17);
        bench.bus.offer(c, frameOf(0x200));
        while (can::flagsActively(bench.bus.counters(c).state()))
            bench.run(std::chrono::microseconds(10));
        bench.run(std::chrono::milliseconds(5));
        bench.recorder.frames.clear();
        Frame dominant = frameOf(0x100);
        dominant.data[0] = 0x00;
        Frame recessive = dominant;
        recessive.data[0] = 0x80;
        bench.bus.offer(a, dominant);
        bench.bus.offer(b, dominant);
        bench.bus.offer(c, recessive);
        bench.run(Time(200 * 2000));
        QCOMPARE(bench.bus.waiting(a), 0U);
        QCOMPARE(bench.bus.waiting(b), 0U);
        QCOMPARE(bench.recorder.frames.front().first.data[0], std::uint8_t{0});
        bench.run(std::chrono::milliseconds(2));
        QCOMPARE(bench.recorder.frames.size(), 2U);
        QCOMPARE(bench.recorder.frames[1].first.data[0], std::uint8_t{0x80});
    }

    void aDestroyedSwitchedFrameCountsItsDataPhaseAtTheDataRate()
    {
        // ISO 11898-1:2015, 10.4.2.4: from the BRS bit to the CRC delimiter bits last as long as the data rate says; flags are nominal.
        SimulatedBusOptions options;
        options.rate = {500'000, 2'000'000};
        Bench bench(options);
        const Port a = bench.bus.attach("A", can::Direction::received);
        bench.bus.attach("L", can::Direction::received);
        Frame frame = frameOf(0x155);
        frame.kind = FrameKind::fd;
        frame.brs = true;
        frame.length = 64;
        frame.dlc = 15;
        for (unsigned i = 0; i < 64; ++i)
            frame.data[i] = 0x5A;
        const auto trace = can::wireTrace(frame.view());
        std::size_t slow = 0;
        while (!trace[slow].fast)
            ++slow;
        const std::size_t at = slow + 300;
        bench.bus.corruptNext(a, 1, at);
        bench.bus.offer(a, frame);
        bench.run(std::chrono::milliseconds(5));
        const Time end = bench.recorder.frames[0].first.time;
        const Time upToFlag = Time(static_cast<std::int64_t>(slow) * 2000 + 301 * 500);
        QVERIFY(end >= upToFlag + Time((6 + 8) * 2000) && end <= upToFlag + Time((12 + 8) * 2000));
    }

    void aBitMisreadInArbitrationLosesItAndIsNoError()
    {
        // ISO 11898-1:2015, 10.4.2.2: a recessive bit of the arbitration field that reads dominant is arbitration lost, which is
        // no bit error.
        Bench bench;
        const Port a = bench.bus.attach("A", can::Direction::received);
        const Port b = bench.bus.attach("B", can::Direction::received);
        const Frame frame = frameOf(0x555);  // 101 0101 0101: its second bit is recessive
        bench.bus.corruptNext(a, 1, 1);
        bench.bus.offer(a, frame);
        bench.bus.offer(b, frame);
        bench.run(std::chrono::milliseconds(2));
        QCOMPARE(bench.recorder.frames.size(), 2U);  // B's goes through undisturbed, A's behind it
        QVERIFY(bench.recorder.frames[0].first.kind == FrameKind::data && bench.recorder.frames[1].first.kind == FrameKind::data);
        QCOMPARE(bench.bus.counters(a).transmit(), 0U);
        QCOMPARE(bench.bus.counters(a).receive(), 0U);
        QCOMPARE(bench.bus.health().errors, 0U);
    }

    void whoIsAttachedLaterWaitsForElevenRecessiveBits()
    {
        // ISO 11898-1:2015, 10.9.4: integration ends behind 11 recessive bits.
        Bench bench;
        bench.run(std::chrono::milliseconds(1));
        const Port late = bench.bus.attach("late", can::Direction::received);
        const Time from = bench.scheduler.now();
        const Frame frame = frameOf(0x100);
        bench.bus.offer(late, frame);
        bench.run(std::chrono::milliseconds(1));
        QCOMPARE(bench.recorder.frames[0].first.time, from + Time(11 * 2000) + can::duration(can::wireLength(frame.view()), {500'000, 0}));
    }

    void aSwitchedOffPortsCountersStandStill()
    {
        // ISO 11898-1:2015, 12.1.4.2: rules a to h are about nodes that take part.
        Bench bench;
        const Port a = bench.bus.attach("A", can::Direction::received);
        const Port off = bench.bus.attach("O", can::Direction::received);
        bench.bus.attach("L", can::Direction::received);
        bench.bus.corruptNext(a, 5);
        bench.bus.offer(a, frameOf(0x100));
        bench.run(Time(900 * 2000));
        const unsigned before = bench.bus.counters(off).receive();
        bench.bus.enable(off, false);
        for (int i = 0; i < 20; ++i)
            bench.bus.offer(a, frameOf(0x100));
        bench.bus.corruptNext(a, 3);
        bench.run(std::chrono::milliseconds(10));
        QCOMPARE(bench.bus.counters(off).receive(), before);
    }

    void busOffEndsByItselfBehindTheTimeThatTheRigGives()
    {
        SimulatedBusOptions options;
        options.restartAfter = std::chrono::milliseconds(50);
        Bench bench(options);
        const Port a = bench.bus.attach("A", can::Direction::received);
        bench.bus.attach("L", can::Direction::received);
        bench.driveOff(a, frameOf(0x100));
        bench.run(std::chrono::milliseconds(49));
        QCOMPARE(bench.bus.counters(a).state(), ErrorState::busOff);
        bench.run(std::chrono::milliseconds(10));
        QCOMPARE(bench.bus.counters(a).state(), ErrorState::active);
    }

    void aWarningLevelIsAState()
    {
        // ISO 11898-1:2015, 12.1.4.3: a counter at 96 or more is the warning level; error-active still.
        can::ErrorCounters counters;
        for (int i = 0; i < 11; ++i)
            counters.transmitterSentErrorFlag();
        QCOMPARE(counters.state(), ErrorState::active);
        counters.transmitterSentErrorFlag();
        QCOMPARE(counters.state(), ErrorState::warning);
        QVERIFY(can::flagsActively(counters.state()));
    }

    void aPortThatStandsInLineKeepsItsOrder()
    {
        Bench bench;
        const Port line = bench.bus.attach("playback", can::Direction::sent, Order::asOffered);
        for (const std::uint32_t id : {0x700U, 0x100U, 0x500U, 0x010U})
            bench.bus.offer(line, frameOf(id));
        bench.run(std::chrono::milliseconds(2));
        std::vector<std::uint32_t> order;
        for (const auto& seen : bench.recorder.frames)
            order.push_back(seen.first.id.value);
        QCOMPARE(order, (std::vector<std::uint32_t>{0x700, 0x100, 0x500, 0x010}));
    }

    void flagsSuperposeToTwelveBitsAtTheMost()
    {
        // ISO 11898-1:2015, 10.4.4.2: the flags of several nodes last 6 to 12 bits together.
        std::mt19937 random(3);
        for (int i = 0; i < 2000; ++i) {
            Transmitter one;
            Transmitter two;
            const std::size_t same = 1 + random() % 60;
            for (std::size_t k = 0; k < 90; ++k) {
                const std::uint8_t bit = k % 4 < 2 ? 0 : 1;
                one.bits.push_back({bit, false, false, false, can::Place::data});
                two.bits.push_back({k < same ? bit
                                             : static_cast<std::uint8_t>(k % 5 == 4   ? 1U
                                                                         : k % 5 == 0 ? 0U
                                                                                      : random() & 1U),
                    false, false, false, can::Place::data});
            }
            std::size_t differ = 0;
            while (differ < 90 && one.bits[differ].value == two.bits[differ].value)
                ++differ;
            if (differ > 80)
                continue;
            const auto outcome = followCollision({one, two}, {true, false});
            QVERIFY(!outcome.anySurvivor());
            QVERIFY(outcome.bits >= differ + 1 + 6 + 8);
            QVERIFY(outcome.bits <= differ + 1 + 12 + 8);
        }
    }

    void aSwitchedOffPortSendsNothing()
    {
        Bench bench;
        const Port a = bench.bus.attach("A", can::Direction::received);
        bench.bus.offer(a, frameOf(0x100));
        bench.bus.enable(a, false);
        QVERIFY(!bench.bus.offer(a, frameOf(0x100)));
        bench.run(std::chrono::milliseconds(1));
        QVERIFY(bench.recorder.frames.empty());
        bench.bus.enable(a, true);
        QVERIFY(bench.bus.offer(a, frameOf(0x100)));
        bench.run(std::chrono::milliseconds(1));
        QCOMPARE(bench.recorder.frames.size(), 1U);
    }
};

QTEST_APPLESS_MAIN(BusTest)
#include "bus_test.moc"
