// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/network.h"

#include "protocol/describe.h"
#include "protocol/hex_text.h"

#include <algorithm>
#include <cstdio>

namespace wavetrope::protocol {

namespace {

constexpr std::size_t mostTroubles = 1'024, beatsKept = 24;
constexpr Time troubleGone = std::chrono::seconds(3);  // told once a second; away for longer it was over (SAE J1939-73, 5.7.1)
constexpr std::size_t mostUnits = 4'096;  // names of a bus; more are not told apart

std::string secondsWords(Time time)
{
    char text[32];
    std::snprintf(text, sizeof text, "%.3f s", static_cast<double>(time.count()) * 1e-9);
    return text;
}

}  // namespace

std::string UnitName::text() const
{
    char text[20];
    std::snprintf(text, sizeof text, "%016llX", static_cast<unsigned long long>(value));
    return text;
}

std::string UnitName::words(const Names* names) const
{
    const auto known = [&](const char* word, unsigned number, const std::map<std::uint32_t, std::string> Names::* of) {
        return std::string(word) + ' ' + named(number, names == nullptr ? nullptr : &(names->*of));
    };
    const auto part = [](const char* word, unsigned number) { return std::string(word) + ' ' + std::to_string(number); };
    return part("industry", industry()) + ", " + part("class", deviceClass()) + ' ' + std::to_string(classInstance()) + ", "
           + known("function", function(), &Names::functions) + ' ' + std::to_string(functionInstance()) + ", "
           + part("unit", unitInstance()) + ", " + known("manufacturer", manufacturer(), &Names::manufacturers) + ", "
           + part("identity", identity()) + (choosesAddress() ? ", chooses its address" : "");
}

std::string refusalWords(std::uint8_t code)
{
    static constexpr std::pair<std::uint8_t, const char*> words[] = {{0x10, "general reject"}, {0x11, "service not supported"},
        {0x12, "sub-function not supported"}, {0x13, "wrong length or form"}, {0x14, "answer too long"}, {0x21, "busy, ask again"},
        {0x22, "conditions not correct"}, {0x24, "request out of sequence"}, {0x25, "no answer from behind the gateway"},
        {0x26, "a failure prevents it"}, {0x31, "request out of range"}, {0x33, "security access denied"},
        {0x34, "authentication required"}, {0x35, "invalid key"}, {0x36, "too many attempts"}, {0x37, "time delay not over"},
        {0x70, "upload or download not accepted"}, {0x71, "transfer suspended"}, {0x72, "programming failed"},
        {0x73, "wrong block sequence counter"}, {0x78, "answer pending"}, {0x7E, "sub-function not supported in this session"},
        {0x7F, "service not supported in this session"}};
    for (const auto& [number, text] : words)
        if (number == code)
            return text;
    return hex("0x%02X", code);
}

std::string emergencyWords(std::uint16_t code)
{
    static constexpr std::pair<unsigned, const char*> exact[] = {{0x8110, "CAN overrun"}, {0x8120, "error passive"},
        {0x8130, "heartbeat or guarding failed"}, {0x8140, "recovered from bus off"}, {0x8150, "identifier collision"},
        {0x8210, "process data too short"}, {0x8220, "process data too long"}};
    for (const auto& [number, text] : exact)
        if (number == code)
            return text;
    static constexpr const char* classes[] = {"no error", "generic error", "current", "voltage", "temperature", "hardware", "software",
        "additional modules", "monitoring", "external error"};
    const unsigned high = code >> 12;
    if (high < 10)
        return classes[high];
    return high == 15 ? "of the device" : "additional functions";
}

void Network::take(const MessageRow& row)
{
    if (!row.head)
        return;
    switch (row.head->protocol) {
    case Protocol::vehicle: return vehicle(row);
    case Protocol::objects: return objects(row);
    case Protocol::diagnostics: return diagnostics(row);
    }
}

// SAE J1939-81, 4.4: of two who claim an address the smaller name keeps it; who cannot claim one says so from the null address, 254.
void Network::vehicle(const MessageRow& row)
{
    auto& units = units_[row.bus];
    const auto source = static_cast<std::uint8_t>(row.head->source.value);
    if (row.head->kind != Kind::claim || row.data.size() != 8) {
        if (source >= 254)
            return;
        // Of several with that address the one that has it.
        Unit* speaks = nullptr;
        for (Unit& unit : units)
            if (unit.address == source && (speaks == nullptr || std::string_view(unit.state) != "lost"))
                speaks = &unit;
        if (speaks == nullptr) {
            if (units.size() >= mostUnits)
                return;
            Unit fresh;
            fresh.address = source;
            fresh.since = row.time;
            speaks = &units.emplace_back(std::move(fresh));
        }
        ++speaks->messages;
        if (row.head->kind == Kind::group && (row.id.value >> 8 & 0x3FFFFU) == groupActiveTrouble)
            trouble(*speaks, row);
        return;
    }
    std::uint64_t name = 0;
    for (int i = 7; i >= 0; --i)
        name = name << 8 | row.data[static_cast<std::size_t>(i)];
    auto unit = std::find_if(units.begin(), units.end(), [&](const Unit& one) { return one.named && one.name == name; });
    if (unit == units.end()) {
        // The address that was heard has a name now.
        unit = std::find_if(units.begin(), units.end(), [&](const Unit& one) { return !one.named && one.address == source; });
        if (unit == units.end()) {
            if (units.size() >= mostUnits)
                return;
            unit = units.insert(units.end(), Unit{});
        }
        unit->state = "";
    }
    const auto become = [&](Unit& one, const char* state) {
        if (std::string_view(one.state) != state)
            one.since = row.time;
        one.state = state;
    };
    unit->named = true;
    unit->name = name;
    if (std::exchange(unit->address, source) != source)
        unit->state = "";
    if (source == 254)
        return become(*unit, "cannot claim");
    bool keeps = true;
    for (Unit& other : units)
        if (&other != &*unit && other.named && other.address == source && std::string_view(other.state) == "claimed") {
            if (other.name < name)
                keeps = false;
            else {
                become(other, "lost");
                other.trouble = toText(row.head->source) + " is that of the smaller name " + UnitName{name}.text();
                other.troubleAt = row.time;
            }
        }
    become(*unit, keeps ? "claimed" : "lost");
    if (!keeps) {
        unit->trouble = toText(row.head->source) + " is that of a smaller name";
        unit->troubleAt = row.time;
    }
}

// Codes that are told no more are over; they stay in the list.
void Network::trouble(Unit& unit, const MessageRow& row) const
{
    const TroubleMessage message = troubleOf(row.data);
    const std::string lamps = message.lamps();
    for (ToldTrouble& one : unit.troubles)
        one.active = false;
    for (const TroubleCode& code : message.codes) {
        auto known = std::find_if(
            unit.troubles.begin(), unit.troubles.end(), [&](const ToldTrouble& one) { return one.code.key() == code.key(); });
        if (known == unit.troubles.end()) {
            if (unit.troubles.size() >= mostTroubles)
                continue;
            known = unit.troubles.insert(unit.troubles.end(), ToldTrouble{code, row.time, row.time, true, lamps});
        } else if (known->last + troubleGone < row.time) {
            known->since = row.time;
        }
        known->code = code;
        known->last = row.time;
        known->active = true;
        known->lamps = lamps;
        unit.trouble = words(code, names_.get()) + (lamps.empty() ? "" : ", " + lamps);
        unit.troubleAt = known->since;
    }
}

void Network::objects(const MessageRow& row)
{
    const Party node = row.head->source.is == Party::Is::node ? row.head->source : row.head->destination;
    if (node.is != Party::Is::node
        || (row.head->source.is != Party::Is::node && row.head->kind != Kind::serviceRead && row.head->kind != Kind::serviceWrite))
        return;
    const auto key = std::pair(row.bus, node.value);
    const bool known = machines_.count(key) != 0;
    Machine& machine = machines_[key];
    if (!known)
        machine.since = row.time;
    machine.messages += row.head->source.is == Party::Is::node ? 1 : 0;
    if (row.head->kind == Kind::heartbeat && !row.data.empty()) {
        const int status = row.data[0] & 0x7F;
        if (status != machine.status)
            machine.since = row.time;
        machine.status = status;
        if (machine.heartbeats++ == 0 || status == 0) {
            machine.first = row.time;
            machine.heartbeats = 1;
        }
        machine.last = row.time;
        machine.beats.push_back(row.time);
        if (machine.beats.size() > beatsKept)
            machine.beats.erase(machine.beats.begin());
    } else if (row.head->kind == Kind::emergency && row.data.size() >= 2) {
        const auto code = static_cast<std::uint16_t>(row.data[0] | row.data[1] << 8);
        if (code == 0) {
            machine.emergencyGone = row.time;
            return;
        }
        machine.emergency = code;
        machine.emergencyAt = row.time;
        machine.emergencyGone = Time{};
        ++machine.emergencies;
    }
}

void Network::diagnostics(const MessageRow& row)
{
    const Kind kind = row.head->kind;
    if (row.data.empty() || (kind != Kind::request && kind != Kind::answer && kind != Kind::refused))
        return;
    const Party server = kind == Kind::request ? row.head->destination : row.head->source;
    const auto key = std::pair(row.bus, server.value);
    const bool known = servers_.count(key) != 0;
    Server& one = servers_[key];
    if (!known)
        one.since = row.time;
    if (kind == Kind::request) {
        one.asked = row.data[0];
        one.pending = true;
    } else if (kind == Kind::refused) {
        one.refused = row.data.size() > 2 ? row.data[2] : std::uint8_t{0};
        one.asked = row.data.size() > 1 ? row.data[1] : one.asked;
        one.pending = one.refused == 0x78;
        one.refusals += one.pending ? 0 : 1;
        one.refusedAt = row.time;
    } else {
        one.pending = false;
        ++one.answers;
        one.refused = 0;
        // ISO 14229-1:2020, 10.2: another session, or none where the server begins anew.
        if (row.data[0] == 0x50 && row.data.size() > 1 && (row.data[1] & 0x7FU) != one.session) {
            one.session = row.data[1] & 0x7FU;
            one.since = row.time;
        } else if (row.data[0] == 0x51 && one.session != 1) {
            one.session = 1;
            one.since = row.time;
        }
    }
}

std::vector<NetworkNode> Network::nodes(Time now) const
{
    std::vector<NetworkNode> out;
    for (const auto& [bus, units] : units_) {
        std::vector<Unit> sorted = units;
        std::stable_sort(sorted.begin(), sorted.end(),
            [](const Unit& a, const Unit& b) { return std::pair(a.address, a.name) < std::pair(b.address, b.name); });
        for (const Unit& unit : sorted) {
            const UnitName name{unit.name};
            NetworkNode node;
            node.bus = bus;
            node.node = Party::address(unit.address);
            node.name = unit.named ? name.text() : std::string();
            node.state = unit.state;
            node.since = unit.since;
            node.what = unit.named ? name.words(names_.get()) : std::string();
            node.lost = node.state == "lost";
            node.warns = node.state == "cannot claim";
            node.messages = unit.messages;
            node.trouble = unit.trouble;
            node.troubleAt = unit.troubleAt;
            node.troubles = unit.troubles;
            std::size_t active = 0;
            for (const ToldTrouble& one : unit.troubles)
                active += one.active ? 1 : 0;
            if (active > 0)
                node.what += (node.what.empty() ? "" : ", ") + std::to_string(active)
                             + (active == 1 ? " trouble code: " : " trouble codes, the last: ") + unit.trouble;
            out.push_back(std::move(node));
        }
    }
    for (const auto& [key, machine] : machines_) {
        NetworkNode node;
        node.bus = key.first;
        node.protocol = Protocol::objects;
        node.node = Party::node(static_cast<std::uint8_t>(key.second));
        node.state = "heard";
        node.since = machine.since;
        node.beats = machine.beats;
        node.messages = machine.messages;
        if (machine.status >= 0)
            node.state = heartbeatWords(static_cast<std::uint8_t>(machine.status));
        if (machine.heartbeats > 1) {
            const Time period = (machine.last - machine.first) / static_cast<std::int64_t>(machine.heartbeats - 1);
            node.period = period;
            node.what = "heartbeat every " + secondsWords(period);
            if (now - machine.last > 2 * period) {
                node.state = "lost";
                node.lost = true;
                node.since = machine.last;
                node.trouble = std::to_string((now - machine.last) / std::max(period, Time(1))) + " heartbeats missing";
                node.troubleAt = machine.last;
            }
        }
        if (machine.emergencies > 0 && !node.lost) {
            node.trouble = "emergency: " + hex("0x%04X ", machine.emergency) + emergencyWords(machine.emergency);
            if (machine.emergencyGone.count() != 0)
                node.trouble += ", gone after " + secondsWords(machine.emergencyGone - machine.emergencyAt);
            node.troubleAt = machine.emergencyAt;
        }
        if (machine.emergencies > 0)
            node.what += std::string(node.what.empty() ? "" : ", ") + std::to_string(machine.emergencies)
                         + (machine.emergencies == 1 ? " emergency: " : " emergencies, the last: ") + hex("0x%04X ", machine.emergency)
                         + emergencyWords(machine.emergency);
        out.push_back(std::move(node));
    }
    for (const auto& [key, server] : servers_) {
        static constexpr const char* sessions[] = {"", "default session", "programming session", "extended session", "safety session"};
        NetworkNode node;
        node.bus = key.first;
        node.protocol = Protocol::diagnostics;
        node.node = {Party::Is::identifier, key.second};
        node.state = server.session > 0 && server.session < 5 ? sessions[server.session] : "session " + hex("0x%02X", server.session);
        node.since = server.since;
        node.messages = server.answers + server.refusals;
        if (server.refused != 0) {
            node.trouble = hex("0x%02X ", server.asked) + refusalWords(server.refused);
            node.troubleAt = server.refusedAt;
        }
        node.what = std::to_string(server.answers) + (server.answers == 1 ? " answer, " : " answers, ") + std::to_string(server.refusals)
                    + " refused";
        if (server.refused != 0)
            node.what += ", the last: " + hex("0x%02X ", server.asked) + refusalWords(server.refused);
        else if (server.pending)
            node.what += hex(", 0x%02X is not answered", server.asked);
        out.push_back(std::move(node));
    }
    return out;
}

}  // namespace wavetrope::protocol
