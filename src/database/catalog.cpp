#include "database/catalog.h"

namespace wavetrope::database {

std::uint8_t Catalog::addBus(std::string name)
{
    buses_.push_back({std::move(name), {}, {}});
    return static_cast<std::uint8_t>(buses_.size() - 1);
}

void Catalog::attach(std::uint8_t bus, std::shared_ptr<const Database> database)
{
    for (const Message& message : database->messages) {
        if (buses_[bus].byId.contains(message.id.key()))
            continue;
        messages_.push_back({bus, &message, MessagePlan(message)});
        buses_[bus].byId.emplace(message.id.key(), &messages_.back());
    }
    buses_[bus].databases.push_back(std::move(database));
}

int Catalog::findBus(std::string_view name) const
{
    for (std::size_t i = 0; i < buses_.size(); ++i)
        if (buses_[i].name == name)
            return static_cast<int>(i);
    return -1;
}

const CatalogMessage* Catalog::find(std::uint8_t bus, can::Identifier id) const
{
    if (bus >= buses_.size())
        return nullptr;
    const auto found = buses_[bus].byId.find(id.key());
    return found == buses_[bus].byId.end() ? nullptr : found->second;
}

std::vector<SignalRef> Catalog::findSignals(std::string_view name) const
{
    std::vector<SignalRef> found;
    const auto dot = name.find('.');
    const std::string_view messageName = dot == std::string_view::npos ? std::string_view{} : name.substr(0, dot);
    const std::string_view signalName = dot == std::string_view::npos ? name : name.substr(dot + 1);
    for (const CatalogMessage& entry : messages_) {
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
    for (const Bus& bus : buses_)
        for (const auto& database : bus.databases)
            for (const Node& node : database->nodes)
                if (node.name == name)
                    return true;
    return false;
}

}  // namespace wavetrope::database
