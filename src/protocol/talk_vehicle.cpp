// SPDX-License-Identifier: GPL-3.0-or-later
// Taking part in a network of vehicles (SAE J1939-21, 5.4 and 5.10; SAE J1939-81, 4.4).
#include <algorithm>
#include <charconv>
#include <cstdio>
#include <map>
#include <set>

#include "can/parameter_group.h"
#include "protocol/network.h"
#include "protocol/talk.h"
#include "protocol/transport_receiver.h"
#include "protocol/hex_text.h"

namespace wavetrope::protocol {

using namespace std::chrono_literals;

namespace {

// SAE J1939-21, 5.10.2.4, 5.12.3 and annex C.
constexpr Time forResponse = 1250ms, forClear = 1250ms, behindHold = 1050ms, apart = 50ms;
constexpr Time contest = 250ms;  // SAE J1939-81, 4.4.2: before it may speak

std::string abortReason(std::uint8_t reason)
{
    static constexpr const char* words[] = {"", "it has another connection", "it lacks resources", "it waited too long",
        "it was asked for packets while it sent some", "too many packets were sent again", "a packet that was not expected",
        "a wrong number", "a number came twice", "the message is too long"};
    return reason > 0 && reason < std::size(words) ? words[reason] : "reason " + std::to_string(reason);
}

bool isVehicle(const can::FrameView& frame) { return frame.kind == can::FrameKind::data && frame.id.extended; }

class Request final : public GroupRequest {
public:
    Request(VehiclePlace place, std::uint32_t group) : place_(place), group_(group) { receiver_.only(group); }

    void begin(Time now) override
    {
        ends_ = now + forResponse;
        due_ = ends_;
        sendShort(vehicleIdentifier(place_.priority, groupRequested, place_.other.value_or(everybody), place_.own),
            {static_cast<std::uint8_t>(group_), static_cast<std::uint8_t>(group_ >> 8), static_cast<std::uint8_t>(group_ >> 16)});
    }
    void hear(const can::FrameView& frame) override
    {
        if (answer() || !isVehicle(frame))
            return;
        const auto parts = can::ParameterGroup::of(frame.id);
        if (parts.source == place_.own || (place_.other && parts.source != *place_.other)
            || (parts.addressed && parts.destination != place_.own && parts.destination != everybody))
            return;
        receiver_.hear(frame);
        if (answer())
            return;
        wait();
        if (parts.group == groupAcknowledge && frame.length == 8 && managedGroup(frame) == group_ && place_.other) {
            static constexpr const char* words[] = {"", "it does not have it", "access is denied", "it cannot answer now"};
            if (frame.data[0] > 0 && frame.data[0] < std::size(words))
                return fail("refused by " + toText(Party::address(parts.source)) + ": " + words[frame.data[0]]);
            if (frame.data[0] == 0)
                return whole(parts.source, {});
        }
        if (parts.group == group_)
            whole(parts.source, {frame.data, frame.data + frame.length});
    }
    void passed(Time now) override
    {
        if (answer() || now < due_)
            return;
        receiver_.passed(now);
        if (now < ends_ || receiver_.until() != Time::max())
            return wait();
        if (answers_.empty())
            return fail("nobody answers");
        end({true, {}, {}});
    }
    [[nodiscard]] const std::vector<GroupAnswer>& answers() const override { return answers_; }

private:
    // What has begun is waited for.
    void wait() { due_ = receiver_.until() == Time::max() ? ends_ : std::max(ends_, receiver_.until()); }
    void whole(std::uint8_t source, std::vector<std::uint8_t> data)
    {
        answers_.push_back({source, data});
        if (place_.other)
            end({true, std::move(data), {}});
    }

