// SPDX-License-Identifier: GPL-3.0-or-later
// What an error frame of the kernel's interface tells, in words.
#pragma once

#include <string>

#include "can/frame.h"

namespace wavetrope::can {

/// "stuff error in the data, while sending; error passive, receiving (12 sent, 130 received)": the classes in the identifier,
/// the place and the counters in the data, by linux/can/error.h. "error frame" where it tells nothing.
[[nodiscard]] std::string errorWords(const FrameView& frame);

/// The classes of an error frame, as its identifier has them; whether counters came with them aside.
[[nodiscard]] std::uint32_t errorClasses(const FrameHead& frame);
/// The same in words, without place and counters: "protocol error; nobody acknowledged".
[[nodiscard]] std::string errorClassWords(std::uint32_t classes);

}  // namespace wavetrope::can
