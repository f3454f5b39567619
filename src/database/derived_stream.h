// SPDX-License-Identifier: GPL-3.0-or-later
// Derived signals over frames as they come.
#pragma once

#include <memory>
#include <unordered_map>
#include <vector>

#include "database/catalog.h"
#include "formula/evaluator.h"

namespace wavetrope::database {

/// Follows derived signals frame by frame, in the order of the trace.
class DerivedStream {
public:
    /// A value that a frame gave a derived signal; one that is not finite is a gap.
    struct Sample {
        std::uint32_t derived;
        double value;
    };

    /// `wanted` are places among those of the catalog; what these look at is followed with them.
    DerivedStream(std::shared_ptr<const Catalog> catalog, const std::vector<std::uint32_t>& wanted);

    /// Takes the next frame. What it gives is that of the frame, and valid until the next.
    const std::vector<Sample>& take(const can::FrameView& frame);
    /// Goes on from where another one of the same definitions stands, whose catalog knew less.
    void takeOver(DerivedStream& former);
    /// Whether frames of a message give any of them a sample.
    [[nodiscard]] bool looksAt(const CatalogMessage* message) const { return byMessage_.contains(message); }

private:
    struct Followed {
        std::uint32_t derived;
        formula::Evaluator evaluator;
        std::vector<double> values;             // of its inputs, as they hold
        std::vector<const double*> inputs;
        std::uint64_t touched = 0;
    };
    struct Feed {
        std::uint32_t signal;       // of the message
        std::uint32_t followed;     // place
        std::uint32_t slot;
    };
    struct Pass {                   // a derived signal to one that looks at it
        std::uint32_t followed, slot;
    };
    std::shared_ptr<const Catalog> catalog_;
    std::vector<Followed> followed_;            // each behind those that it looks at
    std::vector<std::vector<Pass>> passes_;     // by place
    std::unordered_map<const CatalogMessage*, std::vector<Feed>> byMessage_;
    std::vector<Sample> samples_;
};

}  // namespace wavetrope::database
