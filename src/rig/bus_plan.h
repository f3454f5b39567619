// SPDX-License-Identifier: GPL-3.0-or-later
// The buses of a rig as they shall be, while a run goes on with those that it has.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "rig/rig.h"
#include "trace/trace.h"

namespace wavetrope::rig {

/// The buses, and which of them have another name than the rest of the document calls them by.
struct BusPlan {
    nlohmann::json buses = nlohmann::json::array();
    std::vector<std::pair<std::string, std::string>> renames;   ///< From and to, in their order.
    friend bool operator==(const BusPlan&, const BusPlan&) = default;
};

enum class BusField : std::uint8_t {
    name,
    source,         ///< "simulated", "none yet", an interface ("can0", "usb 1-2.1"), or "mqtts://host/topic".
    rate,           ///< "500k/2M".
    databases,      ///< Files with commas between; the first that knows an identifier wins.
    letter,         ///< "K"; empty: that of its place.
    hue,            ///< "1" to "8"; empty: that of its place.
};

/// The rig's buses as they stand in its document.
[[nodiscard]] BusPlan busesIn(const Rig& rig);
/// The rig's document with these buses; nodes, conditions, filters and pages name those with new names by them.
[[nodiscard]] nlohmann::json documentWith(const nlohmann::json& document, const BusPlan& plan);
/// The rig as it would be. What hangs on a bus that is no more is an error, with its place.
[[nodiscard]] Expected<Rig> planned(const Rig& rig, const BusPlan& plan);

/// The buses without their letters and hues: what a run has to be started anew for.
[[nodiscard]] nlohmann::json withoutMarks(nlohmann::json buses);

/// One field of a bus of a plan, as people write it.
[[nodiscard]] std::string busFieldText(const nlohmann::json& bus, BusField field);
/// The plan with a field as it was typed; an index behind the last adds a bus. What cannot be is an error of `planned`.
[[nodiscard]] BusPlan withBusField(BusPlan plan, std::size_t index, BusField field, const std::string& text);

/// The document of a rig with the buses of a log: their names and rates, and the databases that explain them in `explained`.
/// A rate that the log does not tell is 500k. Names are made distinct.
[[nodiscard]] nlohmann::json documentOfLog(const std::string& name, const std::vector<trace::TraceBus>& buses, const Rig& explained);

}  // namespace wavetrope::rig
