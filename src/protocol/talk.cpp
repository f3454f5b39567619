// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/talk.h"

#include <algorithm>
#include <charconv>
#include <cstdio>

namespace wavetrope::protocol {

void Talk::send(can::Identifier id, const std::vector<std::uint8_t>& bytes, std::uint8_t pad)
{
    can::Frame frame;
    frame.id = id;
    frame.length = frame.dlc = 8;
    std::fill_n(frame.data.begin(), 8, pad);
    std::copy_n(bytes.begin(), std::min<std::size_t>(bytes.size(), 8), frame.data.begin());
    frames_.push_back(frame);
}

void Talk::sendShort(can::Identifier id, const std::vector<std::uint8_t>& bytes)
{
    can::Frame frame;
    frame.id = id;
    frame.length = frame.dlc = static_cast<std::uint8_t>(std::min<std::size_t>(bytes.size(), 8));
    std::copy_n(bytes.begin(), frame.length, frame.data.begin());
    frames_.push_back(frame);
}

void Talk::send(can::Identifier id, std::initializer_list<std::uint8_t> bytes, std::uint8_t pad)
{
    send(id, std::vector<std::uint8_t>(bytes), pad);
}

Expected<ObjectPlace> objectPlaceFromText(std::string_view text)
{
    const auto number = [](std::string_view part, unsigned most) -> std::optional<unsigned> {
        if (part.starts_with("0x") || part.starts_with("0X"))
            part.remove_prefix(2);
        unsigned value = 0;
        const auto [end, problem] = std::from_chars(part.data(), part.data() + part.size(), value, 16);
        if (part.empty() || problem != std::errc() || end != part.data() + part.size() || value > most)
            return std::nullopt;
        return value;
    };
    const auto colon = text.find(':');
    const auto index = number(text.substr(0, colon), 0xFFFF);
    const auto sub = colon == std::string_view::npos ? std::optional(0U) : number(text.substr(colon + 1), 0xFF);
    if (!index || !sub)
        return wavetrope::fail(
            "'" + std::string(text) + "' is no object: expected index and sub-index in hexadecimal digits, such as 0x2001:03");
    return ObjectPlace{static_cast<std::uint16_t>(*index), static_cast<std::uint8_t>(*sub)};
}

Expected<std::vector<std::uint8_t>> bytesFromText(std::string_view text)
{
    std::vector<std::uint8_t> out;
    int high = -1;
    for (const char c : text) {
        const int digit = c >= '0' && c <= '9' ? c - '0' : c >= 'a' && c <= 'f' ? c - 'a' + 10 : c >= 'A' && c <= 'F' ? c - 'A' + 10 : -1;
        if (c == ' ' && high < 0)
            continue;
        if (digit < 0)
            return wavetrope::fail("'" + std::string(text) + "' are no bytes: expected pairs of hexadecimal digits, such as \"22 F1 90\"");
        if (high < 0) {
            high = digit;
            continue;
        }
        out.push_back(static_cast<std::uint8_t>(high << 4 | digit));
        high = -1;
    }
    if (high >= 0 || out.empty())
        return wavetrope::fail("'" + std::string(text) + "' are no bytes: expected pairs of hexadecimal digits, such as \"22 F1 90\"");
    return out;
}

std::string abortWords(std::uint32_t code)
{
    static constexpr std::pair<std::uint32_t, const char*> words[] = {{0x05030000, "the toggle bit did not alternate"},
        {0x05040000, "it took too long"}, {0x05040001, "the command is not known"}, {0x05040002, "invalid block size"},
        {0x05040003, "invalid sequence number"}, {0x05040004, "CRC error"}, {0x05040005, "out of memory"},
        {0x06010000, "no such access to the object"}, {0x06010001, "it can only be written"}, {0x06010002, "it can only be read"},
        {0x06020000, "the dictionary has no such object"}, {0x06040041, "it cannot be mapped"}, {0x06040042, "too much is mapped"},
        {0x06040043, "incompatible parameters"}, {0x06040047, "incompatible within the device"}, {0x06060000, "hardware error"},
        {0x06070010, "wrong length"}, {0x06070012, "too long"}, {0x06070013, "too short"}, {0x06090011, "the object has no such sub-index"},
        {0x06090030, "invalid value"}, {0x06090031, "the value is too large"}, {0x06090032, "the value is too small"},
        {0x06090036, "the largest value is below the smallest"}, {0x060A0023, "a resource is missing"}, {0x08000000, "general error"},
        {0x08000020, "it cannot be stored"}, {0x08000021, "local control prevents it"}, {0x08000022, "the state of the device prevents it"},
        {0x08000023, "there is no dictionary"}, {0x08000024, "there is no data"}};
    char number[16];
    std::snprintf(number, sizeof number, "0x%08X", code);
    for (const auto& [known, text] : words)
        if (known == code)
            return std::string(text) + " (" + number + ")";
    return number;
}

}  // namespace wavetrope::protocol
