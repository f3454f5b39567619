// SPDX-License-Identifier: GPL-3.0-or-later
// What goes wrong on purpose on the wires of a run.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "bus/wire_fault_text.h"
#include "clock/scheduler.h"
#include "database/catalog.h"
#include "drive/actor.h"

namespace wavetrope::drive {

/// What they are made for.
struct WireFaultWorld {
    clock::Scheduler& scheduler;
    std::vector<bus::Bus*> buses;                   ///< By bus index.
    std::shared_ptr<const database::Catalog> catalog;
    Time begins{};
    /// Calls whenever a condition of the rig becomes true; an error where it has none of that name.
    std::function<Expected<void>(const std::string& condition, std::function<void()>)> whenTrue;
};

/// How one of them is doing.
struct WireFaultRow {
    std::string text;               ///< As it was asked for.
    std::uint8_t bus = 0;
    Time since{};                   ///< From when on it acts, or acted; of one that waits for a condition: when it was asked for.
    bool acts = false;
    bool over = false;
    std::uint64_t harmed = 0;       ///< Frames so far.
};

struct WireFaultList {
    std::vector<WireFaultRow> rows; ///< In the order in which they were asked for.
};

/// Has faults befall the simulated buses: now, at a moment, or with a condition, once each. Off, none does.
class WireFaults final : public Actor {
public:
    explicit WireFaults(WireFaultWorld world) : world_(std::move(world)) {}

    [[nodiscard]] const std::string& name() const override { return name_; }
    void setOn(bool on) override;
    [[nodiscard]] bool on() const override { return on_; }
    [[nodiscard]] std::vector<SentIdentifier> sends() const override { return {}; }
    /// Frames are harmed without a word: it is another one whenever something is open.
    [[nodiscard]] std::uint64_t changes() const override;
    /// Its facts are `WireFaultList`.
    [[nodiscard]] ActorReport report() const override;

    /// An error where there is no such bus, node or condition, or the bus is one of the world.
    [[nodiscard]] Expected<void> add(const std::string& text, const bus::TypedFault& fault);
    /// Takes the newest of that text back.
    void lift(const std::string& text);

private:
    struct One {
        std::string text;
        bus::TypedFault typed;
        bus::SimulatedBus* bus = nullptr;
        std::uint8_t index = 0;
        std::uint64_t number = 0;   // of the bus; 0: it waits
        Time since{};
        std::uint64_t key = 0;
    };
    void begin(One& one, Time from);

    WireFaultWorld world_;
    const std::string name_ = "faults on the wire";
    bool on_ = true;
    std::vector<One> all_;
    std::uint64_t keys_ = 0;
    mutable std::uint64_t changes_ = 1;
    mutable bool wasOpen_ = false;
};

}  // namespace wavetrope::drive
