// SPDX-License-Identifier: GPL-3.0-or-later
// Words in a row.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace wavetrope {

/// The words with something between them.
[[nodiscard]] inline std::string joined(const std::vector<std::string>& words, std::string_view between = ", ")
{
    std::string out;
    for (const std::string& word : words) {
        if (&word != words.data())
            out += between;
        out += word;
    }
    return out;
}

}  // namespace wavetrope
