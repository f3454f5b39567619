// SPDX-License-Identifier: GPL-3.0-or-later
// What is done on purpose to what a node sends.
#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <utility>

#include "base/nearest_name.h"
#include "database/compose.h"
#include "drive/node.h"

namespace wavetrope::drive {

namespace {

constexpr std::size_t mostLate = 10'000;

// Raw bits of a place as a frame has them.
std::uint64_t bitsIn(const MessageEncoder& encoder, const can::Frame& frame, std::uint32_t place)
{
    const database::CatalogMessage* message = encoder.message();
    if (message == nullptr)
        return place < frame.length ? frame.data[place] : 0;
    database::Decoded decoded;
    return message->plan.decodeOne(frame.view(), place, decoded) ? decoded.bits : 0;
}

bool carries(const MessageEncoder& encoder, const can::Frame& frame, std::uint32_t place)
{
    const database::CatalogMessage* message = encoder.message();
    return message == nullptr ? place < frame.length : message->plan.present({frame.data.data(), frame.length}, place);
}

}  // namespace

bool Node::actsAt(const Sending::Change& change, Time sinceBegin)
{
    return (!change.spec.from || sinceBegin >= *change.spec.from) && (!change.spec.to || sinceBegin < *change.spec.to)
           && (!change.spec.times || change.changed < *change.spec.times);
}

bool Node::inPhase(const std::string& phase) const
{
    return (!states_.empty() && states_.back().state == phase)
           || std::any_of(phases_.begin(), phases_.end(), [&](const auto& now) { return now() == phase; });
}

// Besides its times. Looked at once for each frame.
bool Node::meets(Sending::Change& change) const
{
    change.met = change.spec.phase.empty() || inPhase(change.spec.phase);
    if (change.met && change.named)
        change.met = world_.condition(change.spec.holds).value_or(false);
    else if (change.met && !change.spec.holds.empty())
        change.met = change.holds.evaluate(slots_, change.chance) != 0;
    return change.met;
}

Time Node::changedPeriod(Sending& sending) const
{
    Time period{};
    for (Sending::Change& change : sending.changes)
        if (change.spec.what == Manipulation::What::every && actsAt(change, world_.scheduler.now() - world_.begins) && meets(change))
            period = change.spec.delay;
    return period;
}

void Node::takePart(std::function<std::string()> phase, const std::vector<std::string>& phases)
{
    phases_.push_back(std::move(phase));
    phaseNames_.insert(phaseNames_.end(), phases.begin(), phases.end());
}

// What a signal has on purpose, in place of the bits that it would have.
std::uint64_t Node::changedBits(Sending::Change& change, const Sending& sending, std::uint64_t bits) const
{
    using What = Manipulation::What;
    const database::CatalogMessage* message = sending.encoder.message();
    if (change.spec.what == What::stuck) {
        if (!std::exchange(change.any, true))
            change.bits = bits;
        return change.bits;
    }
    if (change.spec.what == What::jumps) {
        if (const std::uint64_t modulo = sending.encoder.modulo(change.place); modulo > 0)
            return (bits + change.bits % modulo) % modulo;
        const unsigned length = message != nullptr ? message->message->signals[change.place].length : 8;
        return (bits + change.bits) & (length >= 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << length) - 1);
    }
    const double value = message != nullptr ? message->plan.plan(change.place).physical(bits) : static_cast<double>(bits);
    const double wanted = change.spec.what == What::add     ? value + change.spec.number
                          : change.spec.what == What::scale ? value * change.spec.number
                                                            : change.value.evaluate(slots_, change.chance);
    bool fits = true;
    if (std::isnan(wanted))
        return bits;
    return message != nullptr ? database::MessagePlan::bitsOf(message->plan.plan(change.place), wanted, fits)
                              : static_cast<std::uint64_t>(std::clamp(wanted, 0.0, 255.0));
}

