// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/object_value.h"

#include <bit>
#include <charconv>
#include <cmath>
#include <cstdio>

#include "base/number_text.h"
#include "base/trimmed.h"
#include "base/valid_text.h"
#include "protocol/talk.h"

namespace wavetrope::protocol {

namespace {

std::string hexText(const std::vector<std::uint8_t>& bytes)
{
    std::string out;
    char text[4];
    for (const std::uint8_t byte : bytes) {
        std::snprintf(text, sizeof text, out.empty() ? "%02X" : " %02X", byte);
        out += text;
    }
    return out;
}

std::uint64_t lowFirst(const std::vector<std::uint8_t>& bytes)
{
    std::uint64_t value = 0;
    for (std::size_t i = bytes.size(); i-- > 0;)
        value = value << 8 | bytes[i];
    return value;
}

std::vector<std::uint8_t> lowFirst(std::uint64_t value, unsigned bytes)
{
    std::vector<std::uint8_t> out;
    for (unsigned i = 0; i < bytes; ++i)
        out.push_back(static_cast<std::uint8_t>(value >> 8 * i));
    return out;
}

bool isTextType(ObjectType type) { return type == ObjectType::visibleString; }

// The bytes of a whole number, or what it may be.
Expected<std::vector<std::uint8_t>> wholeBytes(ObjectType type, std::string_view text)
{
    const unsigned bits = bitsOf(type);
    const bool below = text.starts_with('-');
    std::string_view digits = below ? text.substr(1) : text;
    int base = 10;
    if (digits.starts_with("0x") || digits.starts_with("0X")) {
        digits.remove_prefix(2);
        base = 16;
    }
    std::uint64_t size = 0;
    const auto [end, problem] = std::from_chars(digits.data(), digits.data() + digits.size(), size, base);
    const bool read = !digits.empty() && problem == std::errc() && end == digits.data() + digits.size();
    const std::uint64_t top = bits == 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << bits) - 1;
    const std::uint64_t most = isSigned(type) ? top >> 1U : top, least = isSigned(type) ? (top >> 1U) + 1 : 0;
    if (!read || size > (below ? least : most))
        return fail("'" + std::string(text) + "': expected a whole number of " + (least > 0 ? "-" + std::to_string(least) : "0") + " to "
                    + std::to_string(most));
    return lowFirst(below ? 0 - size : size, (bits + 7) / 8);
}

}  // namespace

unsigned bitsOf(ObjectType type)
{
    switch (type) {
    case ObjectType::boolean: return 1;
    case ObjectType::integer8:
    case ObjectType::unsigned8: return 8;
    case ObjectType::integer16:
    case ObjectType::unsigned16: return 16;
    case ObjectType::integer24:
    case ObjectType::unsigned24: return 24;
    case ObjectType::integer32:
    case ObjectType::unsigned32:
    case ObjectType::real32: return 32;
    case ObjectType::integer40:
    case ObjectType::unsigned40: return 40;
    case ObjectType::integer48:
    case ObjectType::unsigned48:
    case ObjectType::timeOfDay:
    case ObjectType::timeDifference: return 48;
    case ObjectType::integer56:
    case ObjectType::unsigned56: return 56;
    case ObjectType::integer64:
    case ObjectType::unsigned64:
    case ObjectType::real64: return 64;
    default: return 0;
    }
}

bool isSigned(ObjectType type)
{
    switch (type) {
    case ObjectType::integer8:
    case ObjectType::integer16:
    case ObjectType::integer24:
    case ObjectType::integer32:
    case ObjectType::integer40:
    case ObjectType::integer48:
    case ObjectType::integer56:
    case ObjectType::integer64: return true;
    default: return false;
    }
}

bool isReal(ObjectType type) { return type == ObjectType::real32 || type == ObjectType::real64; }

