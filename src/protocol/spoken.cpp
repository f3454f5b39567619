// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/spoken.h"

#include <algorithm>
#include <charconv>

namespace wavetrope::protocol {

namespace {

// `0x7E0`, or `0x6F1+12` with a byte of address.
bool sideFromText(std::string_view text, can::Identifier& id, std::optional<std::uint8_t>& address)
{
    const auto plus = text.find('+');
    const auto read = can::identifierFromText(text.substr(0, plus));
    if (!read)
        return false;
    id = *read;
    if (plus == std::string_view::npos)
        return true;
    const std::string_view digits = text.substr(plus + 1);
    std::uint8_t value = 0;
    const auto [end, problem] = std::from_chars(digits.data(), digits.data() + digits.size(), value, 16);
    address = value;
    return digits.size() == 2 && problem == std::errc() && end == digits.data() + digits.size();
}

Expected<std::vector<DiagnosticPair>> pairsFromText(std::string_view text)
{
    std::vector<DiagnosticPair> pairs;
    while (!text.empty()) {
        const std::string_view pair = text.substr(0, text.find(','));
        text.remove_prefix(std::min(text.size(), pair.size() + 1));
        const auto slash = pair.find('/');
        DiagnosticPair read;
        if (slash == std::string_view::npos || !sideFromText(pair.substr(0, slash), read.request, read.requestAddress)
            || !sideFromText(pair.substr(slash + 1), read.answer, read.answerAddress)
            || (read.request == read.answer && read.requestAddress == read.answerAddress))
            return fail("'" + std::string(pair)
                        + "' is no pair of identifiers: expected request/answer, such as 0x7E0/0x7E8, or with a byte of "
                          "address 0x6F1+12/0x612+F1");
        pairs.push_back(read);
    }
    return pairs;
}

}  // namespace

std::string toText(const DiagnosticPair& pair)
{
    const auto side = [](can::Identifier id, std::optional<std::uint8_t> address) {
        char text[8] = "";
        if (address)
            std::snprintf(text, sizeof text, "+%02X", *address);
        return can::toText(id) + text;
    };
    return side(pair.request, pair.requestAddress) + '/' + side(pair.answer, pair.answerAddress);
}

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
