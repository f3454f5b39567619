// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/wire_faults.h"

#include <algorithm>

#include "base/nearest_name.h"

namespace wavetrope::drive {

void WireFaults::setOn(bool on)
{
    if (on == on_)
        return;
    on_ = on;
    ++changes_;
    for (One& one : all_) {
        if (!on && one.number != 0)
            one.bus->lift(std::exchange(one.number, 0));
        else if (on && one.typed.condition.empty())
            begin(one, one.typed.dated ? world_.begins + one.typed.fault.from : world_.scheduler.now());
    }
}

std::uint64_t WireFaults::changes() const
{
    const bool open = std::any_of(
        all_.begin(), all_.end(), [](const One& one) { return one.number != 0 && !one.bus->faultFacts(one.number).over; });
    if (std::exchange(wasOpen_, open) || open)      // how the last one ended is told too
        ++changes_;
    return changes_;
}

ActorReport WireFaults::report() const
{
    WireFaultList list;
    for (const One& one : all_) {
        const bus::WireFaultFacts facts = one.number != 0 ? one.bus->faultFacts(one.number) : bus::WireFaultFacts{};
        list.rows.push_back({one.text, one.index, one.since, facts.acts, facts.over, facts.harmed});
    }
    return {name_, {}, on_, std::move(list)};
}

void WireFaults::begin(One& one, Time from)
{
    bus::WireFault fault = one.typed.fault;
    fault.from = one.since = from;
    if (one.typed.span)
        fault.to = from + *one.typed.span;
    one.number = one.bus->disturb(fault);
    ++changes_;
}

Expected<void> WireFaults::add(const std::string& text, const bus::TypedFault& typed)
{
    const int found = world_.catalog->findBus(typed.bus);
    if (found < 0) {
        std::vector<std::string> names;
        for (unsigned bus = 0; bus < world_.catalog->busCount(); ++bus)
            names.push_back(world_.catalog->busName(static_cast<std::uint8_t>(bus)));
        return fail("the rig has no bus '" + typed.bus + "'", {}, didYouMean(typed.bus, names));
    }
    auto* bus = dynamic_cast<bus::SimulatedBus*>(world_.buses[static_cast<std::size_t>(found)]);
    if (bus == nullptr)
        return fail(typed.bus + " is a real bus: a controller sends whole frames alone, and no faults");
    if (bus::ofNode(typed.fault.kind) && !bus->hasPort(typed.fault.node))
        return fail("nobody on " + typed.bus + " is called '" + typed.fault.node + "'", {}, didYouMean(typed.fault.node, bus->portNames()));
    const std::uint64_t key = ++keys_;
    if (!typed.condition.empty()) {
        const auto heeded = world_.whenTrue(typed.condition, [this, key] {
            for (One& one : all_)
                if (one.key == key && one.number == 0 && on_)
                    begin(one, world_.scheduler.now());
        });
        if (!heeded)
            return tl::unexpected(heeded.error());
    }
    all_.push_back({text, typed, bus, static_cast<std::uint8_t>(found), 0, world_.scheduler.now(), key});
    ++changes_;
    if (typed.condition.empty() && on_)
        begin(all_.back(), typed.dated ? world_.begins + typed.fault.from : world_.scheduler.now());
    return {};
}

void WireFaults::lift(const std::string& text)
{
    for (auto one = all_.rbegin(); one != all_.rend(); ++one)
        if (one->text == text) {
            if (one->number != 0)
                one->bus->lift(one->number);
            all_.erase(std::next(one).base());
            ++changes_;
            return;
        }
}

}  // namespace wavetrope::drive
