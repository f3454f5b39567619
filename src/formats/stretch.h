// A piece of a log, taken apart.
#pragma once

#include <memory>
#include <span>

#include "can/frame.h"

namespace wavetrope::formats {

/// Frames that follow one another in a log. They and their payloads stay valid as long as the stretch.
struct Stretch {
    std::span<const can::FrameView> frames;
    std::shared_ptr<const void> bytes;          ///< Where the payloads lie; null for memory that outlives the reading.
    std::unique_ptr<can::FrameView[]> room;     ///< Where the frames lie.

    /// Room for so many frames.
    [[nodiscard]] can::FrameView* makeRoom(std::size_t most)
    {
        room = std::make_unique_for_overwrite<can::FrameView[]>(most);
        return room.get();
    }
};

}  // namespace wavetrope::formats
