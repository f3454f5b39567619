// SPDX-License-Identifier: GPL-3.0-or-later
// Words and numbers of the .dbc form that reader and writer share.
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <string_view>

#include "database/database.h"

namespace wavetrope::database::dbc {

inline constexpr std::uint32_t extendedFlag = 0x80000000U;
inline constexpr std::uint32_t orphanIdentifier = 0xC0000000U;  ///< The message that holds signals of no message.
inline constexpr std::string_view noNode = "Vector__XXX";       ///< The format's reserved word for no node.
inline constexpr std::string_view freeAccess = "DUMMY_NODE_VECTOR0"; ///< The format's word for a variable that all may read and write.
inline constexpr std::string_view textAccess = "DUMMY_NODE_VECTOR8";  ///< How the word begins where the variable is a text.
inline constexpr std::size_t longestName = 32;                  ///< Longer names go through an attribute.

[[nodiscard]] inline std::uint32_t rawOf(can::Identifier id) { return id.value | (id.extended ? extendedFlag : 0U); }

/// The kinds of statements that the model holds, in the order in which a new file has them.
inline constexpr std::array<std::string_view, 22> kinds = {"VERSION", "NS_", "BS_", "BU_", "VAL_TABLE_", "BO_", "SG_", "BO_TX_BU_", "EV_",
    "ENVVAR_DATA_", "SGTYPE_", "CM_", "BA_DEF_", "BA_DEF_REL_", "BA_DEF_DEF_", "BA_DEF_DEF_REL_", "BA_", "BA_REL_", "VAL_", "SIG_GROUP_",
    "SIG_VALTYPE_", "SG_MUL_VAL_"};

/// The word of an attribute's owner.
[[nodiscard]] inline std::string_view ownerWord(AttributeOwner owner)
{
    switch (owner) {
    case AttributeOwner::network: return "";
    case AttributeOwner::node: return "BU_";
    case AttributeOwner::message: return "BO_";
    case AttributeOwner::signal: return "SG_";
    case AttributeOwner::variable: return "EV_";
    case AttributeOwner::nodeMessage: return "BU_BO_REL_";
    case AttributeOwner::nodeSignal: return "BU_SG_REL_";
    case AttributeOwner::nodeVariable: return "BU_EV_REL_";
    }
    return "";
}

/// The key of a statement: its kind, and the identity of what it tells of.
[[nodiscard]] inline std::string key(std::string_view kind, std::uint32_t uid) { return std::string(kind) + ' ' + std::to_string(uid); }
[[nodiscard]] inline std::string attributeKey(std::string_view name, std::uint32_t uid)
{
    return "BA_ " + std::to_string(uid) + ' ' + std::string(name);
}
[[nodiscard]] inline std::string groupKey(std::uint32_t message, std::string_view name)
{
    return "SIG_GROUP_ " + std::to_string(message) + ' ' + std::string(name);
}

}  // namespace wavetrope::database::dbc
