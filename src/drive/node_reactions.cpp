// SPDX-License-Identifier: GPL-3.0-or-later
// What a node does when its conditions become true: by frames, and by time alone.
#include <algorithm>
#include <cmath>

#include "base/time_text.h"
#include "drive/node.h"

namespace wavetrope::drive {

namespace {

constexpr std::size_t mostStates = 512;
constexpr Time planAhead = std::chrono::seconds(1);
constexpr Time planStep = std::chrono::milliseconds(1);

}  // namespace

void Node::react(const database::CatalogMessage* arrived)
{
    if (reactions_.empty())
        return;
    refresh();
    for (std::uint32_t i = 0; i < reactions_.size(); ++i) {
        Reaction& reaction = reactions_[i];
        if (reaction.gone)
            continue;
        if (!reaction.spec.on.empty()) {
            if (arrived != nullptr && arrived->message->name == reaction.spec.on)
                carryOut(reaction, reaction.spec.on + " arrived");
            continue;
        }
        become(i, reaction.when.evaluate(slots_, random_) != 0);
    }
}

void Node::become(std::uint32_t index, bool holds)
{
    Reaction& reaction = reactions_[index];
    if (holds == reaction.holds)
        return;
    reaction.holds = holds;
    reaction.hold.stop();
    if (!holds)
        return;
    if (reaction.spec.hold.count() == 0) {
        carryOut(reaction, reaction.spec.when);
        return;
    }
    reaction.hold.at(world_.scheduler.now() + reaction.spec.hold, index);
}

// Of a condition that hangs on no chance, at another moment: frames and variables as they stand in `scratch_`. Of the values
// that hang on time, those that it needs, or those in `which`.
bool Node::holdsAt(const Reaction& reaction, Time at, std::span<const std::uint32_t> which)
{
    const double t = static_cast<double>(storyTime(at).count()) / 1e9;
    scratch_[0] = t;
    for (const std::uint32_t index : which) {
        const auto& [slot, source] = values_[index];
        if (const auto* curve = std::get_if<CurveSpec>(&source.spec))
            scratch_[slot] = curve->at(t);
        else if (const auto* sine = std::get_if<SineSpec>(&source.spec))
            scratch_[slot] = sine->at(t);
        else
            scratch_[slot] = source.formula.evaluate(scratch_, random_);
    }
    return reaction.when.evaluate(scratch_, random_) != 0;
}

// Finds the next moment at which time alone makes a condition true or untrue, within a second; looks on from there.
void Node::plan()
{
    plan_.stop();
    if (!anyTimed_ || !on_)
        return;
    const Time now = world_.scheduler.now();
    Time next = now + planAhead;
    for (const Reaction& reaction : reactions_) {
        if (reaction.gone || !reaction.spec.on.empty() || (reaction.hangs & onTime) == 0 || (reaction.hangs & onChance) != 0)
            continue;
        // At the numbers that stand in the condition, which may be times, and each millisecond.
        looks_.clear();
        for (const double number : reaction.when.numbers()) {
            if (!(number >= 0 && number < 1e9))
                continue;
            Time at = world_.begins + Time(std::llround(number * 1e9));
            if (world_.story.count() > 0) {
                at += world_.story * ((now - world_.begins) / world_.story);
                if (at <= now)
                    at += world_.story;
            }
            looks_.push_back(at);
            looks_.push_back(at + Time(1));
        }
        std::sort(looks_.begin(), looks_.end());
        const bool steps = (reaction.hangs & onFrames) == 0;
        scratch_ = slots_;
        Time before = now;
        Time step = now + planStep;
        for (std::size_t number = 0;;) {
            Time at = step;
            if (number < looks_.size() && (!steps || looks_[number] <= step))
                at = looks_[number++];
            else if (steps)
                step += planStep;
            else
                break;
            if (at > next)
                break;
            if (at <= now)
                continue;
            if (holdsAt(reaction, at, reaction.timed) == reaction.holds) {
                before = at;
                continue;
            }
            Time after = at;
            while (after - before > Time(1)) {
                const Time middle = before + (after - before) / 2;
                (holdsAt(reaction, middle, reaction.timed) == reaction.holds ? before : after) = middle;
            }
            next = after;
            break;
        }
    }
    plan_.at(next);
}

void Node::carryOutPlan()
{
    const Time now = world_.scheduler.now();
    for (std::uint32_t i = 0; i < reactions_.size() && on_; ++i) {
        const Reaction& reaction = reactions_[i];
        if (reaction.gone || !reaction.spec.on.empty() || (reaction.hangs & onTime) == 0 || (reaction.hangs & onChance) != 0)
            continue;
        scratch_ = slots_;
        const bool holds = holdsAt(reaction, now, timed_);
        if (holds == reaction.holds)
            continue;
        slots_ = scratch_;      // time, and what hangs on it, as they are now
        become(i, holds);
    }
    plan();
    tell();
}

void Node::held(std::uint32_t index)
{
    Reaction& reaction = reactions_[index];
    carryOut(reaction, reaction.spec.when + " for " + spanText(reaction.spec.hold));
    tell();
}

void Node::carryOut(Reaction& reaction, const std::string& why)
{
    if (reaction.then) {
        reaction.then();
        return;
    }
    if (reaction.handler != 0) {
        script_->conditionHolds(reaction.handler);
        return;
    }
    for (const auto& [slot, formula] : reaction.set) {
        const double next = formula.evaluate(slots_, random_);
        changes_ += next != slots_[slot] ? 1 : 0;
        slots_[slot] = next;
    }
    if (!reaction.set.empty())
        plan();     // what was found may hang on them
    if (!reaction.spec.enter.empty())
        enter(reaction.spec.enter, reaction.spec.wrong, why);
    for (const std::uint32_t index : reaction.send) {
        if (reaction.spec.after.count() == 0) {
            send(index);
            continue;
        }
        answers_.also(world_.scheduler.now() + reaction.spec.after, index);
    }
}

void Node::enter(const std::string& state, bool wrong, const std::string& why)
{
    if (!states_.empty() && states_.back().state == state && states_.back().wrong == wrong)
        return;
    const std::string before = states_.empty() ? std::string() : states_.back().state;
    states_.push_back({world_.scheduler.now(), state, wrong, why});
    if (script_ && before != state)
        script_->entered(before, state);
    if (states_.size() > mostStates)
        states_.pop_front();
    ++changes_;
}

}  // namespace wavetrope::drive
