// SPDX-License-Identifier: GPL-3.0-or-later
// What differs between two versions of a database.
#pragma once

#include <string>
#include <vector>

#include "database/database.h"

namespace wavetrope::database {

enum class ChangeKind : std::uint8_t { added, removed, changed };
[[nodiscard]] const char* toText(ChangeKind kind);

/// One difference. Messages are the same by identifier, else by name; signals, nodes, tables and attributes by name.
struct Change {
    ChangeKind kind = ChangeKind::changed;
    std::string object;         ///< "Message", "Message.Signal", "node N", "table T", "attribute A", "network".
    std::string field;          ///< Empty for added and removed.
    std::string before;
    std::string after;
    bool ofMessage = false;     ///< Whether `id` says which identifier it touches.
    can::Identifier id{};       ///< In the newer version; in the older one for a message that is gone.
};

[[nodiscard]] std::vector<Change> diff(const Database& older, const Database& newer);

}  // namespace wavetrope::database
