// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/conditions.h"

namespace wavetrope::rig {

EventConditions conditionsOf(const Rig& rig, const std::shared_ptr<const database::Catalog>& catalog)
{
    EventConditions out;
    const auto named = rig.namedFilters();
    for (std::size_t i = 0; i < rig.events.size(); ++i) {
        const EventSpec& event = rig.events[i];
        auto filter = filter::Filter::compile(event.when, catalog, {&named});
        if (filter) {
            out.conditions.push_back({event.name, std::move(*filter), event.hold});
            continue;
        }
        Error error = filter.error();
        error.where = "event " + event.name + ", /events/" + std::to_string(i) + "/when";
        out.unknown.emplace_back(event.name, std::move(error));
    }
    return out;
}

}  // namespace wavetrope::rig
