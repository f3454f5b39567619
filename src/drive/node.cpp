// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/node.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/nearest_name.h"
#include "base/time_text.h"
#include "base/json_reader.h"

namespace wavetrope::drive {

namespace {

constexpr std::size_t mostStates = 512;
constexpr std::size_t reportedStates = 64;
constexpr Time planAhead = std::chrono::seconds(1);
constexpr Time planStep = std::chrono::milliseconds(1);

std::uint64_t hashOf(std::string_view text)
{
    std::uint64_t hash = 0xCBF29CE484222325ULL;  // FNV-1a: the same on every machine
    for (const char c : text)
        hash = (hash ^ static_cast<unsigned char>(c)) * 0x100000001B3ULL;
    return hash;
}

double curveAt(const CurveSpec& curve, double time)
{
    const auto behind = std::upper_bound(
        curve.points.begin(), curve.points.end(), time, [](double t, const auto& point) { return t < point.first; });
    if (behind == curve.points.begin())
        return curve.points.front().second;
    const auto before = behind - 1;
    if (!curve.straight || behind == curve.points.end())
        return before->second;
    const double width = behind->first - before->first;
    return width <= 0 ? behind->second : before->second + (behind->second - before->second) * (time - before->first) / width;
}

double sineAt(const SineSpec& sine, double time)
{
    return sine.mean + sine.amplitude * std::sin(2 * std::numbers::pi * (time - sine.phase) / sine.period);
}

std::vector<std::string> busNames(const database::Catalog& catalog)
{
    std::vector<std::string> names;
    for (std::size_t i = 0; i < catalog.busCount(); ++i)
        names.push_back(catalog.busName(static_cast<std::uint8_t>(i)));
    return names;
}

const std::string& nameOf(const SendSpec& spec) { return spec.message.empty() ? spec.identifier : spec.message; }

bool within(const std::vector<Window>& windows, Time time)
{
    return std::any_of(windows.begin(), windows.end(), [&](const Window& w) { return time >= w.first && time < w.second; });
}

}  // namespace

Expected<std::unique_ptr<Node>> Node::create(const NodeSpec& spec, const NodeWorld& world)
{
    auto node = std::unique_ptr<Node>(new Node(spec, world));
    if (auto built = node->build(); !built) {
        Error error = built.error();
        error.where = "node " + spec.name + ", " + (error.where.empty() ? spec.pointer : error.where);
        return tl::unexpected(error);
    }
    return node;
}

Node::Node(const NodeSpec& spec, const NodeWorld& world)
    : spec_(spec),
      world_(world),
      random_(world.seed * 0x9E3779B97F4A7C15ULL ^ hashOf(spec.name)),
      beats_(clock::Timer::calling<&Node::beat>(world.scheduler, this)),
      answers_(clock::Timer::calling<&Node::send>(world.scheduler, this)),
      slots_(1, 0.0),
      hangs_(1, onTime),
      plan_(clock::Timer::calling<&Node::carryOutPlan>(world.scheduler, this))
{
    names_["t"] = 0;
}

Expected<void> Node::build()
{
    for (const std::string& name : spec_.buses) {
        const int index = world_.catalog->findBus(name);
        if (index < 0)
            return fail("the rig has no bus '" + name + "'", spec_.pointer + "/buses", didYouMean(name, busNames(*world_.catalog)));
        busIndexes_.push_back(static_cast<std::uint8_t>(index));
    }
    for (const auto& [name, initial] : spec_.variables) {
        names_[name] = static_cast<std::uint32_t>(slots_.size());
        slots_.push_back(initial);
        hangs_.push_back(0);
    }
    std::size_t place = 0;
    for (const auto& [name, source] : spec_.values) {
        auto compiled = compile(source, nullptr, spec_.pointer + "/values/" + std::to_string(place++) + "/" + JsonReader::escaped(name));
        if (!compiled)
            return tl::unexpected(compiled.error());
        const auto slot = static_cast<std::uint32_t>(slots_.size());
        slots_.push_back(0);
        hangs_.push_back(hangsOn(*compiled));
        names_[name] = slot;
        if ((hangs_[slot] & (onTime | onChance)) == onTime)
            timed_.push_back(static_cast<std::uint32_t>(values_.size()));
        values_.emplace_back(slot, std::move(*compiled));
    }
    for (const SendSpec& send : spec_.sends)
        if (auto built = buildSend(send); !built)
            return built;
    for (const ReactionSpec& reaction : spec_.reactions)
        if (auto built = buildReaction(reaction); !built)
            return built;
    for (const std::uint8_t bus : busIndexes_)
        world_.buses[bus]->listen(this);
    on_ = !spec_.off;
    return {};
}

std::optional<std::uint32_t> Node::slotOf(std::string_view name)
{
    const auto known = names_.find(std::string(name));
    if (known != names_.end())
        return known->second;
    const auto& buses = busIndexes_;
    const database::SignalRef* found = nullptr;
    const auto signals = world_.catalog->findSignals(name);
    for (const database::SignalRef& ref : signals)
        if (std::find(buses.begin(), buses.end(), ref.message->bus) != buses.end() && found == nullptr)
            found = &ref;
    if (found == nullptr)
        return std::nullopt;
    const auto slot = static_cast<std::uint32_t>(slots_.size());
    const database::Signal& signal = found->signal();
    slots_.push_back(signal.startRaw ? found->message->plan.plan(found->index).physical(*signal.startRaw) : 0);
    hangs_.push_back(onFrames);
    names_[std::string(name)] = slot;
    receptions_[found->message].push_back({slot, *found});
    return slot;
}

std::vector<std::string> Node::messageNames() const
{
    std::vector<std::string> names;
    for (const auto& message : world_.catalog->messages())
        if (std::find(busIndexes_.begin(), busIndexes_.end(), message.bus) != busIndexes_.end())
            names.push_back(message.message->name);
    return names;
}

std::vector<std::string> Node::knownNames() const
{
    std::vector<std::string> names;
    for (const auto& [name, slot] : names_)
        names.push_back(name);
    for (const auto& message : world_.catalog->messages())
        if (std::find(busIndexes_.begin(), busIndexes_.end(), message.bus) != busIndexes_.end())
            for (const database::Signal& signal : message.message->signals) {
                names.push_back(signal.name);
                names.push_back(message.message->name + '.' + signal.name);
            }
    std::sort(names.begin(), names.end());      // the nearest one is the same each time
    return names;
}

Expected<Formula> Node::compile(const std::string& text, const std::string& place)
{
    const Formula::Resolve resolve = [this](std::string_view name) { return slotOf(name); };
    auto formula = Formula::compile(text, resolve);
    if (!formula) {
        formula = Formula::compile(text, resolve, knownNames());
        Error error = formula.error();
        error.where = place + ", " + error.where;
        return tl::unexpected(error);
    }
    return formula;
}

Expected<Node::Source> Node::compile(const SourceSpec& spec, const database::Signal* signal, const std::string& place)
{
    Source source{spec, {}, 0};
    if (const auto* formula = std::get_if<FormulaSpec>(&spec)) {
        auto compiled = compile(formula->text, place);
        if (!compiled)
            return tl::unexpected(compiled.error());
        source.formula = std::move(*compiled);
    } else if (const auto* label = std::get_if<LabelSpec>(&spec)) {
        if (signal == nullptr)
            return fail("\"" + label->text + "\" is a text, and only a signal of a database has texts", place, "Give a number");
        const database::ValueText* text = nullptr;
        std::vector<std::string> known;
        std::string choices;
        for (const database::ValueText& entry : signal->texts) {
            if (entry.text == label->text)
                text = &entry;
            known.push_back(entry.text);
            choices += (choices.empty() ? "\"" : ", \"") + entry.text + "\"";
        }
        if (text == nullptr) {
            const std::string nearest = didYouMean(label->text, known);
            return fail(signal->name + " has no text \"" + label->text + "\"", place,
                choices.empty() ? "It has none; give a number" : (nearest.empty() ? "" : nearest + " ") + "Its texts are " + choices);
        }
        source.spec = database::planOf(*signal).scale.ofWhole(text->value);
    }
    return source;
}

std::uint8_t Node::hangsOn(const Formula& formula) const
{
    std::uint8_t hangs = formula.random() ? onChance : 0;
    for (const std::uint32_t slot : formula.slots())
        hangs |= hangs_[slot];
    return hangs;
}

std::uint8_t Node::hangsOn(const Source& source) const
{
    if (std::holds_alternative<FormulaSpec>(source.spec))
        return hangsOn(source.formula);
    if (std::holds_alternative<CurveSpec>(source.spec) || std::holds_alternative<SineSpec>(source.spec))
        return onTime;
    return std::holds_alternative<NoiseSpec>(source.spec) || std::holds_alternative<CounterSpec>(source.spec) ? onChance : 0;
}

Expected<MessageEncoder> Node::encoderOf(const SendSpec& spec) const
{
    const int bus = spec.bus.empty() ? -1 : world_.catalog->findBus(spec.bus);
    if (!spec.bus.empty() && bus < 0)
        return fail("message " + nameOf(spec) + ": the rig has no bus '" + spec.bus + "'", spec.pointer + "/bus",
            didYouMean(spec.bus, busNames(*world_.catalog)));
    if (!spec.message.empty()) {
        for (const auto& candidate : world_.catalog->messages()) {
            const bool ours = bus >= 0 ? candidate.bus == bus
                                       : std::find(busIndexes_.begin(), busIndexes_.end(), candidate.bus) != busIndexes_.end();
            if (candidate.message->name == spec.message && ours)
                return MessageEncoder(candidate);
        }
        return fail("no database of its buses has the message '" + spec.message + "'", spec.pointer + "/message",
            didYouMean(spec.message, messageNames()));
    }
    const auto id = can::identifierFromText(spec.identifier);
    if (!id)
        return fail("'" + spec.identifier + "' is no identifier", spec.pointer + "/id",
            "Up to 3 hexadecimal digits are 11 bits (0x1F0), 8 digits are 29 bits (0x18FF2103)");
    if (bus < 0 && busIndexes_.empty())
        return fail("raw frame " + spec.identifier + " names no bus", spec.pointer + "/bus");
    return MessageEncoder(bus >= 0 ? static_cast<std::uint8_t>(bus) : busIndexes_.front(), *id, spec.length);
}

Expected<void> Node::buildSend(const SendSpec& spec)
{
    auto encoder = encoderOf(spec);
    if (!encoder)
        return tl::unexpected(encoder.error());
    Sending sending{std::move(*encoder)};
    sending.name = nameOf(spec);
    const std::uint8_t bus = sending.encoder.bus();
    const auto at = [](Error error, const std::string& place) {
        error.where = place;
        return tl::unexpected(error);
    };
    if (const auto fits = sending.encoder.checkFits(world_.catalog->busName(bus), world_.buses[bus]->bitRate()); !fits)
        return at(fits.error(), spec.pointer);
    const database::CatalogMessage* message = sending.encoder.message();
    for (const auto& [name, source] : spec.values) {
        const std::string place = spec.pointer + (message != nullptr ? "/signals/" : "/bytes/") + JsonReader::escaped(name);
        const auto index = sending.encoder.placeOf(name);
        if (!index)
            return at(index.error(), place);
        if (const auto* counter = std::get_if<CounterSpec>(&source)) {
            sending.encoder.fill(*index, *counter);
        } else if (const auto* checksum = std::get_if<Checksum>(&source)) {
            sending.encoder.fill(*index, *checksum);
        } else {
            auto compiled = compile(source, message != nullptr ? &message->message->signals[*index] : nullptr, place);
            if (!compiled)
                return tl::unexpected(compiled.error());
            sending.encoder.fill(*index, MessageEncoder::Given{}, static_cast<std::uint32_t>(sending.values.size()));
            sending.values.push_back(std::move(*compiled));
        }
    }
    sending.every = spec.every;
    sending.jitter = spec.jitter;
    sending.origin = world_.begins + spec.phase;
    sending.silent = spec.silent;
    sending.only = spec.only;
    sending.overflow = spec.overflow;

    const auto port = std::find_if(ports_.begin(), ports_.end(), [&](const auto& p) { return p.first == bus; });
    if (port == ports_.end()) {
        sending.port = world_.buses[bus]->attach(spec_.name, can::Direction::received);
        ports_.emplace_back(bus, sending.port);
    } else {
        sending.port = port->second;
    }
    sendings_.push_back(std::move(sending));
    return {};
}

Expected<void> Node::buildReaction(const ReactionSpec& spec)
{
    Reaction reaction;
    reaction.spec = spec;
    reaction.hold = clock::Timer::calling<&Node::held>(world_.scheduler, this);
    if (!spec.when.empty()) {
        auto when = compile(spec.when, spec.pointer + "/when");
        if (!when)
            return tl::unexpected(when.error());
        reaction.when = std::move(*when);
        reaction.hangs = hangsOn(reaction.when);
        // Of the values those that it needs, also through others, which stand before what uses them.
        std::vector<bool> needed(slots_.size());
        for (const std::uint32_t slot : reaction.when.slots())
            needed[slot] = true;
        for (std::size_t i = values_.size(); i-- > 0;)
            if (needed[values_[i].first] && std::holds_alternative<FormulaSpec>(values_[i].second.spec))
                for (const std::uint32_t slot : values_[i].second.formula.slots())
                    needed[slot] = true;
        for (const std::uint32_t index : timed_)
            if (needed[values_[index].first])
                reaction.timed.push_back(index);
        anyTimed_ = anyTimed_ || ((reaction.hangs & onTime) != 0 && (reaction.hangs & onChance) == 0);
    } else {
        bool known = false;
        for (const auto& message : world_.catalog->messages())
            if (message.message->name == spec.on && std::find(busIndexes_.begin(), busIndexes_.end(), message.bus) != busIndexes_.end()) {
                known = true;
                receptions_[&message];  // listened to, though no value of it is used
            }
        if (!known)
            return fail(
                "no database of its buses has the message '" + spec.on + "'", spec.pointer + "/on", didYouMean(spec.on, messageNames()));
    }
    for (const auto& [name, text] : spec.set) {
        const std::string place = spec.pointer + "/set/" + JsonReader::escaped(name);
        if (!spec_.variables.contains(name)) {
            std::vector<std::string> names;
            std::string all;
            for (const auto& [variable, initial] : spec_.variables) {
                names.push_back(variable);
                all += (all.empty() ? "" : ", ") + variable;
            }
            const std::string nearest = didYouMean(name, names);
            return fail("'" + name + "' is no variable of the node", place,
                (nearest.empty() ? "" : nearest + " ")
                    + (all.empty() ? "Declare it: \"variables\": {\"" + name + "\": 0}" : "Its variables are " + all));
        }
        auto formula = compile(text, place);
        if (!formula)
            return tl::unexpected(formula.error());
        reaction.set.emplace_back(names_.at(name), std::move(*formula));
    }
    for (const std::string& name : spec.send) {
        const auto found = std::find_if(sendings_.begin(), sendings_.end(), [&](const Sending& s) { return s.name == name; });
        if (found == sendings_.end()) {
            std::vector<std::string> names;
            for (const Sending& sending : sendings_)
                names.push_back(sending.name);
            return fail("it reacts with '" + name + "', which is none of its messages", spec.pointer + "/send", didYouMean(name, names));
        }
        reaction.send.push_back(static_cast<std::uint32_t>(found - sendings_.begin()));
    }
    reactions_.push_back(std::move(reaction));
    return {};
}

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
    carryOutPlan();
}

