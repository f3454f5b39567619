// SPDX-License-Identifier: GPL-3.0-or-later
#include "bus/wire_fault_text.h"

#include <charconv>
#include <vector>

#include "base/nearest_name.h"
#include "base/time_text.h"

namespace wavetrope::bus {

Expected<TypedFault> wireFaultFromText(std::string_view text)
{
    const auto wrong = [&](const std::string& what, const std::string& remedy = "Such as \"Implement crc 0x181 at 14s\"") {
        return fail("'" + std::string(text) + "': " + what, {}, remedy);
    };
    std::vector<std::string> words;
    bool quoted = false, open = false;
    for (const char c : text) {
        if (c == '"') {
            quoted = !quoted;
            if (!open)
                words.emplace_back();
            open = true;
        } else if (!quoted && (c == ' ' || c == '\t')) {
            open = false;
        } else {
            if (!open)
                words.emplace_back();
            open = true;
            words.back() += c;
        }
    }
    if (quoted)
        return wrong("a quote has no end");
    if (words.size() < 2)
        return wrong("expected a bus and bit, stuff, crc, form or ack");
    TypedFault out;
    out.bus = words[0];
    static constexpr WireFault::Kind kinds[] = {
        WireFault::Kind::bit, WireFault::Kind::stuff, WireFault::Kind::crc, WireFault::Kind::form, WireFault::Kind::acknowledge};
    bool known = false;
    std::vector<std::string> names;
    for (const WireFault::Kind kind : kinds) {
        names.emplace_back(toText(kind));
        if (words[1] == names.back()) {
            out.fault.kind = kind;
            known = true;
        }
    }
    if (!known)
        return wrong("'" + words[1] + "' is none of bit, stuff, crc, form and ack", didYouMean(words[1], names));
    std::size_t at = 2;
    if (at < words.size() && words[at].starts_with("0x")) {
        const auto id = can::identifierFromText(words[at]);
        if (!id)
            return wrong("'" + words[at] + "' is no identifier");
        out.fault.id = *id;
        ++at;
    }
    if (at + 1 < words.size() && (words[at + 1] == "times" || words[at + 1] == "time")) {
        const std::string& count = words[at];
        const auto [end, code] = std::from_chars(count.data(), count.data() + count.size(), out.fault.times);
        if (code != std::errc{} || end != count.data() + count.size() || out.fault.times == 0)
            return wrong("'" + count + "' is no number of times");
        at += 2;
    }
    if (at < words.size() && words[at] == "at") {
        std::string typed;
        for (++at; at < words.size(); ++at)
            typed += (typed.empty() ? "" : " ") + words[at];
        const auto span = spanFromText(typed);
        if (!span || span->count() < 0)
            return wrong("'" + typed + "' is no time of the run");
        out.fault.from = *span;
    }
    if (at < words.size())
        return wrong("'" + words[at] + "' is not understood");
    return out;
}

}  // namespace wavetrope::bus
