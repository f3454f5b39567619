// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/describe.h"

#include <algorithm>
#include <map>
#include <tuple>
#include <cstdio>

#include "can/parameter_group.h"
#include "protocol/network.h"
#include "protocol/trouble_codes.h"
#include "protocol/hex_text.h"

namespace wavetrope::protocol {

namespace {

std::uint32_t groupOf(can::Payload bytes, std::size_t at)
{
    return bytes.size() < at + 3 ? 0
                                 : static_cast<std::uint32_t>(bytes[at]) | static_cast<std::uint32_t>(bytes[at + 1]) << 8
                                       | static_cast<std::uint32_t>(bytes[at + 2]) << 16;
}

Described vehicle(const MessageRow& row, const Names* names)
{
    const auto parts = can::ParameterGroup::of(row.id);
    const std::string group = hex("0x%04X", parts.group);
    switch (row.head->kind) {
    case Kind::request: return {"request for " + hex("0x%04X", groupOf(row.data, 0)), {}};
    case Kind::acknowledge: {
        static constexpr const char* words[] = {"done", "does not have it", "access denied", "cannot answer now"};
        const bool known = !row.data.empty() && row.data[0] < std::size(words);
        return {"acknowledge of " + hex("0x%04X", groupOf(row.data, 5)), known ? words[row.data[0]] : bytesWords(row.data)};
    }
    case Kind::claim: {
        std::uint64_t name = 0;
        for (std::size_t i = std::min<std::size_t>(row.data.size(), 8); i-- > 0;)
            name = name << 8 | row.data[i];
        return {parts.source == 254 ? "cannot claim" : "claims " + hex("0x%02X", parts.source), "name " + UnitName{name}.text()};
    }
    case Kind::transport: return {"transport", bytesWords(row.data)};
    default: break;
    }
    if (parts.group == groupActiveTrouble || parts.group == groupFormerTrouble) {
        const TroubleMessage message = troubleOf(row.data);
        std::string value = message.codes.empty() ? "none" : words(message.codes.front(), names);
        if (message.codes.size() > 1)
            value += ", and " + std::to_string(message.codes.size() - 1) + " more";
        return {(parts.group == groupActiveTrouble ? "trouble codes " : "former trouble codes ") + group, value};
    }
    return {"group " + group, bytesWords(row.data)};
}

Described objects(const MessageRow& row, const Dictionary* dictionary)
{
    switch (row.head->kind) {
    case Kind::serviceRead:
    case Kind::serviceWrite: {
        const ObjectPlace place{static_cast<std::uint16_t>(row.what >> 8), static_cast<std::uint8_t>(row.what)};
        Described out{(row.head->kind == Kind::serviceRead ? "read " : "write ") + hex("0x%04X:%02X", place.index, place.sub), {}};
        const ObjectEntry* entry = dictionary == nullptr ? nullptr : dictionary->find(place);
        if (entry == nullptr) {
            out.value = bytesWords(row.data);
            return out;
        }
        const std::string value = row.data.size() > 64 ? std::to_string(row.data.size()) + " bytes"
                                                       : valueText(entry->type, {row.data.begin(), row.data.end()});
        out.value = dictionary->nameOf(*entry) + ": " + value;
        return out;
    }
    case Kind::heartbeat: return {"heartbeat", row.data.empty() ? std::string() : heartbeatWords(row.data[0] & 0x7FU)};
    case Kind::emergency: {
        if (row.data.size() < 2)
            return {"emergency", bytesWords(row.data)};
        const auto code = static_cast<std::uint16_t>(row.data[0] | row.data[1] << 8);
        return {"emergency " + hex("0x%04X", code), code == 0 ? "over" : emergencyWords(code)};
    }
    case Kind::state: {
        if (row.data.empty())
            return {"state", {}};
        switch (row.data[0]) {  // CiA 301, 7.2.8.3.1
        case 1: return {"state", "start"};
        case 2: return {"state", "stop"};
        case 128: return {"state", "enter pre-operational"};
        case 129: return {"state", "reset"};
        case 130: return {"state", "reset communication"};
        default: return {"state", bytesWords(row.data)};
        }
    }
    case Kind::sync: return {"sync", bytesWords(row.data)};
    case Kind::time: return {"time", bytesWords(row.data)};
    case Kind::transport: return {"transport", bytesWords(row.data)};
    default: break;
    }
    const unsigned function = row.id.value >> 7;
    return {"process data " + std::to_string((function - 1) / 2) + (function % 2 == 1 ? " sent" : " received"), bytesWords(row.data)};
}

Described diagnostics(const MessageRow& row)
{
    if (row.data.empty() || row.head->kind == Kind::transport)
        return {"transport", bytesWords(row.data)};
    if (row.head->kind == Kind::refused)
        return {"refused " + (row.data.size() > 1 ? hex("0x%02X ", row.data[1]) + serviceWords(row.data[1]) : std::string()),
            row.data.size() > 2 ? refusalWords(row.data[2]) : std::string()};
    const bool request = row.head->kind == Kind::request;
    const auto service = static_cast<std::uint8_t>(request ? row.data[0] : row.data[0] & ~0x40U);
    return {(request ? "request " : "answer ") + hex("0x%02X ", service) + serviceWords(service), bytesWords(row.data)};
}

}  // namespace

Described describe(const MessageRow& row, const Dictionary* dictionary, const Names* names)
{
    if (!row.head)
        return {can::toText(row.frame), bytesWords(row.data)};
    switch (row.head->protocol) {
    case Protocol::vehicle: return vehicle(row, names);
    case Protocol::objects: return objects(row, dictionary);
    case Protocol::diagnostics: break;
    }
    return diagnostics(row);
}

std::string heartbeatWords(std::uint8_t state)
{
    switch (state) {  // CiA 301, table 27
    case 0: return "boot-up";
    case 4: return "stopped";
    case 5: return "operational";
    case 127: return "pre-operational";
    default: return "state " + std::to_string(state);
    }
}

std::string serviceWords(std::uint8_t service)
{
    static constexpr std::pair<std::uint8_t, const char*> words[] = {{0x10, "session control"}, {0x11, "reset"},
        {0x14, "clear trouble codes"}, {0x19, "read trouble codes"}, {0x22, "read data by identifier"}, {0x23, "read memory"},
        {0x24, "read scaling"}, {0x27, "security access"}, {0x28, "communication control"}, {0x29, "authentication"},
        {0x2A, "read data periodically"}, {0x2C, "define data identifier"}, {0x2E, "write data by identifier"},
        {0x2F, "control input or output"}, {0x31, "routine control"}, {0x34, "request download"}, {0x35, "request upload"},
        {0x36, "transfer data"}, {0x37, "end of transfer"}, {0x38, "request file transfer"}, {0x3D, "write memory"},
        {0x3E, "tester present"}, {0x85, "control trouble codes"}, {0x86, "answer on event"}, {0x87, "link control"}};
    for (const auto& [number, text] : words)
        if (number == service)
            return text;
    return "service";
}

std::string bytesWords(can::Payload bytes, std::size_t most)
{
    std::string out;
    for (std::size_t i = 0; i < std::min(bytes.size(), most); ++i)
        out += hex(i == 0 ? "%02X" : " %02X", bytes[i]);
    if (bytes.size() > most)
        out += " ... " + std::to_string(bytes.size()) + " bytes";
    return out;
}

PiecesCause causeOf(const std::vector<Transfer>& transfers)
{
    struct Sum {
        std::uint64_t frames = 0;
        std::size_t count = 0;
        const Transfer* first = nullptr;
    };
    // Of objects all sub-objects of one.
    std::map<std::tuple<Protocol, std::uint32_t, std::uint32_t, std::uint32_t>, Sum> sums;
    const Sum* most = nullptr;
    for (const Transfer& one : transfers) {
        const std::uint32_t what = one.head.protocol == Protocol::objects ? one.what >> 8 : one.what;
        Sum& sum = sums[{one.head.protocol, one.head.source.value, one.head.destination.value, what}];
        sum.frames += one.frames;
        ++sum.count;
        if (sum.first == nullptr)
            sum.first = &one;
        if (most == nullptr || sum.frames > most->frames)
            most = &sum;
    }
    if (most == nullptr)
        return {};
    const Transfer& one = *most->first;
    const std::string count = std::to_string(most->count);
    const auto party = [](Party of) { return (of.is == Party::Is::node ? "node " : "") + toText(of); };
    PiecesCause out;
    out.frames = most->frames;
    switch (one.head.protocol) {
    case Protocol::objects:
        out.words = most->count == 1
                        ? (one.head.kind == Kind::serviceRead ? "read of " : "write of ") + whatOf(one) + " of "
                              + party(one.head.destination)
                        : count + " service transfers of " + party(one.head.destination) + ", object " + hex("0x%04X", one.what >> 8);
        break;
    case Protocol::vehicle:
        out.words = (most->count == 1 ? "group " : count + " times group ") + whatOf(one) + " of " + party(one.head.source);
        break;
    case Protocol::diagnostics:
        out.words = (most->count == 1 ? "service " : count + " times service ") + whatOf(one) + " of " + party(one.head.source);
    }
    return out;
}

std::string pieceWords(const Head& head, can::Identifier id, can::Payload data)
{
    if (data.empty())
        return {};
    const unsigned first = data[0];
    switch (head.protocol) {
    case Protocol::vehicle:
        if ((id.value >> 16 & 0xFFU) == 0xEB)
            return "piece " + std::to_string(first);
        switch (first) {
        case 16: return "asks to send";
        case 17: return "clear to send";
        case 19: return "has it all";
        case 32: return "announces";
        case 255: return "breaks off";
        default: return {};
        }
    case Protocol::objects: return first == 0x80 ? "breaks off" : (id.value & 0x780U) == 0x600 ? "asks" : "answers";
    case Protocol::diagnostics:
        switch (first >> 4) {
        case 1: return "first frame";
        case 2: return "frame " + std::to_string(first & 15U);
        case 3: return "flow control";
        default: return {};
        }
    }
    return {};
}

std::string brokenWords(Ended ended)
{
    switch (ended) {
    case Ended::whole: return "whole";
    case Ended::aborted: return "broken off";
    case Ended::sequence: return "broken off: a wrong number";
    case Ended::checksum: return "broken off: wrong CRC";
    case Ended::timeout: return "broken off: no answer in time";
    case Ended::unfinished: return "not finished";
    }
    return {};
}

}  // namespace wavetrope::protocol
