// SPDX-License-Identifier: GPL-3.0-or-later
// Questions as they are typed.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <string_view>

#include "protocol/dictionary.h"
#include "protocol/talk.h"

namespace wavetrope::protocol {

/// What is asked of somebody, as often as it is made.
struct Question {
    std::string words;              ///< As it was typed.
    std::function<std::unique_ptr<Talk>()> make;
    ObjectType type = ObjectType::octetString;  ///< Of the answer's bytes.
};

/// Reads `read 1 0x2001:03`, `write 1 DepthSource 2`, `request 0xFECA to 0x28`, `send 0xFEF1 to 0x28 01 02 03`, `state 4 start`, `sync`, `time`,
/// `diagnose 0x7E0/0x7E8 22 F1 90`, `troubles 0x7E0/0x7E8`. Quotes hold blanks together. Objects have names and types where `dictionaryOf` gives the dictionary
/// of a node; it is not looked at later.
[[nodiscard]] Expected<Question> questionFromText(
    std::string_view text, const std::function<const Dictionary*(std::uint8_t node)>& dictionaryOf = {});

}  // namespace wavetrope::protocol
