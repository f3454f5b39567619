// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/spoken.h"

#include <algorithm>

namespace wavetrope::protocol {

namespace {

Expected<std::vector<DiagnosticPair>> pairsFromText(std::string_view text)
{
    std::vector<DiagnosticPair> pairs;
    while (!text.empty()) {
        const std::string_view pair = text.substr(0, text.find(','));
        text.remove_prefix(std::min(text.size(), pair.size() + 1));
        const auto slash = pair.find('/');
        const auto request = can::identifierFromText(pair.substr(0, slash));
        const auto answer = can::identifierFromText(slash == std::string_view::npos ? std::string_view() : pair.substr(slash + 1));
        if (!request || !answer || *request == *answer)
            return fail("'" + std::string(pair) + "' is no pair of identifiers: expected request/answer, such as 0x7E0/0x7E8");
        pairs.push_back({*request, *answer});
    }
    return pairs;
}

}  // namespace

const char* toText(Protocol protocol)
{
    constexpr const char* words[] = {"vehicle", "objects", "diagnostics"};
    return words[static_cast<unsigned>(protocol)];
}

Expected<Spoken> spokenFromText(std::string_view text)
{
    const auto equals = text.rfind('=');
    if (equals == std::string_view::npos || equals == 0)
        return fail("'" + std::string(text) + "': expected BUS=vehicle, BUS=objects or BUS=diagnostics:REQUEST/ANSWER");
    Spoken spoken;
    spoken.bus = text.substr(0, equals);
    const std::string_view rest = text.substr(equals + 1), word = rest.substr(0, rest.find(':'));
    if (word == "vehicle" || word == "objects") {
        if (word.size() < rest.size())
            return fail("'" + std::string(rest) + "': " + std::string(word) + " takes no identifiers");
        spoken.protocol = word == "vehicle" ? Protocol::vehicle : Protocol::objects;
        return spoken;
    }
    if (word != "diagnostics")
        return fail("'" + std::string(word) + "' is none of vehicle, objects, diagnostics");
    spoken.protocol = Protocol::diagnostics;
    auto pairs = pairsFromText(word.size() < rest.size() ? rest.substr(word.size() + 1) : std::string_view());
    if (!pairs)
        return tl::unexpected(pairs.error());
    if (pairs->empty())
        return fail("'" + std::string(text) + "': diagnostics needs its identifiers, such as diagnostics:0x7E0/0x7E8");
    spoken.pairs = std::move(*pairs);
    return spoken;
}

}  // namespace wavetrope::protocol
