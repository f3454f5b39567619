// SPDX-License-Identifier: GPL-3.0-or-later
// A node that hands frames from bus to bus.
#pragma once

#include <deque>
#include <memory>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "bus/bus.h"
#include "clock/timer.h"
#include "database/catalog.h"
#include "drive/actor.h"
#include "drive/node.h"
#include "drive/rewriting.h"
#include "filter/filter_stream.h"

namespace wavetrope {
class JsonReader;
}

namespace wavetrope::drive {

/// What a gateway hands from one bus to another one.
struct GatewayRoute {
    std::string pointer;                ///< Its place in the document, for errors.
    std::string from, to;               ///< Buses of the rig; each another.
    std::string filter;                 ///< Which frames; empty: all.
    std::vector<std::string> rewrite;   ///< What is changed of them, as `Rewriting` takes it.
    Time delay{};                       ///< For how long it keeps them.
};

struct GatewaySpec {
    std::string pointer;
    std::string name;
    std::vector<GatewayRoute> routes;
    bool off = false;                   ///< At the start.
};

/// Reads a gateway; throws JsonFailure.
[[nodiscard]] GatewaySpec gatewayFromJson(const JsonReader& in);

/// Hears the buses of its routes and offers what their filters pass to the other ones, at the end of a frame's last bit or so much later, in the order in
/// which it heard them. What it has put on a bus itself it does not hear; error frames it hands to nobody. A frame that the other bus cannot carry (CAN
/// FD on a classic one), and one for which its queue has no room, is lost there, and counted.
class Gateway final : public Actor, public bus::Listener {
public:
    /// Errors name a bus that is not there, or the place in a filter or rewriting.
    [[nodiscard]] static Expected<std::unique_ptr<Gateway>> create(const GatewaySpec& spec, const NodeWorld& world);
    Gateway(const Gateway&) = delete;
    Gateway& operator=(const Gateway&) = delete;

    [[nodiscard]] const std::string& name() const override { return spec_.name; }
    void start() override;
    void setOn(bool on) override;
    [[nodiscard]] bool on() const override { return on_; }
    /// What it has handed over so far.
    [[nodiscard]] std::vector<SentIdentifier> sends() const override;
    [[nodiscard]] std::uint64_t changes() const override { return changes_; }
    /// Its facts are `NodeFacts`: `handed over`, `not carried` and `lost` are its variables.
    [[nodiscard]] ActorReport report() const override;

    [[nodiscard]] std::uint64_t handed() const { return handed_; }
    /// Frames that the other bus cannot carry.
    [[nodiscard]] std::uint64_t notCarried() const { return notCarried_; }
    /// Frames for which there was no room.
    [[nodiscard]] std::uint64_t lost() const { return lost_; }

    void onFrame(const can::FrameView& frame, bus::Port sender) override;

private:
    struct Line {
        std::uint8_t from = 0, to = 0;
        bus::Port port = 0;
        bool fd = false;  // the other bus can carry it
        filter::FilterStream passing;
        Rewriting rewriting;
        Time delay{};
        std::deque<std::pair<Time, can::Frame>> kept{};
    };
    Gateway(const GatewaySpec& spec, const NodeWorld& world);
    Expected<void> build();
    void hand(Line& line, const can::Frame& frame);
    void due(std::uint32_t line);

    GatewaySpec spec_;
    NodeWorld world_;
    bool on_ = true;
    std::uint64_t changes_ = 1, handed_ = 0, notCarried_ = 0, lost_ = 0;
    std::deque<Line> lines_;
    clock::Timer keeping_;  // of the lines that hand over later
    std::vector<std::pair<std::uint8_t, bus::Port>> own_;
    std::set<std::pair<std::uint8_t, std::uint32_t>> sent_;
    std::deque<StateChange> states_;
};

}  // namespace wavetrope::drive
