// SPDX-License-Identifier: GPL-3.0-or-later
// Fault confinement (ISO 11898-1:2015, 10.4.4 and 12.1.4) under random schedules of frames and faults: the simulated bus beside controllers that
// drive and read a wire bit by bit.
#include <QTest>

#include <random>

#include "plain_controllers.h"

using namespace wavetrope;
using namespace wavetrope::bus;
using namespace wavetrope::test;

namespace {

constexpr Time bitTime{2'000};  // 500 kbit/s

/// A frame that went through, or an error frame; times in bits, of its end.
struct Event {
    std::int64_t at = 0;
    bool error = false;
    std::uint32_t key = 0;
    std::vector<std::pair<unsigned, unsigned>> counters;  // transmit and receive, by node
    bool operator==(const Event&) const = default;
};
QString words(const Event& event)
{
    QString out = QStringLiteral("%1 at bit %2:").arg(event.error ? QStringLiteral("error") : QString::number(event.key, 16)).arg(event.at);
    for (const auto& [transmit, receive] : event.counters)
        out += QStringLiteral(" %1/%2").arg(transmit).arg(receive);
    return out;
}

/// What happens to whom; times in bits.
struct Schedule {
    unsigned nodes = 2;
    bool observed = true;
    struct Offer {
        std::int64_t at;
        unsigned node;
        can::Frame frame;
    };
    std::vector<Offer> offers;
    std::vector<WireFault> faults;
    std::vector<std::pair<std::int64_t, unsigned>> restarts;
    std::int64_t until = 0;
};

std::string nameOf(unsigned node) { return "N" + std::to_string(node); }
std::int64_t bitsOf(Time time) { return time / bitTime; }

struct Told {
    std::vector<Event> events;
    bool followed = true;  ///< Nothing happened that a bus from frame to frame does not make.
    QString why;
};

Told byTheBus(const Schedule& schedule)
{
    struct Ear final : Listener {
        SimulatedBus* bus = nullptr;
        unsigned nodes = 0;
        Told told;
        virtual ~Ear() = default;
        void onFrame(const can::FrameView& frame, Port) override
        {
            Event event{bitsOf(frame.time), frame.kind == can::FrameKind::error, 0, {}};
            if (!event.error)
                event.key = can::arbitrationBits(frame);
            for (Port port = 0; port < nodes; ++port)
                event.counters.emplace_back(bus->counters(port).transmit(), bus->counters(port).receive());
            told.events.push_back(std::move(event));
        }
    };
    clock::Scheduler scheduler;
    SimulatedBus bus(scheduler, {{500'000, 0}, 0, 1'000, schedule.observed});
    Ear ear;
    ear.bus = &bus;
    ear.nodes = schedule.nodes;
    bus.listen(&ear);
    for (unsigned node = 0; node < schedule.nodes; ++node)
        bus.attach(nameOf(node), can::Direction::received);
    for (const WireFault& fault : schedule.faults)
        bus.disturb(fault);
    struct Doer {
        SimulatedBus& bus;
        const Schedule& schedule;
        void offer(std::uint32_t which) { bus.offer(schedule.offers[which].node, schedule.offers[which].frame); }
        void restart(std::uint32_t which) { bus.restart(schedule.restarts[which].second); }
    } doer{bus, schedule};
    auto offers = clock::Timer::calling<&Doer::offer>(scheduler, &doer);
    auto restarts = clock::Timer::calling<&Doer::restart>(scheduler, &doer);
    for (std::uint32_t i = 0; i < schedule.offers.size(); ++i)
        offers.also(schedule.offers[i].at * bitTime, i);
    for (std::uint32_t i = 0; i < schedule.restarts.size(); ++i)
        restarts.also(schedule.restarts[i].first * bitTime, i);
    scheduler.runUntil(schedule.until * bitTime);
    return ear.told;
}

Told bitByBit(const Schedule& schedule)
{
    Told told;
    std::vector<PlainController> nodes(schedule.nodes + (schedule.observed ? 1 : 0));
    if (schedule.observed)
        nodes.back().counts = false;
    std::vector<WireFault> faults = schedule.faults;
    std::vector<bool> over(faults.size(), false);
    std::uint64_t number = 0;
    std::size_t offered = 0, restarted = 0;
    const auto nodeOf = [&](const WireFault& fault) { return static_cast<std::size_t>(std::stoul(fault.node.substr(1))); };
    const auto giveUp = [&](const char* why) {
        told.followed = false;
        told.why = QString::fromLatin1(why);
    };

    bool wasShorted = false;
    std::vector<unsigned> asked;
    std::int64_t quietAt = 0;  // behind the intermission of the attempt before
    // Of the attempt that is on the wire.
    struct Attempt {
        bool lasts = false;
        std::int64_t began = 0;
        std::optional<std::size_t> flipped, formAt;
        bool flawed = false, noAcknowledge = false, crcWrong = false;
        std::optional<std::pair<std::size_t, std::size_t>> misread;  // who, which bit
        std::uint32_t key = 0;
    } attempt;

    for (std::int64_t at = 0; at < schedule.until && told.followed; ++at) {
        const Time now = at * bitTime;
        for (std::size_t i = 0; i < faults.size(); ++i)
            if (faults[i].kind == WireFault::Kind::counters && !over[i] && faults[i].from <= now) {
                over[i] = true;
                PlainController& node = nodes[nodeOf(faults[i])];
                node.transmit = faults[i].transmit;
                node.receive = faults[i].receive;
                if (node.isOff())
                    node.does = PlainController::Does::waits;
            }
        for (; offered < schedule.offers.size() && schedule.offers[offered].at == at; ++offered)
            nodes[schedule.offers[offered].node].queue.push_back({schedule.offers[offered].frame, ++number});
        for (; restarted < schedule.restarts.size() && schedule.restarts[restarted].first == at; ++restarted) {
            PlainController& node = nodes[schedule.restarts[restarted].second];
            if (attempt.lasts && !node.isOff())
                asked.push_back(schedule.restarts[restarted].second);  // which the attempt that lasts may drive off
            node.restart();
        }
        const auto acting = [&](std::size_t i, WireFault::Kind kind) {
            return faults[i].kind == kind && faults[i].from <= now && (!faults[i].to || now < *faults[i].to);
        };
        bool shorted = false;
        for (std::size_t i = 0; i < faults.size(); ++i)
            shorted = shorted || acting(i, WireFault::Kind::shorted);

        if (wasShorted && !shorted && std::any_of(nodes.begin(), nodes.end(), [](const PlainController& node) {
                return node.does == PlainController::Does::activeFlag;
            }))
            giveUp("the wire comes back in the middle of a flag");
        if (shorted && !wasShorted && attempt.lasts && attempt.flawed)
            giveUp("the wire is shorted in a frame that goes wrong anyway");
        wasShorted = shorted;

        // Who starts.
        std::vector<std::size_t> starters;
        for (std::size_t i = 0; i < nodes.size(); ++i)
            if (nodes[i].wouldStart())
                starters.push_back(i);
        if (!starters.empty()) {
            if (at < quietAt
                || std::any_of(nodes.begin(), nodes.end(), [](const PlainController& node) { return node.isBusy() || node.pauses(); }))
                return giveUp("one begins while others have not done with what went before"), told;
            attempt = {true, at, {}, {}, false, false, false, {}, ~0U};
            for (const std::size_t i : starters)
                attempt.key = std::min(attempt.key, can::arbitrationBits(nodes[i].queue[nodes[i].next()].frame));
            std::vector<std::size_t> senders;
            for (const std::size_t i : starters)
                if (can::arbitrationBits(nodes[i].queue[nodes[i].next()].frame) == attempt.key)
                    senders.push_back(i);
            const auto frameOf = [&](std::size_t i) -> const can::Frame& { return nodes[i].queue[nodes[i].next()].frame; };
            const bool agree = std::all_of(senders.begin(), senders.end(),
                [&](std::size_t i) { return frameOf(i).dlc == frameOf(senders[0]).dlc && frameOf(i).data == frameOf(senders[0]).data; });
            attempt.flawed = !agree;
            const can::Frame frame = frameOf(senders[0]);
            const auto bits = plainBits(frame);
            for (std::size_t i = 0; i < faults.size() && agree && !shorted; ++i) {
                WireFault& fault = faults[i];
                using Kind = WireFault::Kind;
                if (over[i] || fault.from > now || (fault.to && now >= *fault.to) || (fault.id && *fault.id != frame.id)
                    || fault.kind == Kind::counters || fault.kind == Kind::shorted || fault.kind == Kind::babble)
                    continue;
                const bool byNode = fault.kind == Kind::error || fault.kind == Kind::rate;
                if (byNode && !nodes[nodeOf(fault)].takesPart())
                    continue;
                std::optional<std::size_t> bit;
                for (std::size_t k = 0; k < bits.size() && !bit; ++k)
                    if (fault.kind == Kind::stuff ? bits[k].stuff && !bits[k].arbitration : !bits[k].stuff && bits[k].data)
                        bit = k;
                for (std::size_t k = 0; k < bits.size() && !bit && fault.kind != Kind::stuff; ++k)
                    if (bits[k].crc && !bits[k].stuff)
                        bit = k;
                if (fault.kind == Kind::stuff && !bit)
                    continue;
                attempt.flawed = true;
                if (fault.times > 0 && fault.kind != Kind::rate && --fault.times == 0)
                    over[i] = true;
                switch (fault.kind) {
                case Kind::bit:
                case Kind::stuff: attempt.flipped = bit; break;
                case Kind::crc: attempt.crcWrong = true; break;
                case Kind::form: attempt.formAt = bits.size(); break;
                case Kind::acknowledge: attempt.noAcknowledge = true; break;
                default: attempt.misread = {nodeOf(fault), *bit};
                }
                break;
            }
            for (const std::size_t i : starters)
                nodes[i].start();
            for (PlainController& node : nodes) {
                node.acknowledges = !attempt.noAcknowledge;
                node.findsCrcWrong = attempt.crcWrong;
            }
        }

        int wire = 1;
        bool unheard = false;
        for (const PlainController& node : nodes) {
            wire &= node.drives();
            unheard = unheard || node.awaitsAcknowledge();
        }
        const auto index = static_cast<std::size_t>(at - attempt.began);
        if (attempt.lasts && attempt.flipped == index)
            wire ^= 1;
        if (attempt.lasts && attempt.formAt == index)
            wire = 0;
        if (shorted)
            wire = 1;
        unheard = unheard && wire == 1 && !shorted;
        bool through = false;
        for (std::size_t i = 0; i < nodes.size(); ++i) {
            const bool misreads = attempt.lasts && attempt.misread && attempt.misread->first == i && attempt.misread->second == index;
            nodes[i].read(wire, misreads);
            through = through || nodes[i].sent;
            if (nodes[i].overloaded)
                giveUp("an overload frame");
        }
        // Its six equal bits end somewhere in the tail, and the flag of the sender comes at any bit of what follows.
        if (unheard && std::any_of(nodes.begin(), nodes.end(), [](const PlainController& node) { return node.flagsPassively(); }))
            giveUp("who could acknowledge flags passively");
        const bool busy = std::any_of(nodes.begin(), nodes.end(), [](const PlainController& node) { return node.isBusy(); });
        if (attempt.lasts && (through || !busy)) {
            if (busy)
                giveUp("somebody is not done when the frame is");
            attempt.lasts = false;
            for (const unsigned node : asked)
                if (nodes[node].isOff())
                    giveUp("asked to come back while it is driven off");
            asked.clear();
            quietAt = at + 1 + can::intermissionBits;
            Event event{at + 1, !through, through ? attempt.key : 0, {}};
            for (unsigned node = 0; node < schedule.nodes; ++node)
                event.counters.emplace_back(nodes[node].transmit, nodes[node].receive);
            told.events.push_back(std::move(event));
        }
    }
    return told;
}

/// Nodes with identifiers of their own, and one that two may send.
Schedule someSchedule(std::mt19937& random, bool collisions)
{
    const auto some = [&](unsigned below) { return static_cast<unsigned>(random() % below); };
    Schedule schedule;
    schedule.nodes = 2 + some(3);
    schedule.observed = some(3) != 0;
    schedule.until = 20'000;
    const unsigned talkers = 1 + some(schedule.nodes);
    for (unsigned i = 0; i < 20 + some(60); ++i) {
        Schedule::Offer offer{200 + some(12'000), some(talkers), {}};
        offer.frame.id.extended = some(3) == 0;
        offer.frame.id.value = some(offer.frame.id.extended ? 0x20000000 : 0x800);
        offer.frame.id.value = (offer.frame.id.value & ~7U) | (collisions && some(4) == 0 ? 7 : offer.node);
        if (collisions && some(4) == 0)
            offer.frame.id = {0x107, false};
        offer.frame.kind = some(12) == 0 ? can::FrameKind::remote : can::FrameKind::data;
        offer.frame.dlc = static_cast<std::uint8_t>(some(9));
        offer.frame.length = offer.frame.kind == can::FrameKind::remote ? std::uint8_t{0} : offer.frame.dlc;
        const unsigned style = some(3);
        for (unsigned k = 0; k < offer.frame.length; ++k)
            offer.frame.data[k] = style == 0 ? std::uint8_t{0} : style == 1 ? std::uint8_t{0xFF} : static_cast<std::uint8_t>(random());
        schedule.offers.push_back(offer);
    }
    std::stable_sort(schedule.offers.begin(), schedule.offers.end(), [](const auto& a, const auto& b) { return a.at < b.at; });
    for (unsigned node = 0; node < schedule.nodes; ++node)
        if (some(3) == 0) {
            WireFault set;
            set.kind = WireFault::Kind::counters;
            set.node = nameOf(node);
            set.from = Time(some(50) * bitTime);
            set.transmit = some(2) == 0 ? some(256) : some(130);
            set.receive = some(2) == 0 ? some(256) : some(20);
            schedule.faults.push_back(set);
        }
    for (unsigned i = 0; i < some(7); ++i) {
        using Kind = WireFault::Kind;
        constexpr std::array kinds{
            Kind::bit, Kind::stuff, Kind::crc, Kind::form, Kind::acknowledge, Kind::error, Kind::rate, Kind::shorted};
        WireFault fault;
        fault.kind =
            kinds[some(schedule.observed ? kinds.size() - 1 : kinds.size())];  // on a shorted wire the program's own ear has no counters
        fault.from = Time((100 + some(12'000)) * bitTime);
        fault.times = 1 + some(some(3) == 0 ? 40 : 4);
        fault.node = nameOf(some(schedule.nodes));
        if (some(4) == 0 && !schedule.offers.empty())
            fault.id = schedule.offers[some(static_cast<unsigned>(schedule.offers.size()))].frame.id;
        if (lasts(fault.kind))
            fault.to = fault.from + Time((1 + some(3'000)) * bitTime);
        schedule.faults.push_back(fault);
    }
    for (unsigned i = 0; i < some(6); ++i)
        schedule.restarts.emplace_back(300 + some(14'000), some(schedule.nodes));
    std::sort(schedule.restarts.begin(), schedule.restarts.end());
    return schedule;
}

}  // namespace

class ConfinementTest : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void randomFaultsAreConfinedAsBitByBit_data()
    {
        QTest::addColumn<bool>("collisions");
        QTest::newRow("identifiers of their own") << false;
        QTest::newRow("some that two send") << true;
    }
    void randomFaultsAreConfinedAsBitByBit()
    {
        QFETCH(bool, collisions);
        std::mt19937 random(91);
        unsigned followed = 0, events = 0, errors = 0, passive = 0, off = 0;
        std::map<QString, unsigned> left;
        constexpr unsigned rounds = 120;
        for (unsigned round = 0; round < rounds; ++round) {
            const Schedule schedule = someSchedule(random, collisions);
            const Told plain = bitByBit(schedule);
            const Told bus = byTheBus(schedule);
            if (!plain.followed) {
                ++left[plain.why];
            } else {
                ++followed;
            }
            // Up to where the wire did what a bus from frame to frame does not make, they agree as well.
            const std::size_t count = plain.followed ? std::max(plain.events.size(), bus.events.size())
                                                     : plain.events.size() - std::min<std::size_t>(plain.events.size(), 1);
            for (std::size_t i = 0; i < count; ++i) {
                const Event a = i < plain.events.size() ? plain.events[i] : Event{}, b = i < bus.events.size() ? bus.events[i] : Event{};
                if (!(a == b)) {
                    for (const WireFault& fault : schedule.faults)
                        qWarning("%s node %s from %lld to %lld times %u id %x  %u/%u", toText(fault.kind), fault.node.c_str(),
                            static_cast<long long>(bitsOf(fault.from)), fault.to ? static_cast<long long>(bitsOf(*fault.to)) : -1LL,
                            fault.times, fault.id ? fault.id->value : 0, fault.transmit, fault.receive);
                    for (std::size_t k = i < 4 ? 0 : i - 4; k < i + 1; ++k)
                        qWarning("plain %s | bus %s", qPrintable(k < plain.events.size() ? words(plain.events[k]) : QString()),
                            qPrintable(k < bus.events.size() ? words(bus.events[k]) : QString()));
                    QVERIFY2(a == b, qPrintable(QStringLiteral("round %1, event %2, observed %3, followed %4 %5")
                                             .arg(round)
                                             .arg(i)
                                             .arg(schedule.observed)
                                             .arg(plain.followed)
                                             .arg(plain.why)));
                }
                ++events;
                errors += a.error;
                for (const auto& [transmit, receive] : a.counters) {
                    passive += transmit > 127 || receive > 127;
                    off += transmit > 255;
                }
            }
        }
        for (const auto& [why, times] : left)
            qInfo("%u: %s", times, qPrintable(why));
        qInfo("%u of %u followed, %u events, %u errors, %u passive, %u off", followed, rounds, events, errors, passive, off);
        QVERIFY(followed > rounds / 2 && errors > 500 && passive > 500 && off > 50);
    }
};

QTEST_APPLESS_MAIN(ConfinementTest)
#include "confinement_test.moc"
