// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/protocol_events.h"

#include <algorithm>
#include <cstdio>

#include "protocol/network.h"
#include "protocol/trouble_codes.h"
#include "protocol/hex_text.h"

namespace wavetrope::protocol {

namespace {

using namespace std::chrono_literals;

constexpr Time straysApart = 1s;

// Who has a message with whom.
std::string between(const Head& head)
{
    std::string out;
    const auto name = [](Party party) { return (party.is == Party::Is::node ? "node " : "") + toText(party); };
    if (head.source.is != Party::Is::nobody)
        out += " of " + name(head.source);
    if (head.destination.is != Party::Is::nobody)
        out += (head.source.is == Party::Is::nobody ? " of " : " to ") + name(head.destination);
    return out;
}

std::string nameOf(const Transfer& transfer)
{
    const char* word = transfer.head.protocol == Protocol::vehicle       ? "group "
                       : transfer.head.protocol == Protocol::diagnostics ? "service "
                       : transfer.head.kind == Kind::serviceRead         ? "read of "
                                                                         : "write of ";
    return word + whatOf(transfer) + between(transfer.head);
}

std::string whyOf(const Transfer& transfer)
{
    struct Clauses {
        const char *aborted, *sequence, *timeout, *checksum;
    };
    static constexpr Clauses clauses[] = {
        {"broken off by one of the two (SAE J1939-21, 5.10.3.4)", "a packet with a wrong number (SAE J1939-21, 5.10.1)",
            "nothing came within the time limit (SAE J1939-21, 5.10.2.4)", ""},
        {"broken off by one of the two (CiA 301, 7.2.4.3.17)", "a wrong number or toggle bit (CiA 301, 7.2.4.3)", "nothing came in time",
            "the CRC of the block is wrong (CiA 301, 7.2.4.3.16)"},
        {"the receiver has no room for it (ISO 15765-2:2016, 9.6.5.2)", "a frame with a wrong number (ISO 15765-2:2016, 9.6.4.4)",
            "nothing came within the time limit (ISO 15765-2:2016, 9.7)", ""}};
    const Clauses& of = clauses[static_cast<unsigned>(transfer.head.protocol)];
    const std::string came = ", behind " + std::to_string(transfer.bytes) + (transfer.bytes == 1 ? " byte" : " bytes");
    switch (transfer.ended) {
    case Ended::aborted: return of.aborted + came;
    case Ended::sequence: return of.sequence + came;
    case Ended::timeout: return of.timeout + came;
    case Ended::checksum: return of.checksum + came;
    default: return "it was not finished" + came;
    }
}

}  // namespace

std::size_t ProtocolEvents::note(ProtocolEvent event)
{
    ++changes_;
    if (events_.size() >= most_) {
        ++notKept_;
        return none;
    }
    events_.push_back(std::move(event));
    return events_.size() - 1;
}

void ProtocolEvents::goesOn(std::size_t event, Time until)
{
    if (event == none)
        return;
    events_[event].to = std::max(events_[event].to, until);
    ++changes_;
}

void ProtocolEvents::ends(std::size_t& event, Time at)
{
    if (event != none) {
        events_[event].to = std::max(events_[event].from, at);
        events_[event].open = false;
        ++changes_;
    }
    event = none;
}

void ProtocolEvents::take(const Transfer& transfer)
{
    if (transfer.ended != Ended::whole)
        note({transfer.from, transfer.to, transfer.bus, nameOf(transfer), whyOf(transfer), false, transfer.numbers.back()});
}

void ProtocolEvents::take(const MessageRow& row)
{
    if (nextLoss_ < row.time)
        passed(row.time);
    if (!row.head)
        return;
    switch (row.head->kind) {
    case Kind::transport: return stray(row);
    case Kind::heartbeat: return beat(row);
    case Kind::emergency: return emergency(row);
    case Kind::claim: return claim(row);
    case Kind::refused: return refused(row);
    case Kind::group: return trouble(row);
    default: return;
    }
}

// Steering or carrying frames that nothing began.
void ProtocolEvents::stray(const MessageRow& row)
{
    if (!row.stray)
        return;
    const Who who{row.bus, row.id.key()};
    if (const auto found = strays_.find(who);
        found != strays_.end() && found->second != none && row.time - events_[found->second].to < straysApart)
        return goesOn(found->second, row.time);
    if (strays_.size() >= mostFollowed)
        strays_.clear();
    strays_[who] = note({row.time, row.time, row.bus, "transport" + between(*row.head),
        "frames that carry or steer pieces of no message that was begun, " + can::toText(row.id), false, row.number});
}

void ProtocolEvents::beat(const MessageRow& row)
{
    if (row.data.empty())
        return;
    const Who who{row.bus, row.head->source.value};
    Heart& heart = hearts_[who];
    ends(heart.lost, row.time);
    const bool boot = (row.data[0] & 0x7F) == 0;
    if (heart.beats == 0 || boot) {
        heart.first = row.time;
        heart.beats = 0;
    }
    ++heart.beats;
    heart.last = row.time;
    heart.number = row.number;
    if (heart.beats > 1)
        nextLoss_ = std::min(nextLoss_, heart.last + 2 * ((heart.last - heart.first) / static_cast<std::int64_t>(heart.beats - 1)));
}

// A heartbeat that stays away for two of its periods is lost (CiA 301, 7.2.8.3.2).
void ProtocolEvents::passed(Time now)
{
    nextLoss_ = Time::max();
    for (auto& [who, heart] : hearts_) {
        if (heart.beats < 2)
            continue;
        const Time period = (heart.last - heart.first) / static_cast<std::int64_t>(heart.beats - 1);
        if (heart.lost != none) {
            events_[heart.lost].to = now;
            continue;
        }
        if (period.count() <= 0)
            continue;
        const Time due = heart.last + 2 * period;
        if (due >= now) {
            nextLoss_ = std::min(nextLoss_, due);
            continue;
        }
        char words[80];
        std::snprintf(
            words, sizeof words, "no heartbeat for two periods of %.3f s (CiA 301, 7.2.8.3.2)", static_cast<double>(period.count()) * 1e-9);
        heart.lost = note({due, now, who.first, "node " + std::to_string(who.second), words, true, heart.number});
        heart.beats = 0;  // a period is measured anew when it comes back
    }
}

void ProtocolEvents::emergency(const MessageRow& row)
{
    if (row.data.size() < 2)
        return;
    const Who who{row.bus, row.head->source.value};
    const auto code = static_cast<std::uint16_t>(row.data[0] | row.data[1] << 8);
    const auto [found, fresh] = emergencies_.try_emplace(who, none);
    ends(found->second, row.time);
    if (code != 0)
        found->second = note({row.time, row.time, row.bus, "emergency of node " + toText(row.head->source),
            hex("0x%04X ", code) + emergencyWords(code) + " (CiA 301, 7.2.7)", true, row.number});
}

// SAE J1939-81, 4.4: of two who claim an address the smaller name keeps it.
void ProtocolEvents::claim(const MessageRow& row)
{
    if (row.data.size() != 8 || claims_.size() >= mostFollowed)
        return;
    std::uint64_t name = 0;
    for (std::size_t i = 8; i-- > 0;)
        name = name << 8 | row.data[i];
    const auto loses = [&](std::uint64_t loser, std::uint64_t winner) {
        note({row.time, row.time, row.bus, "address " + toText(row.head->source),
            UnitName{loser}.text() + " loses it to the smaller name " + UnitName{winner}.text() + " (SAE J1939-81, 4.4)", false,
            row.number});
    };
    if (row.head->source.value == 254) {
        note({row.time, row.time, row.bus, UnitName{name}.text(), "it cannot claim an address (SAE J1939-81, 4.4)", false, row.number});
        return;
    }
    const Who who{row.bus, row.head->source.value};
    const auto [found, fresh] = claims_.try_emplace(who, Claim{name, false});
    if (fresh || found->second.name == name)
        return;
    if (found->second.name < name)
        return loses(name, found->second.name);
    loses(found->second.name, name);
    found->second.name = name;
}

void ProtocolEvents::trouble(const MessageRow& row)
{
    if (row.head->protocol != Protocol::vehicle || (row.id.value >> 8 & 0x3FFFFU) != groupActiveTrouble || row.data.size() < 6)
        return;
    auto& known = troubles_[{row.bus, row.head->source.value}];
    const TroubleMessage message = troubleOf(row.data);
    std::map<std::uint32_t, std::size_t> now;
    for (const TroubleCode& code : message.codes) {
        if (now.count(code.key()) != 0)
            continue;
        if (const auto found = known.find(code.key()); found != known.end()) {
            now.emplace(code.key(), found->second);
            goesOn(found->second, row.time);
            known.erase(found);
            continue;
        }
        const std::string lamps = message.lamps();
        now.emplace(code.key(),
            note({row.time, row.time, row.bus, "trouble code " + std::to_string(code.parameter) + " of " + toText(row.head->source),
                failureWords(code.failure) + (lamps.empty() ? "" : ", " + lamps) + " (SAE J1939-73, 5.7.1)", true, row.number}));
    }
    for (auto& [key, event] : known)
        ends(event, row.time);
    known = std::move(now);
}

void ProtocolEvents::refused(const MessageRow& row)
{
    if (row.data.size() < 3 || row.data[2] == 0x78)
        return;
    note({row.time, row.time, row.bus, "service " + hex("0x%02X", row.data[1]) + " of " + toText(row.head->source),
        "refused: " + refusalWords(row.data[2]) + " (ISO 14229-1:2020, annex A.1)", false, row.number});
}

}  // namespace wavetrope::protocol
