// SPDX-License-Identifier: GPL-3.0-or-later
#include "bus/remote_bus.h"

#include <cmath>

#include "base/time_text.h"

namespace wavetrope::bus {

namespace {

// "3.2 ms", to two digits.
std::string roughly(Time span)
{
    const auto rounded = [&](double unit) {
        char text[32];
        std::snprintf(text, sizeof text, "%.2g", static_cast<double>(span.count()) / unit);
        return std::string(text);
    };
    const double size = std::fabs(static_cast<double>(span.count()));
    if (size >= 99.5e6)
        return spanText(std::chrono::duration_cast<std::chrono::milliseconds>(span));
    return size >= 0.995e6 ? rounded(1e6) + " ms" : rounded(1e3) + " us";
}

}  // namespace

Expected<std::unique_ptr<RemoteBus>> RemoteBus::open(const std::string& address, std::uint8_t index, can::BitRate rate)
{
    auto place = remote::placeFromText(address);
    if (!place)
        return tl::unexpected(place.error());
    auto credentials = remote::credentialsFor(*place);
    if (!credentials)
        return tl::unexpected(credentials.error());
    return std::unique_ptr<RemoteBus>(new RemoteBus(std::move(*place), std::move(*credentials), index, rate));
}

RemoteBus::RemoteBus(remote::Place place, remote::Credentials credentials, std::uint8_t index, can::BitRate rate)
    : index_(index),
      rate_(rate),
      receiver_(std::make_unique<remote::Receiver>(remote::Receiver::Options{std::move(place), std::move(credentials)}))
{}

Port RemoteBus::attach(std::string, can::Direction, Order)
{
    enabled_.push_back(true);
    return static_cast<Port>(enabled_.size() - 1);
}

bool RemoteBus::offer(Port port, const can::Frame& frame) { return enabled_[port] && receiver_->offer(frame); }

void RemoteBus::take()
{
    auto frame = receiver_->take();
    if (!frame)
        return;
    frame->bus = index_;
    deliver(frame->view(), nobody);
}

Health RemoteBus::health() const
{
    const remote::Receiver::State is = receiver_->state();
    Health health;
    using Phase = remote::Receiver::State::Phase;
    health.alive = is.phase == Phase::alive;
    health.words = is.words;
    health.state = health.alive && is.refused > 0 ? Health::State::refusing : health.alive ? Health::State::alive : Health::State::down;
    if (health.state == Health::State::refusing)
        health.words = std::to_string(is.refused) + " frames were not sent: " + is.why;
    if (health.alive && rate_.known() && is.rate.known() && !rate_.agreesWith(is.rate))
        health.advice = is.name + " runs at " + can::toText(is.rate) + " there, the rig says " + can::toText(rate_)
                        + ": loads and durations are wrong until they agree";
    std::string facts;
    const auto say = [&](const std::string& words) { facts += (facts.empty() ? "" : ", ") + words; };
    if (is.latency)
        say("frames take " + roughly(*is.latency) + ", " + roughly(is.worst) + " at the most lately");
    if (is.offset)
        say("the clock there is " + roughly(std::chrono::abs(*is.offset)) + (is.offset->count() < 0 ? " behind" : " ahead") + " (within "
            + roughly(is.trip / 2) + ")");
    else if (is.latency)
        say("the clocks could not be compared");
    if (is.lost > 0)
        say(std::to_string(is.lost) + " lost on the way");
    if (is.others > 0)
        say("a second one shares there: " + std::to_string(is.others) + " messages left out");
    if (is.strange > 0)
        say(std::to_string(is.strange) + " messages that are none of a shared bus");
    if (is.misdated > 0)
        say(std::to_string(is.misdated) + " frames have impossible stamps, the time of their arrival stands instead");
    health.facts = facts;
    health.errors = is.errors;
    health.lost = is.lost + is.refused;
    return health;
}

}  // namespace wavetrope::bus
