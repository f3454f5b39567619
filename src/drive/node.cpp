#include "drive/node.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "can/time_text.h"

namespace wavetrope::drive {

namespace {

constexpr std::size_t mostStates = 512;

std::uint64_t hashOf(std::string_view text)
{
    std::uint64_t hash = 0xCBF29CE484222325ULL;  // FNV-1a: the same on every machine
    for (const char c : text)
        hash = (hash ^ static_cast<unsigned char>(c)) * 0x100000001B3ULL;
    return hash;
}

double curveAt(const CurveSpec& curve, double time)
{
    const auto behind = std::upper_bound(curve.points.begin(), curve.points.end(), time, [](double t, const auto& point) { return t < point.first; });
    if (behind == curve.points.begin())
        return curve.points.front().second;
    const auto before = behind - 1;
    if (!curve.straight || behind == curve.points.end())
        return before->second;
    const double width = behind->first - before->first;
    return width <= 0 ? behind->second : before->second + (behind->second - before->second) * (time - before->first) / width;
}

// Over all bytes but the checksum's own; -1 where it has none.
std::uint8_t checksumOf(Checksum kind, const can::Frame& frame, int own)
{
    std::uint8_t sum = kind == Checksum::crc8 ? 0xFF : 0;
    for (unsigned i = 0; i < frame.length; ++i) {
        if (static_cast<int>(i) == own)
            continue;
        if (kind == Checksum::sum8) {
            sum = static_cast<std::uint8_t>(sum + frame.data[i]);
        } else {
            sum ^= frame.data[i];
            for (int bit = 0; kind == Checksum::crc8 && bit < 8; ++bit)
                sum = static_cast<std::uint8_t>((sum & 0x80U) != 0 ? (sum << 1) ^ 0x2FU : sum << 1);
        }
    }
    return sum;
}

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
        error.where = "node " + spec.name + (error.where.empty() ? "" : ", " + error.where);
        return tl::unexpected(error);
    }
    return node;
}

Node::Node(const NodeSpec& spec, const NodeWorld& world)
    : spec_(spec), world_(world), random_(world.seed * 0x9E3779B97F4A7C15ULL ^ hashOf(spec.name)), slots_(1, 0.0)
{
    names_["t"] = 0;
}