void Node::setOn(bool on)
{
    if (on == on_)
        return;
    on_ = on;
    ++changes_;
    beats_.stop();
    answers_.stop();
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

ActorReport Node::report() const
{
    NodeFacts facts{{}, refused_};
    const std::size_t from = states_.size() > reportedStates ? states_.size() - reportedStates : 0;
    facts.states.assign(states_.begin() + static_cast<std::ptrdiff_t>(from), states_.end());
    return {spec_.name, busIndexes_, on_, std::move(facts)};
}

std::optional<double> Node::value(std::string_view name) const
{
    const auto found = names_.find(std::string(name));
    return found == names_.end() ? std::nullopt : std::optional(slots_[found->second]);
}

Time Node::storyTime(Time at) const
{
    const Time elapsed = at - world_.begins;
    return world_.story.count() > 0 ? elapsed % world_.story : elapsed;
}

double Node::evaluate(Source& source)
{
    const double t = slots_[0];
    struct Visitor {
        Node& node;
        Source& source;
        double t;
        double operator()(double value) const { return value; }
        double operator()(const FormulaSpec&) const { return source.formula.evaluate(node.slots_, node.random_); }
        double operator()(const LabelSpec&) const { return 0; }
        double operator()(const CurveSpec& curve) const { return curveAt(curve, t); }
        double operator()(const SineSpec& sine) const { return sineAt(sine, t); }
        double operator()(const NoiseSpec& noise) const { return noise.mean + noise.deviation * node.random_.normal(); }
        double operator()(const CounterSpec& counter) const { return static_cast<double>(source.count++ % counter.modulo); }
        double operator()(Checksum) const { return 0; }
    };
    return std::visit(Visitor{*this, source, t}, source.spec);
}

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
    if (sending.beat == 0 && sending.origin < now)
        sending.beat = static_cast<std::uint64_t>((now - sending.origin) / sending.every) + 1;
    Time due = sending.origin + sending.every * static_cast<std::int64_t>(sending.beat++);
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
}

