// SPDX-License-Identifier: GPL-3.0-or-later
// What acts in a run.
#pragma once

#include <any>
#include <cstdint>
#include <string>
#include <vector>

#include "can/identifier.h"

namespace wavetrope::drive {

/// What somebody who acts sends.
struct SentIdentifier {
    std::uint8_t bus = 0;       ///< Of the rig.
    can::Identifier id;
};

/// How somebody who acts is doing, for people. By value: any thread may keep it.
struct ActorReport {
    std::string name;
    std::vector<std::uint8_t> buses;    ///< Of the rig.
    bool on = true;
    std::any facts;                     ///< What its kind tells besides.

    /// The facts of a kind, or null where it is of another one.
    template <class Facts>
    [[nodiscard]] const Facts* as() const
    {
        return std::any_cast<Facts>(&facts);
    }
};

/// Whoever sends, answers or changes what others do while a rig runs. Everything is called on the thread that drives the
/// run, and acts in time through the run's scheduler.
class Actor {
public:
    virtual ~Actor() = default;

    /// Its name in the rig; no two have the same.
    [[nodiscard]] virtual const std::string& name() const = 0;
    /// The run begins. Called once, before time goes on.
    virtual void start() {}
    /// The run is over: no time passes any more. Called once, where it had begun.
    virtual void stop() {}
    /// Takes it out of the run as if it were unplugged, or puts it back as it was at the start.
    virtual void setOn(bool on) = 0;
    [[nodiscard]] virtual bool on() const = 0;
    /// What it sends, or would send if it were on.
    [[nodiscard]] virtual std::vector<SentIdentifier> sends() const = 0;
    /// Another number whenever the report has become another.
    [[nodiscard]] virtual std::uint64_t changes() const = 0;
    [[nodiscard]] virtual ActorReport report() const = 0;
};

}  // namespace wavetrope::drive