void Node::offerChanged(std::uint32_t index, std::span<const MessageEncoder::Held> once)
{
    using What = Manipulation::What;
    Sending& sending = sendings_[index];
    const Time now = world_.scheduler.now() - world_.begins;
    // What is given once goes before what its script gives, and what is done on purpose before both.
    heldNow_.assign(sending.given.begin(), sending.given.end());
    heldNow_.insert(heldNow_.end(), once.begin(), once.end());
    can::Frame frame = heldNow_.empty() ? sending.encoder.frame() : sending.encoder.withHeld(heldNow_);
    bool held = false;
    for (Sending::Change& change : sending.changes) {
        if (!actsAt(change, now) || !meets(change))
            continue;
        if (change.spec.what == What::hold) {
            // Whether it is in the frame is known once all that selects is held.
            heldNow_.push_back({change.place, change.bits});
            held = true;
            continue;
        }
        if (change.spec.what == What::wrong || ofWholeMessage(change.spec.what))
            continue;
        // As the ones before have left it.
        const can::Frame before = heldNow_.empty() ? sending.encoder.frame() : sending.encoder.withHeld(heldNow_);
        if (!carries(sending.encoder, before, change.place))
            continue;
        heldNow_.push_back({change.place, changedBits(change, sending, bitsIn(sending.encoder, before, change.place))});
        held = true;
        ++change.changed;
        ++changes_;
    }
    if (held)
        frame = sending.encoder.withHeld(heldNow_);
    for (Sending::Change& change : sending.changes)
        if (change.spec.what == What::hold && actsAt(change, now) && change.met && carries(sending.encoder, frame, change.place)) {
            ++change.changed;
            ++changes_;
        }
    bool off = false;
    unsigned copies = 1;
    Time later{};
    for (Sending::Change& change : sending.changes) {
        if (!actsAt(change, now) || !change.met)
            continue;
        switch (change.spec.what) {
        case What::wrong: {
            if (!carries(sending.encoder, frame, change.place))
                continue;
            if (const database::CatalogMessage* message = sending.encoder.message(); message != nullptr) {
                const unsigned length = message->message->signals[change.place].length;
                const std::uint64_t mask = length >= 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << length) - 1;
                message->plan.encodeBits(frame.data, change.place, ~bitsIn(sending.encoder, frame, change.place) & mask);
            } else {
                frame.data[change.place] = static_cast<std::uint8_t>(~frame.data[change.place]);
            }
            break;
        }
        case What::off: off = true; break;
        case What::later: later += change.spec.delay; break;
        case What::again: ++copies; break;
        case What::every: break;  // its beats are
        case What::length: {
            const auto bytes = static_cast<std::size_t>(change.spec.number);
            for (std::size_t i = frame.length; i < bytes; ++i)
                frame.data[i] = 0;
            frame.length = static_cast<std::uint8_t>(bytes);
            frame.dlc = can::dlcOfLength(frame.length);
            break;
        }
        case What::hold:
        case What::add:
        case What::scale:
        case What::follows:
        case What::jumps:
        case What::stuck: continue;
        }
        ++change.changed;
        ++changes_;
    }
    if (off)
        return;
    for (unsigned i = 0; i < copies; ++i) {
        if (later.count() == 0) {
            world_.buses[sending.encoder.bus()]->offer(sending.port, frame);
        } else if (lateFrames_.size() < mostLate) {
            lateFrames_.emplace(world_.scheduler.now() + later, std::pair(index, frame));
            late_.also(world_.scheduler.now() + later);
        }
    }
}

void Node::sendLate()
{
    const Time now = world_.scheduler.now();
    while (!lateFrames_.empty() && lateFrames_.begin()->first <= now) {
        const auto& [index, frame] = lateFrames_.begin()->second;
        if (on_)
            world_.buses[sendings_[index].encoder.bus()]->offer(sendings_[index].port, frame);
        lateFrames_.erase(lateFrames_.begin());
    }
}