bool isWhole(ObjectType type)
{
    return bitsOf(type) != 0 && !isReal(type) && type != ObjectType::timeOfDay && type != ObjectType::timeDifference;
}

std::string words(ObjectType type)
{
    const auto sized = [&](const char* word) {
        const unsigned bytes = bitsOf(type) / 8;
        return std::string(word) + ", " + std::to_string(bytes) + (bytes == 1 ? " byte" : " bytes");
    };
    switch (type) {
    case ObjectType::boolean: return "true or false";
    case ObjectType::visibleString: return "text";
    case ObjectType::unicodeString: return "text of 16-bit characters";
    case ObjectType::octetString:
    case ObjectType::domain: return "bytes";
    case ObjectType::timeOfDay: return "time of day";
    case ObjectType::timeDifference: return "time difference";
    default: break;
    }
    if (isReal(type))
        return sized("floating point");
    if (isWhole(type))
        return sized(isSigned(type) ? "signed" : "unsigned");
    char text[24];
    std::snprintf(text, sizeof text, "type 0x%04X", static_cast<unsigned>(type));
    return text;
}

std::optional<std::int64_t> wholeOf(ObjectType type, const std::vector<std::uint8_t>& bytes)
{
    const unsigned bits = bitsOf(type);
    if (!isWhole(type) || bytes.size() != (bits + 7) / 8)
        return std::nullopt;
    std::uint64_t value = lowFirst(bytes);
    if (isSigned(type) && bits < 64 && (value >> (bits - 1) & 1U) != 0)
        value |= ~std::uint64_t{0} << bits;
    return static_cast<std::int64_t>(value);
}

std::string valueText(ObjectType type, const std::vector<std::uint8_t>& bytes)
{
    std::string out;
    if (isTextType(type)) {
        std::string_view text(reinterpret_cast<const char*>(bytes.data()), bytes.size());
        return validText(text.substr(0, text.find('\0')));
    }
    if (const auto whole = wholeOf(type, bytes)) {
        if (type == ObjectType::unsigned64)
            return std::to_string(static_cast<std::uint64_t>(*whole));
        return std::to_string(*whole);
    }
    if (isReal(type) && bytes.size() == bitsOf(type) / 8) {
        if (type == ObjectType::real64) {
            appendNumber(out, std::bit_cast<double>(lowFirst(bytes)));
            return out;
        }
        // The shortest text that reads back as the same single.
        char digits[32];
        const auto end =
            std::to_chars(digits, digits + sizeof digits, std::bit_cast<float>(static_cast<std::uint32_t>(lowFirst(bytes)))).ptr;
        return {digits, end};
    }
    return hexText(bytes);
}

Expected<std::vector<std::uint8_t>> bytesOfValue(ObjectType type, std::string_view text)
{
    if (isTextType(type)) {
        if (text.size() >= 2 && text.front() == '"' && text.back() == '"')
            text = text.substr(1, text.size() - 2);
        return std::vector<std::uint8_t>(text.begin(), text.end());
    }
    const std::string kept = trimmed(text);
    text = kept;
    if (type == ObjectType::boolean && (text == "true" || text == "false"))
        return std::vector<std::uint8_t>{text == "true" ? std::uint8_t{1} : std::uint8_t{0}};
    if (isWhole(type))
        return wholeBytes(type, text);
    if (isReal(type)) {
        double value = 0;
        const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), value);
        const bool fits = type == ObjectType::real64 || !std::isfinite(value) || std::isfinite(static_cast<float>(value));
        if (text.empty() || problem != std::errc() || end != text.data() + text.size() || !fits)
            return fail("'" + std::string(text) + "': expected a number, " + words(type));
        return type == ObjectType::real64 ? lowFirst(std::bit_cast<std::uint64_t>(value), 8)
                                          : lowFirst(std::bit_cast<std::uint32_t>(static_cast<float>(value)), 4);
    }
    return bytesFromText(text);
}

}  // namespace wavetrope::protocol
