// SPDX-License-Identifier: GPL-3.0-or-later
// A node put together from its specification: every name is looked up.
#include <algorithm>

#include "base/json_reader.h"
#include "base/nearest_name.h"
#include "drive/node.h"

namespace wavetrope::drive {

namespace {

std::uint64_t hashOf(std::string_view text)
{
    std::uint64_t hash = 0xCBF29CE484222325ULL;  // FNV-1a: the same on every machine
    for (const char c : text)
        hash = (hash ^ static_cast<unsigned char>(c)) * 0x100000001B3ULL;
    return hash;
}

std::vector<std::string> busNames(const database::Catalog& catalog)
{
    std::vector<std::string> names;
    for (std::size_t i = 0; i < catalog.busCount(); ++i)
        names.push_back(catalog.busName(static_cast<std::uint8_t>(i)));
    return names;
}

const std::string& nameOf(const SendSpec& spec) { return spec.message.empty() ? spec.identifier : spec.message; }

}  // namespace

Expected<std::unique_ptr<Node>> Node::create(const NodeSpec& spec, const NodeWorld& world)
{
    auto node = std::unique_ptr<Node>(new Node(spec, world));
    if (auto built = node->build(); !built) {
        Error error = built.error();
        error.where = "node " + spec.name + ", " + (error.where.empty() ? spec.pointer : error.where);
        return tl::unexpected(error);
    }
    node->loadScript();
    return node;
}

Node::Node(const NodeSpec& spec, const NodeWorld& world)
    : spec_(spec),
      world_(world),
      random_(world.seed * 0x9E3779B97F4A7C15ULL ^ hashOf(spec.name)),
      beats_(clock::Timer::calling<&Node::beat>(world.scheduler, this)),
      answers_(clock::Timer::calling<&Node::send>(world.scheduler, this)),
      late_(clock::Timer::calling<&Node::sendLate>(world.scheduler, this)),
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
    if (known != names_.end()) {
        if (!quietly_ && !quiet_.empty())
            for (const auto& [message, all] : receptions_)
                if (std::any_of(all.begin(), all.end(), [&](const Reception& one) { return one.slot == known->second; }))
                    quiet_.erase(message);
        return known->second;
    }
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
    if (!quietly_)
        quiet_.erase(found->message);
    else if (!receptions_.contains(found->message))
        quiet_.insert(found->message);
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

Expected<formula::Formula> Node::compile(const std::string& text, const std::string& place)
{
    const formula::Formula::Resolve resolve = [this](std::string_view name) -> Expected<std::uint32_t> {
        if (const auto slot = slotOf(name))
            return *slot;
        return fail("'" + std::string(name) + "' is neither a value of this node nor a signal that it could receive", {},
            didYouMean(name, knownNames()));
    };
    auto formula = formula::Formula::compile(text, formula::Use::node, resolve);
    if (!formula) {
        Error error = formula.error();
        error.where = place + ", " + error.where;
        return tl::unexpected(error);
    }
    return formula;
}

Expected<Source> Node::compile(const SourceSpec& spec, const database::Signal* signal, const std::string& place)
{
    return sourceFor(spec, signal, place, [this](const std::string& text, const std::string& where) { return compile(text, where); });
}

std::uint8_t Node::hangsOn(const formula::Formula& formula) const
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

    sending.port = portOn(bus);
    sendings_.push_back(std::move(sending));
    return {};
}

bus::Port Node::portOn(std::uint8_t bus)
{
    const auto port = std::find_if(ports_.begin(), ports_.end(), [&](const auto& p) { return p.first == bus; });
    if (port != ports_.end())
        return port->second;
    ports_.emplace_back(bus, world_.buses[bus]->attach(spec_.name, can::Direction::received));
    return ports_.back().second;
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
                quiet_.erase(&message);
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

}  // namespace wavetrope::drive
