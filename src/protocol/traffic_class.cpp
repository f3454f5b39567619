// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/traffic_class.h"

#include <algorithm>
#include <utility>

#include "can/parameter_group.h"

namespace wavetrope::protocol {

namespace {

constexpr const char* plain = "plain";
// Diagnostic messages 1 to 52 (SAE J1939-73, 5.7), and ISO 15765-2 with fixed and mixed addressing of 29 bits (annex A.2, A.4).
constexpr std::pair<std::uint32_t, std::uint32_t> diagnosticGroups[] = {{0xFECA, 0xFED4}, {0xE300, 0xE300}, {0xDF00, 0xDF00},
    {0xD900, 0xD900}, {0xD800, 0xD800}, {0xD700, 0xD700}, {0xD600, 0xD600}, {0xD400, 0xD400}, {0xD300, 0xD300}, {0xC300, 0xC300},
    {0xC200, 0xC200}, {0xC100, 0xC100}, {0xFDB5, 0xFDB8}, {0xFD80, 0xFD80}, {0xFD82, 0xFD82}, {0x9E00, 0x9E00}, {0x9F00, 0x9F00},
    {0xA000, 0xA000}, {0xA100, 0xA100}, {0xA200, 0xA200}, {0xA300, 0xA300}, {0xA400, 0xA400}, {0xFD54, 0xFD64}, {0xDA00, 0xDA00},
    {0xDB00, 0xDB00}, {0xCE00, 0xCE00}, {0xCD00, 0xCD00}};

// CiA 301, 7.3.3.
const char* objectsClass(can::Identifier id)
{
    switch (id.value) {
    case 0x000: return "network";
    case 0x080: return "sync";
    case 0x100: return "time";
    default: break;
    }
    if ((id.value & 0x7FU) == 0)
        return plain;
    switch (id.value >> 7) {
    case 0x1: return "emergency";
    case 0xB:
    case 0xC: return "service data";
    case 0xE: return "network";
    default: return id.value >> 7 >= 3 && id.value >> 7 <= 0xA ? "process data" : plain;
    }
}

const char* vehicleClass(can::Identifier id)
{
    const auto parts = can::ParameterGroup::of(id);
    if (parts.transport())
        return "transport";
    switch (parts.group) {
    case 0xEA00: return "requests";
    case 0xE800: return "acknowledge";
    case 0xEE00: return "claim";
    default: break;
    }
    for (const auto& [from, to] : diagnosticGroups)
        if (parts.group >= from && parts.group <= to)
            return "diagnostics";
    return "parameter data";
}

}  // namespace

const char* trafficClass(const std::vector<Spoken>& spoken, can::Identifier id, can::FrameKind kind)
{
    if (kind != can::FrameKind::data && kind != can::FrameKind::fd)
        return plain;
    const auto speaks = [&](Protocol protocol) {
        return std::any_of(spoken.begin(), spoken.end(), [&](const Spoken& one) { return one.protocol == protocol; });
    };
    for (const Spoken& one : spoken)
        for (const DiagnosticPair& pair : one.pairs)
            if (pair.request == id || pair.answer == id)
                return "diagnostics";
    if (kind == can::FrameKind::data && !id.extended && speaks(Protocol::objects))
        return objectsClass(id);
    if (kind == can::FrameKind::data && id.extended && speaks(Protocol::vehicle))
        return vehicleClass(id);
    return plain;
}

}  // namespace wavetrope::protocol
