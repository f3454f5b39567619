// SPDX-License-Identifier: GPL-3.0-or-later
// Runs that keep to the wall clock: many nodes, and a log at its recorded pace beside two threads that take all they get; and a long log as fast as
// its buses take it.
//     wavetrope-pacing-bench
#include <unistd.h>

#include <atomic>
#include <cstdio>
#include <ctime>
#include <fstream>
#include <memory>
#include <string>
#include <thread>

#include <nlohmann/json.hpp>

#include "bench/figures.h"
#include "bus/simulated_bus.h"
#include "drive/playback.h"
#include "rig/session.h"

using namespace wavetrope;
using namespace wavetrope::bench;
using namespace std::chrono_literals;

namespace {

constexpr Time span = 20s;

// How far the wall is ahead of the stamps of frames, less what it is at the least.
class Lateness final : public bus::Listener {
public:
    explicit Lateness(clock::WallClock& wall) : wall_(wall) {}
    void onFrame(const can::FrameView& frame, bus::Port) override { by_.push_back(wall_.now() - frame.time); }
    /// In milliseconds, beyond the earliest one.
    [[nodiscard]] double percentile(double part)
    {
        if (by_.empty())
            return 0;
        std::sort(by_.begin(), by_.end());
        return static_cast<double>((by_[static_cast<std::size_t>(static_cast<double>(by_.size() - 1) * part)] - by_.front()).count()) / 1e6;
    }
    [[nodiscard]] std::size_t frames() const { return by_.size(); }

private:
    clock::WallClock& wall_;
    std::vector<Time> by_;
};

double cpuSeconds()
{
    timespec now{};
    ::clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &now);
    return static_cast<double>(now.tv_sec) + static_cast<double>(now.tv_nsec) * 1e-9;
}

double megabytes()
{
    std::ifstream statm("/proc/self/statm");
    double size = 0, resident = 0;
    statm >> size >> resident;
    return resident * static_cast<double>(::sysconf(_SC_PAGESIZE)) / 1e6;
}

// 8 buses of 25 nodes, each of which sends 10 messages every 100 ms.
std::string manyNodes()
{
    using nlohmann::json;
    json buses = json::array(), nodes = json::array();
    for (int bus = 0; bus < 8; ++bus) {
        const std::string name = "B" + std::to_string(bus);
        json messages = json::array();
        for (int node = 0; node < 25; ++node) {
            const std::string who = "N" + std::to_string(bus) + "_" + std::to_string(node);
            json sends = json::array();
            for (int message = 0; message < 10; ++message) {
                char id[16];
                std::snprintf(id, sizeof id, "0x%03X", 0x100 + node * 10 + message);
                const std::string what = "M" + std::to_string(node) + "_" + std::to_string(message);
                const json level = {{"name", "Level"}, {"start_bit", 0}, {"length", 16}};
                const json count = {{"name", "Count"}, {"start_bit", 56}, {"length", 8}};
                messages.push_back({{"id", id}, {"name", what}, {"length", 8}, {"sender", who}, {"signals", json::array({level, count})}});
                sends.push_back({{"message", what}, {"every", "100 ms"},
                    {"signals", {{"Level", "1000 * (1 + sin(t))"}, {"Count", {{"counter", {{"modulo", 256}}}}}}}});
            }
            nodes.push_back({{"name", who}, {"buses", json::array({name})}, {"sends", sends}});
        }
        buses.push_back({{"name", name}, {"rate", "1M"}, {"definitions", {{"wavetrope_database", 1}, {"messages", messages}}}});
    }
    return json{{"wavetrope", 1}, {"name", "many"}, {"begins", "2027-02-01T18:00:00Z"}, {"buses", buses}, {"nodes", nodes}}.dump();
}

std::unique_ptr<rig::Session> sessionOf(const std::string& text)
{
    const auto rig = rig::rigFromText(text, "bench.json");
    if (!rig) {
        std::fprintf(stderr, "%s\n", rig.error().text().c_str());
        std::exit(1);
    }
    rig::SessionOptions options;
    options.measured = false;
    options.onTime = true;
    auto session = rig::Session::create(*rig, rig::loadDatabases(*rig), options);
    if (!session) {
        std::fprintf(stderr, "%s\n", session.error().text().c_str());
        std::exit(1);
    }
    return std::move(*session);
}

