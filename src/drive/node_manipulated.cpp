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
        if (!actsAt(change, now))
            continue;
        if (change.spec.what == What::hold) {
            // Whether it is in the frame is known once all that selects is held.
            heldNow_.push_back({change.place, change.bits});
            held = true;
            continue;
        }
        if (change.spec.what != What::add && change.spec.what != What::scale && change.spec.what != What::stuck)
            continue;
        // As the ones before have left it.
        const can::Frame before = heldNow_.empty() ? sending.encoder.frame() : sending.encoder.withHeld(heldNow_);
        if (!carries(sending.encoder, before, change.place))
            continue;
        const database::CatalogMessage* message = sending.encoder.message();
        std::uint64_t bits = bitsIn(sending.encoder, before, change.place);
        if (change.spec.what == What::stuck) {
            if (!std::exchange(change.any, true))
                change.bits = bits;
            bits = change.bits;
        } else {
            const double value = message != nullptr ? message->plan.plan(change.place).physical(bits) : static_cast<double>(bits);
            const double wanted = change.spec.what == What::add ? value + change.spec.number : value * change.spec.number;
            bool fits = true;
            if (!std::isnan(wanted))
                bits = message != nullptr ? database::MessagePlan::bitsOf(message->plan.plan(change.place), wanted, fits)
                                          : static_cast<std::uint64_t>(std::clamp(wanted, 0.0, 255.0));
        }
        heldNow_.push_back({change.place, bits});
        held = true;
        ++change.changed;
        ++changes_;
    }
    if (held)
        frame = sending.encoder.withHeld(heldNow_);
    for (Sending::Change& change : sending.changes)
        if (change.spec.what == What::hold && actsAt(change, now) && carries(sending.encoder, frame, change.place)) {
            ++change.changed;
            ++changes_;
        }
    bool off = false;
    unsigned copies = 1;
    Time later{};
    for (Sending::Change& change : sending.changes) {
        if (!actsAt(change, now))
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
        case What::hold:
        case What::add:
        case What::scale:
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

Expected<void> Node::manipulate(const Manipulation& manipulation)
{
    std::vector<std::string> names;
    bool found = false;
    const std::size_t number = manipulations_.size();
    for (Sending& sending : sendings_) {
        names.push_back(sending.encoder.name());
        if (names.back() != manipulation.message)
            continue;
        Sending::Change change{manipulation, 0, 0, false, 0, number};
        if (!manipulation.signal.empty()) {
            const auto place = sending.encoder.placeOf(manipulation.signal);
            if (!place)
                return tl::unexpected(place.error());
            change.place = *place;
        }
        if (manipulation.what == Manipulation::What::hold) {
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
        sending.changes.push_back(std::move(change));
        found = true;
    }
    if (!found)
        return fail(spec_.name + " sends no " + manipulation.message, {}, didYouMean(manipulation.message, names));
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
