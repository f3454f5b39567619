#include "bus/simulated_bus.h"

#include <algorithm>

#include "bus/collision.h"
#include "can/wire_bits.h"

namespace wavetrope::bus {

namespace {

constexpr unsigned suspendBits = 8;        // ISO 11898-1:2015, 10.4.6.4
constexpr unsigned recoverySequences = 128; // 12.1.4.4
constexpr unsigned recoveryBits = 11;

// Class bits of the error frames as the kernel's interface defines them (linux/can/error.h).
constexpr std::uint32_t classProtocol = 0x08;
constexpr std::uint32_t classBusOff = 0x40;
constexpr std::uint32_t classBusError = 0x80;

bool sameFrame(const can::Frame& a, const can::Frame& b)
{
    return a.kind == b.kind && a.dlc == b.dlc && a.brs == b.brs && a.esi == b.esi && a.length == b.length
           && std::equal(a.data.begin(), a.data.begin() + a.length, b.data.begin());
}

}  // namespace

SimulatedBus::SimulatedBus(clock::Scheduler& scheduler, SimulatedBusOptions options)
    : scheduler_(scheduler), options_(options), busyUntil_(scheduler.now()), idleSince_(scheduler.now())
{
}

Time SimulatedBus::bits(std::uint64_t count) const
{
    return can::duration({static_cast<std::uint16_t>(count), 0, 0}, options_.rate);
}

Port SimulatedBus::attach(std::string name, can::Direction direction)
{
    PortState port;
    port.name = std::move(name);
    port.direction = direction;
    ports_.push_back(std::move(port));
    return static_cast<Port>(ports_.size() - 1);
}

void SimulatedBus::insert(PortState& port, Pending pending)
{
    // Sorted so that the winner of the port is last; of equal ones the older is last.
    const auto place = std::lower_bound(port.queue.begin(), port.queue.end(), pending.key,
                                        [](const Pending& a, std::uint32_t key) { return a.key > key; });
    port.queue.insert(place, std::move(pending));
}

bool SimulatedBus::offer(Port index, const can::Frame& frame)
{
    PortState& port = ports_[index];
    if (!port.on)
        return false;
    if (port.queue.size() >= options_.queueLimit) {
        ++port.dropped;
        return false;
    }
    Pending pending{can::arbitrationBits(frame), scheduler_.now(), frame};
    pending.frame.bus = options_.index;
    pending.frame.direction = port.direction;
    insert(port, std::move(pending));
    if (!busy_)
        wake(std::max(scheduler_.now(), std::max(busyUntil_, port.suspendedUntil)));
    return true;
}

void SimulatedBus::enable(Port index, bool on)
{
    ports_[index].on = on;
    if (!on)
        ports_[index].queue.clear();
}

void SimulatedBus::wake(Time when)
{
    if (when >= wakeAt_)
        return;
    wakeAt_ = when;
    ++generation_;
    scheduler_.at(
        when,
        [](void* context, std::uint64_t tag) {
            auto* self = static_cast<SimulatedBus*>(context);
            if (tag == self->generation_) {
                self->wakeAt_ = Time::max();
                self->arbitrate();
            }
        },
        this, generation_, clock::Phase::settle);
}

void SimulatedBus::countRecessive(std::uint64_t sequences)
{
    for (PortState& port : ports_) {
        if (port.counters.state() != can::ErrorState::busOff)
            continue;
        port.recoveries += static_cast<unsigned>(std::min<std::uint64_t>(sequences, recoverySequences));
        if (port.recoveries >= recoverySequences) {
            port.recoveries = 0;
            port.counters.recover();
        }
    }
}

void SimulatedBus::arbitrate()
{
    const Time now = scheduler_.now();
    if (busy_)
        return;
    const std::uint64_t idleBits
        = static_cast<std::uint64_t>(std::max<std::int64_t>(0, (now - idleSince_).count())) * options_.rate.nominal / 1'000'000'000ULL;
    if (idleBits >= recoveryBits) {
        countRecessive(idleBits / recoveryBits);
        idleSince_ = now;
    }

    contenders_.clear();
    std::uint32_t best = ~std::uint32_t{0};
    Time nextTry = Time::max();
    for (Port i = 0; i < ports_.size(); ++i) {
        const PortState& port = ports_[i];
        if (port.queue.empty())
            continue;
        if (port.counters.state() == can::ErrorState::busOff) {
            nextTry = std::min(nextTry, now + bits(recoveryBits) * (recoverySequences - port.recoveries));
            continue;
        }
        if (port.suspendedUntil > now) {
            nextTry = std::min(nextTry, port.suspendedUntil);
            continue;
        }
        const std::uint32_t key = port.queue.back().key;
        if (contenders_.empty() || key < best) {
            best = key;
            contenders_.assign(1, i);
        } else if (key == best) {
            contenders_.push_back(i);
        }
    }
    if (contenders_.empty()) {
        if (nextTry != Time::max())
            wake(nextTry);
        return;
    }

    for (const Port i : contenders_) {
        PortState& port = ports_[i];
        port.longestWait = std::max(port.longestWait, now - port.queue.back().offered);
        // An error-passive FD sender says so (10.4.2.4, ESI).
        can::Frame& frame = port.queue.back().frame;
        if (frame.kind == can::FrameKind::fd && port.counters.state() == can::ErrorState::passive)
            frame.esi = true;
    }
    bool disagree = false;
    bool corrupt = false;
    const can::Frame& first = ports_[contenders_.front()].queue.back().frame;
    for (const Port i : contenders_) {
        disagree = disagree || !sameFrame(first, ports_[i].queue.back().frame);
        if (ports_[i].corrupt > 0) {
            --ports_[i].corrupt;
            corrupt = true;
        }
    }
    if (disagree || corrupt)
        collide(contenders_, corrupt);
    else
        transmit();
}

void SimulatedBus::transmit()
{
    PortState& sender = ports_[contenders_.front()];
    inFlight_ = sender.queue.back().frame;
    for (const Port i : contenders_)
        ports_[i].queue.pop_back();

    const Time now = scheduler_.now();
    const can::WireLength length = can::wireLength(inFlight_.view());
    inFlight_.time = now + can::duration(length, options_.rate);
    busyUntil_ = now + can::occupancy(length, options_.rate);
    busy_ = true;
    scheduler_.at(
        inFlight_.time, [](void* context, std::uint64_t) { static_cast<SimulatedBus*>(context)->finish(); }, this);
}

void SimulatedBus::finish()
{
    bool acknowledged = options_.observed;
    for (Port i = 0; i < ports_.size() && !acknowledged; ++i)
        acknowledged = ports_[i].on && ports_[i].counters.state() != can::ErrorState::busOff
                       && std::find(contenders_.begin(), contenders_.end(), i) == contenders_.end();
    if (!acknowledged) {
        // Nobody drives the ACK slot: an error, which stops counting once the sender is passive (rule c, exception A).
        for (const Port i : contenders_) {
            PortState& port = ports_[i];
            if (port.counters.state() == can::ErrorState::active)
                port.counters.transmitterSentErrorFlag();
            insert(port, {can::arbitrationBits(inFlight_), scheduler_.now(), inFlight_});
        }
        ++errors_;
        becomeIdleAt(scheduler_.now() + bits(6 + 8 + can::intermissionBits));
        return;
    }
    for (Port i = 0; i < ports_.size(); ++i) {
        PortState& port = ports_[i];
        if (port.counters.state() == can::ErrorState::busOff)
            continue;
        if (std::find(contenders_.begin(), contenders_.end(), i) != contenders_.end()) {
            port.counters.transmitted();
            if (port.counters.state() == can::ErrorState::passive)
                port.suspendedUntil = busyUntil_ + bits(suspendBits);
        } else {
            port.counters.received();
        }
    }
    countRecessive(1);
    becomeIdleAt(busyUntil_);
    deliver(inFlight_.view(), contenders_.front());
}

void SimulatedBus::becomeIdleAt(Time when)
{
    busy_ = false;
    busyUntil_ = when;
    idleSince_ = when;
    bool anything = false;
    for (const PortState& port : ports_)
        anything = anything || !port.queue.empty();
    if (anything)
        wake(when);
}

void SimulatedBus::collide(const std::vector<Port>& transmitters, bool corrupt)
{
    std::vector<Transmitter> parties;
    for (const Port i : transmitters) {
        Transmitter party{can::wireBits(ports_[i].queue.back().frame.view()), ports_[i].counters.state(), std::nullopt};
        // The CRC field of an FD frame changes its bits at least every fifth: enough to see a flag by.
        if (ports_[i].queue.back().frame.kind == can::FrameKind::fd)
            for (std::uint8_t k = 0; k < 24; ++k)
                party.bits.push_back(k & 1U);
        if (corrupt)
            party.misreads = party.bits.size() / 2;
        parties.push_back(std::move(party));
    }
    bool receiversActive = options_.observed;
    for (Port i = 0; i < ports_.size(); ++i)
        if (ports_[i].on && ports_[i].counters.state() == can::ErrorState::active
            && std::find(transmitters.begin(), transmitters.end(), i) == transmitters.end())
            receiversActive = true;
    const CollisionOutcome outcome = followCollision(parties, receiversActive);

    const Time now = scheduler_.now();
    for (std::size_t k = 0; k < transmitters.size(); ++k) {
        PortState& port = ports_[transmitters[k]];
        if (outcome.transmitterFlagged[k])
            port.counters.transmitterSentErrorFlag();
        if (port.counters.state() == can::ErrorState::busOff)
            port.recoveries = 0;
    }

    if (outcome.survivor) {
        const Port survivor = transmitters[*outcome.survivor];
        const Time end = now + can::occupancy(can::wireLength(ports_[survivor].queue.back().frame.view()), options_.rate);
        for (const Port i : transmitters)
            if (i != survivor)
                ports_[i].suspendedUntil = end + bits(suspendBits);
        contenders_.assign(1, survivor);
        transmit();
        return;
    }

    for (Port i = 0; i < ports_.size(); ++i) {
        PortState& port = ports_[i];
        if (!port.on || std::find(transmitters.begin(), transmitters.end(), i) != transmitters.end()
            || port.counters.state() == can::ErrorState::busOff || !outcome.receiversFlagged)
            continue;
        port.counters.receiverDetectedError();
        if (outcome.receiversSawDominant)
            port.counters.receiverSawDominantAfterFlag();
    }

    const Time end = now + bits(outcome.bits);
    for (const Port i : transmitters)
        if (ports_[i].counters.state() == can::ErrorState::passive)
            ports_[i].suspendedUntil = end + bits(can::intermissionBits + suspendBits);
    errorFrame_ = can::Frame{};
    errorFrame_.kind = can::FrameKind::error;
    errorFrame_.bus = options_.index;
    errorFrame_.direction = can::Direction::received;
    errorFrame_.id = {classProtocol | classBusError, false};
    errorFrame_.length = errorFrame_.dlc = 8;
    errorFrame_.data[2] = 0x01;  // a single bit was wrong
    for (const Port i : transmitters) {
        const can::ErrorCounters& counters = ports_[i].counters;
        if (counters.state() == can::ErrorState::busOff)
            errorFrame_.id.value |= classBusOff;
        errorFrame_.data[6] = std::max(errorFrame_.data[6], static_cast<std::uint8_t>(std::min(255U, counters.transmit())));
    }
    errorFrame_.time = end;
    busy_ = true;
    ++errors_;
    scheduler_.at(
        end, [](void* context, std::uint64_t) { static_cast<SimulatedBus*>(context)->endError(); }, this);
}

void SimulatedBus::endError()
{
    countRecessive(1);
    becomeIdleAt(scheduler_.now() + bits(can::intermissionBits));
    deliver(errorFrame_.view(), nobody);
}

Health SimulatedBus::health() const
{
    Health health;
    health.alive = true;
    health.words = "alive";
    health.errors = errors_;
    for (const PortState& port : ports_) {
        health.lost += port.dropped;
        if (port.counters.state() == can::ErrorState::busOff)
            health.words = port.name + " is bus off";
        else if (port.counters.state() == can::ErrorState::passive && health.words == "alive")
            health.words = port.name + " is error-passive";
    }
    return health;
}

}  // namespace wavetrope::bus
