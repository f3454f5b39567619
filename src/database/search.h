// SPDX-License-Identifier: GPL-3.0-or-later
// Finds nodes, messages and signals of a database by a part of their name.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "database/database.h"

namespace wavetrope::database {

/// Places of what was found.
struct SearchHit {
    std::uint32_t message = 0;      ///< Index in the database.
    std::int32_t signal = -1;       ///< Index in the message; -1 for the message itself.
};

/// Made once for a database; looking something up costs one pass over the names.
class SearchIndex {
public:
    SearchIndex() = default;
    explicit SearchIndex(const Database& database);

    /// Messages whose name, identifier or sender holds the text, and signals whose name does, in the order of the
    /// database. Case does not matter. At most `most`.
    [[nodiscard]] std::vector<SearchHit> find(std::string_view text, std::size_t most = 100'000) const;

private:
    std::string names_;                     // lower case, each ended by a newline
    std::vector<std::uint32_t> ends_;       // of each name
    std::vector<SearchHit> hits_;
};

}  // namespace wavetrope::database
