// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/member.h"

#include <algorithm>

#include "protocol/layer.h"
#include "protocol/trouble_codes.h"

namespace wavetrope::drive {

namespace {

constexpr std::size_t room = 512, mostReadsWaiting = 64, troubleBytes = 4;

}  // namespace

Member::Member(MemberWorld world, const char* what)
    : world_(std::move(world)),
      name_(world_.node + what),
      port_(world_.bus.attach(name_, can::Direction::sent, bus::Order::asOffered)),
      timer_(clock::Timer::calling<&Member::wake>(world_.scheduler, this)),
      moments_(clock::Timer::calling<&Member::comes>(world_.scheduler, this))
{
    world_.bus.makeRoom(port_, room);
    world_.bus.listen(this);
}

void Member::start()
{
    begun_ = true;
    begin();
    goOn();
}

void Member::setOn(bool on)
{
    if (on == on_)
        return;
    on_ = on;
    ++changes_;
    world_.bus.enable(port_, on);
    if (on && begun_) {
        begin();
        goOn();
    }
}

std::vector<SentIdentifier> Member::sends() const
{
    std::vector<SentIdentifier> out;
    for (const std::uint32_t key : identifiers_)
        out.push_back({world_.busIndex, can::Identifier::fromKey(key)});
    return out;
}

ActorReport Member::report() const { return {name_, {world_.busIndex}, on(), MemberFacts{state(), sent_, lost_}}; }

void Member::onFrame(const can::FrameView& frame, bus::Port sender)
{
    if (sender == port_ || !begun_ || !on() || frame.kind != can::FrameKind::data)
        return;
    hear(frame);
    goOn();
}

void Member::goOn()
{
    for (const can::Frame& frame : take()) {
        if (!on())
            continue;
        ++changes_;
        if (!world_.bus.offer(port_, frame)) {
            ++lost_;
            continue;
        }
        ++sent_;
        identifiers_.insert(frame.id.key());
    }
    if (due() != Time::max())
        timer_.at(due());
    else
        timer_.stop();
}

void Member::wake()
{
    passed(now());
    goOn();
}

Time Member::nextOf(const WhenSpec& when) const
{
    const Time since = now() - world_.begins;
    if (when.every.count() > 0) {
        const std::int64_t beats = since < when.phase ? 0 : (since - when.phase) / when.every + 1;
        return world_.begins + when.phase + beats * when.every;
    }
    const std::int64_t turn = world_.story.count() > 0 ? since / world_.story : 0;
    Time best = Time::max();
    for (std::int64_t again = 0; again < (world_.story.count() > 0 ? 2 : 1); ++again)
        for (const Time at : when.at)
            if (const Time moment = world_.begins + (turn + again) * world_.story + at; moment > now())
                best = std::min(best, moment);
    return best;
}

void Member::plan(const WhenSpec& when, std::uint32_t tag)
{
    if (whens_.size() <= tag)
        whens_.resize(tag + 1U);
    whens_[tag] = when;
    if (const Time next = nextOf(when); next != Time::max())
        moments_.also(next, tag);
}

void Member::comes(std::uint32_t tag)
{
    if (const Time next = nextOf(whens_[tag]); next != Time::max())
        moments_.also(next, tag);
    if (!on())
        return;
    moment(tag);
    goOn();
}

VehicleMember::VehicleMember(AddressSpec spec, MemberWorld world)
    : Member(std::move(world), ", address"),
      spec_(std::move(spec)),
      unit_(spec_.name, spec_.address),
      counts_(spec_.troubles.size(), 0),
      active_(spec_.troubles.size(), false)
{
    unit_.has = [this](std::uint32_t group) -> std::optional<std::vector<std::uint8_t>> {
        for (const GroupSpec& one : spec_.sends)
            if (one.group == group)
                return one.troubles ? troubles() : one.data;
        return std::nullopt;
    };
}

void VehicleMember::begin()
{
    for (std::size_t i = 0; i < spec_.sends.size(); ++i)
        plan(spec_.sends[i].when, static_cast<std::uint32_t>(1 + i));
    for (std::size_t i = 0; i < spec_.requests.size(); ++i)
        plan(spec_.requests[i].when, static_cast<std::uint32_t>(1 + spec_.sends.size() + i));
    if (spec_.after.count() == 0)
        return unit_.begin(now());
    WhenSpec once;
    once.at.push_back(spec_.after);
    plan(once, 0);
}

void VehicleMember::moment(std::uint32_t tag)
{
    if (tag == 0)
        return unit_.begin(now());
    if (tag <= spec_.sends.size()) {
        const GroupSpec& group = spec_.sends[tag - 1];
        (void)unit_.offer(group.group, group.troubles ? troubles() : group.data, group.to, group.priority, now());
        return;
    }
    const GroupAskSpec& ask = spec_.requests[tag - 1 - spec_.sends.size()];
    (void)unit_.offer(0xEA00,
        {static_cast<std::uint8_t>(ask.group), static_cast<std::uint8_t>(ask.group >> 8), static_cast<std::uint8_t>(ask.group >> 16)},
        ask.to, 6, now());
}

std::vector<std::uint8_t> VehicleMember::troubles()
{
    std::vector<std::uint8_t> out{0, 0xFF};
    for (std::size_t i = 0; i < spec_.troubles.size(); ++i) {
        const TroubleSpec& one = spec_.troubles[i];
        const bool holds = world().condition && world().condition(one.when).value_or(false);
        if (holds && !active_[i])
            counts_[i] = static_cast<std::uint8_t>(std::min(counts_[i] + 1, 126));
        active_[i] = holds;
        if (!holds)
            continue;
        out[0] = 0x04;  // the amber lamp
        out.push_back(static_cast<std::uint8_t>(one.parameter));
        out.push_back(static_cast<std::uint8_t>(one.parameter >> 8));
        out.push_back(static_cast<std::uint8_t>(one.parameter >> 16 << 5 | one.failure));
        out.push_back(counts_[i]);
    }
    if (out.size() == 2)
        out.insert(out.end(), troubleBytes, 0);
    while (out.size() < 8)
        out.push_back(0xFF);
    return out;
}

std::string VehicleMember::state() const
{
    switch (unit_.state()) {
    case protocol::VehicleUnit::State::silent: return "has not claimed yet";
    case protocol::VehicleUnit::State::claiming: return "claims " + toText(protocol::Party::address(unit_.address()));
    case protocol::VehicleUnit::State::claimed: return "has " + toText(protocol::Party::address(unit_.address()));
    case protocol::VehicleUnit::State::cannotClaim: break;
    }
    return "cannot claim an address";
}

std::vector<can::Frame> VehicleMember::take() { return unit_.take(); }

ObjectMember::ObjectMember(ObjectsSpec spec, std::optional<protocol::Dictionary> dictionary, MemberWorld world)
    : Member(std::move(world), ", objects"), spec_(std::move(spec))
{
    if (dictionary && spec_.node != 0)
        server_.emplace(std::move(*dictionary), spec_.node);
    for (const auto& [place, size] : spec_.blocks) {
        std::vector<std::uint8_t> bytes(size);
        for (std::size_t i = 0; i < bytes.size(); ++i)
            bytes[i] = static_cast<std::uint8_t>(i);
        if (server_)
            (void)server_->set(place, std::move(bytes));
    }
    for (const auto& [node, within] : spec_.watches)
        watched_.push_back({node, within});
}

void ObjectMember::begin()
{
    for (std::size_t i = 0; i < spec_.reads.size(); ++i)
        plan(spec_.reads[i].when, static_cast<std::uint32_t>(i));
    const auto behind = static_cast<std::uint32_t>(spec_.reads.size());
    if (spec_.sync)
        plan(*spec_.sync, behind);
    if (spec_.time)
        plan(*spec_.time, behind + 1);
    for (Watched& one : watched_)
        one = {one.node, one.within};
}

// CiA 301, 7.2.8.3.2.2: from the first heartbeat on each has to come in time; what it says of one that does not is an emergency of its own (7.2.7.3, 0x8130).
void ObjectMember::watch(const can::FrameView& frame)
{
    if (frame.id.extended || (frame.id.value & 0x780U) != 0x700 || frame.length == 0)
        return;
    for (Watched& one : watched_) {
        if (one.node != (frame.id.value & 0x7FU))
            continue;
        one.limit = frame.time + one.within;
        if (std::exchange(one.lost, false))
            emergency(0, one.node);
    }
}

void ObjectMember::emergency(std::uint16_t code, std::uint8_t about)
{
    if (spec_.node == 0)
        return;
    can::Frame frame;
    frame.id = {0x080U + spec_.node, false};
    frame.length = frame.dlc = 8;
    const std::uint8_t error = code == 0 ? 0 : 0x11;  // generic and communication
    frame.data = {static_cast<std::uint8_t>(code), static_cast<std::uint8_t>(code >> 8), error, about, 0, 0, 0, 0};
    ending_.push_back(frame);
}

Time ObjectMember::due() const
{
    Time due = asking_ == nullptr ? Time::max() : asking_->due();
    for (const Watched& one : watched_)
        due = std::min(due, one.limit);
    return due;
}

void ObjectMember::hear(const can::FrameView& frame)
{
    watch(frame);
    if (server_)
        server_->hear(frame);
    if (asking_ == nullptr)
        return;
    asking_->hear(frame);
    askNext();
}

void ObjectMember::passed(Time now)
{
    for (Watched& one : watched_)
        if (one.limit <= now) {
            one.limit = Time::max();
            one.lost = true;
            emergency(0x8130, one.node);
        }
    if (asking_ != nullptr)
        asking_->passed(now);
    askNext();
}

void ObjectMember::moment(std::uint32_t tag)
{
    if (tag >= spec_.reads.size()) {
        if (tag > spec_.reads.size() || !spec_.sync) {
            ending_.push_back(protocol::timeFrame(now()));
            return;
        }
        syncs_ = static_cast<std::uint8_t>(syncs_ % 240 + 1);
        ending_.push_back(protocol::syncFrame(spec_.counts ? std::optional(syncs_) : std::nullopt));
        return;
    }
    if (waiting_.size() < mostReadsWaiting)
        waiting_.push_back(tag);
    askNext();
}

// One behind the other.
void ObjectMember::askNext()
{
    if ((asking_ != nullptr && !asking_->answer()) || waiting_.empty())
        return;
    const ObjectAskSpec& ask = spec_.reads[waiting_.front()];
    std::vector<can::Frame> left = asking_ == nullptr ? std::vector<can::Frame>() : asking_->take();
    waiting_.erase(waiting_.begin());
    asking_ = protocol::objectRead(ask.node, ask.place, ask.block);
    asking_->begin(now());
    ending_.insert(ending_.end(), left.begin(), left.end());
}

std::vector<can::Frame> ObjectMember::take()
{
    std::vector<can::Frame> out = std::exchange(ending_, {});
    if (asking_ != nullptr)
        for (const can::Frame& frame : asking_->take())
            out.push_back(frame);
    if (server_)
        for (const can::Frame& frame : server_->take())
            out.push_back(frame);
    return out;
}

std::string ObjectMember::state() const
{
    if (!server_)
        return "answers nobody";
    return "node " + std::to_string(spec_.node) + ", " + std::to_string(server_->reads()) + " reads, " + std::to_string(server_->writes())
           + " writes";
}

}  // namespace wavetrope::drive
