// SPDX-License-Identifier: GPL-3.0-or-later
#include "bus/wire_fault_text.h"

#include <charconv>
#include <vector>

#include "base/nearest_name.h"
#include "base/time_text.h"

namespace wavetrope::bus {

namespace {

constexpr unsigned mostCount = 256;     // with which a node is bus off

}  // namespace

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
        return wrong("expected a bus and bit, stuff, crc, form, ack, error, rate, babble, short or counters");
    TypedFault out;
    out.bus = words[0];
    bool known = false;
    std::vector<std::string> names;
    for (unsigned kind = 0; kind <= static_cast<unsigned>(WireFault::Kind::counters); ++kind) {
        names.emplace_back(toText(static_cast<WireFault::Kind>(kind)));
        if (words[1] == names.back()) {
            out.fault.kind = static_cast<WireFault::Kind>(kind);
            known = true;
        }
    }
    if (!known)
        return wrong("'" + words[1] + "' is none of bit, stuff, crc, form, ack, error, rate, babble, short and counters",
            didYouMean(words[1], names));
    const bool goesOn = lasts(out.fault.kind), counts = out.fault.kind == WireFault::Kind::counters;
    std::size_t at = 2;
    if (ofNode(out.fault.kind)) {
        if (at >= words.size())
            return wrong("whose? expected a node behind " + words[1]);
        out.fault.node = words[at++];
    }
    for (unsigned* counter : {&out.fault.transmit, &out.fault.receive}) {
        if (!counts)
            break;
        const std::string typed = at < words.size() ? words[at++] : std::string();
        const auto [end, code] = std::from_chars(typed.data(), typed.data() + typed.size(), *counter);
        if (typed.empty() || code != std::errc{} || end != typed.data() + typed.size() || *counter > mostCount)
            return wrong("'" + typed + "' is no count of errors", "Two numbers of 0 to 256 behind the node: transmit and receive");
    }
    if (!counts && out.fault.kind != WireFault::Kind::rate && out.fault.kind != WireFault::Kind::shorted && at < words.size()
        && words[at].starts_with("0x")) {
        const auto id = can::identifierFromText(words[at]);
        if (!id)
            return wrong("'" + words[at] + "' is no identifier");
        out.fault.id = *id;
        ++at;
    }
    if (!goesOn && !counts && at + 1 < words.size() && (words[at + 1] == "times" || words[at + 1] == "time")) {
        const std::string& count = words[at];
        const auto [end, code] = std::from_chars(count.data(), count.data() + count.size(), out.fault.times);
        if (code != std::errc{} || end != count.data() + count.size() || out.fault.times == 0)
            return wrong("'" + count + "' is no number of times");
        at += 2;
    }
    // A span of time is one word, or a number and its unit.
    const auto span = [&](const char* behind) -> Expected<Time> {
        std::string typed;
        while (at < words.size() && words[at] != "for")
            typed += (typed.empty() ? "" : " ") + words[at++];
        const auto time = spanFromText(typed);
        if (!time || time->count() < 0)
            return wrong("'" + typed + "' is no " + behind);
        return *time;
    };
    if (at < words.size() && words[at] == "at") {
        ++at;
        const auto moment = span("time of the run");
        if (!moment)
            return tl::unexpected(moment.error());
        out.fault.from = *moment;
        out.dated = true;
    } else if (at + 1 < words.size() && words[at] == "when") {
        out.condition = words[at + 1];
        at += 2;
    }
    if (goesOn && at < words.size() && words[at] == "for") {
        ++at;
        const auto length = span("length of time");
        if (!length)
            return tl::unexpected(length.error());
        if (length->count() == 0)
            return wrong("it lasts no time");
        out.span = *length;
    }
    if (at < words.size())
        return wrong("'" + words[at] + "' is not understood");
    return out;
}

}  // namespace wavetrope::bus
