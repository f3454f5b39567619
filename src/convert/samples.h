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
        : frames_(&frames), identifier_(identifier), message_(&message), signal_(signal), next_(frames.begin())
    {}
    /// Of samples that are known, in the order of time.
    explicit Samples(std::vector<Sample> known) : samples_(std::move(known)) {}

    /// The sample to come, or null behind the last.
    [[nodiscard]] const Sample* peek()
    {
        if (at_ == samples_.size() && frames_ != nullptr)
            fetch();
        return at_ < samples_.size() ? &samples_[at_] : nullptr;
    }
    void step() { ++at_; }

private:
    void fetch();

    static constexpr std::size_t atOnce = 512;
    const Frames* frames_ = nullptr;
    trace::IdentifierIndex identifier_ = 0;
    const database::CatalogMessage* message_ = nullptr;
    std::uint32_t signal_ = 0;
    trace::Row next_ = 0;
    std::vector<Sample> samples_;
    std::size_t at_ = 0;
};

}  // namespace wavetrope::convert
