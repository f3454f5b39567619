// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/search.h"

#include <algorithm>

namespace wavetrope::database {

namespace {

char lower(char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c; }

}  // namespace

SearchIndex::SearchIndex(const Database& database)
{
    const auto add = [&](const std::string& name, std::uint32_t message, std::int32_t signal) {
        for (const char c : name)
            names_ += lower(c);
        names_ += '\n';
        ends_.push_back(static_cast<std::uint32_t>(names_.size()));
        hits_.push_back({message, signal});
    };
    for (std::uint32_t m = 0; m < database.messages.size(); ++m) {
        const Message& message = database.messages[m];
        add(message.name + ' ' + can::toText(message.id) + ' ' + message.sender, m, -1);
        for (std::size_t s = 0; s < message.signals.size(); ++s)
            add(message.signals[s].name, m, static_cast<std::int32_t>(s));
    }
}

std::vector<SearchHit> SearchIndex::find(std::string_view text, std::size_t most) const
{
    std::vector<SearchHit> found;
    std::string wanted;
    for (const char c : text)
        wanted += lower(c);
    for (std::size_t at = names_.find(wanted); at != std::string::npos && found.size() < most; at = names_.find(wanted, at)) {
        const auto entry = static_cast<std::size_t>(
            std::upper_bound(ends_.begin(), ends_.end(), static_cast<std::uint32_t>(at)) - ends_.begin());
        if (entry >= ends_.size())
            break;
        found.push_back(hits_[entry]);
        at = ends_[entry];
    }
    return found;
}

}  // namespace wavetrope::database
