// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/trouble_codes.h"

namespace wavetrope::protocol {

namespace {

constexpr std::size_t headBytes = 2, codeBytes = 4;

bool lit(std::uint8_t byte, unsigned shift) { return (byte >> shift & 3U) == 1; }

}  // namespace

TroubleMessage troubleOf(can::Payload bytes)
{
    TroubleMessage out;
    if (bytes.size() < headBytes)
        return out;
    out.protect = lit(bytes[0], 0);
    out.amber = lit(bytes[0], 2);
    out.red = lit(bytes[0], 4);
    out.malfunction = lit(bytes[0], 6);
    for (std::size_t at = headBytes; at + codeBytes <= bytes.size(); at += codeBytes) {
        TroubleCode code;
        code.parameter = static_cast<std::uint32_t>(bytes[at]) | static_cast<std::uint32_t>(bytes[at + 1]) << 8
                         | static_cast<std::uint32_t>(bytes[at + 2] >> 5) << 16;
        code.failure = bytes[at + 2] & 31U;
        code.count = bytes[at + 3] & 127U;
        const bool filler = bytes[at] == 0xFF && bytes[at + 1] == 0xFF && bytes[at + 2] == 0xFF && bytes[at + 3] == 0xFF;
        if (!filler && (code.parameter != 0 || code.failure != 0))
            out.codes.push_back(code);
    }
    return out;
}

std::string TroubleMessage::lamps() const
{
    std::string out;
    int count = 0;
    const auto add = [&](bool on, const char* word) {
        if (!on)
            return;
        out += (out.empty() ? "" : " and ") + std::string(word);
        ++count;
    };
    add(red, "red");
    add(amber, "amber");
    add(malfunction, "malfunction");
    add(protect, "protect");
    return count == 0 ? out : out + (count == 1 ? " lamp" : " lamps");
}

std::string failureWords(std::uint8_t failure)
{
    static constexpr const char* words[] = {"above the normal range, most severe", "below the normal range, most severe",
        "erratic or incorrect", "voltage above normal, or shorted to high", "voltage below normal, or shorted to low",
        "current below normal, or open circuit", "current above normal, or grounded", "mechanical system does not respond",
        "abnormal frequency, pulse width or period", "abnormal update rate", "abnormal rate of change", "cause not known",
        "bad device or component", "out of calibration", "special instructions", "above the normal range, least severe",
        "above the normal range, moderately severe", "below the normal range, least severe", "below the normal range, moderately severe",
        "received network data in error", "drifted high", "drifted low"};
    if (failure < std::size(words))
        return words[failure];
    return failure == 31 ? "condition exists" : "failure mode " + std::to_string(failure);
}

std::string words(const TroubleCode& code, const Names* names)
{
    return "parameter " + named(code.parameter, names == nullptr ? nullptr : &names->parameters) + ": " + failureWords(code.failure) + " ("
           + std::to_string(code.failure) + ")";
}

}  // namespace wavetrope::protocol
