// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/dialogue.h"

#include <algorithm>

namespace wavetrope::drive {

namespace {

constexpr std::size_t reportedEvents = 512;
constexpr Time longestEnding = std::chrono::seconds(1);
constexpr std::uint32_t overByItself = ~0U;

std::shared_ptr<const std::vector<DialogueFacts::Message>> messagesOf(const DialogueWatch& watch)
{
    auto messages = std::make_shared<std::vector<DialogueFacts::Message>>();
    for (const std::string& name : watch.messageNames())
        messages->push_back({name, watch.messageNamed(name)->message->id, watch.ownerOf(name)});
    return messages;
}

}  // namespace

DialogueFacts factsOf(const DialogueWatch& watch)
{
    DialogueFacts facts;
    facts.spec = watch.shared();
    for (std::size_t partner = 0; partner < 2; ++partner)
        static_cast<SideFacts&>(facts.partners[partner]) = watch.side(partner);
    facts.events.assign(watch.events().begin(), watch.events().end());
    for (const DialogueEvent& event : facts.events)
        facts.broken += event.what == DialogueEvent::What::breaks ? 1 : 0;
    facts.heard.assign(watch.heard().begin(), watch.heard().end());
    facts.messages = messagesOf(watch);
    return facts;
}

Dialogue::Dialogue(DialogueWatch watch, const DialogueWorld& world)
    : watch_(std::move(watch)), world_(world), limits_(clock::Timer::calling<&Dialogue::limitPassed>(world.scheduler, this))
{
    sides_[0].timer = clock::Timer::calling<&Dialogue::dueFirst>(world.scheduler, this);
    sides_[1].timer = clock::Timer::calling<&Dialogue::dueSecond>(world.scheduler, this);
}

Expected<std::unique_ptr<Dialogue>> Dialogue::create(const DialogueSpec& spec, const DialogueWorld& world)
{
    auto watch = DialogueWatch::create(spec, world.catalog, world.begins);
    if (!watch)
        return tl::unexpected(watch.error());
    std::unique_ptr<Dialogue> made(new Dialogue(std::move(*watch), world));
    if (const auto built = made->build(); !built)
        return tl::unexpected(built.error());
    return made;
}

Expected<void> Dialogue::build()
{
    const DialogueSpec& spec = watch_.spec();
    const auto at = [](Error error, const std::string& place) {
        error.where = place;
        return tl::unexpected(error);
    };
    for (std::size_t partner = 0; partner < 2; ++partner) {
        Node* node = world_.nodes[partner];
        if (node == nullptr)
            continue;
        std::vector<std::string> phases;
        for (const PhaseSpec& phase : spec.phases)
            phases.push_back(phase.name);
        node->takePart(
            [this, partner] {
                const std::size_t phase = watch_.side(partner).phase;
                return phase == SideSpec::rest ? std::string() : watch_.spec().phases[phase].name;
            },
            phases);
        for (const std::string& name : spec.messages())
            if (own(partner, name))
                if (const auto may = node->prepare(name, spec.bus); !may)
                    return at(may.error(), spec.pointer);
        for (std::size_t phase = 0; phase < spec.phases.size(); ++phase) {
            const SideSpec& side = spec.phases[phase].sides[partner];
            for (std::size_t i = 0; i < side.says.size(); ++i) {
                if (const auto may = node->prepare(side.says[i].message, spec.bus); !may)
                    return at(may.error(), side.pointer + "/sends/" + std::to_string(i) + "/message");
                if (side.says[i].when.empty())
                    continue;
                const std::size_t number = conditions_.size();
                const auto watching = node->watch(side.says[i].when, [this, number] { became(number); });
                if (!watching)
                    return at(watching.error(), side.pointer + "/sends/" + std::to_string(i) + "/when");
                conditions_.push_back({partner, phase, i, *watching});
            }
            for (std::size_t i = 0; i < side.endings.size(); ++i) {
                const auto watching = node->watch(
                    side.endings[i].when, [this, partner, phase, i] { endingHolds(partner, phase, i); }, side.endings[i].hold);
                if (!watching)
                    return at(watching.error(), side.pointer + "/ends/" + std::to_string(i) + "/when");
            }
        }
    }
    if (!spec.begins.empty() && world_.nodes[0] != nullptr) {
        const auto watching = world_.nodes[0]->watch(spec.begins, [this] {
            if (drives(0) && watch_.side(0).phase == SideSpec::rest)
                (void)begin();
        });
        if (!watching)
            return at(watching.error(), spec.pointer + "/begins");
    }
    messages_ = messagesOf(watch_);
    world_.buses[watch_.bus()]->listen(this);
    return {};
}

bool Dialogue::own(std::size_t partner, const std::string& message) const { return watch_.ownerOf(message) == partner; }

std::string Dialogue::ownOf(std::size_t partner, const std::vector<std::string>& messages) const
{
    const auto found = std::find_if(messages.begin(), messages.end(), [&](const std::string& name) { return own(partner, name); });
    return found == messages.end() ? std::string() : *found;
}

void Dialogue::stop() { watch_.finish(world_.scheduler.now()); }

void Dialogue::setOn(bool on)
{
    if (on == on_)
        return;
    on_ = on;
    ++changes_;
    if (!on)
        for (Side& side : sides_)
            side.timer.stop();
}

ActorReport Dialogue::report() const
{
    DialogueFacts facts;
    facts.spec = watch_.shared();
    for (std::size_t partner = 0; partner < 2; ++partner) {
        static_cast<SideFacts&>(facts.partners[partner]) = watch_.side(partner);
        facts.partners[partner].simulated = drives(partner);
    }
    const auto& events = watch_.events();
    facts.events.assign(events.end() - static_cast<std::ptrdiff_t>(std::min(events.size(), reportedEvents)), events.end());
    facts.broken = broken_;
    const auto& heard = watch_.heard();
    facts.heard.assign(heard.end() - static_cast<std::ptrdiff_t>(std::min(heard.size(), reportedEvents)), heard.end());
    facts.messages = messages_;
    facts.told = world_.scheduler.now();
    facts.waits = wanted_.has_value();
    return {watch_.spec().name, {watch_.bus()}, on_, std::move(facts)};
}

Expected<void> Dialogue::begin()
{
    if (!drives(0))
        return fail(watch_.spec().partners[0] + " is not simulated: whoever it is begins by itself");
    const std::string first = ownOf(0, watch_.spec().phases.front().sides[0].on);
    if (first.empty())
        return fail(watch_.spec().partners[0] + " sends no message that enters " + watch_.spec().phases.front().name);
    for (std::size_t partner = 0; partner < 2; ++partner) {
        watch_.leave(partner, world_.scheduler.now(), 0, "begun anew");
        rest(partner);
    }
    look();
    settle();
    (void)world_.nodes[0]->say(first, watch_.spec().bus);
    return {};
}

Expected<void> Dialogue::takeLimits(const DialogueSpec& spec)
{
    if (!watch_.spec().sameButForLimits(spec))
        return fail("more than the limits of " + spec.name + " has been changed", {}, "It takes effect when the run begins anew");
    wanted_ = spec;
    ++changes_;
    settle();
    return {};
}

// What waits for the dialogue to rest.
void Dialogue::settle()
{
    if (!wanted_ || watch_.side(0).phase != SideSpec::rest || watch_.side(1).phase != SideSpec::rest)
        return;
    watch_.retime(std::move(*wanted_));
    wanted_.reset();
    ++changes_;
}

Expected<void> Dialogue::breakOff(std::size_t partner, unsigned reason)
{
    if (!drives(partner))
        return fail(watch_.spec().partners[partner] + " is not simulated: it ends by itself");
    if (watch_.side(partner).phase == SideSpec::rest)
        return fail("the dialogue rests");
    end(partner, reason, false, "broken off by hand");
    look();
    return {};
}

void Dialogue::onFrame(const can::FrameView& frame, bus::Port)
{
    if (!watch_.take(frame))
        return;
    ++changes_;
    const std::string message = watch_.lastMessage();
    look();
    for (std::size_t partner = 0; partner < 2; ++partner)
        answer(partner, message);
    settle();
    plan();
}

// What the machines have told since.
void Dialogue::look()
{
    while (seen_ < watch_.letGo() + watch_.events().size()) {
        if (seen_ < watch_.letGo()) {
            seen_ = watch_.letGo();
            continue;
        }
        const DialogueEvent event = watch_.events()[static_cast<std::size_t>(seen_++ - watch_.letGo())];
        ++changes_;
        follow(event);
    }
}

void Dialogue::follow(const DialogueEvent& event)
{
    switch (event.what) {
    case DialogueEvent::What::enters: enters(event.partner); return;
    case DialogueEvent::What::ends: rest(event.partner); return;
    case DialogueEvent::What::breaks: break;
    }
    ++broken_;
    const std::size_t partner = event.partner;
    if (event.consequence == nullptr || !drives(partner) || watch_.side(partner).phase != event.phase)
        return;
    carryOut(partner, *event.consequence, event.why);
}

void Dialogue::endingHolds(std::size_t partner, std::size_t phase, std::size_t ending)
{
    if (!drives(partner) || watch_.side(partner).phase != phase)
        return;
    const EndingSpec& spec = watch_.spec().phases[phase].sides[partner].endings[ending];
    carryOut(partner, spec.what, spec.when);
    look();
    plan();
}

void Dialogue::carryOut(std::size_t partner, const Consequence& what, const std::string& why)
{
    const DialogueSpec& spec = watch_.spec();
    auto act = what.what;
    if (act == Consequence::What::again) {
        if (watch_.side(partner).entered <= what.times) {
            if (const std::string message = ownOf(partner, spec.phases[watch_.side(partner).phase].sides[partner].on); !message.empty())
                (void)world_.nodes[partner]->say(message, spec.bus);
            return;
        }
        act = what.then;
    }
    if (act == Consequence::What::go) {
        for (const PhaseSpec& phase : spec.phases)
            if (phase.name == what.phase)
                if (const std::string message = ownOf(partner, phase.sides[partner].on); !message.empty())
                    (void)world_.nodes[partner]->say(message, spec.bus);
    } else if (act != Consequence::What::nothing) {
        end(partner, what.reason, act == Consequence::What::fault, why);
    }
}

void Dialogue::end(std::size_t partner, unsigned reason, bool fault, const std::string& why)
{
    const DialogueSpec& spec = watch_.spec();
    Node& node = *world_.nodes[partner];
    const std::string words = spec.reasonText(reason).empty() ? why : spec.reasonText(reason);
    if (fault)
        node.note(spec.name + ": " + words, true, why);
    if (const std::string message = ownOf(partner, spec.ends); !message.empty()) {
        const std::pair<std::string, double> value{spec.reason, static_cast<double>(reason)};
        (void)node.say(message, spec.bus, spec.reason.empty() ? std::span<const std::pair<std::string, double>>{} : std::span(&value, 1));
        rest(partner);
        // Its frame may never come through: then it is over with it all the same.
        sides_[partner].reason = reason;
        sides_[partner].timer.at(world_.scheduler.now() + longestEnding, overByItself);
        return;
    }
    watch_.leave(partner, world_.scheduler.now(), reason, why);
    rest(partner);
}

void Dialogue::rest(std::size_t partner)
{
    sides_[partner].timer.stop();
    sides_[partner].phase = SideSpec::rest;
}

void Dialogue::enters(std::size_t partner)
{
    Side& side = sides_[partner];
    side.timer.stop();
    side.phase = watch_.side(partner).phase;
    if (side.phase == SideSpec::rest)
        return;
    const auto& says = watch_.spec().phases[side.phase].sides[partner].says;
    const Time now = world_.scheduler.now();
    side.due.assign(says.size(), now);
    side.said.assign(says.size(), false);
    for (std::uint32_t i = 0; i < says.size(); ++i) {
        bool begins = says[i].after.empty() && says[i].when.empty();
        for (const Condition& condition : conditions_)
            if (condition.partner == partner && condition.phase == side.phase && condition.say == i && drives(partner))
                begins = world_.nodes[partner]->holds(condition.watch);
        if (begins) {
            side.said[i] = true;
            side.due[i] = now + says[i].delay;
            side.timer.also(side.due[i], i);
        }
    }
}

void Dialogue::answer(std::size_t partner, const std::string& message)
{
    Side& side = sides_[partner];
    if (side.phase == SideSpec::rest)
        return;
    const auto& says = watch_.spec().phases[side.phase].sides[partner].says;
    for (std::uint32_t i = 0; i < says.size(); ++i)
        if (says[i].after == message && !(says[i].every.count() > 0 && side.said[i])) {
            side.said[i] = true;
            side.due[i] = world_.scheduler.now() + says[i].delay;
            side.timer.also(side.due[i], i);
        }
}

void Dialogue::became(std::size_t number)
{
    const Condition& condition = conditions_[number];
    Side& side = sides_[condition.partner];
    if (side.phase != condition.phase || side.said[condition.say])
        return;
    const SaySpec& say = watch_.spec().phases[condition.phase].sides[condition.partner].says[condition.say];
    side.said[condition.say] = true;
    side.due[condition.say] = world_.scheduler.now() + say.delay;
    side.timer.also(side.due[condition.say], static_cast<std::uint32_t>(condition.say));
}

void Dialogue::due(std::size_t partner, std::uint32_t index)
{
    Side& side = sides_[partner];
    if (index == overByItself) {
        watch_.leave(partner, world_.scheduler.now(), side.reason, "it was over with it");
        look();
        plan();
        return;
    }
    if (side.phase == SideSpec::rest)
        return;
    const SaySpec& say = watch_.spec().phases[side.phase].sides[partner].says[index];
    if (say.every.count() > 0) {
        side.due[index] += say.every;
        side.timer.also(side.due[index], index);
    }
    if (drives(partner))
        (void)world_.nodes[partner]->say(say.message, watch_.spec().bus);
}

void Dialogue::limitPassed()
{
    watch_.advance(world_.scheduler.now());
    look();
    plan();
}

void Dialogue::plan()
{
    if (const auto next = watch_.next())
        limits_.at(*next);
    else
        limits_.stop();
}

}  // namespace wavetrope::drive
