// SPDX-License-Identifier: GPL-3.0-or-later
// When the error state of who is attached to a bus changed.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "base/time.h"
#include "can/error_counters.h"

namespace wavetrope::bus {

/// The error state of a node or a controller from a moment on (ISO 11898-1:2015, 12.1.4.3).
struct StateChange {
    Time time{};
    std::string who;
    can::ErrorState state = can::ErrorState::active;
    unsigned transmit = 0, receive = 0;  ///< Its error counters then.
};

/// The newest changes, in the order of time. Told as a list that is shared and never changed. Not thread-safe.
class StateHistory {
public:
    static constexpr std::size_t most = 1'000;

    void note(StateChange change)
    {
        if (changes_.size() == 2 * most)
            changes_.erase(changes_.begin(), changes_.begin() + static_cast<std::ptrdiff_t>(most));
        changes_.push_back(std::move(change));
        told_.reset();
    }
    /// Null where none has changed.
    [[nodiscard]] std::shared_ptr<const std::vector<StateChange>> told() const
    {
        if (!told_ && !changes_.empty())
            told_ = std::make_shared<const std::vector<StateChange>>(changes_);
        return told_;
    }

private:
    std::vector<StateChange> changes_;
    mutable std::shared_ptr<const std::vector<StateChange>> told_;
};

}  // namespace wavetrope::bus
