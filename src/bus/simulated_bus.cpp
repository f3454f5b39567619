// SPDX-License-Identifier: GPL-3.0-or-later
#include "bus/simulated_bus.h"

#include <algorithm>

#include "bus/collision.h"
#include "bus/frame_bits.h"

namespace wavetrope::bus {

namespace {

constexpr unsigned suspendBits = 8;         // ISO 11898-1:2015, 10.4.6.4
constexpr unsigned recoverySequences = 128; // 12.1.4.4
constexpr unsigned recessiveBits = 11;      // of one such sequence, and of integration (10.9.4)
constexpr unsigned bitsBehindAcknowledge = 8;   // its delimiter and the end of frame, all recessive

// Class bits and facts of the error frames as the kernel's interface defines them (linux/can/error.h).
constexpr std::uint32_t classProtocol = 0x08;
constexpr std::uint32_t classAcknowledge = 0x20;
constexpr std::uint32_t classBusOff = 0x40;
constexpr std::uint32_t classBusError = 0x80;
constexpr std::uint32_t classCounters = 0x200;
constexpr std::uint8_t kindForm = 0x02;
constexpr std::uint8_t kindStuff = 0x04;
constexpr std::uint8_t kindDominantUnsent = 0x08;
constexpr std::uint8_t kindRecessiveUnsent = 0x10;
constexpr std::uint8_t kindTransmitting = 0x80;

bool sameFrame(const can::Frame& a, const can::Frame& b)
{
    return a.kind == b.kind && a.dlc == b.dlc && a.brs == b.brs && a.esi == b.esi && a.length == b.length
           && std::equal(a.data.begin(), a.data.begin() + a.length, b.data.begin());
}

std::uint8_t clipped(unsigned counter) { return static_cast<std::uint8_t>(std::min(255U, counter)); }

}  // namespace

SimulatedBus::SimulatedBus(clock::Scheduler& scheduler, SimulatedBusOptions options)
    : scheduler_(scheduler),
      options_(options),
      acknowledge_(clock::Timer::calling<&SimulatedBus::acknowledge>(scheduler, this)),
      finish_(clock::Timer::calling<&SimulatedBus::finish>(scheduler, this)),
      endError_(clock::Timer::calling<&SimulatedBus::endError>(scheduler, this)),
      breakTail_(clock::Timer::calling<&SimulatedBus::breakTail>(scheduler, this)),
      began_(scheduler.now()),
      busyUntil_(scheduler.now()),
      recessiveSince_(scheduler.now()),
      wake_(clock::Timer::calling<&SimulatedBus::wokenUp>(scheduler, this, clock::Phase::settle)),
      faultTimer_(clock::Timer::calling<&SimulatedBus::faultDue>(scheduler, this))
{}

Time SimulatedBus::bits(std::uint64_t count) const
{
    // Not by way of a frame's length, which has fewer bits.
    return Time(static_cast<std::int64_t>((count * 1'000'000'000ULL + options_.rate.nominal / 2) / options_.rate.nominal));
}

Port SimulatedBus::attach(std::string name, can::Direction direction, Order order)
{
    PortState port;
    port.name = std::move(name);
    port.direction = direction;
    port.order = order;
    port.room = options_.queueLimit;
    port.restart = clock::Timer::calling<&SimulatedBus::restart>(scheduler_, this);
    if (scheduler_.now() > began_) {
        port.awaits = 1;
        port.awaitsFrom = scheduler_.now();
    }
    ports_.push_back(std::move(port));
    return static_cast<Port>(ports_.size() - 1);
}

void SimulatedBus::insert(PortState& port, Pending pending)
{
    // Sorted so that the winner of the port is last; of equal ones the older is last.
    const auto place = port.order == Order::asOffered ? port.queue.begin()
                                                      : std::lower_bound(port.queue.begin(), port.queue.end(), pending.key,
                                                            [](const Pending& a, std::uint32_t key) { return a.key > key; });
    port.queue.insert(place, std::move(pending));
}

// A frame that was not acknowledged is the next of its kind again.
void SimulatedBus::putBack(PortState& port, Pending pending)
{
    const auto place = port.order == Order::asOffered ? port.queue.end()
                                                      : std::upper_bound(port.queue.begin(), port.queue.end(), pending.key,
                                                            [](std::uint32_t key, const Pending& a) { return key > a.key; });
    port.queue.insert(place, std::move(pending));
}

bool SimulatedBus::offer(Port index, const can::Frame& frame)
{
    PortState& port = ports_[index];
    if (!port.on)
        return false;
    if (port.queue.size() >= port.room) {
        ++port.dropped;
        return false;
    }
    Pending pending{can::arbitrationBits(frame), scheduler_.now(), frame, frame.esi};
    pending.frame.bus = options_.index;
    pending.frame.direction = port.direction;
    insert(port, std::move(pending));
    if (!busy_)
        wake(std::max({scheduler_.now(), busyUntil_, port.suspendedUntil}));
    return true;
}

void SimulatedBus::enable(Port index, bool on)
{
    PortState& port = ports_[index];
    if (port.on == on)
        return;
    port.on = on;
    if (on) {
        if (port.counters.state() == can::ErrorState::busOff)
            restart(index);
        else if (scheduler_.now() > began_) {
            port.awaits = 1;
            port.awaitsFrom = scheduler_.now();
        }
        return;
    }
    port.queue.clear();
    port.awaits = 0;
    if (!busy_ || inFlight_.kind == can::FrameKind::error || !transmits(index))
        return;
    // Its bits end here; who sends the same ones goes on.
    std::erase(contenders_, index);
    if (contenders_.empty())
        abandon();
}

void SimulatedBus::restart(Port index)
{
    PortState& port = ports_[index];
    if (port.counters.state() != can::ErrorState::busOff || port.awaits > 0)
        return;
    port.awaits = recoverySequences;
    port.awaitsFrom = scheduler_.now();
    if (!busy_ && !port.queue.empty())
        wake(std::max(scheduler_.now(), busyUntil_));
}

bool SimulatedBus::transmits(Port port) const { return std::find(contenders_.begin(), contenders_.end(), port) != contenders_.end(); }

// Hears the frame in flight, and finds nothing wrong.
bool SimulatedBus::listens(Port port) const
{
    return takesPart(ports_[port]) && !transmits(port) && std::find(complaining_.begin(), complaining_.end(), port) == complaining_.end();
}

void SimulatedBus::wake(Time when)
{
    if (when >= wakeAt_)
        return;
    wakeAt_ = when;
    wake_.at(when);
}

void SimulatedBus::wokenUp()
{
    wakeAt_ = Time::max();
    arbitrate();
}

std::uint64_t SimulatedBus::sequences(const PortState& port, Time until) const
{
    const Time from = std::max(port.awaitsFrom, recessiveSince_);
    if (until <= from)
        return 0;
    const auto rate = static_cast<unsigned __int128>(options_.rate.nominal);
    const auto count = static_cast<std::uint64_t>(
        (static_cast<unsigned __int128>((until - from).count()) * rate + 500'000'000U) / 1'000'000'000U);
    return count / recessiveBits;
}

Time SimulatedBus::readyAt(const PortState& port) const
{
    return std::max(port.awaitsFrom, recessiveSince_) + bits(std::uint64_t{recessiveBits} * port.awaits);
}

void SimulatedBus::countRecessive(Time until)
{
    for (PortState& port : ports_) {
        if (port.awaits == 0 || !port.on)
            continue;
        const std::uint64_t seen = sequences(port, until);
        if (seen == 0)
            continue;
        if (seen < port.awaits) {
            port.awaits -= static_cast<unsigned>(seen);
            port.awaitsFrom = std::max(port.awaitsFrom, recessiveSince_) + bits(seen * recessiveBits);
            continue;
        }
        const Time ready = readyAt(port);
        port.awaits = 0;
        if (port.counters.state() == can::ErrorState::busOff) {
            port.counters.recover();
            noteState(port, ready);
        }
    }
}

void SimulatedBus::arbitrate()
{
    const Time now = scheduler_.now();
    if (busy_)
        return;
    countRecessive(now);
    if (open_ > 0)
        babble();

    contenders_.clear();
    std::vector<Port> ready;  // on a shorted wire each begins for itself
    std::uint32_t best = ~std::uint32_t{0};
    Time nextTry = Time::max();
    for (Port i = 0; i < ports_.size(); ++i) {
        const PortState& port = ports_[i];
        if (port.queue.empty())
            continue;
        if (port.awaits > 0) {
            nextTry = std::min(nextTry, readyAt(port));
            continue;
        }
        if (!takesPart(port))
            continue;
        if (port.suspendedUntil > now) {
            nextTry = std::min(nextTry, port.suspendedUntil);
            continue;
        }
        const std::uint32_t key = port.queue.back().key;
        if (open_ > 0)
            ready.push_back(i);
        if (contenders_.empty() || key < best) {
            best = key;
            contenders_.assign(1, i);
        } else if (key == best) {
            contenders_.push_back(i);
        }
    }
    if (contenders_.empty()) {
        if (nextTry != Time::max())
            wake(std::max(now, nextTry));
        return;
    }

    for (const Port i : contenders_) {
        PortState& port = ports_[i];
        Pending& pending = port.queue.back();
        port.longestWait = std::max(port.longestWait, now - pending.offered);
        // An error-passive FD sender says so, with each try as it is then (10.4.2.4, ESI).
        pending.frame.esi = pending.frame.kind == can::FrameKind::fd && (pending.esi || port.counters.state() == can::ErrorState::passive);
    }
    bool disagree = false;
    const can::Frame& first = ports_[contenders_.front()].queue.back().frame;
    for (const Port i : contenders_)
        disagree = disagree || ports_[i].corrupt > 0 || !sameFrame(first, ports_[i].queue.back().frame);
    if (open_ > 0 && shorted()) {
        flagUnseen(ready, now + bits(1), std::nullopt);
        return;
    }
    if (disagree)
        collide(contenders_);
    else if (open_ == 0 || !disturbNow())
        transmit();
}

// All bits up to here came as they were sent, and are sent anew.
void SimulatedBus::breakTail()
{
    const auto senders = contenders_;
    std::vector<can::ErrorState> states;
    for (const Port i : senders)
        states.push_back(ports_[i].counters.state());
    Audience audience{options_.observed, false};
    for (Port i = 0; i < ports_.size(); ++i)
        if (listens(i))
            (can::flagsActively(ports_[i].counters.state()) ? audience.active : audience.passive) = true;
    const TailOutcome outcome = followTail(tailFault_, states, audience);
    const Time end = scheduler_.now() + bits(outcome.bits);
    const bool form = tailFault_ == TailFault::form;
    const Time dominantUntil = outcome.dominantUntil > 0 ? scheduler_.now() + bits(outcome.dominantUntil)
                               : form                    ? scheduler_.now()
                                                         : lastDominantInFlight();
    for (Port i = 0; i < ports_.size(); ++i)
        if (listens(i)) {
            const Listening& heard = can::flagsActively(ports_[i].counters.state()) ? outcome.active : outcome.passive;
            if (heard.flagged)
                ports_[i].counters.receiverDetectedError();
            if (heard.sawDominant)
                ports_[i].counters.receiverSawDominantAfterFlag();
        }
    for (std::size_t k = 0; k < senders.size(); ++k) {
        PortState& port = ports_[senders[k]];
        // Exception A of rule c: a passive sender that misses the acknowledge and sees no dominant bit meanwhile does not count.
        if (form || can::flagsActively(states[k]) || outcome.sawDominant[k])
            port.counters.transmitterSentErrorFlag();
        wentBusOff(senders[k]);
        if (port.counters.state() == can::ErrorState::passive)
            port.suspendedUntil = scheduler_.now() + bits(outcome.ends[k] + can::intermissionBits + suspendBits);
    }
    for (auto& [port, pending] : flying_)
        if (std::find(senders.begin(), senders.end(), port) != senders.end())  // still on
            putBack(ports_[port], std::move(pending));
    flying_.clear();
    if (tailFault_ == TailFault::acknowledge)
        sendErrorFrame(end, dominantUntil, classAcknowledge, kindTransmitting, can::Place::acknowledge, senders);
    else
        sendErrorFrame(end, dominantUntil, classProtocol, form ? kindForm | kindTransmitting : 0,
            form ? can::Place::crcDelimiter : can::Place::crc, senders);
}

void SimulatedBus::transmit()
{
    sender_ = contenders_.front();
    inFlight_ = ports_[sender_].queue.back().frame;
    flying_.clear();
    flightOffered_ = ports_[sender_].queue.back().offered;
    for (const Port i : contenders_) {
        flightOffered_ = std::min(flightOffered_, ports_[i].queue.back().offered);
        flying_.emplace_back(i, std::move(ports_[i].queue.back()));
        ports_[i].queue.pop_back();
    }

    const Time now = scheduler_.now();
    const can::WireLength length = can::wireLength(inFlight_.view());
    flightBegan_ = now;
    complaining_.clear();
    tailBreaks_ = false;
    inFlight_.time = now + can::duration(length, options_.rate);
    busyUntil_ = now + can::occupancy(length, options_.rate);
    busy_ = true;
    if (options_.observed)  // acknowledged in any case
        finish_.at(inFlight_.time);
    else
        acknowledge_.at(inFlight_.time - bits(bitsBehindAcknowledge));
}

// Behind the acknowledge slot: nobody may have driven it.
void SimulatedBus::acknowledge()
{
    bool acknowledged = false;
    for (Port i = 0; i < ports_.size() && !acknowledged; ++i)
        acknowledged = listens(i);
    if (acknowledged) {
        finish_.at(inFlight_.time);
        return;
    }
    tailFault_ = TailFault::acknowledge;
    breakTail();
}

Time SimulatedBus::lastDominantInFlight() const
{
    const auto trace = wholeTrace(inFlight_);
    std::size_t count = trace.size();
    while (count > 0 && trace[count - 1].value == 1)
        --count;
    return flightBegan_ + timeOf(trace, count, options_.rate);
}

void SimulatedBus::finish()
{
    for (Port i = 0; i < ports_.size(); ++i) {
        PortState& port = ports_[i];
        if (!takesPart(port))
            continue;
        if (transmits(i)) {
            port.counters.transmitted();
            if (port.counters.state() == can::ErrorState::passive)
                port.suspendedUntil = busyUntil_ + bits(suspendBits);
        } else if (listens(i)) {
            port.counters.received();
        }
    }
    noteStates(inFlight_.time);
    MeasuredResponse& response = responses_[inFlight_.id.key()];
    response.id = inFlight_.id;
    ++response.count;
    if (const Time took = inFlight_.time - flightOffered_; took > response.longest) {
        response.longest = took;
        response.at = inFlight_.time;
    }
    recessiveSince_ = inFlight_.time - bits(bitsBehindAcknowledge);
    becomeIdleAt(busyUntil_);
    deliver(inFlight_.view(), sender_);
}

std::vector<MeasuredResponse> SimulatedBus::responses() const
{
    std::vector<MeasuredResponse> out;
    out.reserve(responses_.size());
    for (const auto& [key, response] : responses_)
        out.push_back(response);
    return out;
}

// Whoever sent the frame in flight is off: the wire stays recessive from here on.
void SimulatedBus::abandon()
{
    const Time now = scheduler_.now();
    const auto trace = wholeTrace(inFlight_);
    std::size_t at = 0;
    while (at < trace.size() && flightBegan_ + timeOf(trace, at + 1, options_.rate) <= now)
        ++at;
    // What is left is recessive anyway: the frame is whole.
    if (std::all_of(trace.begin() + static_cast<std::ptrdiff_t>(at), trace.end(), [](const can::WireBit& bit) { return bit.value == 1; }))
        return;
    acknowledge_.stop();
    finish_.stop();
    breakTail_.stop();
    // Their flag is as long whether it is active or passive.
    const bool listens = options_.observed
                         || std::any_of(ports_.begin(), ports_.end(), [&](const PortState& port) { return takesPart(port); });
    unsigned run = 0;
    while (run < at && trace[at - 1 - run].value == 1)
        ++run;
    const std::size_t found = at + (run < flagBits ? flagBits - run : 1);  // bits up to the sixth recessive one
    if (!listens) {
        recessiveSince_ = now;
        becomeIdleAt(now);
        return;
    }
    bool active = options_.observed;
    for (PortState& port : ports_)
        if (takesPart(port)) {
            active = active || can::flagsActively(port.counters.state());
            port.counters.receiverDetectedError();
        }
    const Time end = flightBegan_ + timeOf(trace, found, options_.rate)
                     + bits((found > trace.size() ? found - trace.size() : 0) + flagBits + delimiterBits);
    const Time dominantUntil = active ? end - bits(delimiterBits) : flightBegan_ + timeOf(trace, at - run, options_.rate);
    sendErrorFrame(end, dominantUntil, classProtocol, kindStuff, at < trace.size() ? trace[at].place : can::Place::crc, {});
}

void SimulatedBus::becomeIdleAt(Time when)
{
    busy_ = false;
    busyUntil_ = when;
    bool anything = std::any_of(
        faults_.begin(), faults_.end(), [](const Asked& asked) { return asked.facts.acts && asked.fault.kind == WireFault::Kind::babble; });
    for (const PortState& port : ports_)
        anything = anything || !port.queue.empty();
    if (anything)
        wake(when);
}

void SimulatedBus::noteState(PortState& port, Time at)
{
    port.told = port.counters.state();
    states_.note({at, port.name, port.told, port.counters.transmit(), port.counters.receive()});
}

void SimulatedBus::noteStates(Time at)
{
    for (PortState& port : ports_)
        if (port.counters.state() != port.told)
            noteState(port, at);
}

void SimulatedBus::wentBusOff(Port index)
{
    PortState& port = ports_[index];
    if (port.counters.state() != can::ErrorState::busOff)
        return;
    port.awaits = 0;
    if (options_.restartAfter)
        port.restart.at(scheduler_.now() + *options_.restartAfter, index);
}

void SimulatedBus::sendErrorFrame(
    Time end, Time dominantUntil, std::uint32_t classes, std::uint8_t kind, can::Place place, const std::vector<Port>& of)
{
    errorFrame_ = can::Frame{};
    errorFrame_.kind = can::FrameKind::error;
    errorFrame_.bus = options_.index;
    errorFrame_.direction = can::Direction::received;
    errorFrame_.id = {classes | classBusError | classCounters, false};
    errorFrame_.length = errorFrame_.dlc = 8;
    errorFrame_.data[2] = kind;
    errorFrame_.data[3] = static_cast<std::uint8_t>(place);
    for (const Port i : of) {
        const can::ErrorCounters& counters = ports_[i].counters;
        if (counters.state() == can::ErrorState::busOff)
            errorFrame_.id.value |= classBusOff;
        errorFrame_.data[6] = std::max(errorFrame_.data[6], clipped(counters.transmit()));
        errorFrame_.data[7] = std::max(errorFrame_.data[7], clipped(counters.receive()));
    }
    if (of.empty())
        for (const PortState& port : ports_)
            if (takesPart(port))
                errorFrame_.data[7] = std::max(errorFrame_.data[7], clipped(port.counters.receive()));
    errorFrame_.time = end;
    errorDominantUntil_ = dominantUntil;
    noteStates(end);
    contenders_.clear();
    busy_ = true;
    acknowledge_.stop();
    finish_.stop();
    breakTail_.stop();
    ++errors_;
    endError_.at(end);
}

void SimulatedBus::collide(
    std::vector<Port> transmitters, std::optional<std::size_t> flipped, std::optional<std::pair<Port, std::size_t>> misread)
{
    std::vector<Transmitter> parties;
    for (const Port i : transmitters) {
        PortState& port = ports_[i];
        Transmitter party{wholeTrace(port.queue.back().frame), port.counters.state(), std::nullopt};
        if (port.corrupt > 0) {
            --port.corrupt;
            party.misreads = std::min(port.corruptBit.value_or(party.bits.size() / 2), party.bits.size() - 1);
        }
        parties.push_back(std::move(party));
    }
    const auto transmitting = [&](Port i) { return std::find(transmitters.begin(), transmitters.end(), i) != transmitters.end(); };
    Audience audience{options_.observed, false};
    for (Port i = 0; i < ports_.size(); ++i)
        if (takesPart(ports_[i]) && !transmitting(i) && !(misread && misread->first == i))
            (can::flagsActively(ports_[i].counters.state()) ? audience.active : audience.passive) = true;
    std::optional<Misreader> misreader;
    if (misread)
        misreader = Misreader{misread->second, can::flagsActively(ports_[misread->first].counters.state())};
    const CollisionOutcome outcome = followCollision(parties, audience, flipped, misreader);

    const Time now = scheduler_.now();
    for (std::size_t k = 0; k < transmitters.size(); ++k)
        if (outcome.transmitterFlagged[k] && !outcome.exempt[k]) {
            ports_[transmitters[k]].counters.transmitterSentErrorFlag();
            wentBusOff(transmitters[k]);
        }

    if (outcome.anySurvivor()) {
        contenders_.clear();
        for (std::size_t k = 0; k < transmitters.size(); ++k)
            if (outcome.survived[k])
                contenders_.push_back(transmitters[k]);
        const Time end = now + can::occupancy(can::wireLength(ports_[contenders_.front()].queue.back().frame.view()), options_.rate);
        for (std::size_t k = 0; k < transmitters.size(); ++k)
            if (outcome.transmitterFlagged[k] && ports_[transmitters[k]].counters.state() == can::ErrorState::passive)
                ports_[transmitters[k]].suspendedUntil = end + bits(suspendBits);
        transmit();
        for (std::size_t k = 0; k < transmitters.size(); ++k)
            if (outcome.transmitterFlagged[k])
                complaining_.push_back(transmitters[k]);
        if (misread) {
            complaining_.push_back(misread->first);
            ports_[misread->first].counters.receiverDetectedError();
        }
        return;
    }

    for (Port i = 0; i < ports_.size(); ++i) {
        PortState& port = ports_[i];
        const auto place = std::find(transmitters.begin(), transmitters.end(), i);
        const bool receives = place == transmitters.end() || outcome.lost[static_cast<std::size_t>(place - transmitters.begin())];
        if (!takesPart(port) || !receives)
            continue;
        const Listening& heard = misread && misread->first == i              ? outcome.reader
                                 : can::flagsActively(port.counters.state()) ? outcome.active
                                                                             : outcome.passive;
        if (heard.flagged)
            port.counters.receiverDetectedError();
        if (heard.sawDominant)
            port.counters.receiverSawDominantAfterFlag();
    }

    // The frame's bits at their rates; flags and delimiter are nominal.
    const std::vector<can::WireBit>& trace = parties.front().bits;
    const auto after = [&](std::size_t count) {
        return now + timeOf(trace, outcome.flagAt, options_.rate) + bits(count - std::min(outcome.flagAt, trace.size()));
    };
    const Time end = after(outcome.bits);
    const Time dominantUntil = outcome.dominantUntil > outcome.flagAt ? after(outcome.dominantUntil)
                                                                      : now + timeOf(trace, outcome.dominantUntil, options_.rate);
    // Each behind its own delimiter; who lost arbitration has received.
    for (std::size_t k = 0; k < transmitters.size(); ++k)
        if (PortState& port = ports_[transmitters[k]]; outcome.transmitterFlagged[k] && port.counters.state() == can::ErrorState::passive)
            port.suspendedUntil = after(outcome.ends[k]) + bits(can::intermissionBits + suspendBits);
    const std::uint8_t kind = outcome.fault == Fault::dominantUnsent    ? kindDominantUnsent | kindTransmitting
                              : outcome.fault == Fault::recessiveUnsent ? kindRecessiveUnsent | kindTransmitting
                                                                        : kindStuff;
    sendErrorFrame(end, dominantUntil, classProtocol, kind, outcome.place, transmitters);
}

void SimulatedBus::endError()
{
    recessiveSince_ = errorDominantUntil_;
    becomeIdleAt(scheduler_.now() + bits(can::intermissionBits));
    deliver(errorFrame_.view(), nobody);
}

Health SimulatedBus::health() const
{
    Health health;
    health.alive = true;
    health.words = "alive";
    health.errors = errors_;
    health.changes = states_.told();
    if (open_ > 0 && shorted()) {
        health.alive = false;
        health.state = Health::State::busOff;
        health.words = "the wire is shorted";
    }
    for (const PortState& port : ports_) {
        health.lost += port.dropped;
        const auto worse = [&](Health::State state, const char* words) {
            if (state <= health.state)
                return;
            health.state = state;
            health.words = port.name + words;
        };
        switch (port.counters.state()) {
        case can::ErrorState::busOff: worse(Health::State::busOff, port.awaits > 0 ? " is bus off and comes back" : " is bus off"); break;
        case can::ErrorState::passive: worse(Health::State::passive, " is error-passive"); break;
        case can::ErrorState::warning: worse(Health::State::warning, " is at its error warning level"); break;
        case can::ErrorState::active: break;
        }
    }
    return health;
}

}  // namespace wavetrope::bus
