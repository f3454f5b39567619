// SPDX-License-Identifier: GPL-3.0-or-later
#include "convert/samples.h"

#include <algorithm>

namespace wavetrope::convert {

void Samples::fetch()
{
    const trace::Snapshot& snapshot = frames_->snapshot();
    const bool inOrder = snapshot.trace().monotone();
    samples_.clear();
    at_ = 0;
    database::Decoded decoded;
    trace::Row last = frames_->end();
    snapshot.eachOf(identifier_, next_, [&](trace::Row row, const can::FrameView& frame) {
        last = row;
        if (row >= frames_->end() || (inOrder && samples_.size() == atOnce))
            return false;
        last = frames_->end();
        if (frames_->has(row) && message_->plan.decodeOne(frame, signal_, decoded))
            samples_.push_back({frame.time, decoded.value});
        return true;
    });
    next_ = last;
    if (!inOrder)  // all of them, then
        std::stable_sort(samples_.begin(), samples_.end(), [](const Sample& a, const Sample& b) { return a.time < b.time; });
}

}  // namespace wavetrope::convert
