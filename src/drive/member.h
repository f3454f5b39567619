// SPDX-License-Identifier: GPL-3.0-or-later
// Simulated nodes in higher protocols: units with an address, and nodes with an object dictionary.
#pragma once

#include <functional>
#include <memory>
#include <set>

#include "bus/bus.h"
#include "clock/timer.h"
#include "drive/actor.h"
#include "drive/member_spec.h"
#include "protocol/object_server.h"
#include "protocol/vehicle_unit.h"

namespace wavetrope::drive {

/// What a member is made of.
struct MemberWorld {
    clock::Scheduler& scheduler;
    bus::Bus& bus;
    std::uint8_t busIndex = 0;
    std::string node;                   ///< The simulated node that it belongs to.
    Time begins{}, story{};             ///< Of the run; 0: the story does not start over.
    std::function<bool()> on;           ///< Whether that node takes part.
    std::function<std::optional<bool>(const std::string&)> condition;   ///< Of the rig.
};

/// How a member is doing.
struct MemberFacts {
    std::string state;                  ///< In words.
    std::uint64_t sent = 0, lost = 0;   ///< Frames; lost: the queue was full.
};

/// What the two kinds have in common: one port of one bus, and moments at which they do something. A member is on while its node is.
class Member : public Actor, public bus::Listener {
public:
    Member(MemberWorld world, const char* what);
    Member(const Member&) = delete;
    Member& operator=(const Member&) = delete;

    [[nodiscard]] const std::string& name() const final { return name_; }
    void start() final;
    void setOn(bool on) final;
    [[nodiscard]] bool on() const final { return on_ && world_.on(); }
    [[nodiscard]] std::vector<SentIdentifier> sends() const final;
    [[nodiscard]] std::uint64_t changes() const final { return changes_; }
    [[nodiscard]] ActorReport report() const final;
    void onFrame(const can::FrameView& frame, bus::Port sender) final;

protected:
    virtual void begin() = 0;
    virtual void hear(const can::FrameView& frame) = 0;
    virtual void passed(Time now) = 0;
    /// When it wants to be called; `Time::max()`: not before a frame comes.
    [[nodiscard]] virtual Time due() const = 0;
    /// The moment has come that was set under this tag.
    virtual void moment(std::uint32_t tag) = 0;
    [[nodiscard]] virtual std::string state() const = 0;
    [[nodiscard]] virtual std::vector<can::Frame> take() = 0;
    /// The first moment behind now, and `moment(tag)` then and at all that follow.
    void plan(const WhenSpec& when, std::uint32_t tag);
    void goOn();
    [[nodiscard]] const MemberWorld& world() const { return world_; }
    [[nodiscard]] Time now() const { return world_.scheduler.now(); }

private:
    void wake();
    void comes(std::uint32_t tag);
    [[nodiscard]] Time nextOf(const WhenSpec& when) const;

    MemberWorld world_;
    std::string name_;
    bool on_ = true, begun_ = false;
    std::uint64_t changes_ = 1, sent_ = 0, lost_ = 0;
    bus::Port port_;
    clock::Timer timer_, moments_;
    std::vector<WhenSpec> whens_;       // by tag
    std::set<std::uint32_t> identifiers_;
};

/// A unit of a network of vehicles.
class VehicleMember final : public Member {
public:
    VehicleMember(AddressSpec spec, MemberWorld world);

private:
    void begin() override;
    void hear(const can::FrameView& frame) override { unit_.hear(frame); }
    void passed(Time now) override { unit_.passed(now); }
    [[nodiscard]] Time due() const override { return unit_.due(); }
    void moment(std::uint32_t tag) override;
    [[nodiscard]] std::string state() const override;
    [[nodiscard]] std::vector<can::Frame> take() override;
    [[nodiscard]] std::vector<std::uint8_t> troubles();

    AddressSpec spec_;
    protocol::VehicleUnit unit_;
    std::vector<can::Frame> asking_;
    std::vector<std::uint8_t> counts_;  // of each trouble code
    std::vector<bool> active_;
};

/// A node with an object dictionary, and one that reads from others.
class ObjectMember final : public Member {
public:
    /// Without a dictionary it answers nobody.
    ObjectMember(ObjectsSpec spec, std::optional<protocol::Dictionary> dictionary, MemberWorld world);

private:
    void begin() override;
    void hear(const can::FrameView& frame) override;
    void passed(Time now) override;
    [[nodiscard]] Time due() const override;
    void moment(std::uint32_t tag) override;
    [[nodiscard]] std::string state() const override;
    [[nodiscard]] std::vector<can::Frame> take() override;
    void askNext();
    void watch(const can::FrameView& frame);
    void emergency(std::uint16_t code, std::uint8_t about);

    ObjectsSpec spec_;
    std::optional<protocol::ObjectServer> server_;
    std::unique_ptr<protocol::Talk> asking_;
    std::vector<can::Frame> ending_;        // the last ones of the read before
    std::vector<std::uint32_t> waiting_;    // reads, by tag
    // A heartbeat that is consumed: from the first one on.
    struct Watched {
        std::uint8_t node = 0;
        Time within{};
        Time limit = Time::max();
        bool lost = false;
    };
    std::vector<Watched> watched_;
    std::uint8_t syncs_ = 0;
};

}  // namespace wavetrope::drive
