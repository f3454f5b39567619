// SPDX-License-Identifier: GPL-3.0-or-later
// Messages as they are typed.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/error.h"
#include "can/frame.h"

namespace wavetrope::drive {

/// What somebody typed: a frame by its identifier and bytes, or a message by its name, with values.
struct MessageText {
    std::optional<can::Frame> frame;                            ///< Where it began with an identifier.
    std::string name;                                           ///< Else the message.
    std::vector<std::pair<std::string, std::string>> values;    ///< Signal and value, as written; each signal once.
};

/// Reads one of these:
///
///     0x1F0 11 22 33                  a classic frame; eight digits are 29 bits
///     0x1F0 remote 8                  a remote frame with a length code
///     0x310 fd 11 22                  a CAN FD frame, `fdbrs` with the switch of rates
///     BladeCommand CommandedDepth=3.5 Release="on"
///
/// An identifier begins with a digit. Bytes are hexadecimal, with 0x or without; `fd` in small letters behind the identifier is the kind of the frame,
/// `FD` a byte. Values may stand in quotes, which hold blanks together. The error tells the column.
[[nodiscard]] Expected<MessageText> messageFromText(std::string_view text);
/// The same of a frame, as it is read back: "0x310 fdbrs 11 22".
[[nodiscard]] std::string toText(const can::FrameView& frame);

}  // namespace wavetrope::drive
