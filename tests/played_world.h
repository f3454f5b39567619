// SPDX-License-Identifier: GPL-3.0-or-later
// Two simulated buses with playback and the log that it plays.
#pragma once

#include <random>

#include "drive/playback.h"
#include "sending_world.h"

namespace wavetrope::drive {

inline can::Frame randomFrame(std::mt19937& random, Time time)
{
    can::Frame frame;
    frame.time = time;
    frame.id = {std::array{513U, 514U, 515U, 0x181U, 0x281U}[random() % 5], false};
    frame.kind = random() % 12 == 0 ? can::FrameKind::remote : can::FrameKind::data;
    frame.direction = std::array{can::Direction::sent, can::Direction::received, can::Direction::unknown}[random() % 3];
    frame.dlc = random() % 6 == 0 ? static_cast<std::uint8_t>(random() % 9) : std::uint8_t{8};
    frame.length = frame.kind == can::FrameKind::remote ? std::uint8_t{0} : frame.dlc;
    for (unsigned i = 0; i < frame.length; ++i)
        frame.data[i] = static_cast<std::uint8_t>(random() % 4 == 0 ? random() % 3 : random());
    return frame;
}

// Two buses, a log on them, and playback.
struct Played final : bus::Listener {
    clock::Scheduler scheduler{Time(5'000'000'000)};
    bus::SimulatedBus main{scheduler, {{500'000, 0}, 0, 64, true}};
    bus::SimulatedBus other{scheduler, {{500'000, 0}, 1, 64, true}};
    bus::Port partner = main.attach("partner", can::Direction::received);
    bus::Port second = other.attach("partner", can::Direction::received);
    std::shared_ptr<const database::Catalog> catalog = bladeCatalog();
    Playback playback{scheduler, {&main, &other}, catalog};
    std::shared_ptr<trace::Trace> log = std::make_shared<trace::Trace>();
    std::vector<can::Frame> logged, frames;
    Time begins = scheduler.now();

    Played()
    {
        main.listen(this);
        other.listen(this);
        log->addBus({"Main", {500'000, 0}});
        log->addBus({"Other", {500'000, 0}});
    }
    void onFrame(const can::FrameView& frame, bus::Port) override { frames.emplace_back(frame); }
    void add(const can::Frame& frame)
    {
        log->append(frame.view());
        logged.push_back(frame);
    }
    void load(Directions directions = Directions::both)
    {
        playback.load(log, catalog);
        std::vector<Route> routes(2);
        for (int i = 0; i < 2; ++i) {
            routes[static_cast<std::size_t>(i)].from = routes[static_cast<std::size_t>(i)].to = i;
            routes[static_cast<std::size_t>(i)].directions = directions;
        }
        playback.route(std::move(routes));
    }
    void run(Time span) { scheduler.runUntil(scheduler.now() + span); }
};

}  // namespace wavetrope::drive
