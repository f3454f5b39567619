// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/recognise.h"

#include <algorithm>
#include <set>

#include "can/parameter_group.h"

namespace wavetrope::protocol {

namespace {

std::string joined(const std::vector<std::string>& words)
{
    std::string out = "recognised by ";
    for (std::size_t i = 0; i < words.size(); ++i)
        out += (i == 0 ? "" : i + 1 == words.size() ? " and " : ", ") + words[i];
    return out;
}

}  // namespace

std::vector<Recognised> recognise(const std::string& bus, const std::vector<can::Identifier>& seen)
{
    std::set<std::uint32_t> narrow;
    std::set<std::uint32_t> groups;
    unsigned extended = 0;
    for (const can::Identifier id : seen) {
        if (!id.extended) {
            narrow.insert(id.value);
            continue;
        }
        ++extended;
        groups.insert(can::ParameterGroup::of(id).group);
    }
    std::vector<Recognised> out;
    unsigned hearts = 0, services = 0, processes = 0;
    std::vector<DiagnosticPair> pairs;
    for (const std::uint32_t id : narrow) {
        const std::uint32_t node = id & 0x7FU;
        hearts += id > 0x700 && id < 0x780 ? 1 : 0;
        services += id > 0x600 && id < 0x680 && narrow.count(0x580 + node) != 0 ? 1 : 0;
        processes += (id > 0x180 && id < 0x580 && node != 0 && narrow.count(0x700 + node) != 0) ? 1 : 0;
        if (id >= 0x7E0 && id <= 0x7E7 && narrow.count(id + 8) != 0)
            pairs.push_back({{id, false}, {id + 8, false}});
    }
    if (hearts > 0 && (services > 0 || processes > 0)) {
        std::vector<std::string> words{"heartbeats"};
        if (services > 0)
            words.emplace_back("service pairs");
        if (processes > 0)
            words.emplace_back("process data of the same nodes");
        out.push_back({{bus, Protocol::objects, {}}, joined(words)});
    }
    if (!pairs.empty())
        out.push_back({{bus, Protocol::diagnostics, pairs}, "recognised by requests and answers of 0x7E0 to 0x7EF"});
    std::vector<std::string> words;
    if (groups.count(0xEE00) != 0)
        words.emplace_back("address claims");
    if (groups.count(0xEC00) != 0 && groups.count(0xEB00) != 0)
        words.emplace_back("transports");
    if (groups.count(0xEA00) != 0)
        words.emplace_back("requests");
    if (groups.count(0xFECA) != 0)
        words.emplace_back("trouble codes");
    if (extended > 0 && !words.empty())
        out.push_back({{bus, Protocol::vehicle, {}}, joined(words)});
    return out;
}

}  // namespace wavetrope::protocol
