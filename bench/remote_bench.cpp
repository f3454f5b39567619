// SPDX-License-Identifier: GPL-3.0-or-later
// A shared bus on loopback: 20,000 frames a second as a paced run sends and takes them, then as fast as it goes, beside
// the same frames one to a message, which is what a script with the same library would do.
#include <unistd.h>

#include <csignal>
#include <cstdlib>
#include <fstream>
#include <memory>
#include <thread>

#include "bench/figures.h"
#include "bus/remote_bus.h"
#include "remote/machine.h"
#include "remote/sharer.h"

using namespace wavetrope;
using namespace wavetrope::bench;
using namespace std::chrono_literals;

namespace {

constexpr std::uint16_t port = 18899;
constexpr auto slice = 4ms;                     // of a paced run, which sends and takes once in each
constexpr auto longest = 120s;

// A broker for as long as this lives.
struct Broker {
    pid_t process = 0;
    std::string conf = "/tmp/wavetrope-remote-bench.conf";
    Broker()
    {
        std::ofstream(conf) << "listener " << port << " 127.0.0.1\nallow_anonymous true\nmax_queued_messages 100000\n";
        process = ::fork();
        if (process == 0) {
            ::execl("/usr/sbin/mosquitto", "mosquitto", "-c", conf.c_str(), nullptr);
            std::_Exit(127);
        }
    }
    ~Broker()
    {
        ::kill(process, SIGTERM);
        ::unlink(conf.c_str());
    }
};

struct Taker final : bus::Listener {
    std::vector<double> milliseconds;
    void onFrame(const can::FrameView& frame, bus::Port) override
    {
        milliseconds.push_back(static_cast<double>((remote::machineTime() - frame.time).count()) / 1e6);
    }
};

can::Frame made(std::uint32_t number)
{
    can::Frame frame;
    frame.time = remote::machineTime();
    frame.id = {0x100 + number % 200, false};
    frame.length = frame.dlc = 8;
    std::memcpy(frame.data.data(), &number, sizeof number);
    return frame;
}

// Frames through a broker, `perSlice` in each slice; without pacing where that is 0. `packed`: many to a message.
void through(const std::string& topic, std::uint32_t frames, unsigned perSlice, bool packed, const char* what)
{
    remote::Sharer sharer({{false, "127.0.0.1", port, topic}, {}, "Bench", {500'000, 0}, {}, 64U << 20});
    auto bus = bus::RemoteBus::open("mqtt://127.0.0.1:" + std::to_string(port) + "/" + topic, 0, {500'000, 0});
    if (!bus)
        std::abort();
    Taker taker;
    (*bus)->listen(&taker);
    const auto takeAll = [&] {
        while ((*bus)->arrived())
            (*bus)->take();
    };
    const auto patience = std::chrono::steady_clock::now() + longest;
    while (!(*bus)->health().alive && std::chrono::steady_clock::now() < patience) {
        sharer.flush();
        std::this_thread::sleep_for(slice);
    }
    auto next = std::chrono::steady_clock::now();
    const double seconds = secondsOf([&] {
        for (std::uint32_t i = 0; i < frames;) {
            const unsigned now = perSlice == 0 ? 80 : perSlice;
            for (unsigned k = 0; k < now && i < frames; ++k, ++i) {
                sharer.add(made(i).view());
                if (!packed)
                    sharer.flush();
            }
            sharer.flush();
            takeAll();
            if (perSlice > 0)
                std::this_thread::sleep_until(next += slice);
        }
        while (taker.milliseconds.size() + (*bus)->health().lost < frames && std::chrono::steady_clock::now() < patience) {
            sharer.flush();
            takeAll();
            std::this_thread::sleep_for(1ms);
        }
    });
    std::vector<double>& times = taker.milliseconds;
    std::sort(times.begin(), times.end());
    const auto at = [&](double share) {
        return times.empty() ? 0 : times[static_cast<std::size_t>(share * static_cast<double>(times.size() - 1))];
    };
    const std::uint64_t missing = frames - std::min<std::uint64_t>(frames, times.size());
    line(what, static_cast<double>(frames) / seconds / 1e3, "kframes/s",
        std::to_string(missing) + " missing; " + words("latency %.2f ms median, %.2f ms p99", at(0.5), at(0.99)));
    if (perSlice > 0)
        row("latency of a remote bus on loopback, p99", at(0.99), "ms", 20, missing == 0 ? "none lost" : "FRAMES LOST");
}

}  // namespace

int main()
{
    const Broker broker;
    std::this_thread::sleep_for(300ms);
    through("rink/paced", 600'000, 80, true, "20,000 frames/s for 30 s");
    through("rink/packed", 2'000'000, 0, true, "as fast as it goes, packed");
    through("rink/single", 200'000, 0, false, "as fast as it goes, one frame a message");
    return 0;
}