    VehiclePlace place_;
    std::uint32_t group_;
    Time ends_{};
    TransportReceiver receiver_{place_.own, [this](can::Identifier id, const std::vector<std::uint8_t>& bytes) { send(id, bytes); },
        [this](std::uint8_t source, std::uint32_t, std::vector<std::uint8_t> data) { whole(source, std::move(data)); }};
    std::vector<GroupAnswer> answers_;
};

class Send final : public Talk {
public:
    Send(VehiclePlace place, std::uint32_t group, std::vector<std::uint8_t> data)
        : place_(place),
          group_(group),
          data_(std::move(data)),
          packets_(static_cast<unsigned>((data_.size() + packetBytes - 1) / packetBytes)),
          to_(place.other.value_or(everybody))
    {}

    void begin(Time now) override
    {
        if (data_.size() > longestTransport)
            return fail("a group has 1,785 bytes at the most");
        if ((group_ >> 8 & 0xFFU) >= 240 && data_.size() <= 8 && place_.other)
            return fail("a group of this kind goes to everybody: only one of more than 8 bytes can be directed");
        if (data_.size() <= 8) {
            sendShort(vehicleIdentifier(place_.priority, group_, to_, place_.own), data_);
            return end({true, {}, {}});
        }
        const auto size = static_cast<unsigned>(data_.size());
        send(vehicleIdentifier(7, groupManagement, to_, place_.own),
            connectionManagement(to_ == everybody ? announceToAll : requestToSend, size & 0xFFU, size >> 8, packets_, 255, group_));
        due_ = now + (to_ == everybody ? apart : forClear);
    }
    void hear(const can::FrameView& frame) override
    {
        if (answer() || !isVehicle(frame) || frame.length != 8 || to_ == everybody || data_.size() <= 8)
            return;
        const auto parts = can::ParameterGroup::of(frame.id);
        if (parts.group != groupManagement || parts.source != to_ || parts.destination != place_.own || managedGroup(frame) != group_)
            return;
        switch (frame.data[0]) {
        case clearToSend: {
            const unsigned count = frame.data[1], next = frame.data[2];
            if (count == 0) {
                due_ = frame.time + behindHold;
                return;
            }
            if (next == 0 || next > packets_)
                return giveUp("it asks for a packet that there is not");
            for (unsigned i = next; i < next + count && i <= packets_; ++i)
                packet(i);
            due_ = frame.time + forClear;
            return;
        }
        case endOfMessage: return end({true, {}, {}});
        case connectionAbort: return fail(toText(Party::address(to_)) + " breaks it off: " + abortReason(frame.data[1]));
        default: return;
        }
    }
    void passed(Time now) override
    {
        if (answer() || now < due_)
            return;
        if (to_ != everybody)
            return giveUp("it does not answer within 1.25 s");
        packet(next_++);
        if (next_ > packets_)
            return end({true, {}, {}});
        due_ = now + apart;
    }

private:
    void packet(unsigned number)
    {
        std::vector<std::uint8_t> bytes{static_cast<std::uint8_t>(number)};
        for (std::size_t at = std::size_t{number - 1} * packetBytes; at < data_.size() && bytes.size() < 8; ++at)
            bytes.push_back(data_[at]);
        send(vehicleIdentifier(7, groupData, to_, place_.own), bytes, 0xFF);
    }
    void giveUp(const char* words)
    {
        send(vehicleIdentifier(7, groupManagement, to_, place_.own), connectionManagement(connectionAbort, 3, 255, 255, 255, group_));
        fail(toText(Party::address(to_)) + ": " + words);
    }

    VehiclePlace place_;
    std::uint32_t group_;
    std::vector<std::uint8_t> data_;
    unsigned packets_, next_ = 1;
    std::uint8_t to_;
};

class Claim final : public Talk {
public:
    Claim(std::uint64_t name, std::uint8_t address, std::function<std::unique_ptr<Talk>(std::uint8_t)> then)
        : name_(name), address_(address), then_(std::move(then))
    {}

