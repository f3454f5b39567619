// SPDX-License-Identifier: GPL-3.0-or-later
// Writes whole files so that none is ever half there.
#pragma once

#include <string>
#include <string_view>

#include "base/error.h"

namespace wavetrope {

/// Writes bytes beside the file, waits until they are on the disk, and renames.
[[nodiscard]] Expected<void> replaceFile(const std::string& path, std::string_view bytes);

}  // namespace wavetrope
