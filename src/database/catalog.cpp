// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/catalog.h"

namespace wavetrope::database {

bool CatalogMessage::fits(can::Identifier id) const
{
    if (id == message->id)
        return true;
    if (id.extended != message->id.extended)
        return false;
    if (match == Match::mask)
        return ((id.value ^ message->id.value) & message->matchMask) == 0;
    return match == Match::group && id.extended && can::ParameterGroup::of(id).group == can::ParameterGroup::of(message->id).group;
}

std::uint8_t Catalog::addBus(std::string name, Match match)
{
    explained_->buses.push_back({std::move(name), match, {}, {}, {}, {}});
    return static_cast<std::uint8_t>(explained_->buses.size() - 1);
}

void Catalog::attach(std::uint8_t busIndex, std::shared_ptr<const Database> database)
{
    Bus& bus = explained_->buses[busIndex];
    const auto file = static_cast<std::uint32_t>(bus.databases.size());
    for (const Message& message : database->messages) {
        Match match = message.match.value_or(bus.match);
        if (match == Match::group && !message.id.extended)
            match = Match::full;
        const std::uint32_t group = can::ParameterGroup::of(message.id).group;
        const auto known = bus.byId.find(message.id.key());
        const auto knownGroup = match == Match::group ? bus.byGroup.find(group) : bus.byGroup.end();
        if (known != bus.byId.end() || knownGroup != bus.byGroup.end()) {
            explained_->conflicts.push_back({busIndex, known != bus.byId.end() ? known->second : knownGroup->second, &message, file});
            continue;
        }
        explained_->messages.push_back({busIndex, &message, MessagePlan(message), match, file});
        bus.byId.emplace(message.id.key(), &explained_->messages.back());
        if (match == Match::group)
            bus.byGroup.emplace(group, &explained_->messages.back());
        else if (match == Match::mask)
            bus.byMask.push_back(&explained_->messages.back());
    }
    bus.databases.push_back(std::move(database));
}

int Catalog::findBus(std::string_view name) const
{
    for (std::size_t i = 0; i < explained_->buses.size(); ++i)
        if (explained_->buses[i].name == name)
            return static_cast<int>(i);
    return -1;
}

const CatalogMessage* Catalog::find(std::uint8_t bus, can::Identifier id) const
{
    if (bus >= explained_->buses.size())
        return nullptr;
    const Bus& of = explained_->buses[bus];
    if (const auto found = of.byId.find(id.key()); found != of.byId.end())
        return found->second;
    for (const CatalogMessage* candidate : of.byMask)
        if (candidate->fits(id))
            return candidate;
    if (id.extended && !of.byGroup.empty())
        if (const auto found = of.byGroup.find(can::ParameterGroup::of(id).group); found != of.byGroup.end())
            return found->second;
    return nullptr;
}

std::vector<SignalRef> Catalog::findSignals(std::string_view name) const
{
    std::vector<SignalRef> found;
    const auto dot = name.find('.');
    const std::string_view messageName = dot == std::string_view::npos ? std::string_view{} : name.substr(0, dot);
    const std::string_view signalName = dot == std::string_view::npos ? name : name.substr(dot + 1);
    for (const CatalogMessage& entry : explained_->messages) {
        if (dot != std::string_view::npos && entry.message->name != messageName)
            continue;
        for (std::uint32_t i = 0; i < entry.message->signals.size(); ++i)
            if (entry.message->signals[i].name == signalName)
                found.push_back({&entry, i});
    }
    return found;
}

bool Catalog::hasNode(std::string_view name) const
{
    for (const Bus& bus : explained_->buses)
        for (const auto& database : bus.databases)
            for (const Node& node : database->nodes)
                if (node.name == name)
                    return true;
    return false;
}

}  // namespace wavetrope::database
