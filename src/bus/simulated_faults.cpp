// SPDX-License-Identifier: GPL-3.0-or-later
// What goes wrong on the wire on purpose.
#include <algorithm>

#include "bus/collision.h"
#include "bus/frame_bits.h"
#include "bus/simulated_bus.h"

namespace wavetrope::bus {

namespace {

constexpr std::size_t mostOver = 1000;          // of those that are over, the newest
constexpr unsigned behindAcknowledge = 8;       // its delimiter and the end of frame, all recessive
constexpr unsigned suspended = 8;               // ISO 11898-1:2015, 10.4.6.4
constexpr std::uint32_t classOfProtocol = 0x08;
constexpr std::uint8_t dominantUnsent = 0x08, whileTransmitting = 0x80;

}  // namespace

const char* toText(WireFault::Kind kind)
{
    constexpr const char* words[] = {"bit", "stuff", "crc", "form", "ack", "error", "rate", "babble", "short", "counters"};
    return words[static_cast<unsigned>(kind)];
}

bool lasts(WireFault::Kind kind)
{
    return kind == WireFault::Kind::rate || kind == WireFault::Kind::babble || kind == WireFault::Kind::shorted;
}

bool ofNode(WireFault::Kind kind)
{
    return kind == WireFault::Kind::error || kind == WireFault::Kind::rate || kind == WireFault::Kind::babble
           || kind == WireFault::Kind::counters;
}

Port SimulatedBus::portNamed(const std::string& name) const
{
    for (Port i = 0; i < ports_.size(); ++i)
        if (ports_[i].name == name)
            return i;
    return nobody;
}

std::vector<std::string> SimulatedBus::portNames() const
{
    std::vector<std::string> names;
    for (const PortState& port : ports_)
        names.push_back(port.name);
    return names;
}

std::uint64_t SimulatedBus::disturb(const WireFault& fault)
{
    if (faults_.size() - open_ > mostOver)
        faults_.erase(std::find_if(faults_.begin(), faults_.end(), [](const Asked& asked) { return asked.facts.over; }));
    faults_.push_back({++asked_, fault, {}});
    if (lasts(fault.kind))
        faults_.back().fault.times = 0;
    ++open_;
    if (lasts(fault.kind) || fault.kind == WireFault::Kind::counters) {
        faultTimer_.also(std::max(fault.from, scheduler_.now()), static_cast<std::uint32_t>(asked_));
        if (fault.to)
            faultTimer_.also(std::max(*fault.to, scheduler_.now()), static_cast<std::uint32_t>(asked_));
    }
    return asked_;
}

void SimulatedBus::lift(std::uint64_t number)
{
    for (auto asked = faults_.begin(); asked != faults_.end(); ++asked)
        if (asked->number == number) {
            if (!asked->facts.over)
                closeFault(*asked);
            faults_.erase(asked);
            return;
        }
}

WireFaultFacts SimulatedBus::faultFacts(std::uint64_t number) const
{
    for (const Asked& asked : faults_)
        if (asked.number == number) {
            WireFaultFacts facts = asked.facts;
            facts.acts = !facts.over && scheduler_.now() >= asked.fault.from;
            return facts;
        }
    return {0, false, true};
}

void SimulatedBus::closeFault(Asked& asked)
{
    asked.facts.over = true;
    asked.facts.acts = false;
    --open_;
    if (asked.fault.kind == WireFault::Kind::babble)
        stopBabbling(asked);
    if (!busy_)
        wake(std::max(scheduler_.now(), busyUntil_));
}

// One begins or ends that goes by time.
void SimulatedBus::faultDue(std::uint32_t number)
{
    const auto found = std::find_if(
        faults_.begin(), faults_.end(), [&](const Asked& asked) { return static_cast<std::uint32_t>(asked.number) == number; });
    if (found == faults_.end() || found->facts.over)
        return;
    if (found->fault.to && scheduler_.now() >= *found->fault.to)
        return closeFault(*found);
    if (found->facts.acts || scheduler_.now() < found->fault.from)
        return;
    found->facts.acts = true;
    if (found->fault.kind == WireFault::Kind::counters) {
        if (const Port port = portNamed(found->fault.node); port != nobody) {
            ports_[port].counters.set(found->fault.transmit, found->fault.receive);
            wentBusOff(port);
            noteStates(scheduler_.now());
        }
        return closeFault(*found);
    }
    if (found->fault.kind == WireFault::Kind::shorted)
        beginShort();
    if (!busy_)
        wake(std::max(scheduler_.now(), busyUntil_));
}

// Whoever babbles has a frame to send, always.
void SimulatedBus::babble()
{
    for (Asked& asked : faults_) {
        if (!asked.facts.acts || asked.fault.kind != WireFault::Kind::babble)
            continue;
        const Port node = portNamed(asked.fault.node);
        if (node == nobody || !takesPart(ports_[node]) || (!ports_[node].queue.empty() && ports_[node].queue.back().babble))
            continue;
        can::Frame frame;
        frame.id = asked.fault.id.value_or(can::Identifier{0, false});
        frame.length = frame.dlc = 8;
        frame.bus = options_.index;
        frame.direction = ports_[node].direction;
        ports_[node].queue.push_back({can::arbitrationBits(frame), scheduler_.now(), frame, false, true});
        ++asked.facts.harmed;
    }
}

void SimulatedBus::stopBabbling(const Asked& asked)
{
    if (const Port node = portNamed(asked.fault.node); node != nobody)
        std::erase_if(ports_[node].queue, [](const Pending& pending) { return pending.babble; });
}

bool SimulatedBus::shorted() const
{
    return std::any_of(faults_.begin(), faults_.end(),
        [](const Asked& asked) { return asked.facts.acts && asked.fault.kind == WireFault::Kind::shorted; });
}

// A frame in flight meets it at its next dominant bit, the acknowledge among them; behind that it is through.
void SimulatedBus::beginShort()
{
    if (!busy_ || contenders_.empty())
        return;
    const Time now = scheduler_.now();
    const auto trace = wholeTrace(inFlight_);
    std::size_t at = 0;
    while (at < trace.size() && flightBegan_ + timeOf(trace, at + 1, options_.rate) <= now)
        ++at;
    while (at < trace.size() && trace[at].value == 1)
        ++at;
    if (at == trace.size() && tailBreaks_)
        return;  // nobody acknowledges anyway
    const Time found = at < trace.size() ? flightBegan_ + timeOf(trace, at + 1, options_.rate) : inFlight_.time - bits(behindAcknowledge);
    if (found <= now)
        return;
    // Who acknowledges finds it with the sender. Others hear recessive bits from here on: the sixth breaks the rule of stuffing, or the CRC is wrong,
    // which is flagged behind the delimiter of the acknowledge (ISO 11898-1:2015, 10.5 and 10.4.4).
    Time heard = found;
    if (at < trace.size()) {
        const std::size_t bit = foundBroken(trace, at);
        heard = flightBegan_ + timeOf(trace, bit, options_.rate) + bits(bit - std::min(bit, trace.size()));
    }
    for (Asked& asked : faults_)
        asked.facts.harmed += asked.facts.acts && asked.fault.kind == WireFault::Kind::shorted ? 1 : 0;
    const auto senders = contenders_;
    for (auto& [port, pending] : flying_)
        if (std::find(senders.begin(), senders.end(), port) != senders.end())
            putBack(ports_[port], std::move(pending));
    flying_.clear();
    flagUnseen(senders, found, heard);
}

// Counts an error of a node on a shorted wire, and gives the bits of its flag, which nobody sees, and of what follows. Each bit of an active flag is an
// error again; the one that makes the node passive still has it send an active flag (12.1.4.3), a passive one is six equal bits.
unsigned SimulatedBus::countUnseen(PortState& port, bool transmits) const
{
    bool active = can::flagsActively(port.counters.state());
    if (transmits)
        port.counters.transmitterSentErrorFlag();
    else
        port.counters.receiverDetectedError();
    unsigned count = 0;
    while (active) {
        ++count;
        active = can::flagsActively(port.counters.state());
        port.counters.bitErrorInFlag(transmits);
    }
    return count + flagBits + delimiterBits;
}

// Their dominant bit came back recessive; `heard`: when others find that the frame breaks off, if they heard it begin.
void SimulatedBus::flagUnseen(const std::vector<Port>& senders, Time found, std::optional<Time> heard)
{
    Time end = found;
    for (const Port i : senders) {
        const Time own = found + bits(countUnseen(ports_[i], true));
        end = std::max(end, own);
        wentBusOff(i);
        if (ports_[i].counters.state() == can::ErrorState::passive)
            ports_[i].suspendedUntil = own + bits(can::intermissionBits + suspended);
    }
    for (Port i = 0; i < ports_.size() && heard; ++i)
        if (takesPart(ports_[i]) && std::find(senders.begin(), senders.end(), i) == senders.end())
            end = std::max(end, *heard + bits(countUnseen(ports_[i], false)));
    if (!heard)
        for (Asked& asked : faults_)
            asked.facts.harmed += asked.facts.acts && asked.fault.kind == WireFault::Kind::shorted ? 1 : 0;
    // What it wanted to be dominant is not.
    Time dominantUntil = recessiveSince_;
    if (heard) {
        const auto trace = wholeTrace(inFlight_);
        std::size_t count = 0;
        while (count < trace.size() && flightBegan_ + timeOf(trace, count + 1, options_.rate) <= found)
            ++count;
        // The bit that was found is recessive, and so may be those in front of it.
        for (--count; count > 0 && trace[count - 1].value == 1;)
            --count;
        dominantUntil = flightBegan_ + timeOf(trace, count, options_.rate);
    }
    sendErrorFrame(end, dominantUntil, classOfProtocol, dominantUnsent | whileTransmitting,
        heard ? can::Place::unknown : can::Place::startOfFrame, senders);
}

// Whether a fault that was asked for befalls the frame that is to start.
bool SimulatedBus::disturbNow()
{
    const Time now = scheduler_.now();
    const can::Frame& frame = ports_[contenders_.front()].queue.back().frame;
    for (Asked& asked : faults_) {
        const WireFault& fault = asked.fault;
        if (asked.facts.over || fault.from > now || (fault.id && *fault.id != frame.id)
            || (lasts(fault.kind) && fault.kind != WireFault::Kind::rate) || fault.kind == WireFault::Kind::counters
            || (fault.to && now >= *fault.to))
            continue;
        const bool byNode = ofNode(fault.kind);
        const Port node = byNode ? portNamed(fault.node) : nobody;
        if (byNode && (node == nobody || !takesPart(ports_[node])))
            continue;
        std::optional<std::size_t> flipped;
        if (byNode || fault.kind == WireFault::Kind::bit || fault.kind == WireFault::Kind::stuff) {
            const auto trace = wholeTrace(frame);
            const bool stuff = fault.kind == WireFault::Kind::stuff;
            const auto wanted = [&](const can::WireBit& bit, can::Place place) {
                return stuff ? bit.stuff && !bit.arbitration : !bit.stuff && bit.place == place;
            };
            for (const can::Place place : {can::Place::data, can::Place::crc})
                for (std::size_t i = 0; i < trace.size() && !flipped; ++i)
                    if (wanted(trace[i], place))
                        flipped = i;
            if (!flipped)
                continue;
        }
        const WireFault::Kind kind = fault.kind;
        ++asked.facts.harmed;
        ++disturbed_;
        asked.facts.acts = true;
        if (asked.fault.times > 0 && --asked.fault.times == 0)
            closeFault(asked);
        if (byNode && transmits(node)) {
            ports_[node].corrupt = 1;
            ports_[node].corruptBit = flipped;
            collide(contenders_);
            return true;
        }
        if (byNode) {
            collide(contenders_, std::nullopt, std::pair(node, *flipped));
            return true;
        }
        if (flipped) {
            collide(contenders_, flipped);
            return true;
        }
        transmit();
        finish_.stop();
        acknowledge_.stop();
        tailFault_ = kind == WireFault::Kind::form  ? TailFault::form
                     : kind == WireFault::Kind::crc ? TailFault::checksum
                                                    : TailFault::acknowledge;
        tailBreaks_ = true;
        // Behind the delimiter of the CRC, or behind the acknowledge slot.
        breakTail_.at(inFlight_.time - bits(behindAcknowledge + (kind == WireFault::Kind::form ? 1 : 0)));
        return true;
    }
    return false;
}

}  // namespace wavetrope::bus
