// SPDX-License-Identifier: GPL-3.0-or-later
// Who acts in a run: the table of their kinds.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "bus/bus.h"
#include "clock/scheduler.h"
#include "drive/actor.h"
#include "drive/outbox.h"
#include "rig/rig.h"

namespace wavetrope::rig {

/// What those who act are made of.
struct ActorWorld {
    const Rig& rig;
    clock::Scheduler& scheduler;
    std::vector<bus::Bus*> buses;                       ///< By bus index.
    std::shared_ptr<const database::Catalog> catalog;
    const LoadedDatabases* databases = nullptr;
    std::uint64_t seed = 1;
    Time begins{};                                      ///< Instant at which the run begins.
    const std::vector<std::string>& without;            ///< Names of those that are off at the start.
    const std::vector<std::string>& outbox;             ///< Groups of the outbox that go out from the beginning.
    bool incomplete = false;                            ///< A database is missing: who needs it is left out, and says so here.
    std::vector<Error>& leftOut;
    std::span<const std::unique_ptr<drive::Actor>> made;    ///< Those of the kinds before.
    std::function<std::optional<bool>(const std::string& name)> condition{};  ///< Whether a condition of the rig holds; nothing: no such.
    std::function<Expected<void>(const std::string& text, bool lift)>
        manipulate{};  ///< For scripts: `manipulate` of `rig/manipulations.h`.
    /// Calls whenever a condition of the rig becomes true; an error where it has none of that name.
    std::function<Expected<void>(const std::string& condition, std::function<void()>)> whenTrue{};
    /// For scripts: by who asks in this run.
    std::function<void(std::uint8_t bus, std::unique_ptr<protocol::Talk> talk, std::function<void(const protocol::Answer&)> done)> ask{};
};

/// One kind of those who act.
struct ActorKind {
    const char* name;  ///< "node".
    const char* part;  ///< JSON pointer of the part of the rig that they are made from; empty where every run has one.
    /// All of a rig. An error stops the run from being made.
    Expected<std::vector<std::unique_ptr<drive::Actor>>> (*make)(const ActorWorld& world);
};

/// An identifier that one of those who act would send while another sends it too.
struct Collision {
    std::uint8_t bus = 0;  ///< Of the rig.
    can::Identifier id;
    std::string message;  ///< Empty where no database has it.
    std::string node;  ///< Who sends it too.
    [[nodiscard]] std::string words(const database::Catalog& catalog) const;
};

/// What `actor` sends and others that are on send too, in the order of those others.
[[nodiscard]] std::vector<Collision> collisionsOf(
    const drive::Actor& actor, std::span<const std::unique_ptr<drive::Actor>> all, const database::Catalog& catalog);

/// A row of the outbox whose identifier somebody else who is on sends too.
struct RowCollision {
    std::size_t row = 0;
    Collision with;
    std::optional<std::size_t> otherRow{};  ///< Where another row that goes out sends it.
};
/// Of all rows that can be sent, whether they go out now or not, but for those that are sent all the same.
[[nodiscard]] std::vector<RowCollision> collisionsOf(
    const drive::Outbox& outbox, std::span<const std::unique_ptr<drive::Actor>> all, const database::Catalog& catalog);

/// All kinds, in the order in which they are made, hear frames and start.
[[nodiscard]] std::span<const ActorKind> actorKinds();

}  // namespace wavetrope::rig
