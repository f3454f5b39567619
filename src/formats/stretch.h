// A piece of a log, taken apart.
#pragma once

#include <memory>
#include <vector>

#include "can/frame.h"

namespace wavetrope::formats {

/// Frames that follow one another in a log. They and their payloads stay valid as long as the stretch.
struct Stretch {
    std::vector<can::FrameView> frames;
    std::shared_ptr<const void> bytes;  ///< Where the payloads lie; null for memory that outlives the reading.
};

}  // namespace wavetrope::formats
