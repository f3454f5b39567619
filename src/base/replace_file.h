// SPDX-License-Identifier: GPL-3.0-or-later
// Writes whole files so that none is ever half there.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

#include "base/error.h"

namespace wavetrope {

/// Whether the bytes have reached the disk when the file has its name, or are with the system: then they outlive the
/// program, but not the machine, until `syncFile` has been called.
enum class Reaches : std::uint8_t { disk, system };

/// Writes bytes beside the file, waits until they are on the disk, and renames.
[[nodiscard]] Expected<void> replaceFile(const std::string& path, std::string_view bytes, Reaches reaches = Reaches::disk);

/// Waits until what the system has of a file is on the disk. A file that is not there is none of its concern.
void syncFile(const std::string& path);

}  // namespace wavetrope
