// SPDX-License-Identifier: GPL-3.0-or-later
// Bytes from outside as text.
#pragma once

#include <string>
#include <string_view>

namespace wavetrope {

/// The same text, with U+FFFD for each byte that is no UTF-8 (RFC 3629), and a blank for each control character but the tabulator.
[[nodiscard]] std::string validText(std::string_view bytes);

}  // namespace wavetrope
