// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/gateway.h"

#include <algorithm>

#include "base/json_reader.h"

namespace wavetrope::drive {

namespace {

constexpr std::size_t mostRoutes = 256, mostKept = 100'000, mostSwitchings = 512;
constexpr Time longestKept = std::chrono::seconds(60);

}  // namespace

GatewaySpec gatewayFromJson(const JsonReader& in)
{
    GatewaySpec spec;
    spec.pointer = in.pointer();
    spec.name = in.needText("name");
    spec.off = in.flag("off");
    in.each("routes", [&](const JsonReader& route) {
        GatewayRoute one{route.pointer(), route.needText("from"), route.needText("to"), route.text("filter"), route.texts("rewrite"),
            route.span("delay")};
        if (one.from == one.to)
            JsonReader::fail(route.placeOf("to"), "a route leads to another bus", "Name two buses of the rig");
        if (one.delay > longestKept)
            JsonReader::fail(route.placeOf("delay"), "a frame is kept for a minute at the most");
        spec.routes.push_back(std::move(one));
        if (spec.routes.size() > mostRoutes)
            in.wrong("a gateway has " + std::to_string(mostRoutes) + " routes at the most");
    });
    if (spec.routes.empty())
        in.wrong("a gateway has routes", "\"routes\": [{\"from\": BUS, \"to\": BUS}]");
    return spec;
}

Gateway::Gateway(const GatewaySpec& spec, const NodeWorld& world)
    : spec_(spec), world_(world), on_(!spec.off), keeping_(clock::Timer::calling<&Gateway::due>(world.scheduler, this))
{}

Expected<std::unique_ptr<Gateway>> Gateway::create(const GatewaySpec& spec, const NodeWorld& world)
{
    std::unique_ptr<Gateway> made(new Gateway(spec, world));
    if (const auto built = made->build(); !built)
        return tl::unexpected(built.error());
    return made;
}

Expected<void> Gateway::build()
{
    std::set<std::uint8_t> heard;
    for (const GatewayRoute& route : spec_.routes) {
        const int from = world_.catalog->findBus(route.from), to = world_.catalog->findBus(route.to);
        if (from < 0 || to < 0)
            return fail("the rig has no bus '" + (from < 0 ? route.from : route.to) + "'", route.pointer + (from < 0 ? "/from" : "/to"));
        auto passing = filter::Filter::compile(route.filter, world_.catalog, {&world_.filters});
        if (!passing) {
            Error error = passing.error();
            error.where = route.pointer + "/filter" + (error.where.empty() ? "" : ", " + error.where);
            return tl::unexpected(error);
        }
        auto rewriting = Rewriting::compile(route.rewrite, world_.catalog, world_.seed);
        if (!rewriting) {
            Error error = rewriting.error();
            error.where = route.pointer + "/rewrite" + (error.where.empty() ? "" : ", " + error.where);
            return tl::unexpected(error);
        }
        bus::Bus& other = *world_.buses[static_cast<std::size_t>(to)];
        // One port for each bus that it sends to: its frames stand in line there.
        const auto known = std::find_if(own_.begin(), own_.end(), [&](const auto& one) { return one.first == to; });
        const bus::Port port = known != own_.end() ? known->second : other.attach(spec_.name, can::Direction::sent, bus::Order::asOffered);
        if (known == own_.end())
            own_.emplace_back(static_cast<std::uint8_t>(to), port);
        lines_.push_back(
            {static_cast<std::uint8_t>(from), static_cast<std::uint8_t>(to), port, !other.bitRate().known() || other.bitRate().data > 0,
                filter::FilterStream(std::move(*passing), world_.begins), std::move(*rewriting), route.delay});
        if (heard.insert(static_cast<std::uint8_t>(from)).second)
            world_.buses[static_cast<std::size_t>(from)]->listen(this);
    }
    if (!on_)
        for (const auto& [bus, port] : own_)
            world_.buses[bus]->enable(port, false);
    return {};
}

void Gateway::start() { states_.push_back({world_.scheduler.now(), on_ ? "hands over" : "taken out", false, "start"}); }

void Gateway::setOn(bool on)
{
    if (on == on_)
        return;
    on_ = on;
    ++changes_;
    for (const auto& [bus, port] : own_)
        world_.buses[bus]->enable(port, on);
    keeping_.stop();
    for (Line& line : lines_)
        line.kept.clear();
    states_.push_back({world_.scheduler.now(), on ? "hands over" : "taken out", false, on ? "put back" : "taken out of the simulation"});
    if (states_.size() > mostSwitchings)
        states_.pop_front();
}

std::vector<SentIdentifier> Gateway::sends() const
{
    std::vector<SentIdentifier> out;
    for (const auto& [bus, key] : sent_)
        out.push_back({bus, can::Identifier::fromKey(key)});
    return out;
}

ActorReport Gateway::report() const
{
    NodeFacts facts;
    facts.states.assign(states_.begin(), states_.end());
    facts.variables = {{"handed over", static_cast<double>(handed_)}, {"not carried", static_cast<double>(notCarried_)},
        {"lost", static_cast<double>(lost_)}};
    std::vector<std::uint8_t> buses;
    for (const Line& line : lines_)
        for (const std::uint8_t bus : {line.from, line.to})
            if (std::find(buses.begin(), buses.end(), bus) == buses.end())
                buses.push_back(bus);
    return {spec_.name, std::move(buses), on_, std::move(facts)};
}

void Gateway::onFrame(const can::FrameView& frame, bus::Port sender)
{
    if (!on_ || frame.kind == can::FrameKind::error || std::find(own_.begin(), own_.end(), std::pair(frame.bus, sender)) != own_.end())
        return;
    for (std::uint32_t i = 0; i < lines_.size(); ++i) {
        Line& line = lines_[i];
        if (line.from != frame.bus || !line.passing.passes(frame))
            continue;
        can::Frame handed(frame);
        (void)line.rewriting.apply(frame, world_.scheduler.now() - world_.begins, handed);
        if (line.delay.count() == 0) {
            hand(line, handed);
        } else if (line.kept.size() < mostKept) {
            line.kept.emplace_back(world_.scheduler.now() + line.delay, handed);
            keeping_.also(line.kept.back().first, i);
        } else {
            ++lost_;
            ++changes_;
        }
    }
}

void Gateway::hand(Line& line, const can::Frame& frame)
{
    ++changes_;
    if (frame.kind == can::FrameKind::fd && !line.fd) {
        ++notCarried_;
        return;
    }
    if (!world_.buses[line.to]->offer(line.port, frame)) {
        ++lost_;
        return;
    }
    ++handed_;
    sent_.emplace(line.to, frame.id.key());
}

void Gateway::due(std::uint32_t index)
{
    Line& line = lines_[index];
    if (line.kept.empty() || line.kept.front().first > world_.scheduler.now())
        return;
    const can::Frame frame = line.kept.front().second;
    line.kept.pop_front();
    hand(line, frame);
}

}  // namespace wavetrope::drive
