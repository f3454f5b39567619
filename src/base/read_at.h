// SPDX-License-Identifier: GPL-3.0-or-later
// Reads a file at a place.
#pragma once

#include <unistd.h>

#include <cerrno>
#include <cstdint>
#include <span>

namespace wavetrope {

/// Fills `out` with the bytes of a file from `offset` on. Gives how many there were: fewer at the end of the file, and
/// where it cannot be read.
[[nodiscard]] inline std::size_t readAt(int file, std::uint64_t offset, std::span<std::uint8_t> out)
{
    std::size_t done = 0;
    while (done < out.size()) {
        const ssize_t got = ::pread(file, out.data() + done, out.size() - done, static_cast<off_t>(offset + done));
        if (got < 0 && errno == EINTR)
            continue;
        if (got <= 0)
            break;
        done += static_cast<std::size_t>(got);
    }
    return done;
}

}  // namespace wavetrope
