// SPDX-License-Identifier: GPL-3.0-or-later
// How a simulated node takes part in a higher protocol, as the rig document says it.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "base/time.h"
#include "protocol/talk.h"

namespace wavetrope {
class JsonReader;
}

namespace wavetrope::drive {

/// When something is done: at moments of the story, or every so often.
struct WhenSpec {
    std::vector<Time> at{};
    Time every{}, phase{};
};

/// An object that a node reads from another one.
struct ObjectAskSpec {
    WhenSpec when;
    std::uint8_t node = 0;
    protocol::ObjectPlace place{};
    bool block = false;
};

/// A node with an object dictionary: that which its bus names for its number.
struct ObjectsSpec {
    std::string pointer;
    std::string bus;
    std::uint8_t node = 0;      ///< 0: it only reads from others.
    std::vector<ObjectAskSpec> reads;
    std::vector<std::pair<protocol::ObjectPlace, std::uint32_t>> blocks;    ///< Objects of so many bytes, which count up.
    std::optional<WhenSpec> sync, time;     ///< When it sends these.
    bool counts = false;                    ///< Syncs carry a counter of 1 to 240.
    std::vector<std::pair<std::uint8_t, Time>> watches;  ///< Nodes whose heartbeats it consumes, and how long one may stay away.
};

/// A trouble code that is told while a condition of the rig holds.
struct TroubleSpec {
    std::string when;           ///< A condition of the rig.
    std::uint32_t parameter = 0;
    std::uint8_t failure = 0;
};

/// A group that a unit sends, in as many pieces as it takes.
struct GroupSpec {
    WhenSpec when;
    std::uint32_t group = 0;
    std::optional<std::uint8_t> to{};
    std::uint8_t priority = 6;
    std::vector<std::uint8_t> data{};
    bool troubles = false;      ///< Its bytes are the trouble codes of the unit.
};

/// A group that a unit asks for.
struct GroupAskSpec {
    WhenSpec when;
    std::uint32_t group = 0;
    std::optional<std::uint8_t> to{};
};

/// A unit of a network of vehicles.
struct AddressSpec {
    std::string pointer;
    std::string bus;
    std::uint64_t name = 0;
    std::uint8_t address = 0;
    Time after{};               ///< It claims so long behind the run's begin.
    std::vector<GroupSpec> sends;
    std::vector<GroupAskSpec> requests;
    std::vector<TroubleSpec> troubles;
};

/// Read a node's `objects` and `address`; both throw JsonFailure.
[[nodiscard]] ObjectsSpec objectsFromJson(const JsonReader& in);
[[nodiscard]] AddressSpec addressFromJson(const JsonReader& in);

}  // namespace wavetrope::drive
