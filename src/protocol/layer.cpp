// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/layer.h"

#include <cstdio>

namespace wavetrope::protocol {

const char* toText(Kind kind)
{
    constexpr const char* words[] = {"group", "request", "acknowledge", "claim", "transport", "process", "service-read", "service-write",
        "emergency", "heartbeat", "state", "sync", "time", "answer", "refused"};
    return words[static_cast<unsigned>(kind)];
}

const char* toText(Ended ended)
{
    constexpr const char* words[] = {"whole", "aborted", "sequence", "checksum", "timeout", "unfinished"};
    return words[static_cast<unsigned>(ended)];
}

std::string toText(Party party)
{
    char text[16];
    switch (party.is) {
    case Party::Is::nobody: return {};
    case Party::Is::address: std::snprintf(text, sizeof text, "0x%02X", party.value); return text;
    case Party::Is::node: return std::to_string(party.value);
    case Party::Is::identifier: break;
    }
    return can::toText(can::Identifier::fromKey(party.value));
}

std::string whatOf(const Transfer& transfer)
{
    char text[24];
    switch (transfer.head.protocol) {
    case Protocol::vehicle: std::snprintf(text, sizeof text, "0x%04X", transfer.what); break;
    case Protocol::objects: std::snprintf(text, sizeof text, "0x%04X:%02X", transfer.what >> 8, transfer.what & 0xFFU); break;
    case Protocol::diagnostics: std::snprintf(text, sizeof text, "0x%02X", transfer.what); break;
    }
    return text;
}

}  // namespace wavetrope::protocol
