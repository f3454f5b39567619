// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/dialogue_watch.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "base/nearest_name.h"
#include "base/time_text.h"

namespace wavetrope::drive {

namespace {

constexpr std::size_t mostEvents = 100'000;

std::string milliseconds(Time span) { return spanText(Time(span.count() / 1000 * 1000)); }

}  // namespace

const char* toText(DialogueEvent::What what)
{
    constexpr const char* words[] = {"enters", "breaks", "ends"};
    return words[static_cast<unsigned>(what)];
}

Expected<DialogueWatch> DialogueWatch::create(DialogueSpec spec, std::shared_ptr<const database::Catalog> catalog, Time origin)
{
    DialogueWatch watch;
    const int bus = catalog->findBus(spec.bus);
    if (bus < 0) {
        std::vector<std::string> names;
        for (std::size_t i = 0; i < catalog->busCount(); ++i)
            names.push_back(catalog->busName(static_cast<std::uint8_t>(i)));
        return fail("the rig has no bus '" + spec.bus + "'", spec.pointer + "/bus", didYouMean(spec.bus, names));
    }
    watch.bus_ = static_cast<std::uint8_t>(bus);
    watch.origin_ = origin;
    watch.names_ = spec.messages();
    std::vector<std::string> known;
    for (const auto& message : catalog->messages())
        if (message.bus == watch.bus_)
            known.push_back(message.message->name);
    for (const std::string& name : watch.names_) {
        const database::CatalogMessage* found = nullptr;
        for (const auto& message : catalog->messages())
            if (found == nullptr && message.bus == watch.bus_ && message.message->name == name)
                found = &message;
        if (found == nullptr)
            return fail("no database of " + spec.bus + " has the message '" + name + "'", spec.pointer, didYouMean(name, known));
        watch.numbers_.emplace(found, watch.messages_.size());
        watch.messages_.push_back(found);
    }
    watch.catalog_ = std::move(catalog);
    watch.spec_ = std::make_shared<const DialogueSpec>(std::move(spec));
    if (!watch.spec_->reason.empty())
        for (const std::string& name : watch.spec_->ends)
            if (!watch.reasonSignal(*watch.messageNamed(name)))
                return fail(name + " has no signal '" + watch.spec_->reason + "' that tells the reason", watch.spec_->pointer + "/reason");
    for (std::size_t partner = 0; partner < 2; ++partner) {
        for (const PhaseSpec& phase : watch.spec_->phases) {
            const SideSpec& side = phase.sides[partner];
            std::vector<bool> allowed(watch.names_.size());
            const auto allow = [&](const std::string& name) {
                if (const auto number = watch.numberOf(name))
                    allowed[*number] = true;
            };
            for (const SideSpec& of : phase.sides) {
                // What one partner sends in it the other may hear in it.
                for (const SaySpec& say : of.says)
                    allow(say.message);
                for (const HearSpec& hear : of.hears) {
                    allow(hear.message);
                    allow(hear.after);
                }
            }
            for (const std::string& name : side.allows)
                allow(name);
            for (const std::string& name : side.on)
                allow(name);
            for (const std::string& name : watch.spec_->ends)
                allow(name);
            watch.allowed_[partner].push_back(std::move(allowed));
        }
        watch.sides_[partner].strange.resize(watch.names_.size());
    }
    return watch;
}

std::optional<std::size_t> DialogueWatch::numberOf(const std::string& name) const
{
    const auto found = std::find(names_.begin(), names_.end(), name);
    return found == names_.end() ? std::nullopt : std::optional(static_cast<std::size_t>(found - names_.begin()));
}

const database::CatalogMessage* DialogueWatch::messageNamed(const std::string& name) const
{
    const auto number = numberOf(name);
    return number ? messages_[*number] : nullptr;
}

std::size_t DialogueWatch::ownerOf(const std::string& message) const
{
    const database::CatalogMessage* found = messageNamed(message);
    for (std::size_t partner = 0; partner < 2; ++partner)
        if (found != nullptr && found->message->sender == spec_->partners[partner])
            return partner;
    for (std::size_t partner = 0; partner < 2; ++partner)
        for (const PhaseSpec& phase : spec_->phases)
            for (const SaySpec& say : phase.sides[partner].says)
                if (say.message == message)
                    return partner;
    return 2;
}

std::optional<std::uint32_t> DialogueWatch::reasonSignal(const database::CatalogMessage& message) const
{
    const auto& signals = message.message->signals;
    const auto found = std::find_if(signals.begin(), signals.end(), [&](const database::Signal& one) { return one.name == spec_->reason; });
    return found == signals.end() ? std::nullopt : std::optional(static_cast<std::uint32_t>(found - signals.begin()));
}

std::string DialogueWatch::seconds(Time at) const
{
    char text[40];
    std::snprintf(text, sizeof text, "%.3f", static_cast<double>((at - origin_).count()) / 1e9);
    return text;
}

std::uint64_t DialogueWatch::tell(DialogueEvent event)
{
    events_.push_back(std::move(event));
    const std::uint64_t number = letGo_ + events_.size() - 1;
    if (events_.size() > mostEvents) {
        events_.pop_front();
        ++letGo_;
    }
    return number;
}

DialogueEvent* DialogueWatch::told(std::uint64_t number)
{
    return number < letGo_ ? nullptr : &events_[static_cast<std::size_t>(number - letGo_)];
}

bool DialogueWatch::speaksOf(can::Identifier id) const
{
    const auto* message = catalog_->find(bus_, id);
    return message != nullptr && numbers_.contains(message);
}

void DialogueWatch::retime(DialogueSpec spec)
{
    former_.push_back(std::exchange(spec_, std::make_shared<const DialogueSpec>(std::move(spec))));
}

bool DialogueWatch::take(const can::FrameView& frame)
{
    if (frame.bus != bus_ || frame.kind == can::FrameKind::error)
        return false;
    const auto* message = catalog_->find(frame);
    const auto found = message != nullptr ? numbers_.find(message) : numbers_.end();
    if (found == numbers_.end())
        return false;
    advance(frame.time);
    const std::size_t number = last_ = found->second;
    const std::string& name = names_[number];
    heard_.push_back({frame.time, number, {}});
    if (heard_.size() > mostHeard_)
        heard_.pop_front();
    for (std::size_t partner = 0; partner < 2; ++partner)
        if (sides_[partner].facts.phase != SideSpec::rest)
            hear(partner, number, frame.time);
    if (std::find(spec_->ends.begin(), spec_->ends.end(), name) != spec_->ends.end()) {
        unsigned reason = 0;
        if (const auto signal = reasonSignal(*message)) {
            database::Decoded decoded;
            if (message->plan.decodeOne(frame, *signal, decoded) && decoded.value >= 0 && decoded.value < 1e6)
                reason = static_cast<unsigned>(std::llround(decoded.value));
        }
        bool any = false;
        for (std::size_t partner = 0; partner < 2; ++partner)
            if (sides_[partner].facts.phase != SideSpec::rest) {
                end(partner, frame.time, reason, name + " came");
                any = true;
            }
        if (any)
            return true;
    }
    for (std::size_t partner = 0; partner < 2; ++partner) {
        Side& side = sides_[partner];
        std::optional<std::size_t> into;
        bool tooOften = false;
        for (std::size_t i = 0; i < spec_->phases.size() && !into; ++i) {
            const SideSpec& next = spec_->phases[i].sides[partner];
            if (std::find(next.on.begin(), next.on.end(), name) == next.on.end())
                continue;
            const bool itself = side.facts.phase == i;
            // Again from itself, or another round of a message that it hears or sends all the time in it.
            if (itself && next.again > 0) {
                if (side.facts.entered <= next.again)
                    into = i;
                else
                    tooOften = true;
            } else if (!itself && std::find(next.from.begin(), next.from.end(), side.facts.phase) != next.from.end()) {
                into = i;
            }
        }
        if (into) {
            enter(partner, *into, frame.time, number);
            continue;
        }
        if (tooOften) {
            tell({frame.time, partner, DialogueEvent::What::breaks, side.facts.phase, std::nullopt, Time(frame.time - side.facts.since),
                name + " came more often than " + std::to_string(specOf(partner).again) + " times again", 0, nullptr});
            continue;
        }
        const bool resting = side.facts.phase == SideSpec::rest;
        if ((resting || !allowed_[partner][side.facts.phase][number]) && !side.strange[number]) {
            side.strange[number] = true;
            tell({frame.time, partner, DialogueEvent::What::breaks, side.facts.phase, std::nullopt,
                resting ? std::nullopt : std::optional(Time(frame.time - side.facts.since)),
                resting ? name + " came while the dialogue rests" : name + " may not come in " + spec_->phases[side.facts.phase].name, 0,
                nullptr});
        }
    }
    return true;
}

void DialogueWatch::hear(std::size_t partner, std::size_t message, Time at)
{
    Side& side = sides_[partner];
    const SideSpec& spec = specOf(partner);
    for (std::size_t i = 0; i < spec.hears.size(); ++i) {
        const HearSpec& hear = spec.hears[i];
        SideFacts::Waiting& waiting = side.facts.waiting[i];
        if (names_[message] == hear.message) {
            if (waiting.waits) {
                const Time took = at - waiting.from;
                waiting.longest = std::max(waiting.longest, took);
                heard_.back().waited[partner] = HeardMessage::Wait{took, hear.within};
                if (side.open[i].broken) {
                    if (DialogueEvent* event = told(side.open[i].event)) {
                        event->took = took;
                        event->why = hear.message + " was due by " + seconds(waiting.from + hear.within) + ", came " + seconds(at) + ", "
                                     + milliseconds(took - hear.within) + " late";
                    }
                    side.open[i].broken = false;
                }
            }
            ++waiting.heard;
            waiting.last = at;
            waiting.waits = hear.cyclic;
            waiting.from = at;
        }
        if (!hear.after.empty() && names_[message] == hear.after && !(hear.cyclic && waiting.waits) && !side.open[i].broken) {
            waiting.waits = true;
            waiting.from = at;
        }
    }
}

void DialogueWatch::enter(std::size_t partner, std::size_t phase, Time at, std::size_t message)
{
    Side& side = sides_[partner];
    const bool again = side.facts.phase == phase;
    const unsigned entered = again ? side.facts.entered + 1 : 1;
    if (side.facts.phase != SideSpec::rest) {
        const SideSpec& before = specOf(partner);
        if (!again && before.notBefore.count() > 0 && at - side.facts.since < before.notBefore)
            tell({at, partner, DialogueEvent::What::breaks, side.facts.phase, before.notBefore, Time(at - side.facts.since),
                spec_->phases[side.facts.phase].name + " was left " + milliseconds(before.notBefore - (at - side.facts.since))
                    + " too early",
                0, nullptr});
        close(partner, at, false);
    }
    const SideSpec& spec = spec_->phases[phase].sides[partner];
    side.facts.phase = phase;
    side.facts.since = at;
    side.facts.entered = entered;
    side.facts.waiting.assign(spec.hears.size(), {});
    side.open.assign(spec.hears.size(), {});
    side.withinBroken = false;
    side.strange.assign(names_.size(), false);
    for (std::size_t i = 0; i < spec.hears.size(); ++i) {
        side.facts.waiting[i].hear = i;
        if (spec.hears[i].after.empty() || spec.hears[i].after == names_[message]) {
            side.facts.waiting[i].waits = true;
            side.facts.waiting[i].from = at;
        }
    }
    side.enteredBy = tell(
        {at, partner, DialogueEvent::What::enters, phase, spec.within.count() > 0 ? std::optional(spec.within) : std::nullopt, std::nullopt,
            names_[message] + (entered > 1 ? " came again" : " came"), 0, nullptr});
}

// A phase is left: what it still waited for was not heard.
void DialogueWatch::close(std::size_t partner, Time at, bool ended)
{
    Side& side = sides_[partner];
    const SideSpec& spec = specOf(partner);
    for (std::size_t i = 0; i < side.open.size(); ++i)
        if (side.open[i].broken)
            if (DialogueEvent* event = told(side.open[i].event)) {
                event->took = at - side.facts.waiting[i].from;
                event->why = spec.hears[i].message + " was due by " + seconds(side.facts.waiting[i].from + spec.hears[i].within)
                             + ", and did not come before " + (ended ? "the end" : "the phase was left") + " at " + seconds(at);
            }
    if (side.withinBroken)
        if (DialogueEvent* event = told(side.withinEvent)) {
            event->took = at - side.facts.since;
            event->why = spec_->phases[side.facts.phase].name + " had to be left by " + seconds(side.facts.since + spec.within)
                         + ", and was at " + seconds(at) + ", " + milliseconds(at - side.facts.since - spec.within) + " late";
        }
    if (DialogueEvent* event = told(side.enteredBy))
        event->took = at - side.facts.since;
}

void DialogueWatch::end(std::size_t partner, Time at, unsigned reason, const std::string& why)
{
    Side& side = sides_[partner];
    const std::size_t phase = side.facts.phase;
    close(partner, at, true);
    const std::string words = spec_->reasonText(reason);
    tell({at, partner, DialogueEvent::What::ends, phase, std::nullopt, Time(at - side.facts.since), words.empty() ? why : words, reason,
        nullptr});
    side.facts = {};
    side.open.clear();
    side.withinBroken = false;
    side.strange.assign(names_.size(), false);
}

void DialogueWatch::leave(std::size_t partner, Time at, unsigned reason, const std::string& why)
{
    advance(at);
    if (sides_[partner].facts.phase != SideSpec::rest)
        end(partner, at, reason, why);
}

std::optional<Time> DialogueWatch::next() const
{
    std::optional<Time> first;
    const auto consider = [&](Time at) { first = first ? std::min(*first, at) : at; };
    for (std::size_t partner = 0; partner < 2; ++partner) {
        const Side& side = sides_[partner];
        if (side.facts.phase == SideSpec::rest)
            continue;
        const SideSpec& spec = specOf(partner);
        if (spec.within.count() > 0 && !side.withinBroken)
            consider(side.facts.since + spec.within + Time(1));
        for (std::size_t i = 0; i < spec.hears.size(); ++i)
            if (side.facts.waiting[i].waits && !side.open[i].broken)
                consider(side.facts.waiting[i].from + spec.hears[i].within + Time(1));
    }
    return first;
}

void DialogueWatch::advance(Time now)
{
    // In the order of the limits; of one instant that of the first partner first, and the messages before the phase.
    for (;;) {
        const auto first = next();
        if (!first || *first > now)
            return;
        for (std::size_t partner = 0; partner < 2; ++partner) {
            Side& side = sides_[partner];
            if (side.facts.phase == SideSpec::rest)
                continue;
            const SideSpec& spec = specOf(partner);
            for (std::size_t i = 0; i < spec.hears.size(); ++i)
                if (side.facts.waiting[i].waits && !side.open[i].broken
                    && side.facts.waiting[i].from + spec.hears[i].within + Time(1) == *first)
                    breakHear(partner, i, *first - Time(1));
            if (spec.within.count() > 0 && !side.withinBroken && side.facts.since + spec.within + Time(1) == *first)
                breakWithin(partner);
        }
    }
}

void DialogueWatch::breakHear(std::size_t partner, std::size_t hear, Time at)
{
    Side& side = sides_[partner];
    const HearSpec& spec = specOf(partner).hears[hear];
    side.open[hear].broken = true;
    side.open[hear].event = tell({at, partner, DialogueEvent::What::breaks, side.facts.phase, spec.within, std::nullopt,
        spec.message + " was due by " + seconds(at) + ", and has not come", 0,
        spec.broken.what != Consequence::What::nothing ? &spec.broken : nullptr});
}

void DialogueWatch::breakWithin(std::size_t partner)
{
    Side& side = sides_[partner];
    const SideSpec& spec = specOf(partner);
    side.withinBroken = true;
    const Time due = side.facts.since + spec.within;
    side.withinEvent = tell({due, partner, DialogueEvent::What::breaks, side.facts.phase, spec.within, std::nullopt,
        spec_->phases[side.facts.phase].name + " had to be left by " + seconds(due), 0,
        spec.broken.what != Consequence::What::nothing ? &spec.broken : nullptr});
}

void DialogueWatch::finish(Time at)
{
    advance(at);
    for (std::size_t partner = 0; partner < 2; ++partner)
        if (sides_[partner].facts.phase != SideSpec::rest)
            close(partner, at, true);
}

}  // namespace wavetrope::drive