void manyPaced()
{
    auto session = sessionOf(manyNodes());
    clock::SteadyClock wall;
    Lateness late(wall);
    for (std::size_t bus = 0; bus < 8; ++bus)
        session->bus(bus).listen(&late);
    const double before = cpuSeconds();
    const double seconds = secondsOf([&] { session->runFor(span, &wall); });
    const double share = (cpuSeconds() - before) / seconds;
    line("200 nodes, 2,000 messages, 8 buses, paced", static_cast<double>(late.frames()) / seconds, "frames/s");
    row("what it takes of a core", share, "", 0.5);
    row("a frame is late by, p99", late.percentile(0.99), "ms", 0.5,
        words("p50 %.3f, longest %.3f", late.percentile(0.5), late.percentile(1)).c_str());
}

constexpr const char* plain =
    R"({"wavetrope": 1, "name": "plain", "begins": "2027-02-01T18:00:00Z", "buses": [{"name": "Main", "rate": "1M"}], "nodes": []})";

std::shared_ptr<trace::Trace> logOf(std::size_t frames, Time step, int buses)
{
    auto log = std::make_shared<trace::Trace>();
    for (int bus = 0; bus < buses; ++bus)
        log->addBus({bus == 0 ? "Main" : "Other", {1'000'000, 0}});
    can::Frame frame;
    frame.dlc = frame.length = 8;
    for (std::size_t i = 0; i < frames; ++i) {
        frame.time = Time(1'800'000'000'000'000'000) + step * static_cast<std::int64_t>(i);
        frame.id = {static_cast<std::uint32_t>(0x100 + i * 7 % 300), false};
        frame.bus = static_cast<std::uint8_t>(i % static_cast<std::size_t>(buses));
        frame.data[0] = static_cast<std::uint8_t>(i);
        log->append(frame.view());
    }
    return log;
}

void recordedPace(bool busy)
{
    auto session = sessionOf(plain);
    session->playback().load(logOf(static_cast<std::size_t>(span / 1ms), 1ms, 1), session->catalog());
    session->playback().route({{0, 0}});
    clock::SteadyClock wall;
    Lateness late(wall);
    session->bus(0).listen(&late);
    std::atomic<bool> ends{false};
    std::vector<std::thread> others;
    for (int i = 0; busy && i < 2; ++i)
        others.emplace_back([&] {
            while (!ends.load(std::memory_order_relaxed))
                continue;
        });
    session->playback().play();
    session->runFor(span, &wall);
    ends = true;
    for (std::thread& other : others)
        other.join();
    row(busy ? "recorded pace, two threads busy beside it, p99" : "recorded pace, p99", late.percentile(0.99), "ms", 0.2,
        words("p50 %.3f, longest %.3f", late.percentile(0.5), late.percentile(1)).c_str());
}

// On buses alone: what a run keeps of it is another matter.
void fastest(std::size_t frames)
{
    const double before = megabytes();
    auto log = logOf(frames, 100us, 2);
    const double logged = megabytes();
    clock::Scheduler scheduler(Time(1'800'000'000'000'000'000));
    bus::SimulatedBus main{scheduler, {{1'000'000, 0}, 0, 64, true}}, other{scheduler, {{1'000'000, 0}, 1, 64, true}};
    auto catalog = std::make_shared<database::Catalog>();
    catalog->addBus("Main");
    catalog->addBus("Other");
    drive::Playback playback(scheduler, {&main, &other}, catalog);
    playback.load(log, catalog);
    playback.route({{0, 0}, {1, 1}});
    playback.setPace({0});
    const double loaded = megabytes();
    const double seconds = secondsOf([&] {
        playback.play();
        while (!playback.finished())
            scheduler.runUntil(scheduler.now() + 1s);
    });
    std::printf("%zu M frames as fast as two buses take them\n", frames / 1'000'000);
    row("  played", static_cast<double>(playback.sent()) / seconds / 1e6, "M/s", 1);
    line("the log", logged - before, "MB");
    line("its order and what is chosen of it", loaded - logged, "MB");
    line("while it was played", megabytes() - loaded, "MB");
}

}  // namespace

int main()
{
    fastest(1'000'000);
    fastest(10'000'000);
    manyPaced();
    recordedPace(false);
    recordedPace(true);
    return 0;
}
