// SPDX-License-Identifier: GPL-3.0-or-later
// What follows the frames of a trace in their order.
#pragma once

#include "trace/trace.h"

namespace wavetrope::measure {

struct MeasureState;

/// Sees every frame once, in order, in batches. What it tells is read under Measures::read, between batches; so it needs
/// no lock of its own.
class Observer {
public:
    virtual ~Observer() = default;

    /// One frame. Observers that go beside one another do so on two threads: they share nothing.
    virtual void take(trace::Row row, trace::IdentifierIndex identifier, const trace::TraceKey& key, const can::FrameView& frame) = 0;
    /// Behind a batch, when all observers have taken it: the place for what one needs of another. On the advancing thread.
    /// `newest` is the stamp of the last frame.
    virtual void settle(MeasureState& state, Time newest)
    {
        (void)state;
        (void)newest;
    }
};

}  // namespace wavetrope::measure
