// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/valid_text.h"

#include <cstdint>

namespace wavetrope {

std::string validText(std::string_view bytes)
{
    std::string out;
    out.reserve(bytes.size());
    for (std::size_t i = 0; i < bytes.size();) {
        const auto first = static_cast<std::uint8_t>(bytes[i]);
        if (first < 0x80) {
            out += (first < 0x20 && first != '\t') || first == 0x7F ? ' ' : bytes[i];
            ++i;
            continue;
        }
        const std::size_t length = first >= 0xC2 && first <= 0xDF   ? 2
                                   : first >= 0xE0 && first <= 0xEF ? 3
                                   : first >= 0xF0 && first <= 0xF4 ? 4
                                                                    : 0;
        bool valid = length != 0 && i + length <= bytes.size();
        for (std::size_t k = 1; valid && k < length; ++k)
            valid = (static_cast<std::uint8_t>(bytes[i + k]) & 0xC0U) == 0x80;
        if (valid && length > 2) {
            // No longer form than needed, no half of a pair, nothing above U+10FFFF.
            const auto second = static_cast<std::uint8_t>(bytes[i + 1]);
            valid = !((first == 0xE0 && second < 0xA0) || (first == 0xED && second > 0x9F) || (first == 0xF0 && second < 0x90)
                      || (first == 0xF4 && second > 0x8F));
        }
        if (valid)
            out.append(bytes, i, length);
        else
            out += "\xEF\xBF\xBD";
        i += valid ? length : 1;
    }
    return out;
}

}  // namespace wavetrope
