// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/network.h"

#include <algorithm>
#include <cstdio>

namespace wavetrope::protocol {

namespace {

constexpr std::size_t mostUnits = 4'096;  // names of a bus; more are not told apart

std::string hex(const char* form, unsigned value)
{
    char text[24];
    std::snprintf(text, sizeof text, form, value);
    return text;
}

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

std::string UnitName::words() const
{
    const auto part = [](const char* word, unsigned number) { return std::string(word) + ' ' + std::to_string(number); };
    return part("industry", industry()) + ", " + part("class", deviceClass()) + ' ' + std::to_string(classInstance()) + ", "
           + part("function", function()) + ' ' + std::to_string(functionInstance()) + ", " + part("unit", unitInstance()) + ", "
           + part("manufacturer", manufacturer()) + ", " + part("identity", identity()) + (choosesAddress() ? ", chooses its address" : "");
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
        if (source < 254
            && std::none_of(
                units.begin(), units.end(), [&](const Unit& unit) { return unit.address == source; })
            && units.size() < mostUnits)
            units.push_back({0, false, source, "heard", row.time});
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
            else
                become(other, "lost");
        }
    become(*unit, keeps ? "claimed" : "lost");
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
    } else if (row.head->kind == Kind::emergency && row.data.size() >= 2) {
        machine.emergency = static_cast<std::uint16_t>(row.data[0] | row.data[1] << 8);
        machine.emergencyAt = row.time;
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
            out.push_back({bus, Party::address(unit.address), unit.named ? name.text() : std::string(), unit.state, unit.since,
                unit.named ? name.words() : std::string()});
        }
    }
    for (const auto& [key, machine] : machines_) {
        NetworkNode node{key.first, Party::node(static_cast<std::uint8_t>(key.second)), {}, "heard", machine.since, {}};
        switch (machine.status) {  // CiA 301, table 27
        case -1: break;
        case 0: node.state = "boot-up"; break;
        case 4: node.state = "stopped"; break;
        case 5: node.state = "operational"; break;
        case 127: node.state = "pre-operational"; break;
        default: node.state = "state " + std::to_string(machine.status);
        }
        if (machine.heartbeats > 1) {
            const Time period = (machine.last - machine.first) / static_cast<std::int64_t>(machine.heartbeats - 1);
            node.what = "heartbeat every " + secondsWords(period);
            if (now - machine.last > 2 * period) {
                node.state = "lost";
                node.since = machine.last;
            }
        }
        if (machine.emergencies > 0)
            node.what += std::string(node.what.empty() ? "" : ", ") + std::to_string(machine.emergencies)
                         + (machine.emergencies == 1 ? " emergency: " : " emergencies, the last: ") + hex("0x%04X ", machine.emergency)
                         + emergencyWords(machine.emergency);
        out.push_back(std::move(node));
    }
    for (const auto& [key, server] : servers_) {
        static constexpr const char* sessions[] = {"", "default session", "programming session", "extended session", "safety session"};
        NetworkNode node{key.first, {Party::Is::identifier, key.second}, {},
            server.session > 0 && server.session < 5 ? sessions[server.session] : "session " + hex("0x%02X", server.session), server.since,
            {}};
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
