// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/nearest_name.h"

#include <algorithm>

namespace wavetrope {

namespace {

constexpr std::size_t longestWord = 100;

char lower(char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c; }

// Letters that are to be put in, taken out, changed or swapped with their neighbour to make one word of another.
std::size_t distance(std::string_view a, std::string_view b)
{
    std::vector<std::size_t> before(b.size() + 1);
    std::vector<std::size_t> above(b.size() + 1);
    std::vector<std::size_t> row(b.size() + 1);
    for (std::size_t j = 0; j <= b.size(); ++j)
        above[j] = j;
    for (std::size_t i = 1; i <= a.size(); ++i) {
        row[0] = i;
        for (std::size_t j = 1; j <= b.size(); ++j) {
            const bool same = lower(a[i - 1]) == lower(b[j - 1]);
            row[j] = std::min({above[j] + 1, row[j - 1] + 1, above[j - 1] + (same ? 0 : 1)});
            if (i > 1 && j > 1 && lower(a[i - 1]) == lower(b[j - 2]) && lower(a[i - 2]) == lower(b[j - 1]))
                row[j] = std::min(row[j], before[j - 2] + 1);
        }
        before.swap(above);
        above.swap(row);
    }
    return above[b.size()];
}

}  // namespace

std::string nearestName(std::string_view word, const std::vector<std::string>& names)
{
    if (word.empty() || word.size() > longestWord)
        return {};
    const std::size_t limit = std::max<std::size_t>(1, word.size() / 3);
    std::string best;
    std::size_t bestDistance = 2 * limit + 2;     // in halves, so that whole names go before beginnings of names
    for (const std::string& name : names) {
        if (name.empty() || name.size() > longestWord)
            continue;
        std::size_t far = 2 * distance(word, name);
        if (name.size() > word.size())
            far = std::min(far, 2 * distance(word, std::string_view(name).substr(0, word.size())) + 1);
        if (far < bestDistance) {
            bestDistance = far;
            best = name;
        }
    }
    return best;
}

std::string didYouMean(std::string_view word, const std::vector<std::string>& names)
{
    const std::string nearest = nearestName(word, names);
    return nearest.empty() ? std::string() : "Did you mean " + nearest + "?";
}

}  // namespace wavetrope