Expected<void> Node::build()
{
    for (const std::string& name : spec_.buses) {
        const int index = world_.catalog->findBus(name);
        if (index < 0)
            return fail("the rig has no bus '" + name + "'");
        busIndexes_.push_back(static_cast<std::uint8_t>(index));
    }
    for (const auto& [name, initial] : spec_.variables) {
        names_[name] = static_cast<std::uint32_t>(slots_.size());
        slots_.push_back(initial);
    }
    for (const auto& [name, source] : spec_.values) {
        auto compiled = compile(source, nullptr);
        if (!compiled)
            return tl::unexpected(compiled.error());
        const auto slot = static_cast<std::uint32_t>(slots_.size());
        slots_.push_back(0);
        names_[name] = slot;
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
    slots_.push_back(signal.startRaw ? *signal.startRaw * signal.factor + signal.offset : 0);
    names_[std::string(name)] = slot;
    receptions_[found->message].push_back({slot, *found});
    return slot;
}

Expected<Formula> Node::compile(const std::string& text)
{
    return Formula::compile(text, [this](std::string_view name) { return slotOf(name); });
}

Expected<Node::Source> Node::compile(const SourceSpec& spec, const database::Signal* signal)
{
    Source source{spec, {}, 0};
    if (const auto* formula = std::get_if<FormulaSpec>(&spec)) {
        auto compiled = compile(formula->text);
        if (!compiled)
            return tl::unexpected(compiled.error());
        source.formula = std::move(*compiled);
    } else if (const auto* label = std::get_if<LabelSpec>(&spec)) {
        const database::ValueText* text = nullptr;
        if (signal != nullptr)
            for (const database::ValueText& entry : signal->texts)
                if (entry.text == label->text)
                    text = &entry;
        if (text == nullptr)
            return fail("no value has the text \"" + label->text + "\"");
        source.spec = static_cast<double>(text->value) * signal->factor + signal->offset;
    }
    return source;
}

Expected<void> Node::buildSend(const SendSpec& spec)
{
    Sending sending;
    sending.name = spec.message.empty() ? spec.identifier : spec.message;
    int bus = spec.bus.empty() ? -1 : world_.catalog->findBus(spec.bus);
    if (!spec.bus.empty() && bus < 0)
        return fail("the rig has no bus '" + spec.bus + "'", "message " + sending.name);
    if (!spec.message.empty()) {
        for (const auto& candidate : world_.catalog->messages()) {
            const bool ours = bus >= 0 ? candidate.bus == bus : std::find(busIndexes_.begin(), busIndexes_.end(), candidate.bus) != busIndexes_.end();
            if (candidate.message->name == spec.message && ours && sending.message == nullptr)
                sending.message = &candidate;
        }
        if (sending.message == nullptr)
            return fail("no database of its buses has the message '" + spec.message + "'");
        sending.bus = sending.message->bus;
        const database::Message& message = *sending.message->message;
        sending.frame.id = message.id;
        sending.frame.length = static_cast<std::uint8_t>(message.length);
        sending.frame.kind = message.fd ? can::FrameKind::fd : can::FrameKind::data;
        sending.frame.brs = message.brs;
        sending.message->plan.fillStart(sending.frame.data.data());
    } else {
        const auto id = can::identifierFromText(spec.identifier);
        if (!id)
            return fail("'" + spec.identifier + "' is no identifier");
        if (bus < 0 && busIndexes_.empty())
            return fail("raw frame " + spec.identifier + " names no bus");
        sending.bus = bus >= 0 ? static_cast<std::uint8_t>(bus) : busIndexes_.front();
        sending.frame.id = *id;
        sending.frame.length = static_cast<std::uint8_t>(spec.length);
        sending.frame.kind = spec.length > can::maxClassicLength ? can::FrameKind::fd : can::FrameKind::data;
    }
    sending.frame.dlc = can::dlcOfLength(sending.frame.length);
    sending.frame.length = static_cast<std::uint8_t>(can::lengthOfDlc(sending.frame.dlc));
    for (const auto& [name, source] : spec.values) {
        std::uint32_t index = 0;
        const database::Signal* signal = nullptr;
        if (sending.message != nullptr) {
            signal = sending.message->message->find(name);
            if (signal == nullptr)
                return fail("message " + sending.name + " has no signal '" + name + "'");
            index = static_cast<std::uint32_t>(signal - sending.message->message->signals.data());
        } else {
            const int byte = name.size() <= 2 && !name.empty() && std::all_of(name.begin(), name.end(), [](unsigned char c) { return std::isdigit(c) != 0; }) ? std::stoi(name) : -1;
            if (byte < 0 || byte >= static_cast<int>(sending.frame.length))
                return fail("raw frame " + sending.name + " has no byte '" + name + "'");
            index = static_cast<std::uint32_t>(byte);
        }
        auto compiled = compile(source, signal);
        if (!compiled)
            return tl::unexpected(compiled.error());
        sending.values.emplace_back(index, std::move(*compiled));
    }
    // The selector goes in before what it selects, a checksum when everything else stands.
    const auto rank = [&](const auto& value) {
        if (sending.message != nullptr && sending.message->message->signals[value.first].selects())
            return sending.message->message->signals[value.first].mux == database::MuxRole::selector ? 0 : 1;
        return std::holds_alternative<Checksum>(value.second.spec) ? 3 : 2;
    };
    std::stable_sort(sending.values.begin(), sending.values.end(), [&](const auto& a, const auto& b) { return rank(a) < rank(b); });
    sending.every = spec.every;
    sending.jitter = spec.jitter;
    sending.origin = world_.begins + spec.phase;
    sending.silent = spec.silent;
    sending.only = spec.only;
    sending.overflow = spec.overflow;

    const auto port = std::find_if(ports_.begin(), ports_.end(), [&](const auto& p) { return p.first == sending.bus; });
    if (port == ports_.end()) {
        sending.port = world_.buses[sending.bus]->attach(spec_.name, can::Direction::received);
        ports_.emplace_back(sending.bus, sending.port);
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
    if (!spec.when.empty()) {
        auto when = compile(spec.when);
        if (!when)
            return tl::unexpected(when.error());
        reaction.when = std::move(*when);
    } else {
        bool known = false;
        for (const auto& message : world_.catalog->messages())
            if (message.message->name == spec.on && std::find(busIndexes_.begin(), busIndexes_.end(), message.bus) != busIndexes_.end()) {
                known = true;
                receptions_[&message];  // listened to, though no value of it is used
            }
        if (!known)
            return fail("no database of its buses has the message '" + spec.on + "'");
    }
    for (const auto& [name, text] : spec.set) {
        auto formula = compile(text);
        if (!formula)
            return tl::unexpected(formula.error());
        auto slot = names_.find(name);
        if (slot == names_.end()) {
            slot = names_.emplace(name, static_cast<std::uint32_t>(slots_.size())).first;
            slots_.push_back(0);
        }
        reaction.set.emplace_back(slot->second, std::move(*formula));
    }
    for (const std::string& name : spec.send) {
        const auto found = std::find_if(sendings_.begin(), sendings_.end(), [&](const Sending& s) { return s.name == name; });
        if (found == sendings_.end())
            return fail("it reacts with '" + name + "', which is none of its messages");
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
}

void Node::setOn(bool on)
{
    if (on == on_)
        return;
    on_ = on;
    ++life_;
    if (on) {
        for (Reaction& reaction : reactions_) {
            reaction.holds = false;
            ++reaction.generation;
        }
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

std::vector<std::pair<std::uint8_t, can::Identifier>> Node::sentIdentifiers() const
{
    std::vector<std::pair<std::uint8_t, can::Identifier>> out;
    for (const Sending& sending : sendings_)
        out.emplace_back(sending.bus, sending.frame.id);
    return out;
}

std::optional<double> Node::value(std::string_view name) const
{
    const auto found = names_.find(std::string(name));
    return found == names_.end() ? std::nullopt : std::optional(slots_[found->second]);
}

Time Node::storyTime() const
{
    const Time elapsed = world_.scheduler.now() - world_.begins;
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
        double operator()(const SineSpec& sine) const { return sine.mean + sine.amplitude * std::sin(2 * std::numbers::pi * (t - sine.phase) / sine.period); }
        double operator()(const NoiseSpec& noise) const { return noise.mean + noise.deviation * node.random_.normal(); }
        double operator()(const CounterSpec& counter) const { return static_cast<double>(source.count++ % counter.modulo); }
        double operator()(Checksum) const { return 0; }
    };
    return std::visit(Visitor{*this, source, t}, source.spec);
}

void Node::refresh()
{
    slots_[0] = static_cast<double>(storyTime().count()) * 1e-9;
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
    world_.scheduler.at(
        due,
        [](void* context, std::uint64_t tag) {
            auto* self = static_cast<Node*>(context);
            if (tag >> 32 == (self->life_ & 0xFFFFFFFFU))
                self->beat(static_cast<std::uint32_t>(tag));
        },
        this, life_ << 32 | index);
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
    for (auto& [target, source] : sending.values) {
        const double value = evaluate(source);
        if (const auto* checksum = std::get_if<Checksum>(&source.spec)) {
            const int own = sending.message != nullptr ? static_cast<int>(sending.message->message->signals[target].startBit / 8) : -1;
            const std::uint8_t sum = checksumOf(*checksum, sending.frame, own);
            if (sending.message != nullptr)
                sending.message->plan.encodeBits(sending.frame.data.data(), target, sum);
            else
                sending.frame.data[target] = sum;
            continue;
        }
        if (sending.message == nullptr) {
            sending.frame.data[target] = static_cast<std::uint8_t>(std::clamp(value, 0.0, 255.0));
            continue;
        }
        // Signals of other selector values share the bits: only the selected ones go in.
        const database::MessagePlan& plan = sending.message->plan;
        if (!plan.present(sending.frame.data.data(), sending.frame.length, target))
            continue;
        if (!plan.encode(sending.frame.data.data(), target, value, sending.overflow) && sending.overflow == database::Overflow::refuse)
            refuse(sending, target, value);
    }
    world_.buses[sending.bus]->offer(sending.port, sending.frame);
}

void Node::refuse(const Sending& sending, std::uint32_t signal, double value)
{
    RefusedValue& refused = refused_[sending.name + '.' + sending.message->message->signals[signal].name];
    refused.value = value;
    refused.time = world_.scheduler.now();
    ++refused.count;
}

void Node::onFrame(const can::FrameView& frame, bus::Port)
{
    if (!on_)
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
        const bool holds = reaction.when.evaluate(slots_, random_) != 0;
        if (holds == reaction.holds)
            continue;
        reaction.holds = holds;
        ++reaction.generation;
        if (!holds)
            continue;
        if (reaction.spec.hold.count() == 0) {
            carryOut(reaction, reaction.spec.when);
            continue;
        }
        world_.scheduler.at(
            world_.scheduler.now() + reaction.spec.hold,
            [](void* context, std::uint64_t tag) { static_cast<Node*>(context)->held(static_cast<std::uint32_t>(tag >> 40), tag & 0xFFFFFFFFFFULL); }, this,
            static_cast<std::uint64_t>(i) << 40 | (reaction.generation & 0xFFFFFFFFFFULL));
    }
}

void Node::held(std::uint32_t index, std::uint64_t generation)
{
    Reaction& reaction = reactions_[index];
    if (on_ && reaction.holds && (reaction.generation & 0xFFFFFFFFFFULL) == generation)
        carryOut(reaction, reaction.spec.when + " for " + can::spanText(reaction.spec.hold));
}

void Node::carryOut(Reaction& reaction, const std::string& why)
{
    for (const auto& [slot, formula] : reaction.set)
        slots_[slot] = formula.evaluate(slots_, random_);
    if (!reaction.spec.enter.empty())
        enter(reaction.spec.enter, reaction.spec.wrong, why);
    for (const std::uint32_t index : reaction.send) {
        if (reaction.spec.after.count() == 0) {
            send(index);
            continue;
        }
        world_.scheduler.at(
            world_.scheduler.now() + reaction.spec.after,
            [](void* context, std::uint64_t tag) {
                auto* self = static_cast<Node*>(context);
                if (tag >> 32 == (self->life_ & 0xFFFFFFFFU))
                    self->send(static_cast<std::uint32_t>(tag));
            },
            this, life_ << 32 | index);
    }
}

void Node::enter(const std::string& state, bool wrong, const std::string& why)
{
    if (!states_.empty() && states_.back().state == state && states_.back().wrong == wrong)
        return;
    states_.push_back({world_.scheduler.now(), state, wrong, why});
    if (states_.size() > mostStates)
        states_.pop_front();
}

}  // namespace wavetrope::drive
