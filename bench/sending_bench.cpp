// SPDX-License-Identifier: GPL-3.0-or-later
// Rows of an outbox that go out by their periods, in virtual time: frames a second, beside the same buses fed by timers alone.
#include <algorithm>
#include <atomic>
#include <cstdio>
#include <cstdlib>
#include <memory>
#include <string>
#include <thread>
#include <vector>

#include <nlohmann/json.hpp>

#include "base/json_reader.h"
#include "bench/figures.h"
#include "bus/simulated_bus.h"
#include "clock/timer.h"
#include "clock/pacer.h"
#include "drive/outbox.h"
#include "rig/session.h"

using namespace wavetrope;
using namespace wavetrope::bench;

namespace {

constexpr std::size_t buses = 8, rows = 500;
constexpr Time every = std::chrono::milliseconds(10);
constexpr Time span = std::chrono::seconds(20);

struct Count final : bus::Listener {
    std::uint64_t frames = 0;
    void onFrame(const can::FrameView&, bus::Port) override { ++frames; }
};

// The same frames at the same moments, with nobody in between.
struct Bare {
    clock::Scheduler& scheduler;
    bus::Bus& bus;
    bus::Port port;
    can::Frame frame;
    Time next;
    clock::Timer timer = clock::Timer::calling<&Bare::beat>(scheduler, this);
    void beat()
    {
        bus.offer(port, frame);
        next += every;
        timer.at(next);
    }
};

// When each frame came, beside when it should have by the wall.
struct Late final : bus::Listener {
    clock::SteadyClock wall;
    Time began{}, begins{};
    std::vector<double> late;       // milliseconds
    void onFrame(const can::FrameView& frame, bus::Port) override
    {
        late.push_back(static_cast<double>(((wall.now() - began) - (frame.time - begins)).count()) * 1e-6);
    }
};

// 100 rows of 10 ms against the wall, with two cores busy.
int onTheWall(int seconds)
{
    nlohmann::json rig = {{"wavetrope", 1}, {"name", "wall"}, {"buses", nlohmann::json::array()},
        {"outbox", {{{"name", "all"}, {"rows", nlohmann::json::array()}}}}};
    for (int i = 0; i < 4; ++i)
        rig["buses"].push_back({{"name", "B" + std::to_string(i)}, {"rate", "1M"}});
    for (int i = 0; i < 100; ++i)
        rig["outbox"][0]["rows"].push_back({{"bus", "B" + std::to_string(i % 4)},
            {"frame", can::toText(can::Identifier{static_cast<std::uint32_t>(0x100 + i), false}) + " 1 2 3 4 5 6 7 8"}, {"every", "10 ms"},
            {"offset", std::to_string(i * 97) + " us"}});
    const auto read = rig::rigFromText(rig.dump(), "");
    rig::SessionOptions options;
    options.outbox = {"all"};
    options.onTime = true;
    auto session = read ? rig::Session::create(*read, {}, options) : tl::unexpected(read.error());
    if (!session) {
        std::fprintf(stderr, "%s\n", session.error().text().c_str());
        return 1;
    }
    Late late;
    late.late.reserve(static_cast<std::size_t>(seconds) * 10'000 + 1000);
    for (std::size_t i = 0; i < 4; ++i)
        (*session)->bus(i).listen(&late);
    std::atomic<bool> busy{true};
    std::vector<std::thread> spinning;
    for (int i = 0; i < 2; ++i)
        spinning.emplace_back([&busy] {
            volatile std::uint64_t sum = 0;
            while (busy)
                sum = sum + 1;
        });
    late.begins = (*session)->now();
    late.began = late.wall.now();
    (*session)->runFor(std::chrono::seconds(seconds), &late.wall);
    busy = false;
    for (std::thread& one : spinning)
        one.join();
    const std::size_t second = 10'000;
    const auto mean = [&](std::size_t from, std::size_t to) {
        double sum = 0;
        for (std::size_t i = from; i < to; ++i)
            sum += late.late[i];
        return sum / static_cast<double>(to - from);
    };
    const std::size_t count = late.late.size();
    const double drift = count > 2 * second ? mean(count - second, count) - mean(0, second) : 0;
    std::vector<double> sorted = late.late;
    std::sort(sorted.begin(), sorted.end());
    const std::string beside = std::to_string(count) + " frames in " + std::to_string(seconds) + " s; median "
                               + std::to_string(sorted[count / 2]) + " ms, longest " + std::to_string(sorted.back())
                               + ", last second against the first " + std::to_string(drift);
    row("100 rows of 10 ms on the wall, p99 late", sorted[count * 99 / 100], "ms", 0.5, beside.c_str());
    return 0;
}

}  // namespace

int main(int argc, char** argv)
{
    if (argc > 2 && std::string(argv[1]) == "wall")
        return onTheWall(std::max(2, std::atoi(argv[2])));
    nlohmann::json document = nlohmann::json::array({{{"name", "all"}, {"rows", nlohmann::json::array()}}});
    for (std::size_t i = 0; i < rows; ++i)
        document[0]["rows"].push_back({{"bus", "B" + std::to_string(i % buses)},
            {"frame", can::toText(can::Identifier{static_cast<std::uint32_t>(0x100 + i), false}) + " 1 2 3 4 5 6 7 8"}, {"every", "10 ms"},
            {"offset", std::to_string(i * 20) + " us"}});
    const auto world = [&](bool outbox) {
        clock::Scheduler scheduler{Time(1'000'000'000)};
        std::vector<std::unique_ptr<bus::SimulatedBus>> made;
        std::vector<bus::Bus*> all;
        auto catalog = std::make_shared<database::Catalog>();
        Count count;
        for (std::size_t i = 0; i < buses; ++i) {
            made.push_back(
                std::make_unique<bus::SimulatedBus>(scheduler, bus::SimulatedBusOptions{{1'000'000, 0}, static_cast<std::uint8_t>(i)}));
            all.push_back(made.back().get());
            catalog->addBus("B" + std::to_string(i));
            made.back()->listen(&count);
        }
        std::vector<std::unique_ptr<Bare>> bare;
        std::unique_ptr<drive::Outbox> sending;
        if (outbox) {
            sending = std::make_unique<drive::Outbox>(
                drive::outboxFromJson(JsonReader(document)), drive::OutboxWorld{scheduler, all, catalog, {}, 1, scheduler.now()});
            sending->takePart({"all"});
            sending->start();
        } else {
            std::vector<bus::Port> ports;
            for (bus::Bus* one : all) {
                ports.push_back(one->attach("bare", can::Direction::sent));
                one->makeRoom(ports.back(), rows);
            }
            for (std::size_t i = 0; i < rows; ++i) {
                can::Frame frame;
                frame.id = {static_cast<std::uint32_t>(0x100 + i), false};
                frame.length = frame.dlc = 8;
                for (unsigned k = 0; k < 8; ++k)
                    frame.data[k] = static_cast<std::uint8_t>(k + 1);
                bare.push_back(std::unique_ptr<Bare>(
                    new Bare{scheduler, *all[i % buses], ports[i % buses], frame, scheduler.now() + std::chrono::microseconds(20 * i)}));
                bare.back()->timer.at(bare.back()->next);
            }
        }
        const double seconds = secondsOf([&] { scheduler.runUntil(scheduler.now() + span); });
        std::uint64_t refused = 0;
        if (sending) {
            const drive::ActorReport report = sending->report();
            for (const drive::OutboxRowFacts& facts : *report.as<drive::OutboxFacts>()->rows)
                refused += facts.refused;
        }
        return std::tuple(static_cast<double>(count.frames) / seconds, count.frames, refused);
    };
    const auto [plain, plainFrames, none] = world(false);
    const auto [sent, frames, refused] = world(true);
    const std::string beside = std::to_string(frames) + " frames on 8 buses, " + std::to_string(refused) + " refused; the buses alone "
                               + std::to_string(static_cast<int>(plain / 1000)) + " k/s";
    row("500 cyclic rows in virtual time", sent / 1000, "k/s", 300, beside.c_str());
    return frames == plainFrames && refused == 0 ? 0 : 1;
}
