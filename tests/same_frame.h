// SPDX-License-Identifier: GPL-3.0-or-later
// Frames beside one another.
#pragma once

#include <algorithm>

#include "can/frame.h"

namespace wavetrope {

/// Whether everything about two frames agrees.
inline bool same(const can::FrameView& a, const can::FrameView& b)
{
    return a.time == b.time && a.id == b.id && a.kind == b.kind && a.direction == b.direction && a.bus == b.bus && a.brs == b.brs
           && a.esi == b.esi && a.length == b.length && a.dlc == b.dlc && std::equal(a.data, a.data + a.length, b.data);
}

}  // namespace wavetrope
