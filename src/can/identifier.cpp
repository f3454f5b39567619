// SPDX-License-Identifier: GPL-3.0-or-later
#include "can/identifier.h"

#include <charconv>
#include <cstdio>

namespace wavetrope::can {

std::string toText(Identifier id)
{
    char buffer[16];
    std::snprintf(buffer, sizeof buffer, id.extended ? "0x%08X" : "0x%03X", id.value);
    return buffer;
}

std::optional<Identifier> identifierFromText(std::string_view text)
{
    if (text.size() > 2 && text[0] == '0' && (text[1] == 'x' || text[1] == 'X'))
        text.remove_prefix(2);
    else if (text.size() > 1 && (text.back() == 'h' || text.back() == 'H'))
        text.remove_suffix(1);
    std::uint32_t value = 0;
    const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value, 16);
    if (code != std::errc{} || end != text.data() + text.size())
        return std::nullopt;
    Identifier id{value, text.size() == 8};
    if (!(text.size() <= 3 || text.size() == 8) || !id.valid())
        return std::nullopt;
    return id;
}

}  // namespace wavetrope::can
