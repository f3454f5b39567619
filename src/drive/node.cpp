// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/node.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>

#include "base/nearest_name.h"
#include "database/compose.h"

namespace wavetrope::drive {

namespace {

constexpr std::size_t reportedStates = 64;

bool within(const std::vector<Window>& windows, Time time)
{
    return std::any_of(windows.begin(), windows.end(), [&](const Window& w) { return time >= w.first && time < w.second; });
}

}  // namespace

Node::~Node() = default;

void Node::start()
{
    enter(spec_.state.empty() ? "running" : spec_.state, false, {});
    for (const auto& [bus, port] : ports_)
        world_.buses[bus]->enable(port, on_);
    if (!on_)
        return;
    for (std::uint32_t i = 0; i < sendings_.size(); ++i)
        if (sendings_[i].every.count() > 0)
            schedule(i);
    if (script_)
        script_->start();
    carryOutPlan();
}

void Node::stop()
{
    if (script_ && on_)
        script_->stop();
}

void Node::setOn(bool on)
{
    if (on == on_)
        return;
    if (!on && script_)
        script_->stop();
    on_ = on;
    ++changes_;
    beats_.stop();
    answers_.stop();
    late_.stop();
    lateFrames_.clear();
    plan_.stop();
    for (Reaction& reaction : reactions_) {
        reaction.holds = false;
        reaction.hold.stop();
    }
    if (on) {
        for (const auto& [name, initial] : spec_.variables)
            slots_[names_[name]] = initial;
        for (Sending& sending : sendings_)
            sending.beat = 0;  // the beats that it missed stay missed
        for (Sending& sending : sendings_)
            sending.given.clear();
        loadScript();
        start();
    } else {
        enter("taken out", false, "taken out of the simulation");
        for (const auto& [bus, port] : ports_)
            world_.buses[bus]->enable(port, false);
    }
}

std::vector<SentIdentifier> Node::sends() const
{
    std::vector<SentIdentifier> out;
    for (const Sending& sending : sendings_)
        out.push_back({sending.encoder.bus(), sending.encoder.frame().id});
    return out;
}

// What its buses count for it is told as well.
std::uint64_t Node::changes() const
{
    std::uint64_t counted = 0;
    for (const auto& [bus, port] : ports_)
        if (const auto counters = world_.buses[bus]->countersOf(port))
            counted = counted * 1'048'583 + counters->transmit() * 512 + counters->receive();
    return changes_ * 1'000'003 + counted;
}

ActorReport Node::report() const
{
    NodeFacts facts;
    for (const auto& [bus, port] : ports_)
        if (const auto counters = world_.buses[bus]->countersOf(port))
            facts.counters.emplace_back(bus, *counters);
    facts.refused = refused_;
    facts.manipulations = manipulations_;
    const Time now = world_.scheduler.now() - world_.begins;
    for (const Sending& sending : sendings_)
        for (const Sending::Change& change : sending.changes) {
            ManipulationFacts& of = facts.manipulations[change.number];
            of.changed += change.changed;
            of.acts = of.acts || (actsAt(change, now) && change.met);
            of.done = of.done || (change.spec.times && change.changed >= *change.spec.times) || (change.spec.to && now >= *change.spec.to);
        }
    if (script_)
        facts.script = script_->facts();
    if (scriptProblem_) {
        facts.script.name = scriptProblem_->where;
        facts.script.stopped = scriptProblem_;
    }
    for (const auto& [name, initial] : spec_.variables)
        facts.variables[name] = slots_[names_.at(name)];
    const std::size_t from = states_.size() > reportedStates ? states_.size() - reportedStates : 0;
    facts.states.assign(states_.begin() + static_cast<std::ptrdiff_t>(from), states_.end());
    return {spec_.name, busIndexes_, on_, std::move(facts)};
}

std::optional<double> Node::value(std::string_view name) const
{
    const auto found = names_.find(std::string(name));
    return found == names_.end() ? std::nullopt : std::optional(slots_[found->second]);
}

bool Node::setVariable(const std::string& name, double value)
{
    if (!spec_.variables.contains(name))
        return false;
    slots_[names_[name]] = value;
    ++changes_;
    if (on_) {
        react(nullptr);
        plan();         // what was found may hang on it
        tell();
    }
    return true;
}

Time Node::storyTime(Time at) const
{
    const Time elapsed = at - world_.begins;
    return world_.story.count() > 0 ? elapsed % world_.story : elapsed;
}

double Node::evaluate(Source& source) { return source.evaluate(slots_[0], slots_, random_); }

void Node::refresh()
{
    slots_[0] = static_cast<double>(storyTime().count()) / 1e9;
    for (auto& [slot, source] : values_)
        slots_[slot] = evaluate(source);
}

void Node::schedule(std::uint32_t index)
{
    Sending& sending = sendings_[index];
    const Time now = world_.scheduler.now();
    const Time period = changedPeriod(sending);
    const bool back = std::exchange(sending.apart, period.count() > 0) && !sending.apart;
    if ((sending.beat == 0 && sending.origin < now) || back)
        sending.beat = static_cast<std::uint64_t>((now - sending.origin) / sending.every) + 1;
    if (sending.apart)
        sending.nominal += period;
    else
        sending.nominal = sending.origin + sending.every * static_cast<std::int64_t>(sending.beat++);
    Time due = sending.nominal;
    if (sending.jitter.count() > 0)
        due += Time(static_cast<std::int64_t>(random_.uniform() * static_cast<double>(sending.jitter.count())));
    beats_.also(due, index);
}

void Node::beat(std::uint32_t index)
{
    if (!on_)
        return;
    send(index);
    schedule(index);
    react(nullptr);
    tell();
}

void Node::send(std::uint32_t index) { sendWith(index, {}); }

void Node::sendWith(std::uint32_t index, std::span<const MessageEncoder::Held> once)
{
    Sending& sending = sendings_[index];
    if (!on_)
        return;
    const Time story = storyTime();
    if (within(sending.silent, story) || (!sending.only.empty() && !within(sending.only, story)))
        return;
    refresh();
    const can::Frame& frame = sending.encoder.encode([&](std::uint32_t value) { return evaluate(sending.values[value]); }, sending.overflow,
        [&](std::uint32_t signal, double value) { refuse(sending, signal, value); });
    bus::Bus& bus = *world_.buses[sending.encoder.bus()];
    if (sending.changes.empty() && sending.given.empty() && once.empty()) {
        bus.offer(sending.port, frame);
        return;
    }
    offerChanged(index, once);
}

void Node::refuse(const Sending& sending, std::uint32_t signal, double value)
{
    const database::CatalogMessage* message = sending.encoder.message();
    RefusedValue& refused =
        refused_[sending.name + '.' + (message != nullptr ? message->message->signals[signal].name : "Byte" + std::to_string(signal))];
    refused.value = value;
    refused.time = world_.scheduler.now();
    ++refused.count;
    ++changes_;
}

void Node::onFrame(const can::FrameView& frame, bus::Port sender)
{
    // What it sends itself it does not hear.
    if (!on_ || std::find(ports_.begin(), ports_.end(), std::pair(frame.bus, sender)) != ports_.end())
        return;
    const auto* message = world_.catalog->find(frame);
    if (message != nullptr)
        receive(frame, *message);
    if (script_ && frame.kind != can::FrameKind::error)
        script_->onFrame(frame, message);
}

void Node::receive(const can::FrameView& frame, const database::CatalogMessage& of)
{
    const database::CatalogMessage* message = &of;
    const auto found = receptions_.find(message);
    if (found == receptions_.end())
        return;
    for (const Reception& reception : found->second) {
        database::Decoded decoded;
        if (message->plan.decodeOne(frame, reception.signal.index, decoded))
            slots_[reception.slot] = decoded.value;
    }
    if (!quiet_.contains(message))
        react(message);
}

}  // namespace wavetrope::drive