void Node::send(std::uint32_t index)
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
    world_.buses[sending.encoder.bus()]->offer(sending.port, frame);
}

void Node::refuse(const Sending& sending, std::uint32_t signal, double value)
{
    RefusedValue& refused = refused_[sending.name + '.' + sending.encoder.message()->message->signals[signal].name];
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
    if (message == nullptr)
        return;
    const auto found = receptions_.find(message);
    if (found == receptions_.end())
        return;
    for (const Reception& reception : found->second) {
        database::Decoded decoded;
        if (message->plan.decodeOne(frame, reception.signal.index, decoded))
            slots_[reception.slot] = decoded.value;
    }
    react(message);
}

void Node::react(const database::CatalogMessage* arrived)
{
    if (reactions_.empty())
        return;
    refresh();
    for (std::uint32_t i = 0; i < reactions_.size(); ++i) {
        Reaction& reaction = reactions_[i];
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
            scratch_[slot] = curveAt(*curve, t);
        else if (const auto* sine = std::get_if<SineSpec>(&source.spec))
            scratch_[slot] = sineAt(*sine, t);
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
        if (!reaction.spec.on.empty() || (reaction.hangs & onTime) == 0 || (reaction.hangs & onChance) != 0)
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
        if (!reaction.spec.on.empty() || (reaction.hangs & onTime) == 0 || (reaction.hangs & onChance) != 0)
            continue;
        scratch_ = slots_;
        const bool holds = holdsAt(reaction, now, timed_);
        if (holds == reaction.holds)
            continue;
        slots_ = scratch_;      // time, and what hangs on it, as they are now
        become(i, holds);
    }
    plan();
}

void Node::held(std::uint32_t index)
{
    Reaction& reaction = reactions_[index];
    carryOut(reaction, reaction.spec.when + " for " + spanText(reaction.spec.hold));
}

void Node::carryOut(Reaction& reaction, const std::string& why)
{
    for (const auto& [slot, formula] : reaction.set)
        slots_[slot] = formula.evaluate(slots_, random_);
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
    states_.push_back({world_.scheduler.now(), state, wrong, why});
    if (states_.size() > mostStates)
        states_.pop_front();
    ++changes_;
}

}  // namespace wavetrope::drive