    void begin(Time now) override { claim(now); }
    void hear(const can::FrameView& frame) override
    {
        if (answer() || !isVehicle(frame))
            return;
        const auto parts = can::ParameterGroup::of(frame.id);
        if (parts.group == groupClaim && frame.length == 8)
            claimed(frame, parts.source);
        else if (parts.group == groupRequested && frame.length >= 3 && (parts.destination == address_ || parts.destination == everybody)
                 && (frame.data[0] | frame.data[1] << 8 | frame.data[2] << 16) == groupClaim)
            say(address_);  // 4.2.1: who is asked says its claim
        if (!answer() && inner_ != nullptr) {
            inner_->hear(frame);
            follow();
        }
    }
    void passed(Time now) override
    {
        if (answer() || now < due_)
            return;
        if (inner_ == nullptr) {
            inner_ = then_ ? then_(address_) : nullptr;
            if (inner_ == nullptr)
                return end({true, {address_}, {}});
            inner_->begin(now);
        } else {
            inner_->passed(now);
        }
        follow();
    }

private:
    void say(std::uint8_t from)
    {
        std::vector<std::uint8_t> bytes;
        for (unsigned i = 0; i < 8; ++i)
            bytes.push_back(static_cast<std::uint8_t>(name_ >> 8 * i));
        send(vehicleIdentifier(6, groupClaim, everybody, from), bytes);
    }
    void claim(Time now)
    {
        say(address_);
        due_ = now + contest;
    }
    // 4.4.3: of two names the smaller one keeps the address.
    void claimed(const can::FrameView& frame, std::uint8_t source)
    {
        std::uint64_t name = 0;
        for (std::size_t i = 8; i-- > 0;)
            name = name << 8 | frame.data[i];
        if (name == name_)
            return;
        taken_.insert(source);
        if (source != address_)
            return;
        if (name_ < name)
            return say(address_);
        if (UnitName{name_}.choosesAddress() && inner_ == nullptr)
            for (unsigned next = 128; next <= 247; ++next)
                if (taken_.count(static_cast<std::uint8_t>(next)) == 0) {
                    address_ = static_cast<std::uint8_t>(next);
                    return claim(frame.time);
                }
        say(nullAddress);
        fail("the address " + toText(Party::address(source)) + " is that of the smaller name " + UnitName{name}.text());
    }
    void follow()
    {
        pass(inner_->take());
        due_ = inner_->due();
        if (inner_->answer())
            end(*inner_->answer());
    }

    std::uint64_t name_;
    std::uint8_t address_;
    std::function<std::unique_ptr<Talk>(std::uint8_t)> then_;
    std::unique_ptr<Talk> inner_;
    std::set<std::uint8_t> taken_;
};

}  // namespace

std::unique_ptr<GroupRequest> groupRequest(VehiclePlace place, std::uint32_t group) { return std::make_unique<Request>(place, group); }

std::unique_ptr<Talk> groupSend(VehiclePlace place, std::uint32_t group, std::vector<std::uint8_t> data)
{
    return std::make_unique<Send>(place, group, std::move(data));
}

std::unique_ptr<Talk> claimThen(std::uint64_t name, std::uint8_t address, std::function<std::unique_ptr<Talk>(std::uint8_t)> then)
{
    return std::make_unique<Claim>(name, address, std::move(then));
}

Expected<std::uint32_t> groupFromText(std::string_view text)
{
    std::string_view digits = text;
    if (digits.starts_with("0x") || digits.starts_with("0X"))
        digits.remove_prefix(2);
    std::uint32_t group = 0;
    const auto [end, problem] = std::from_chars(digits.data(), digits.data() + digits.size(), group, 16);
    if (digits.empty() || problem != std::errc() || end != digits.data() + digits.size() || group > 0x3FFFF)
        return wavetrope::fail("'" + std::string(text) + "' is no group: expected up to 18 bits in hexadecimal digits, such as 0xFECA");
    if ((group >> 8 & 0xFFU) < 240 && (group & 0xFFU) != 0)
        return wavetrope::fail(
            "'" + std::string(text) + "' is no group: one that goes to an address ends in 00, such as " + hex("0x%05X", group & 0x3FF00U));
    return group;
}

}  // namespace wavetrope::protocol
