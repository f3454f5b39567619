// SPDX-License-Identifier: GPL-3.0-or-later
// A filter over frames one after the other, as they come.
#pragma once

#include <unordered_map>

#include "database/derived_stream.h"
#include "filter/program.h"

namespace wavetrope::filter {

/// Gives each frame the verdict that it has in its place: earlier frames are remembered as far as the filter asks for
/// them. Memory grows with the identifiers, not with the frames.
class FilterStream {
public:
    /// `origin` is the start of the run or log, from which times in the filter count.
    explicit FilterStream(Filter filter, Time origin = {}) : filter_(std::move(filter)), origin_(origin) {}

    /// The next frame. Each must be given once, in order. `whole` are the bytes of a message that has more than its frame, or null.
    bool passes(const can::FrameView& frame, const can::Payload* whole = nullptr);
    /// Goes on by the same filter, compiled anew for a catalog that knows more; what was remembered stays.
    void rebind(Filter filter);
    void setOrigin(Time origin) { origin_ = origin; }
    [[nodiscard]] const Filter& filter() const { return filter_; }

private:
    struct Known {
        trace::TraceKey key;
        Program whole;
        std::vector<Program> inner;     // of each `within`, by slot
        Past past;
        std::uint64_t matches = 0;
    };
    Known& known(const can::FrameView& frame);
    const DerivedNow* follow(const can::FrameView& frame);

    Filter filter_;
    Time origin_;
    std::unordered_map<std::uint64_t, Known> identifiers_;
    std::vector<std::optional<Time>> soon_;
    std::vector<bool> soonNow_;
    std::uint64_t matches_ = 0;
    std::unique_ptr<database::DerivedStream> derived_;      // where the filter speaks of any
    std::vector<DerivedNow> derivedNow_;                    // by place in the catalog
    std::vector<std::uint32_t> derivedTold_;                // those that the last frame gave a sample
};

}  // namespace wavetrope::filter
