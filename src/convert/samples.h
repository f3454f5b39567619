// SPDX-License-Identifier: GPL-3.0-or-later
// The values of one signal in the order of time.
#pragma once

#include <optional>
#include <vector>

#include "convert/frames.h"

namespace wavetrope::convert {

struct Sample {
    Time time{};
    double value = 0;
};

/// Goes through the frames of one identifier that carry a signal, a stretch at a time.
class Samples {
public:
    Samples(const Frames& frames, trace::IdentifierIndex identifier, const database::CatalogMessage& message, std::uint32_t signal)
        : frames_(frames), identifier_(identifier), message_(message), signal_(signal), next_(frames.begin())
    {}

    /// The sample to come, or null behind the last.
    [[nodiscard]] const Sample* peek()
    {
        if (at_ == samples_.size())
            fetch();
        return at_ < samples_.size() ? &samples_[at_] : nullptr;
    }
    void step() { ++at_; }

private:
    void fetch();

    static constexpr std::size_t atOnce = 512;
    const Frames& frames_;
    trace::IdentifierIndex identifier_;
    const database::CatalogMessage& message_;
    std::uint32_t signal_;
    trace::Row next_;
    std::vector<Sample> samples_;
    std::size_t at_ = 0;
};

}  // namespace wavetrope::convert