Expected<Node::Sending::Change> Node::changeOf(const Manipulation& manipulation, const Sending& sending)
{
    using What = Manipulation::What;
    Sending::Change change;
    change.spec = manipulation;
    change.number = manipulations_.size();
    change.chance = formula::Random(world_.seed ^ 0x9E3779B97F4A7C15ULL * (manipulations_.size() + 1));
    if (!manipulation.signal.empty()) {
        const auto place = sending.encoder.placeOf(manipulation.signal);
        if (!place)
            return tl::unexpected(place.error());
        change.place = *place;
    }
    // Names that it looks up are heard for it alone: the rest of the node goes on as without.
    quietly_ = true;
    const auto compiled = [&](const std::string& text, formula::Formula& into) -> Expected<void> {
        auto formula = compile(text, "'" + text + "'");
        if (!formula)
            return tl::unexpected(formula.error());
        into = std::move(*formula);
        return {};
    };
    Expected<void> known;
    if (manipulation.what == What::follows)
        known = compiled(manipulation.value, change.value);
    if (known && !manipulation.holds.empty()) {
        change.named = world_.condition && world_.condition(manipulation.holds).has_value();
        if (!change.named)
            known = compiled(manipulation.holds, change.holds);
    }
    quietly_ = false;
    if (!known)
        return tl::unexpected(known.error());
    if (!manipulation.phase.empty() && !script_) {
        std::vector<std::string> states = phaseNames_;
        states.push_back(spec_.state);
        for (const ReactionSpec& reaction : spec_.reactions)
            states.push_back(reaction.enter);
        if (std::find(states.begin(), states.end(), manipulation.phase) == states.end())
            return fail(
                spec_.name + " is in no phase and no state '" + manipulation.phase + "'", {}, didYouMean(manipulation.phase, states));
    }
    if (manipulation.what == What::jumps)
        change.bits = static_cast<std::uint64_t>(static_cast<std::int64_t>(manipulation.number));
    if (const std::uint64_t modulo = sending.encoder.modulo(change.place);
        manipulation.what == What::jumps && modulo > 0 && manipulation.number < 0)
        change.bits = modulo - static_cast<std::uint64_t>(-manipulation.number) % modulo;
    if (manipulation.what == What::every && sending.every.count() == 0)
        return fail(sending.encoder.name() + " has no period of its own that another one could stand for");
    if (manipulation.what == What::length) {
        const bool fd = sending.encoder.frame().kind == can::FrameKind::fd;
        const double most = fd ? can::maxLength : can::maxClassicLength;
        if (manipulation.number > most
            || can::lengthOfDlc(can::dlcOfLength(static_cast<unsigned>(manipulation.number))) != manipulation.number)
            return fail(std::string("no ") + (fd ? "FD" : "classic") + " frame has "
                        + std::to_string(static_cast<long long>(manipulation.number)) + " bytes");
        if (sending.encoder.frame().kind == can::FrameKind::remote)
            return fail("a remote frame has no bytes");
    }
    if (manipulation.what == What::hold) {
        if (const database::CatalogMessage* message = sending.encoder.message(); message != nullptr) {
            const auto typed = database::bitsFromText(
                message->message->signals[change.place], message->plan.plan(change.place), manipulation.value);
            if (!typed)
                return tl::unexpected(typed.error());
            change.bits = *typed;
        } else {
            char* end = nullptr;
            const double value = std::strtod(manipulation.value.c_str(), &end);
            if (*end != '\0' || !(value >= 0 && value <= 255) || value != std::floor(value))
                return fail("'" + manipulation.value + "' is no byte", {}, "0 to 255");
            change.bits = static_cast<std::uint64_t>(value);
        }
    }
    return change;
}

Expected<void> Node::manipulate(const Manipulation& manipulation)
{
    std::vector<std::string> names;
    std::vector<std::pair<Sending*, Sending::Change>> made;
    for (Sending& sending : sendings_) {
        names.push_back(sending.encoder.name());
        if (names.back() != manipulation.message)
            continue;
        auto change = changeOf(manipulation, sending);
        if (!change)
            return tl::unexpected(change.error());
        made.emplace_back(&sending, std::move(*change));
    }
    if (made.empty())
        return fail(spec_.name + " sends no " + manipulation.message, {}, didYouMean(manipulation.message, names));
    for (auto& [sending, change] : made)
        sending->changes.push_back(std::move(change));
    manipulations_.push_back(
        {manipulation.text, std::max(world_.scheduler.now(), world_.begins + manipulation.from.value_or(Time{0})), false, false, 0});
    ++changes_;
    return {};
}

void Node::lift(std::size_t manipulation)
{
    if (manipulation >= manipulations_.size())
        return;
    manipulations_.erase(manipulations_.begin() + static_cast<std::ptrdiff_t>(manipulation));
    for (Sending& sending : sendings_) {
        std::erase_if(sending.changes, [&](const auto& change) { return change.number == manipulation; });
        for (auto& change : sending.changes)
            change.number -= change.number > manipulation ? 1 : 0;
    }
    ++changes_;
}

void Node::liftAll()
{
    while (!manipulations_.empty())
        lift(manipulations_.size() - 1);
}

}  // namespace wavetrope::drive
