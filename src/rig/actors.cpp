// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/actors.h"

#include <algorithm>
#include <map>
#include <set>

#include "base/nearest_name.h"
#include "drive/asker.h"
#include "drive/dialogue.h"
#include "drive/gateway.h"
#include "drive/member.h"
#include "drive/node.h"
#include "drive/outbox.h"
#include "drive/playback.h"
#include "drive/wire_faults.h"
#include "rig/scripts.h"

namespace wavetrope::rig {

namespace {

using Actors = std::vector<std::unique_ptr<drive::Actor>>;

Expected<Actors> makeNodes(const ActorWorld& world)
{
    Actors nodes;
    for (drive::NodeSpec spec : world.rig.nodes) {
        spec.off = spec.off || std::find(world.without.begin(), world.without.end(), spec.name) != world.without.end();
        if (!spec.script.file.empty() && spec.script.text.empty()) {
            auto text = readScript(world.rig.resolve(spec.script.file));
            if (text)
                spec.script.text = std::move(*text);
            else
                world.leftOut.push_back(
                    {spec.name + " has no script: " + text.error().what, spec.script.pointer, 0, 0, text.error().remedy});
        }
        auto node = drive::Node::create(spec, {world.scheduler, world.buses, world.catalog, world.seed, world.begins, world.rig.story,
                                                  world.rig.namedFilters(), world.condition, world.manipulate, world.ask});
        if (!node && world.incomplete)     // its messages may stand in the file that is missing
            world.leftOut.push_back({spec.name + " is not simulated: " + node.error().what, node.error().where, 0, 0, {}});
        else if (!node)
            return tl::unexpected(node.error());
        else
            nodes.push_back(std::move(*node));
    }
    for (const std::string& name : world.without)
        if (std::none_of(nodes.begin(), nodes.end(), [&](const auto& node) { return node->name() == name; })
            && std::none_of(world.rig.gateways.begin(), world.rig.gateways.end(), [&](const auto& one) { return one.name == name; }))
            return fail("the rig has no node '" + name + "'");
    return nodes;
}

Expected<Actors> makeGateways(const ActorWorld& world)
{
    Actors out;
    for (drive::GatewaySpec spec : world.rig.gateways) {
        spec.off = spec.off || std::find(world.without.begin(), world.without.end(), spec.name) != world.without.end();
        auto made = drive::Gateway::create(
            spec, {world.scheduler, world.buses, world.catalog, world.seed, world.begins, world.rig.story, world.rig.namedFilters(), {}});
        if (!made && world.incomplete)
            world.leftOut.push_back({spec.name + " hands nothing over: " + made.error().what, made.error().where, 0, 0, {}});
        else if (!made)
            return tl::unexpected(made.error());
        else
            out.push_back(std::move(*made));
    }
    return out;
}

Expected<Actors> makePlayback(const ActorWorld& world)
{
    Actors one;
    one.push_back(std::make_unique<drive::Playback>(world.scheduler, world.buses, world.catalog));
    return one;
}

Expected<Actors> makeOutbox(const ActorWorld& world)
{
    for (const std::string& name : world.outbox)
        if (std::none_of(world.rig.outbox.begin(), world.rig.outbox.end(), [&](const auto& group) { return group.name == name; })) {
            std::vector<std::string> names;
            for (const drive::OutboxGroup& group : world.rig.outbox)
                names.push_back(group.name);
            return fail("the outbox has no group '" + name + "'", world.rig.path, didYouMean(name, names));
        }
    auto outbox = std::make_unique<drive::Outbox>(world.rig.outbox,
        drive::OutboxWorld{world.scheduler, world.buses, world.catalog, world.rig.namedFilters(), world.seed, world.begins, world.ask,
            [databases = world.databases](const std::string& bus, std::uint8_t node) -> const protocol::Dictionary* {
                const auto found = databases->dictionaries.find({bus, node});
                return found == databases->dictionaries.end() ? nullptr : found->second.get();
            }});
    outbox->takePart(world.outbox);
    Actors one;
    one.push_back(std::move(outbox));
    return one;
}

Expected<Actors> makeDialogues(const ActorWorld& world)
{
    Actors out;
    for (const drive::DialogueSpec& spec : world.rig.dialogues) {
        drive::DialogueWorld of{world.scheduler, world.buses, world.catalog, world.begins, {}};
        for (const auto& actor : world.made)
            for (std::size_t partner = 0; partner < 2; ++partner)
                if (actor->name() == spec.partners[partner])
                    of.nodes[partner] = dynamic_cast<drive::Node*>(actor.get());
        auto made = drive::Dialogue::create(spec, of);
        if (!made && world.incomplete)
            world.leftOut.push_back({"the dialogue " + spec.name + " is left out: " + made.error().what, made.error().where, 0, 0, {}});
        else if (!made)
            return tl::unexpected(made.error());
        else
            out.push_back(std::move(*made));
    }
    return out;
}

Expected<Actors> makeAsker(const ActorWorld& world)
{
    Actors one;
    one.push_back(std::make_unique<drive::Asker>(world.scheduler, world.buses));
    return one;
}

Expected<Actors> makeWireFaults(const ActorWorld& world)
{
    Actors one;
    one.push_back(std::make_unique<drive::WireFaults>(
        drive::WireFaultWorld{world.scheduler, world.buses, world.catalog, world.begins, world.whenTrue}));
    return one;
}

// What nodes do in higher protocols.
Expected<Actors> makeMembers(const ActorWorld& world)
{
    Actors out;
    for (const drive::NodeSpec& spec : world.rig.nodes) {
        const drive::Actor* node = nullptr;
        for (const auto& actor : world.made)
            if (actor->name() == spec.name)
                node = actor.get();
        if (node == nullptr)
            continue;
        const auto worldOf = [&](const std::string& busName, const std::string& pointer) -> Expected<drive::MemberWorld> {
            const int bus = world.catalog->findBus(busName);
            if (bus < 0)
                return fail("the rig has no bus '" + busName + "'", pointer + "/bus");
            return drive::MemberWorld{world.scheduler, *world.buses[static_cast<std::size_t>(bus)], static_cast<std::uint8_t>(bus),
                spec.name, world.begins, world.rig.story, [node] { return node->on(); }, world.condition};
        };
        if (spec.objects) {
            const auto of = worldOf(spec.objects->bus, spec.objects->pointer);
            if (!of)
                return tl::unexpected(of.error());
            std::optional<protocol::Dictionary> dictionary;
            const auto& files = world.rig.buses[of->busIndex].dictionaries;
            if (const auto found = files.find(spec.objects->node); found != files.end()) {
                auto read = protocol::readDictionary(world.rig.resolve(found->second));
                if (read)
                    dictionary = std::move(*read);
                else
                    world.leftOut.push_back(
                        {spec.name + " has no objects: " + read.error().what, read.error().where, 0, 0, read.error().remedy});
            } else if (spec.objects->node != 0 && !spec.objects->sync && !spec.objects->time && spec.objects->watches.empty()) {
                world.leftOut.push_back(
                    {spec.name + " has no objects: its bus names no dictionary of node " + std::to_string(spec.objects->node),
                        spec.objects->pointer, 0, 0, {}});
            }
            out.push_back(std::make_unique<drive::ObjectMember>(*spec.objects, std::move(dictionary), *of));
        }
        if (spec.address) {
            const auto of = worldOf(spec.address->bus, spec.address->pointer);
            if (!of)
                return tl::unexpected(of.error());
            out.push_back(std::make_unique<drive::VehicleMember>(*spec.address, *of));
        }
    }
    return out;
}

constexpr ActorKind kinds[] = {
    {"node", "/nodes", makeNodes},
    {"member of a network", "", makeMembers},
    {"gateway", "/gateways", makeGateways},
    {"playback", "", makePlayback},
    {"outbox", "/outbox", makeOutbox},
    {"dialogue", "/dialogues", makeDialogues},
    {"questions", "", makeAsker},
    {"faults on the wire", "", makeWireFaults},
};

}  // namespace

std::span<const ActorKind> actorKinds() { return kinds; }

std::string Collision::words(const database::Catalog& catalog) const
{
    return can::toText(id) + (message.empty() ? "" : " " + message) + " on " + catalog.busName(bus) + " is also sent by " + node;
}

std::vector<Collision> collisionsOf(
    const drive::Actor& actor, std::span<const std::unique_ptr<drive::Actor>> all, const database::Catalog& catalog)
{
    std::set<std::pair<std::uint8_t, std::uint32_t>> sent;
    for (const drive::SentIdentifier& own : actor.sends())
        sent.emplace(own.bus, own.id.key());
    std::vector<Collision> out;
    for (const auto& other : all) {
        if (sent.empty() || other.get() == &actor || !other->on())
            continue;
        for (const auto& [bus, id] : other->sends())
            if (sent.contains({bus, id.key()})) {
                const auto* message = catalog.find(bus, id);
                out.push_back({bus, id, message != nullptr ? message->message->name : std::string(), other->name()});
            }
    }
    return out;
}

std::vector<RowCollision> collisionsOf(
    const drive::Outbox& outbox, std::span<const std::unique_ptr<drive::Actor>> all, const database::Catalog& catalog)
{
    std::vector<RowCollision> out;
    for (const auto& other : all) {
        if (other.get() == &outbox || !other->on())
            continue;
        std::set<std::pair<std::uint8_t, std::uint32_t>> sent;
        for (const drive::SentIdentifier& one : other->sends())
            sent.emplace(one.bus, one.id.key());
        for (std::size_t row = 0; row < outbox.rowCount(); ++row) {
            if (!outbox.problem(row).empty() || outbox.asks(row) || outbox.row(row).anyway)
                continue;
            const can::Frame& frame = outbox.frame(row);
            if (!sent.contains({outbox.busOf(row), frame.id.key()}))
                continue;
            const auto* message = catalog.find(outbox.busOf(row), frame.id);
            out.push_back({row, {outbox.busOf(row), frame.id, message != nullptr ? message->message->name : std::string(), other->name()}});
        }
    }
    std::map<std::pair<std::uint8_t, std::uint32_t>, std::vector<std::size_t>> going;
    for (std::size_t row = 0; row < outbox.rowCount(); ++row)
        if (outbox.problem(row).empty() && !outbox.asks(row) && outbox.going(row))
            going[{outbox.busOf(row), outbox.frame(row).id.key()}].push_back(row);
    for (std::size_t row = 0; row < outbox.rowCount() && !going.empty(); ++row) {
        if (!outbox.problem(row).empty() || outbox.asks(row) || outbox.row(row).anyway)
            continue;
        const can::Frame& frame = outbox.frame(row);
        const auto found = going.find({outbox.busOf(row), frame.id.key()});
        for (const std::size_t other : found == going.end() ? std::vector<std::size_t>() : found->second)
            if (other != row) {
                const auto* message = catalog.find(outbox.busOf(row), frame.id);
                out.push_back({row,
                    {outbox.busOf(row), frame.id, message != nullptr ? message->message->name : std::string(), outbox.name()}, other});
            }
    }
    return out;
}

}  // namespace wavetrope::rig
