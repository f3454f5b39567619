// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/vehicle_unit.h"

#include <algorithm>

#include "protocol/transport_receiver.h"

namespace wavetrope::protocol {

// What it does at its address: it never ends.
class VehicleUnit::Work final : public Talk {
public:
    Work(VehicleUnit& unit, std::uint8_t own, std::deque<Outgoing> waiting) : unit_(unit), own_(own), waiting_(std::move(waiting)) {}

    void begin(Time now) override
    {
        goOn(now);
        wait();
    }
    void hear(const can::FrameView& frame) override
    {
        receiver_.hear(frame);
        if (sending_ != nullptr) {
            sending_->hear(frame);
            goOn(frame.time);
        }
        asked(frame);
        wait();
    }
    void passed(Time now) override
    {
        receiver_.passed(now);
        if (sending_ != nullptr && sending_->due() <= now)
            sending_->passed(now);
        goOn(now);
        wait();
    }
    bool offer(Outgoing message, Time now)
    {
        if (waiting_.size() >= mostWaiting)
            return false;
        waiting_.push_back(std::move(message));
        goOn(now);
        wait();
        return true;
    }

private:
    void goOn(Time now);
    void wait() { due_ = std::min(receiver_.until(), sending_ == nullptr ? Time::max() : sending_->due()); }
    void asked(const can::FrameView& frame);

    VehicleUnit& unit_;
    std::uint8_t own_;
    TransportReceiver receiver_{own_, [this](can::Identifier id, const std::vector<std::uint8_t>& bytes) { send(id, bytes); },
        [](std::uint8_t, std::uint32_t, std::vector<std::uint8_t>) {}};
    std::unique_ptr<Talk> sending_;
    std::deque<Outgoing> waiting_;
};

// One behind the other: a unit has one message in pieces at a time.
void VehicleUnit::Work::goOn(Time now)
{
    for (;;) {
        if (sending_ != nullptr) {
            pass(sending_->take());
            if (!sending_->answer())
                return;
            sending_.reset();
        }
        if (waiting_.empty())
            return;
        Outgoing next = std::move(waiting_.front());
        waiting_.pop_front();
        sending_ = groupSend({own_, next.to, next.priority}, next.group, std::move(next.data));
        sending_->begin(now);
    }
}

// 5.4.2 and 5.4.4.
void VehicleUnit::Work::asked(const can::FrameView& frame)
{
    if (frame.kind != can::FrameKind::data || !frame.id.extended || frame.length < 3)
        return;
    const auto parts = can::ParameterGroup::of(frame.id);
    const bool own = parts.destination == own_;
    if (parts.group != groupRequested || parts.source == own_ || (!own && parts.destination != everybody))
        return;
    const std::uint32_t group = static_cast<std::uint32_t>(frame.data[0]) | static_cast<std::uint32_t>(frame.data[1]) << 8
                                | static_cast<std::uint32_t>(frame.data[2]) << 16;
    if (group == groupClaim)
        return;  // whoever claims answers that
    auto data = unit_.has ? unit_.has(group) : std::nullopt;
    // A group of one frame goes to everybody where its kind does.
    const bool directed = own && data && (data->size() > 8 || (group >> 8 & 0xFFU) < 240);
    if (data)
        offer({group, std::move(*data), directed ? std::optional(parts.source) : std::nullopt, 6}, frame.time);
    else if (own)
        send(vehicleIdentifier(6, groupAcknowledge, everybody, own_), connectionManagement(1, 255, 255, 255, parts.source, group));
}

void VehicleUnit::begin(Time now)
{
    begun_ = true;
    work_ = nullptr;
    claim_ = claimThen(name_, address_, [this](std::uint8_t address) -> std::unique_ptr<Talk> {
        address_ = address;
        auto work = std::make_unique<Work>(*this, address, std::move(early_));
        early_.clear();
        work_ = work.get();
        return work;
    });
    claim_->begin(now);
}

void VehicleUnit::hear(const can::FrameView& frame)
{
    if (claim_ != nullptr)
        claim_->hear(frame);
}

void VehicleUnit::passed(Time now)
{
    if (claim_ != nullptr && claim_->due() <= now)
        claim_->passed(now);
    if (work_ != nullptr && !claim_->answer() && work_->due() <= now)
        work_->passed(now);
}

Time VehicleUnit::due() const
{
    if (claim_ == nullptr)
        return Time::max();
    return work_ == nullptr || claim_->answer() ? claim_->due() : std::min(claim_->due(), work_->due());
}

std::vector<can::Frame> VehicleUnit::take()
{
    if (claim_ == nullptr)
        return {};
    std::vector<can::Frame> out = claim_->take();
    if (work_ != nullptr && !claim_->answer())
        for (const can::Frame& frame : work_->take())
            out.push_back(frame);
    return out;
}

VehicleUnit::State VehicleUnit::state() const
{
    if (!begun_)
        return State::silent;
    return claim_->answer() ? State::cannotClaim : work_ == nullptr ? State::claiming : State::claimed;
}

bool VehicleUnit::offer(
    std::uint32_t group, std::vector<std::uint8_t> data, std::optional<std::uint8_t> to, std::uint8_t priority, Time now)
{
    Outgoing message{group, std::move(data), to, priority};
    if (state() == State::claimed) {
        return work_->offer(std::move(message), now);
    }
    if (state() == State::cannotClaim || early_.size() >= mostWaiting)
        return false;
    early_.push_back(std::move(message));
    return true;
}

}  // namespace wavetrope::protocol
