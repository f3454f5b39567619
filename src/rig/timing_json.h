// SPDX-License-Identifier: GPL-3.0-or-later
// Jitter and deadlines of messages, as a rig has them.
#pragma once

#include <map>
#include <optional>
#include <string>

#include "base/json_reader.h"
#include "base/time.h"

namespace wavetrope::rig {

/// Of one message what was set by hand.
struct MessageTiming {
    std::optional<Time> jitter, deadline;
    friend bool operator==(const MessageTiming&, const MessageTiming&) = default;
};

/// Of one bus: the jitter of all its messages, and what single ones have instead.
struct BusTiming {
    Time jitter{};
    std::map<std::string, MessageTiming> messages;
    [[nodiscard]] bool empty() const { return jitter.count() == 0 && messages.empty(); }
    friend bool operator==(const BusTiming&, const BusTiming&) = default;
};

/// By the name of the bus.
using Timings = std::map<std::string, BusTiming>;

/// Reads the field "timing" of a rig: [{"bus": "Implement", "jitter": "0.2 ms", "messages": [{"name": "BladeForces", "deadline": "4.5 ms"}]}].
/// Throws JsonFailure.
[[nodiscard]] Timings timingsFrom(const JsonReader& rig);
/// The same as it is written; an empty array where there is nothing.
[[nodiscard]] nlohmann::json toJson(const Timings& timings);

}  // namespace wavetrope::rig
