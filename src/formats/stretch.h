// SPDX-License-Identifier: GPL-3.0-or-later
// A piece of a log, taken apart.
#pragma once

#include <cstddef>
#include <memory>
#include <span>
#include <type_traits>

#include "can/frame.h"

namespace wavetrope::formats {

/// Frames that follow one another in a log. They and their payloads stay valid as long as the stretch.
struct Stretch {
    std::span<can::FrameView> frames;
    std::shared_ptr<const void> bytes;          ///< Where the payloads lie; null for memory that outlives the reading.
    std::unique_ptr<std::byte[]> room;          ///< Where the frames lie.

    /// Room for so many frames, which are not set to anything.
    [[nodiscard]] can::FrameView* makeRoom(std::size_t most)
    {
        static_assert(std::is_trivially_copyable_v<can::FrameView> && alignof(can::FrameView) <= __STDCPP_DEFAULT_NEW_ALIGNMENT__);
        room = std::make_unique_for_overwrite<std::byte[]>(most * sizeof(can::FrameView));
        return reinterpret_cast<can::FrameView*>(room.get());
    }
};

}  // namespace wavetrope::formats
