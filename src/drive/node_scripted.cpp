// SPDX-License-Identifier: GPL-3.0-or-later
// What a node does for its script, and for dialogues that it takes part in.
#include <algorithm>
#include <cmath>

#include "base/nearest_name.h"
#include "database/compose.h"
#include "drive/node.h"

namespace wavetrope::drive {

void Node::loadScript()
{
    forgetConditions(0, reactions_.size());
    script_.reset();
    scriptProblem_.reset();
    if (spec_.script.text.empty())
        return;
    const std::size_t before = reactions_.size();
    auto loaded = NodeScript::load(*this, spec_.script);
    if (loaded) {
        script_ = std::move(*loaded);
        return;
    }
    forgetConditions(before, reactions_.size());
    scriptProblem_ = loaded.error();
}

Expected<void> Node::takeScript(const ScriptSpec& spec)
{
    if (spec.text.empty()) {
        spec_.script = spec;
        loadScript();
        ++changes_;
        return {};
    }
    const std::size_t before = reactions_.size();
    auto loaded = NodeScript::load(*this, spec);
    if (!loaded) {
        forgetConditions(before, reactions_.size());
        return tl::unexpected(loaded.error());
    }
    forgetConditions(0, before);
    spec_.script = spec;
    scriptProblem_.reset();
    if (script_)
        (*loaded)->goOnFrom(*script_);
    const bool goesOn = script_ != nullptr;
    script_ = std::move(*loaded);
    ++changes_;
    if (on_ && !states_.empty()) {
        if (!goesOn)
            script_->start();
        plan();
        tell();
    }
    return {};
}

// Places stay, since timers know conditions by them; the next script takes those at the end again.
void Node::forgetConditions(std::size_t from, std::size_t to)
{
    for (std::size_t i = from; i < to; ++i)
        if (reactions_[i].handler != 0) {
            reactions_[i].gone = true;
            reactions_[i].holds = false;
            reactions_[i].hold.stop();
        }
    while (!reactions_.empty() && reactions_.back().gone)
        reactions_.pop_back();
}

void Node::key(const std::string& name, bool down)
{
    if (script_ && on_)
        script_->onKey(name, down);
}

void Node::tell()
{
    if (script_)
        script_->drain();
}

bool Node::attachedTo(std::uint8_t bus) const { return std::find(busIndexes_.begin(), busIndexes_.end(), bus) != busIndexes_.end(); }

bool Node::sendsItself(const std::string& name) const
{
    return std::any_of(sendings_.begin(), sendings_.end(), [&](const Sending& one) { return one.name == name; });
}

Expected<std::uint32_t> Node::sendingNamed(const std::string& name, const std::string& bus)
{
    for (std::uint32_t i = 0; i < sendings_.size(); ++i)
        if (sendings_[i].name == name && (bus.empty() || world_.catalog->busName(sendings_[i].encoder.bus()) == bus))
            return i;
    SendSpec spec;
    spec.message = name;
    spec.bus = bus;
    if (const auto built = buildSend(spec); !built) {
        Error error = built.error();
        error.where.clear();
        return tl::unexpected(error);
    }
    ++changes_;
    return static_cast<std::uint32_t>(sendings_.size() - 1);
}

Expected<MessageEncoder::Held> Node::heldFor(std::uint32_t index, const std::string& signal, const script::Value& value) const
{
    const MessageEncoder& encoder = sendings_[index].encoder;
    if (signal.empty())
        return fail("values stand with the names of signals, such as {Depth = 3.5}");
    const auto place = encoder.placeOf(signal);
    if (!place)
        return tl::unexpected(place.error());
    const auto* text = std::get_if<std::string>(&value);
    const auto* truth = std::get_if<bool>(&value);
    const auto* number = std::get_if<double>(&value);
    if (text == nullptr && truth == nullptr && number == nullptr)
        return fail(encoder.name() + '.' + signal + " takes a number or a text");
    const double wanted = number != nullptr ? *number : truth != nullptr && *truth ? 1 : 0;
    if (std::isnan(wanted))
        return fail(encoder.name() + '.' + signal + " was given what is not a number");
    const database::CatalogMessage* message = encoder.message();
    if (message == nullptr && text != nullptr)
        return fail("a byte takes a number");
    if (message == nullptr)
        return MessageEncoder::Held{*place, static_cast<std::uint64_t>(std::clamp(wanted, 0.0, 255.0))};
    if (text != nullptr) {
        const auto bits = database::bitsFromText(message->message->signals[*place], message->plan.plan(*place), *text);
        if (!bits)
            return tl::unexpected(bits.error());
        return MessageEncoder::Held{*place, *bits};
    }
    // As its sources do: the nearest value that the bits hold.
    bool fits = true;
    return MessageEncoder::Held{*place, database::MessagePlan::bitsOf(message->plan.plan(*place), wanted, fits)};
}

Expected<void> Node::give(std::uint32_t index, const std::string& signal, const script::Value& value)
{
    Sending& sending = sendings_[index];
    const auto place = sending.encoder.placeOf(signal);
    if (!place)
        return tl::unexpected(place.error());
    std::erase_if(sending.given, [&](const auto& one) { return one.place == *place; });
    if (std::holds_alternative<std::monostate>(value))
        return {};
    const auto held = heldFor(index, signal, value);
    if (!held)
        return tl::unexpected(held.error());
    sending.given.push_back(*held);
    return {};
}

Expected<void> Node::sendRaw(const std::string& identifier, const std::string& busName, std::span<const std::uint8_t> bytes)
{
    const auto id = can::identifierFromText(identifier);
    if (!id)
        return fail("'" + identifier + "' is no identifier", {},
            "Up to 3 hexadecimal digits are 11 bits (0x1F0), 8 digits are 29 bits (0x18FF2103)");
    const int found = busName.empty() ? (busIndexes_.empty() ? -1 : busIndexes_.front()) : world_.catalog->findBus(busName);
    if (found < 0)
        return fail(busName.empty() ? "the node is on no bus" : "the rig has no bus '" + busName + "'");
    const auto bus = static_cast<std::uint8_t>(found);
    if (!attachedTo(bus))
        return fail("the node is not on the bus " + busName);
    const auto length = static_cast<unsigned>(bytes.size());
    if (can::lengthOfDlc(can::dlcOfLength(length)) != length)
        return fail("no frame has " + std::to_string(length) + " bytes", {}, "0 to 8, 12, 16, 20, 24, 32, 48 or 64");
    MessageEncoder encoder(bus, *id, length);
    if (const auto fits = encoder.checkFits(world_.catalog->busName(bus), world_.buses[bus]->bitRate()); !fits)
        return fits;
    can::Frame frame = encoder.frame();
    std::copy(bytes.begin(), bytes.end(), frame.data.begin());
    if (on_)
        world_.buses[bus]->offer(portOn(bus), frame);
    return {};
}

Expected<void> Node::prepare(const std::string& message, const std::string& bus)
{
    if (const auto found = sendingNamed(message, bus); !found)
        return tl::unexpected(found.error());
    return {};
}

bool Node::say(const std::string& message, const std::string& bus, std::span<const std::pair<std::string, double>> values)
{
    const auto index = sendingNamed(message, bus);
    if (!on_ || !index)
        return false;
    std::vector<MessageEncoder::Held> once;
    for (const auto& [signal, value] : values)
        if (const auto held = heldFor(*index, signal, script::Value(value)))
            once.push_back(*held);
    sendWith(*index, once);
    return true;
}

Expected<std::size_t> Node::watch(const std::string& expression, std::function<void()> becameTrue, Time hold)
{
    ReactionSpec spec;
    spec.when = expression;
    spec.hold = hold;
    if (const auto built = buildReaction(spec); !built)
        return tl::unexpected(built.error());
    reactions_.back().then = std::move(becameTrue);
    return reactions_.size() - 1;
}

void Node::note(const std::string& state, bool wrong, const std::string& why)
{
    enter(state, wrong, why);
    tell();
}

std::optional<double> Node::ownValue(const std::string& name)
{
    const auto point = name.rfind('.');
    for (Sending& sending : sendings_) {
        const database::CatalogMessage* message = sending.encoder.message();
        if (message == nullptr || (point != std::string::npos && name.compare(0, point, message->message->name) != 0))
            continue;
        const std::string_view signal = point == std::string::npos ? std::string_view(name) : std::string_view(name).substr(point + 1);
        const auto& signals = message->message->signals;
        const auto found = std::find_if(signals.begin(), signals.end(), [&](const database::Signal& one) { return one.name == signal; });
        if (found == signals.end())
            continue;
        const can::Frame& frame = sending.given.empty() ? sending.encoder.frame() : sending.encoder.withHeld(sending.given);
        database::Decoded decoded;
        if (message->plan.decodeOne(frame.view(), static_cast<std::uint32_t>(found - signals.begin()), decoded))
            return decoded.value;
    }
    return std::nullopt;
}

}  // namespace wavetrope::drive
